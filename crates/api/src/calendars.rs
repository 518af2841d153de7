//! Calendars: times in which nothing is held, by name.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::Digest;

/// A calendar to set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CalendarBody {
    /// An IANA time zone, of which its whole days are, and its times without a zone of their own.
    pub zone: String,
    /// An iCalendar file (RFC 5545): nothing is held during any of its entries.
    pub file: String,
}

/// One calendar.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct CalendarView {
    /// Its name, by which rules go by it.
    pub name: String,
    /// It in words, as it is at present.
    pub says: String,
    /// The zone of its whole days.
    pub zone: String,
    /// Entries that are not over, the first one first; 100 at most.
    pub entries: Vec<CalendarEntryView>,
    /// How many there are.
    pub count: usize,
    /// Until when all are known; from then on it is closed. None where none is missing.
    pub known_until: Option<Timestamp>,
    /// Rules that go by it, of those that the caller sees.
    pub closes: Vec<String>,
    /// What is held at present and goes on into an entry, for it was opened before that was there; of what the caller sees.
    pub runs_into: Vec<String>,
    /// Who set it last.
    pub set_by: Option<String>,
    /// When.
    pub set_at: Option<Timestamp>,
    /// What a change of it names in `If-Match`.
    pub digest: Digest,
}

/// One time in which nothing is held.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct CalendarEntryView {
    /// From this moment on.
    pub from: Timestamp,
    /// Until this one.
    pub until: Timestamp,
    /// What it is called.
    pub what: String,
}

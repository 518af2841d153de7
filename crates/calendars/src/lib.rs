//! Reads calendars of freezes and holidays as iCalendar files (RFC 5545) have them: every entry in which nothing is held, worked
//! out for some years ahead, so that the rules need no calendar arithmetic. Parsing and repeating are two libraries'; here is
//! what an entry means.
//!
//! ```text
//! file --icalendar--> VEVENTs --event--> starts --rrule--> occurrences --jiff--> entries (core)
//! ```

mod event;
mod moment;

use std::collections::{BTreeMap, BTreeSet};

use icalendar::parser::{read_calendar, unfold};
use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use tempestas_core::CalendarEntry;
use thiserror::Error;

use event::Event;
use moment::zone_named;

/// What repeats is worked out for so long; a calendar that repeats for longer says so.
const YEARS_AHEAD: i64 = 5;
/// What was over longer ago is left out: nothing is held for longer than a month.
const DAYS_BACK: i64 = 32;
/// How many of a file's entries may repeat: each takes a while to be worked out.
const REPEATING_MOST: usize = 64;
/// Most entries, as they are worked out.
const ENTRIES_MOST: usize = 1000;

/// What a file says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reading {
    /// Every entry, the first one first.
    pub entries: Vec<CalendarEntry>,
    /// Until when they are all known, where something repeats for longer than was worked out.
    pub known_until: Option<Timestamp>,
}

/// Why a file can't be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum CalendarError {
    #[error("this is no iCalendar file as RFC 5545 has them: {why}")]
    NotOne { why: String },
    #[error("the file has no entry (VEVENT) that is not over; a calendar without any closes nothing")]
    Empty,
    #[error("{event} is in the zone `{zone}`, which is no IANA time zone; export it with one like `Europe/Oslo`")]
    Zone { event: String, zone: String },
    #[error("`{zone}` is no IANA time zone; write one like `Europe/Oslo`")]
    DefaultZone { zone: String },
    #[error("{event} has no start (DTSTART)")]
    NoStart { event: String },
    #[error("{event} says `{said}` in {property}, which can't be read")]
    Unread { event: String, property: &'static str, said: String },
    #[error("{event} ends before it starts")]
    Backwards { event: String },
    #[error("{event} repeats by `{rule}`, which can't be worked out: {why}")]
    Rule { event: String, rule: String, why: String },
    #[error("{event} repeats by `{rule}`; what repeats more often than daily is for `hours` of a rule to say")]
    TooOften { event: String, rule: String },
    #[error(
        "{event} changes all that follows (RANGE=THISANDFUTURE), which is not known here; export it as two entries"
    )]
    AndFuture { event: String },
    #[error("more than {most} entries repeat; make two calendars of it")]
    TooManyRepeat { most: usize },
    #[error("the calendar comes to more than {most} entries in {years} years; leave out what closes nothing")]
    TooMany { most: usize, years: i64 },
}

/// Reads a file. Whole days, and times without a zone, are of `zone`.
///
/// # Errors
/// Says which entry can't be used, and why.
pub fn read(file: &str, zone: &str, now: Timestamp) -> Result<Reading, CalendarError> {
    let zone = zone_named(zone).ok_or_else(|| CalendarError::DefaultZone { zone: zone.to_owned() })?;
    let file = unfold(file);
    let calendar = read_calendar(&file).map_err(|why| CalendarError::NotOne { why: first_line(&why) })?;
    // Without its frame a file is something else, or a part of one.
    if calendar.properties.is_empty() {
        return Err(CalendarError::NotOne { why: "it does not begin with BEGIN:VCALENDAR".to_owned() });
    }
    let events = calendar.components.iter().filter(|component| component.name == "VEVENT");
    let events = events.map(|event| Event::read(event, &zone)).collect::<Result<Vec<_>, _>>()?;
    if events.iter().filter(|event| event.repeats()).count() > REPEATING_MOST {
        return Err(CalendarError::TooManyRepeat { most: REPEATING_MOST });
    }
    worked_out(&events, now)
}

fn first_line(text: &str) -> String {
    text.lines().find(|line| !line.trim().is_empty()).unwrap_or("it ends too early").trim().to_owned()
}

/// Every occurrence of all of them, each one that was moved in its new place alone.
fn worked_out(events: &[Event], now: Timestamp) -> Result<Reading, CalendarError> {
    let since = now - SignedDuration::from_hours(24 * DAYS_BACK);
    let horizon = now + SignedDuration::from_hours(24 * 366 * YEARS_AHEAD);
    let mut moved: BTreeMap<&str, BTreeSet<Timestamp>> = BTreeMap::new();
    for event in events {
        moved.entry(&event.uid).or_default().extend(event.instead_of);
    }
    let none = BTreeSet::new();
    let (mut entries, mut goes_on) = (Vec::new(), false);
    for event in events.iter().filter(|event| !event.is_cancelled) {
        let gone = if event.instead_of.is_some() { &none } else { moved.get(event.uid.as_str()).unwrap_or(&none) };
        let (found, more) = event.occurrences(gone, since, horizon)?;
        entries.extend(found);
        goes_on |= more;
        if entries.len() > ENTRIES_MOST {
            return Err(CalendarError::TooMany { most: ENTRIES_MOST, years: YEARS_AHEAD });
        }
    }
    entries.retain(|entry| entry.until > since);
    entries.sort();
    entries.dedup();
    if entries.is_empty() {
        return Err(CalendarError::Empty);
    }
    Ok(Reading { entries, known_until: goes_on.then_some(horizon) })
}

/// The zone of moments that say it themselves.
fn utc() -> (String, TimeZone) {
    ("UTC".to_owned(), TimeZone::UTC)
}

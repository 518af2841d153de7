//! Calendars: times, under a name of the house's own, in which nothing is held by rules that go by them: freezes, holidays. A
//! change of one holds wherever it is named.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{CalendarRefusal, Digest, Refusal, SubjectId, World, is_deceptive, moment};

/// Most entries of one.
const ENTRIES_MOST: usize = 1000;
/// Most letters of what an entry is called.
const CALLED_MOST: usize = 80;

/// One time in which nothing is held.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct CalendarEntry {
    /// From this moment on.
    pub from: Timestamp,
    /// Until this one, at which it is over.
    pub until: Timestamp,
    /// What it is called.
    pub what: String,
}

/// Times in which nothing is held, under a name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Calendar {
    /// Its name, by which rules go by it.
    pub name: String,
    /// Every entry, the first one first.
    pub entries: Vec<CalendarEntry>,
    /// Until when all are known; from then on it is closed, for what it would say is not known. None where none is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub known_until: Option<Timestamp>,
    /// The zone of its whole days.
    pub zone: String,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<Timestamp>,
}

impl Calendar {
    /// Checks one before it is taken in.
    ///
    /// # Errors
    /// Says what can't be.
    pub fn check(&self) -> Result<(), Refusal> {
        if self.entries.is_empty() {
            return Err(CalendarRefusal::Empty.into());
        }
        if self.entries.len() > ENTRIES_MOST {
            return Err(CalendarRefusal::TooManyEntries { most: ENTRIES_MOST }.into());
        }
        let is_called = |what: &str| (1..=CALLED_MOST).contains(&what.chars().count()) && !what.contains(is_deceptive);
        if self.entries.iter().any(|entry| !is_called(&entry.what)) {
            return Err(CalendarRefusal::BadEntryName { most: CALLED_MOST }.into());
        }
        match self.entries.iter().find(|entry| entry.until <= entry.from) {
            Some(entry) => Err(CalendarRefusal::Backwards { what: entry.what.clone() }.into()),
            None => Ok(()),
        }
    }

    /// Where it is closed at a moment: until when, through entries that touch, and what the first of them is called.
    #[must_use]
    pub fn closed_at(&self, at: Timestamp) -> Option<(Timestamp, &str)> {
        let mut closed: Option<(Timestamp, &str)> = None;
        for entry in &self.entries {
            let until = closed.map_or(at, |(until, _)| until);
            if entry.from <= until && until < entry.until {
                closed = Some((entry.until, closed.map_or(&entry.what, |(_, what)| what)));
            }
        }
        let until = closed.map_or(at, |(until, _)| until);
        match self.known_until {
            Some(known) if known <= until => Some((Timestamp::MAX, closed.map_or(UNKNOWN, |(_, what)| what))),
            _ => closed,
        }
    }

    /// When it closes next after a moment at which it is open, and what begins then.
    #[must_use]
    pub fn closes(&self, after: Timestamp) -> Option<(Timestamp, &str)> {
        let next = self.entries.iter().find(|entry| entry.from > after).map(|entry| (entry.from, entry.what.as_str()));
        match (next, self.known_until) {
            (Some((from, _)), Some(known)) if known < from => Some((known, UNKNOWN)),
            (None, Some(known)) => Some((known, UNKNOWN)),
            (next, _) => next,
        }
    }

    /// Whether it leaves open, from now on, what another left closed.
    #[must_use]
    pub fn leaves_more_open_than(&self, before: &Self, now: Timestamp) -> bool {
        before.entries.iter().filter(|entry| entry.until > now).any(|entry| {
            let closed = self.closed_at(entry.from.max(now));
            closed.is_none_or(|(until, _)| until < entry.until)
        })
    }

    /// It in words, as it is from a moment on.
    #[must_use]
    pub fn words(&self, now: Timestamp) -> String {
        let ahead = self.entries.iter().filter(|entry| entry.until > now);
        let (count, next) = (ahead.clone().count(), ahead.clone().next());
        let mut words = match next {
            None => "no entry is ahead".to_owned(),
            Some(CalendarEntry { from, until, what }) => {
                let entries = if count == 1 { "1 entry" } else { &format!("{count} entries") };
                let when = if *from <= now { "at present" } else { "the next" };
                format!("{entries} ahead, {when} {what}, {} until {}", moment(*from), moment(*until))
            }
        };
        if let Some(known) = self.known_until {
            words.push_str(&format!("; known until {}, closed from then on unless it is set anew", moment(known)));
        }
        words
    }

    /// It as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}

/// What begins where nothing more is known.
const UNKNOWN: &str = "what it says after that is not known; it is to be set anew";

impl World {
    /// Rules that go by a calendar.
    pub fn terms_closed_by<'w>(&'w self, calendar: &'w str) -> impl Iterator<Item = &'w crate::Terms> {
        self.terms.values().filter(move |rule| rule.settings.closed.as_ref().is_some_and(|it| it.0.contains(calendar)))
    }
}

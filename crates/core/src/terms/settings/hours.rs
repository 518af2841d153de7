//! On which days and between which hours a right may be held.

use std::{collections::BTreeSet, fmt, str::FromStr};

use jiff::{
    Timestamp, ToSpan as _, Zoned,
    civil::{Date, Time},
    tz::{TimeZone, TimeZoneDatabase},
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, each_is_satisfied, of_elevating, written_as_it_is},
};

/// Most times of one week, and most weeks of one rule.
const TIMES_MOST: usize = 14;
const WEEKS_MOST: usize = 4;
/// How many days ahead it is looked for when something opens or closes: nothing is held for longer, and every week comes round.
const AHEAD: i32 = 33;

/// When a right may be held: while each of these is open; at any time where there is none, as before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Hours(#[schemars(with = "Vec<Week>")] pub BTreeSet<Week>);

/// The times of a week in a zone.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Week {
    /// An IANA time zone, like `Europe/Oslo`; its summer and winter time hold.
    pub zone: String,
    /// When it is open.
    #[schemars(with = "Vec<OpenTime>")]
    pub open: BTreeSet<OpenTime>,
}

/// Days, and from when until when on each of them: `mon-fri 07:00-17:00`. Where it ends before it begins, it ends on the day after.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "String", into = "String")]
#[schemars(with = "String")]
pub struct OpenTime {
    /// Monday is 1.
    days: BTreeSet<i8>,
    /// Minutes since midnight.
    from: u16,
    /// The same; 1440 is midnight at its end.
    until: u16,
}

const DAYS: [&str; 7] = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

fn day(text: &str) -> Option<i8> {
    let at = DAYS.iter().position(|day| *day == text)?;
    i8::try_from(at + 1).ok()
}

/// `mon`, `mon-fri`, `fri-mon`, `mon,wed`.
fn days(text: &str) -> Option<BTreeSet<i8>> {
    let mut found = BTreeSet::new();
    for part in text.split(',') {
        match part.split_once('-') {
            None => drop(found.insert(day(part)?)),
            Some((first, last)) => {
                let (first, last) = (day(first)?, day(last)?);
                let span = (last - first).rem_euclid(7);
                found.extend((0..=span).map(|n| (first - 1 + n).rem_euclid(7) + 1));
            }
        }
    }
    Some(found)
}

/// `07:00` in minutes; `24:00` is the end of a day.
fn minutes(text: &str) -> Option<u16> {
    let (hour, minute) = text.split_once(':')?;
    let two =
        |part: &str| (part.len() == 2 && part.bytes().all(|byte| byte.is_ascii_digit())).then(|| part.parse().ok())?;
    let (hour, minute): (u16, u16) = (two(hour)?, two(minute)?);
    let minutes = hour * 60 + minute;
    (minute < 60 && minutes <= 1440).then_some(minutes)
}

impl FromStr for OpenTime {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let read = || {
            let (on, times) = text.trim().split_once(' ')?;
            let (from, until) = times.trim().split_once('-')?;
            let (from, until) = (minutes(from)?, minutes(until)?);
            (from != until && from < 1440).then_some(Self { days: days(on)?, from, until })
        };
        read().ok_or_else(|| {
            format!("`{text}` is no time of a week; write it like `mon-fri 07:00-17:00` or `sat,sun 22:00-06:00`")
        })
    }
}

impl TryFrom<String> for OpenTime {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        text.parse()
    }
}

impl From<OpenTime> for String {
    fn from(time: OpenTime) -> Self {
        time.to_string()
    }
}

impl fmt::Display for OpenTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = |day: &i8| DAYS.get(usize::try_from(day - 1).unwrap_or(0)).copied().unwrap_or_default();
        let (first, last) = (self.days.first(), self.days.last());
        match (first, last) {
            (Some(first), Some(last))
                if self.days.len() > 2 && usize::try_from(last - first) == Ok(self.days.len() - 1) =>
            {
                write!(f, "{}-{}", name(first), name(last))?;
            }
            _ => f.write_str(&self.days.iter().map(name).collect::<Vec<_>>().join(","))?,
        }
        let clock = |minutes: u16| format!("{:02}:{:02}", minutes / 60, minutes % 60);
        write!(f, " {}-{}", clock(self.from), clock(self.until))
    }
}

/// When a minute of a day is in a zone; what a change of the clocks leaves out is the first instant after it, and what it has twice
/// is the first of both.
fn instant(date: Date, minute: u16, zone: &TimeZone) -> Option<Timestamp> {
    let date = if minute == 1440 { date.tomorrow().ok()? } else { date };
    let minute = minute % 1440;
    let time = Time::new(i8::try_from(minute / 60).ok()?, i8::try_from(minute % 60).ok()?, 0, 0).ok()?;
    Some(date.to_datetime(time).to_zoned(zone.clone()).ok()?.timestamp())
}

impl OpenTime {
    /// From when until when it is open on the day that it begins on, if it begins on that.
    fn on(&self, date: Date, zone: &TimeZone) -> Option<(Timestamp, Timestamp)> {
        let is_day = self.days.contains(&date.weekday().to_monday_one_offset());
        let ends_on = if self.until <= self.from { date.tomorrow().ok()? } else { date };
        let (from, until) = (instant(date, self.from, zone)?, instant(ends_on, self.until, zone)?);
        (is_day && from < until).then_some((from, until))
    }
}

impl Week {
    /// The zone; from what the program carries, so that no machine says otherwise.
    fn zone(&self) -> Option<TimeZone> {
        TimeZoneDatabase::bundled().get(&self.zone).ok()
    }

    /// Every stretch of some days around an instant in which it is open, those that touch as one.
    fn stretches(&self, at: Timestamp) -> Vec<(Timestamp, Timestamp)> {
        let Some(zone) = self.zone() else { return Vec::new() };
        let today = Zoned::new(at, zone.clone()).date();
        let around = (-2..=AHEAD).filter_map(|days| today.checked_add(days.days()).ok());
        let mut all: Vec<(Timestamp, Timestamp)> = around
            .flat_map(|date| self.open.iter().filter_map(|time| time.on(date, &zone)).collect::<Vec<_>>())
            .collect();
        all.sort_unstable();
        let mut joined: Vec<(Timestamp, Timestamp)> = Vec::new();
        for (from, until) in all {
            match joined.last_mut() {
                Some(last) if from <= last.1 => last.1 = last.1.max(until),
                _ => joined.push((from, until)),
            }
        }
        joined
    }
}

impl Hours {
    /// Until when it is open, where it is; none where it is closed. What is always open is so until after anything is held.
    #[must_use]
    pub fn open_until(&self, at: Timestamp) -> Option<Timestamp> {
        self.0.iter().try_fold(Timestamp::MAX, |least, week| {
            let (_, until) = week.stretches(at).into_iter().find(|(from, until)| *from <= at && at < *until)?;
            Some(least.min(until))
        })
    }

    /// When it opens next, or `at` where it is open; none where it doesn't within a month.
    #[must_use]
    pub fn opens(&self, at: Timestamp) -> Option<Timestamp> {
        if self.open_until(at).is_some() {
            return Some(at);
        }
        let begins = self.0.iter().flat_map(|week| week.stretches(at)).map(|(from, _)| from).filter(|from| *from > at);
        let begins: BTreeSet<Timestamp> = begins.collect();
        begins.into_iter().find(|from| self.open_until(*from).is_some())
    }
}

impl Setting for Hours {
    const NAME: &'static str = "hours";

    of_elevating!();

    written_as_it_is!();
    each_is_satisfied!();

    fn words(&self, _: &World) -> String {
        let week = |week: &Week| {
            let open: Vec<String> = week.open.iter().map(OpenTime::to_string).collect();
            format!("{} ({})", open.join(" or "), week.zone)
        };
        let weeks: Vec<String> = self.0.iter().map(week).collect();
        if weeks.is_empty() { "at any time".to_owned() } else { weeks.join(", and ") }
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.0.len() > WEEKS_MOST || self.0.iter().any(|week| week.open.len() > TIMES_MOST) {
            return Err(TermsRefusal::TooManyHours { weeks: WEEKS_MOST, times: TIMES_MOST }.into());
        }
        if self.0.iter().any(|week| week.open.is_empty()) {
            return Err(TermsRefusal::NeverOpen.into());
        }
        match self.0.iter().find(|week| week.zone().is_none()) {
            Some(week) => Err(TermsRefusal::UnknownZone { zone: week.zone.clone() }.into()),
            None => Ok(()),
        }
    }
}

//! When people are at work, as far as what was recorded of them tells.

use std::collections::HashMap;

use jiff::{Timestamp, civil::Weekday, tz::TimeZone};

use crate::{Seconds, SubjectId};

/// Hours of a week.
pub(super) const WEEK_HOURS: usize = 168;
/// Whoever was seen in so few hours isn't judged by them.
const LEAST_HOURS: usize = 5;
/// Somebody is there in an hour of the week in which they were seen in at least one of so many weeks.
const ONE_WEEK_IN: usize = 4;

/// Which hours of a week, Monday's first being 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Hours([bool; WEEK_HOURS]);

impl Hours {
    /// What is assumed of somebody of whom little was recorded: Monday to Friday from eight to six.
    fn office() -> Self {
        Self(std::array::from_fn(|hour| hour / 24 < 5 && (8..18).contains(&(hour % 24))))
    }

    /// Whether the hour is one of them.
    pub(super) fn has(&self, hour: usize) -> bool {
        self.0.get(hour).copied().unwrap_or(false)
    }
}

/// A time on the clock of a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Local {
    /// Hour of the week, Monday's first being 0.
    pub(super) hour: usize,
    /// Minute of the hour.
    pub(super) minute: usize,
    /// Second of the minute.
    pub(super) second: u32,
    /// Days since 1970 there.
    pub(super) day: i64,
}

impl Local {
    /// Reads `at` on the clock of `zone`.
    pub(super) fn of(at: Timestamp, zone: &TimeZone) -> Self {
        let seconds = at.as_second() + i64::from(zone.to_offset(at).seconds());
        let (day, within) = (seconds.div_euclid(86_400), seconds.rem_euclid(86_400));
        // The first of January 1970 was a Thursday, the fourth day of its week.
        let weekday = (day + i64::from(Weekday::Thursday.to_monday_zero_offset())).rem_euclid(7);
        let whole = |value: i64| usize::try_from(value).unwrap_or(0);
        Self {
            hour: whole(weekday * 24 + within / 3600),
            minute: whole(within / 60 % 60),
            second: u32::try_from(within % 60).unwrap_or(0),
            day,
        }
    }

    /// The week that the day lies in, counted from 1970; a week begins on Monday.
    pub(super) const fn week(self) -> i64 {
        (self.day + 3).div_euclid(7)
    }

    /// Hour of the day.
    pub(super) const fn of_day(self) -> usize {
        self.hour % 24
    }

    /// Whether most people sleep: from eight in the evening to seven in the morning.
    pub(super) const fn is_night(self) -> bool {
        self.of_day() < 7 || self.of_day() >= 20
    }

    /// Seconds since the hour began.
    pub(super) fn into_hour(self) -> u32 {
        u32::try_from(self.minute).unwrap_or(0) * 60 + self.second
    }
}

/// When people were seen at work: in which hours of the week, in how many weeks.
#[derive(Debug, Default)]
pub struct Presence {
    weeks: std::collections::BTreeSet<i64>,
    /// Weeks seen in each hour, and the last week counted.
    people: HashMap<SubjectId, Vec<(u16, i64)>>,
}

impl Presence {
    /// Notes that somebody did something. For each person in order of time.
    pub fn saw(&mut self, who: SubjectId, at: Timestamp, zone: &TimeZone) {
        let local = Local::of(at, zone);
        let week = local.week();
        self.weeks.insert(week);
        let hours = self.people.entry(who).or_insert_with(|| vec![(0, i64::MIN); WEEK_HOURS]);
        if let Some((count, last)) = hours.get_mut(local.hour)
            && *last != week
        {
            (*count, *last) = (count.saturating_add(1), week);
        }
    }

    /// The hours in which somebody is usually there; office hours where too little is known.
    pub(super) fn hours(&self, who: SubjectId) -> Hours {
        let Some(seen) = self.people.get(&who) else { return Hours::office() };
        let mut hours = [false; WEEK_HOURS];
        for (hour, (count, _)) in hours.iter_mut().zip(seen) {
            *hour = usize::from(*count) * ONE_WEEK_IN >= self.weeks.len().max(1);
        }
        if hours.iter().filter(|hour| **hour).count() < LEAST_HOURS { Hours::office() } else { Hours(hours) }
    }
}

/// How long it is, from each hour of the week, until enough of some people are there.
pub(super) struct Answering([Option<u16>; WEEK_HOURS]);

impl Answering {
    /// For `yes` of the people whose hours these are.
    pub(super) fn of(people: &[Hours], yes: usize) -> Self {
        let there: Vec<bool> =
            (0..WEEK_HOURS).map(|hour| people.iter().filter(|hours| hours.has(hour)).count() >= yes).collect();
        let mut waits = [None; WEEK_HOURS];
        // Twice around backwards, so that Sunday's hours see Monday's.
        let mut next: Option<u16> = None;
        for hour in (0..WEEK_HOURS).rev().chain((0..WEEK_HOURS).rev()) {
            next = if there.get(hour) == Some(&true) { Some(0) } else { next.map(|hours| hours.saturating_add(1)) };
            if let Some(wait) = waits.get_mut(hour) {
                *wait = next;
            }
        }
        Self(waits)
    }

    /// How long an ask made then waits until somebody is there; none where nobody ever is.
    pub(super) fn wait(&self, local: Local) -> Option<Seconds> {
        let hours = self.0.get(local.hour).copied().flatten()?;
        let whole = u32::from(hours) * 3600;
        Some(Seconds(whole.saturating_sub(if hours == 0 { 0 } else { local.into_hour() })))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whoever_is_seen_at_night_is_there_at_night_and_an_ask_waits_for_the_next_hour_with_enough() {
        let zone = TimeZone::fixed(jiff::tz::offset(1));
        let mut seen = Presence::default();
        let (night, day) = (SubjectId(1), SubjectId(2));
        let monday: Timestamp = "2026-01-05T00:00:00Z".parse().unwrap();
        for week in 0..8 {
            for hour in 0..6 {
                let at = monday + jiff::SignedDuration::from_hours(week * 168 + 24 + hour);
                seen.saw(night, at, &zone);
            }
        }
        let (night, day) = (seen.hours(night), seen.hours(day));
        assert!(night.has(25) && !night.has(31), "Tuesday from one to seven by that place's clock");
        assert!(day.has(8) && !day.has(18) && !day.has(5 * 24 + 9), "office hours, of whom nothing is known");
        let at = |text: &str| Local::of(text.parse().unwrap(), &zone);
        let saturday = at("2026-01-10T08:30:00Z");
        assert_eq!((saturday.hour, saturday.minute), (5 * 24 + 9, 30));
        let one = Answering::of(&[night, day], 1);
        assert_eq!(one.wait(saturday), Some(Seconds(46 * 3600 + 1800)), "until Monday at eight");
        assert_eq!(one.wait(at("2026-01-06T02:10:00Z")), Some(Seconds(0)));
        assert_eq!(Answering::of(&[night, day], 2).wait(saturday), None, "the two are never there together");
    }
}

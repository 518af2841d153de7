//! How often a right is used, by a person or by the clock, and what that advises.

use std::collections::BTreeMap;

use jiff::{Timestamp, tz::TimeZone};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::presence::Local;
use crate::SubjectKind;

/// In so many weeks at least something happens before it is called clockwork.
const LEAST_WEEKS: usize = 4;
/// And in at least so many of ten weeks.
const WEEKS_IN_TEN: usize = 7;
/// Minutes of a week.
const WEEK_MINUTES: usize = 7 * 24 * 60;
/// How many minutes before and after are looked at.
const AROUND: usize = 6;

/// Uses that come at a fixed time of the day, on some days of the week.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Clockwork {
    /// Minute of the day, on the clock of the place.
    pub minute: u16,
    /// On which days of the week, Monday first.
    pub days: [bool; 7],
    /// Whether it goes by UTC, and not by the clock of the place, which is put back and forth.
    pub utc: bool,
    /// How many uses.
    pub uses: u64,
}

impl Clockwork {
    /// Whether a use then is part of it. A machine may start a minute late.
    pub(super) fn covers(&self, at: Timestamp, zone: &TimeZone) -> bool {
        let local = if self.utc { Local::of(at, &TimeZone::UTC) } else { Local::of(at, zone) };
        let minute = local.of_day() * 60 + local.minute;
        let at = usize::from(self.minute);
        (at == minute || at + 1 == minute) && self.days.get(local.hour / 24) == Some(&true)
    }
}

/// Finds what comes by the clock of the place, or by UTC where that explains more.
pub(super) fn clockwork(uses: &[Timestamp], zone: &TimeZone) -> Vec<Clockwork> {
    let explained = |found: &[Clockwork]| found.iter().map(|one| one.uses).sum::<u64>();
    let (local, utc) = (regular(uses, zone, false), regular(uses, &TimeZone::UTC, true));
    if explained(&utc) > explained(&local) { utc } else { local }
}

/// Finds what comes at the same minute of the week, or the one after, in most weeks, while the minutes around it are quiet.
fn regular(uses: &[Timestamp], zone: &TimeZone, utc: bool) -> Vec<Clockwork> {
    // For each minute of the week: in how many weeks it was used, the last week counted, how many uses.
    let mut minutes: BTreeMap<usize, (usize, i64, u64)> = BTreeMap::new();
    let (mut first, mut last) = (i64::MAX, i64::MIN);
    for at in uses {
        let local = Local::of(*at, zone);
        let week = local.week();
        (first, last) = (first.min(week), last.max(week));
        let (weeks, counted, count) = minutes.entry(local.hour * 60 + local.minute).or_insert((0, i64::MIN, 0));
        *count += 1;
        if *counted != week {
            (*weeks, *counted) = (*weeks + 1, week);
        }
    }
    let whole = usize::try_from(last.saturating_sub(first).saturating_add(1)).unwrap_or(0);
    let weeks_at = |minute: usize| minutes.get(&(minute % WEEK_MINUTES)).map_or(0, |(weeks, ..)| *weeks);
    let mut found: BTreeMap<u16, Clockwork> = BTreeMap::new();
    for (minute, (alone, _, count)) in &minutes {
        let weeks = alone + weeks_at(minute + 1);
        let begins = *alone > weeks_at(minute + WEEK_MINUTES - 1);
        // Somebody who uses a right all day long hits every minute now and then; a machine hits one.
        let around: usize =
            (2..=AROUND).map(|far| weeks_at(minute + far) + weeks_at(minute + WEEK_MINUTES - far)).sum();
        if !begins || weeks < LEAST_WEEKS || weeks * 10 < whole * WEEKS_IN_TEN || around >= weeks {
            continue;
        }
        let of_day = u16::try_from(minute % (24 * 60)).unwrap_or(0);
        let one = found.entry(of_day).or_insert(Clockwork { minute: of_day, days: [false; 7], utc, uses: 0 });
        one.uses += count + minutes.get(&(minute + 1)).map_or(0, |(_, _, count)| *count);
        if let Some(day) = one.days.get_mut(minute / (24 * 60)) {
            *day = true;
        }
    }
    found.into_values().collect()
}

/// How often a right is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Rhythm {
    /// On most working days.
    Daily,
    /// In most weeks.
    Weekly,
    /// Now and then.
    Rarely,
    /// Not once in the time looked at.
    Never,
    /// The target doesn't tell.
    Unknown,
}

/// What was recorded of one right's use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UseOf {
    /// How often.
    pub rhythm: Rhythm,
    /// How many uses.
    pub uses: u64,
    /// On how many days.
    pub days: u64,
    /// The last one.
    pub last: Option<Timestamp>,
    /// What of it runs by the clock.
    pub clockwork: Vec<Clockwork>,
}

/// Reads the rhythm of `uses`, in order, between two times. `told` is whether the target tells of uses at all.
#[must_use]
pub fn use_of(uses: &[Timestamp], told: bool, from: Timestamp, to: Timestamp, zone: &TimeZone) -> UseOf {
    let within: Vec<Timestamp> = uses.iter().copied().filter(|at| from <= *at && *at < to).collect();
    let mut days: Vec<i64> = within.iter().map(|at| Local::of(*at, zone).day).collect();
    days.dedup();
    let mut weeks: Vec<i64> = days.iter().map(|day| (day + 3).div_euclid(7)).collect();
    weeks.dedup();
    let span = u64::try_from(to.duration_since(from).as_hours() / 24).unwrap_or(0).max(1);
    let (days, weeks) = (days.len() as u64, weeks.len() as u64);
    let rhythm = if within.is_empty() {
        if told { Rhythm::Never } else { Rhythm::Unknown }
    } else if days * 14 >= span * 5 {
        // On half of the working days, of which there are five in seven.
        Rhythm::Daily
    } else if weeks * 14 >= span {
        Rhythm::Weekly
    } else {
        Rhythm::Rarely
    };
    UseOf { rhythm, uses: within.len() as u64, days, last: within.last().copied(), clockwork: clockwork(&within, zone) }
}

/// What to do with a standing right, from its use.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Advice {
    /// Leave it with the program that works with it, or give that a smaller role.
    KeepForProgram,
    /// Leave it, or find a smaller role for daily work.
    KeepOrShrink,
    /// Make it eligible.
    Convert,
    /// Take it away: converting costs nobody anything.
    ConvertOrEnd,
    /// Nothing is known of its use: ask its holder.
    Ask,
}

/// What the use of a right advises.
#[must_use]
pub fn advise(used: &UseOf, holder: SubjectKind) -> Advice {
    match (used.rhythm, holder) {
        (Rhythm::Unknown, _) => Advice::Ask,
        (Rhythm::Never, _) => Advice::ConvertOrEnd,
        (_, SubjectKind::Program) => Advice::KeepForProgram,
        _ if !used.clockwork.is_empty() => Advice::KeepForProgram,
        (Rhythm::Daily, _) => Advice::KeepOrShrink,
        (Rhythm::Weekly | Rhythm::Rarely, _) => Advice::Convert,
    }
}

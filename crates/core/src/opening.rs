//! When something may be held: within the hours of its terms, and in no entry of the calendars that they go by.

use std::collections::BTreeSet;

use jiff::Timestamp;

use crate::{Act, Calendar, Effective, Elevation, Hours, Setting as _, World, effective_terms};

/// Entries of calendars that follow upon each other so closely that nothing opens between them are followed so often.
const STEPS_MOST: usize = 1000;

/// When something may be held.
#[derive(Debug, Clone)]
pub struct Opening<'w> {
    hours: Hours,
    calendars: Vec<&'w Calendar>,
}

impl<'w> Opening<'w> {
    /// As terms say. A calendar that is gone closes nothing.
    #[must_use]
    pub fn of(world: &'w World, terms: &Effective) -> Self {
        Self::by(world, terms.hours.clone(), &terms.closed.0)
    }

    fn by(world: &'w World, hours: Hours, calendars: &BTreeSet<String>) -> Self {
        Self { hours, calendars: calendars.iter().filter_map(|name| world.calendars.get(name)).collect() }
    }

    /// Of what was asked for: by the stricter of then and now.
    #[must_use]
    pub fn of_elevation(world: &'w World, elevation: &Elevation) -> Self {
        let now = effective_terms(world, Act::Elevate, elevation.right, elevation.holder);
        match world.demand_of(elevation.id) {
            Some(frozen) => Self::stricter(world, &frozen.terms, &now),
            None => Self::of(world, &now),
        }
    }

    /// By both of two.
    #[must_use]
    pub fn stricter(world: &'w World, one: &Effective, other: &Effective) -> Self {
        let hours = Hours::stricter(one.hours.clone(), other.hours.clone());
        Self::by(world, hours, &(&one.closed.0 | &other.closed.0))
    }

    /// Whether it is always open.
    #[must_use]
    pub fn is_always(&self) -> bool {
        self.hours.0.is_empty() && self.calendars.is_empty()
    }

    /// Until when it is open, where it is; none where it is closed.
    #[must_use]
    pub fn open_until(&self, at: Timestamp) -> Option<Timestamp> {
        if self.calendars.iter().any(|calendar| calendar.closed_at(at).is_some()) {
            return None;
        }
        let closes = self.calendars.iter().filter_map(|calendar| Some(calendar.closes(at)?.0)).min();
        let hours = self.hours.open_until(at)?;
        Some(closes.map_or(hours, |closes| closes.min(hours)))
    }

    /// When it opens next, or `at` where it is open; none where it doesn't within a month of where the calendars leave it open.
    #[must_use]
    pub fn opens(&self, at: Timestamp) -> Option<Timestamp> {
        let mut at = self.hours.opens(at)?;
        for _ in 0..STEPS_MOST {
            let closed = self.calendars.iter().filter_map(|calendar| Some(calendar.closed_at(at)?.0)).max();
            match closed {
                None => return Some(at),
                Some(until) if until == Timestamp::MAX => return None,
                Some(until) => at = self.hours.opens(until)?,
            }
        }
        None
    }

    /// When it closes, of what is open at a moment, and why.
    #[must_use]
    pub fn closing(&self, at: Timestamp) -> Option<(Timestamp, String)> {
        let until = self.open_until(at).filter(|until| *until < Timestamp::MAX)?;
        let by = self.calendars.iter().find_map(|calendar| {
            let (from, what) = calendar.closes(at)?;
            (from == until).then(|| format!("`{}` has {what}", calendar.name))
        });
        Some((until, by.unwrap_or_else(|| "its hours end".to_owned())))
    }

    /// Why it is closed at a moment, where that is a calendar's doing.
    #[must_use]
    pub fn closed_by(&self, at: Timestamp) -> Option<String> {
        self.calendars
            .iter()
            .find_map(|calendar| Some(format!("`{}` has {}", calendar.name, calendar.closed_at(at)?.1)))
    }

    /// Whether what is held goes on beyond where a calendar that it goes by closes, which it didn't when it was opened.
    #[must_use]
    pub fn runs_into(world: &World, elevation: &Elevation, calendar: &Calendar, now: Timestamp) -> bool {
        let until = world.grant_of(elevation).filter(|grant| grant.wanted).map(|grant| grant.until);
        let closes = calendar.closed_at(now).map(|_| now).or_else(|| Some(calendar.closes(now)?.0));
        let beyond = until.zip(closes).is_some_and(|(until, closes)| closes < until);
        beyond && Opening::of_elevation(world, elevation).calendars.iter().any(|one| one.name == calendar.name)
    }

    /// In words, after "it may be held".
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let hours = self.hours.words(world);
        self.not_during().map_or_else(|| hours.clone(), |not| format!("{hours} but {not}"))
    }

    /// The hours at a glance, where there are any.
    pub(crate) fn hours(&self, world: &World) -> Option<String> {
        (!self.hours.0.is_empty()).then(|| self.hours.words(world))
    }

    /// The calendars at a glance, where there are any.
    pub(crate) fn not_during(&self) -> Option<String> {
        let names: Vec<&str> = self.calendars.iter().map(|calendar| calendar.name.as_str()).collect();
        (!names.is_empty()).then(|| format!("not during {}", names.join(" or ")))
    }
}

//! Calendars: set and ended.

use super::{
    checked::{checked_name, shortened},
    deciding::Deciding,
};
use crate::{Calendar, CalendarCommand, CalendarRefusal, Key, Kind, Refusal, Row, What};

/// Most of them.
const MOST: usize = 64;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &CalendarCommand) -> Result<(), Refusal> {
    match command {
        CalendarCommand::Set { calendar } => set(deciding, calendar),
        CalendarCommand::End { name } => end(deciding, name),
    }
}

fn set(deciding: &mut Deciding<'_>, calendar: &Calendar) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    checked_name("calendar", &calendar.name)?;
    let (set_by, set_at) = (deciding.context.caller.subject(), Some(deciding.now()));
    let mut calendar = Calendar { set_by, set_at, ..calendar.clone() };
    calendar.entries.sort();
    calendar.check()?;
    let before = deciding.world.calendars.get(&calendar.name);
    deciding.ensure_as_looked_at(&calendar.name, before.map(Calendar::digest))?;
    if before.is_none() && deciding.world.calendars.len() >= MOST {
        return Err(CalendarRefusal::CalendarsFull { most: MOST }.into());
    }
    let is_less = before.is_some_and(|before| calendar.leaves_more_open_than(before, deciding.now()));
    let goes_by_it = deciding.world.terms_closed_by(&calendar.name).next().is_some();
    let hand = set_by.filter(|_| is_less && goes_by_it).map(|me| deciding.own_influence(me));
    let what = What::CalendarSet { calendar: calendar.name.clone() };
    deciding.by(administers).fact(what, hand.into_iter().chain([Row::Calendar(calendar)]).collect());
    Ok(())
}

fn end(deciding: &mut Deciding<'_>, name: &str) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let unknown = || Refusal::unknown("calendar", shortened(name), "`tempestas calendars` lists them");
    let known = deciding.world.calendars.get(name).ok_or_else(unknown)?;
    deciding.ensure_as_looked_at(&known.name, Some(known.digest()))?;
    let rules: Vec<_> = deciding.world.terms_closed_by(name).map(|rule| rule.id).collect();
    if !rules.is_empty() {
        return Err(CalendarRefusal::WantedBy { name: name.to_owned(), rules }.into());
    }
    let cut = vec![Key { kind: Kind::Calendar, id: name.to_owned() }];
    deciding.by(administers).fact_cutting(What::CalendarEnded { calendar: name.to_owned() }, Vec::new(), cut);
    Ok(())
}

//! Calendars as replies show them.

use jiff::Timestamp;
use tempestas_api::{CalendarEntryView, CalendarView};
use tempestas_core::{Calendar, Opening, Sight, Visible, World};

/// Most entries that are shown.
const ENTRIES_SHOWN: usize = 100;

/// One, with what of it the caller sees.
pub(crate) fn calendar(world: &World, sight: &Sight, one: Visible<'_, Calendar>, now: Timestamp) -> CalendarView {
    let ahead = one.entries.iter().filter(|entry| entry.until > now);
    let rules = world.terms_closed_by(&one.name).filter_map(|rule| sight.see(world, rule));
    let held = world.active().filter(|elevation| Opening::runs_into(world, elevation, &one, now));
    CalendarView {
        name: one.name.clone(),
        says: one.words(now),
        zone: one.zone.clone(),
        count: ahead.clone().count(),
        entries: ahead
            .take(ENTRIES_SHOWN)
            .map(|entry| CalendarEntryView { from: entry.from, until: entry.until, what: entry.what.clone() })
            .collect(),
        known_until: one.known_until,
        closes: rules.map(|rule| rule.id.to_string()).collect(),
        runs_into: held.filter_map(|one| sight.see(world, one)).map(|one| one.id.to_string()).collect(),
        set_by: one.set_by.map(|by| world.subject_name(by)),
        set_at: one.set_at,
        digest: one.digest(),
    }
}

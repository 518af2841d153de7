//! Elevations and standing rights by day.

use std::collections::BTreeMap;

use jiff::{Timestamp, civil::Date};
use tempestas_api::{DayView, DaysQuery, StandingOn};
use tempestas_core::{World, day_of, most_at_once};

use super::{pages::span, within};
use crate::{
    callers::SignedIn,
    door::{Answer, Json, Query},
};

/// How many days are told of, where nobody says how many.
const DAYS: u32 = 90;

/// The last count of standing rights on or before a day.
fn standing_by(world: &World, day: Date) -> Option<u32> {
    world.tallies.last_up_to(&day.to_string()).map(|tally| tally.standing)
}

/// How many rights stood on the first of the last days of which that is known.
pub(super) fn standing_before(world: &World, now: Timestamp) -> Option<StandingOn> {
    let today = day_of(now);
    let mut days =
        std::iter::successors(Some(first_of(today, DAYS)), |day| day.tomorrow().ok()).take_while(|day| *day <= today);
    days.find_map(|day| Some(StandingOn { day, standing: standing_by(world, day)? }))
}

/// The first of the last `count` days, today among them.
fn first_of(today: Date, count: u32) -> Date {
    today.saturating_sub(jiff::Span::new().days(i64::from(count) - 1))
}

/// What happened on each day, among the elevations in sight.
pub(super) async fn days(me: SignedIn, Query(query): Query<DaysQuery>) -> Answer<Vec<DayView>> {
    let count = within("days", query.days.unwrap_or(DAYS), 1..=400)?;
    let now = Timestamp::now();
    let today = day_of(now);
    let first = first_of(today, count);
    let sight = me.sight();
    let world = me.app.world();
    let past = me.app.store().past_days(me.seen(&world), first..=today).await?;
    let (mut asked, mut in_force) = (past.asked, past.in_force);
    for elevation in world.active().filter(|one| sight.sees(&world, *one)) {
        *asked.entry(day_of(elevation.asked_at)).or_default() += 1;
        if let Some(grant) = world.grant_of(elevation) {
            in_force.push((grant.opened_at, span(elevation, Some(grant), now).1));
        }
    }
    let mut opened: BTreeMap<Date, u32> = BTreeMap::new();
    in_force.iter().for_each(|(from, _)| *opened.entry(day_of(*from)).or_default() += 1);
    let shows_standing = sight.sees_all(&world);
    let on = |counted: &BTreeMap<Date, u32>, day| counted.get(&day).copied().unwrap_or_default();
    let view = |(day, most_at_once)| DayView {
        day,
        asked: on(&asked, day),
        opened: on(&opened, day),
        most_at_once,
        standing: if shows_standing { standing_by(&world, day) } else { None },
    };
    Ok(Json(most_at_once(in_force, first..=today).into_iter().map(view).collect()))
}

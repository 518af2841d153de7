//! Calendars: times in which nothing is held, by name.

use jiff::Timestamp;
use tempestas_api::{CalendarBody, CalendarView, Done};
use tempestas_core::{Calendar, CalendarCommand};

use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Json, LookedOrNew, Tagged, Tagging, Whole},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

fn unknown(name: &str) -> Failure {
    Failure::unknown("calendar", name, "`tempestas calendars` lists them")
}

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<CalendarView>> {
    let (world, sight, now) = (me.app.world(), me.sight(), Timestamp::now());
    let seen = world.calendars.values().filter_map(|one| sight.see(&world, one));
    Ok(Json(seen.map(|one| views::calendar(&world, &sight, one, now)).collect()))
}

pub(super) async fn show(Overseer(me): Overseer, At(name): At) -> Tagging<CalendarView> {
    let (world, sight) = (me.app.world(), me.sight());
    let known = world.calendars.get(name.as_str()).and_then(|one| sight.see(&world, one));
    let known = known.ok_or_else(|| unknown(&name))?;
    Ok(Tagged(known.digest(), views::calendar(&world, &sight, known, Timestamp::now())))
}

pub(super) async fn set(
    Administrator(me): Administrator,
    At(name): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(said): Whole<CalendarBody>,
) -> Answer<CalendarView> {
    let CalendarBody { zone, file } = said;
    let now = Timestamp::now();
    let of = zone.clone();
    let read = move || tempestas_calendars::read(&file, &of, now);
    // What repeats takes a while to be worked out.
    let reading =
        me.app.engine().reckon(read).await?.map_err(|why| EdgeRefusal::BadCalendar { why: why.to_string() })?;
    let (entries, known_until) = (reading.entries, reading.known_until);
    let calendar = Calendar { name: name.clone(), entries, known_until, zone, set_by: None, set_at: None };
    let done = me.change(looked_at, CalendarCommand::Set { calendar }).await?;
    let sight = me.sight();
    let set = done.world.calendars.get(name.as_str()).and_then(|one| sight.see(&done.world, one));
    let set = set.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::calendar(&done.world, &sight, set, now)))
}

pub(super) async fn end(Administrator(me): Administrator, At(name): At) -> Answer<Done> {
    me.submit(CalendarCommand::End { name }).await?;
    Ok(Json(Done {}))
}

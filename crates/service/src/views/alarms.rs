//! Alarms and stops, as replies show them.

use jiff::Timestamp;
use tempestas_api::{AlarmView, StopView};
use tempestas_core::{Alarm, Phase, Reach, Stop, SubjectId, Visible, World};

pub(crate) fn alarm(world: &World, alarm: Visible<'_, Alarm>, me: SubjectId) -> AlarmView {
    let kind = serde_json::to_value(&alarm.about)
        .ok()
        .and_then(|value| value.get("kind").and_then(|kind| kind.as_str().map(str::to_owned)));
    let words = alarm.about.sentence(world);
    AlarmView {
        id: alarm.id.to_string(),
        kind: kind.unwrap_or_default(),
        says: words.to_string(),
        words,
        since: alarm.since,
        settled: alarm.settled,
        may_settle: world.may_settle(&alarm, me),
    }
}

pub(crate) fn stop(world: &World, stop: Visible<'_, Stop>) -> StopView {
    let closing =
        stop.ended.iter().filter(|id| world.elevations.get(id).is_some_and(|ended| ended.phase == Phase::Closing));
    StopView {
        id: stop.id.to_string(),
        reach: match stop.reach {
            Reach::Person(_) => "person",
            Reach::Scope(scope) if Some(scope) == world.root => "everything",
            Reach::Scope(_) => "scope",
        }
        .to_owned(),
        what: world.reach_name(stop.reach),
        by: world.subject_name(stop.by),
        at: stop.at,
        word: world.text(stop.word),
        ended: stop.ended.iter().map(ToString::to_string).collect(),
        closing: closing.count(),
        lift_by: stop.open_lift(Timestamp::now()).map(|by| world.subject_name(by)),
        lifted_at: stop.lifted_at,
    }
}

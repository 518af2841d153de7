//! Stop.

use std::cmp::Reverse;

use jiff::Timestamp;
use tempestas_api::{NewStop, OpenFilter, StopView};
use tempestas_core::{Phase, Reach, Said, Sight, Stop, StopCommand, StopId, SubjectId, What, World};

use super::{made, reference, scope, subject};
use crate::{
    callers::{Administrator, SignedIn},
    door::{Answer, At, Body, Json, Listed, Listing},
    problem::Failure,
};

fn view(world: &World, stop: &Stop) -> StopView {
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

/// Whether somebody may see a stop: one that reaches them, everything, or a scope of their duty.
fn sees(world: &World, sight: &Sight, me: SubjectId, stop: &Stop) -> bool {
    match stop.reach {
        Reach::Person(person) => world.human(person) == world.human(me) || sight.sees_all(world),
        Reach::Scope(scope) => Some(scope) == world.root || sight.sees_scope(world, scope),
    }
}

/// Stops in force that somebody may see.
pub(super) fn in_force(world: &World, sight: &Sight, me: SubjectId) -> Vec<StopView> {
    let seen = world.stops.values().filter(|stop| stop.lifted_at.is_none() && sees(world, sight, me, stop));
    seen.map(|stop| view(world, stop)).collect()
}

pub(super) async fn list(me: SignedIn, Listed(filter, paging): Listed<OpenFilter>) -> Listing<StopView> {
    let sight = me.sight();
    let world = me.app.world();
    let fits = |stop: &Stop| !filter.open || stop.lifted_at.is_none();
    let seen = world.stops.values().filter(|stop| fits(stop) && sees(&world, &sight, me.person, stop));
    Ok(paging.of(seen, |stop| Reverse(stop.id))?.map(|stop| view(&world, stop)))
}

pub(super) async fn show(me: SignedIn, At(id): At) -> Answer<StopView> {
    let sight = me.sight();
    let world = me.app.world();
    let known = world.stops.get(&reference(&id)?).filter(|stop| sees(&world, &sight, me.person, stop));
    known
        .map(|stop| Json(view(&world, stop)))
        .ok_or_else(|| Failure::unknown("stop", &id, "`tempestas stop` lists them"))
}

fn shown(world: &World, id: StopId) -> Answer<StopView> {
    let stop = world.stops.get(&id).ok_or_else(|| Failure::Failed(anyhow::anyhow!("a stop is gone")))?;
    Ok(Json(view(world, stop)))
}

pub(super) async fn stop(Administrator(me): Administrator, Body(new): Body<NewStop>) -> Answer<StopView> {
    let reach = {
        let world = me.app.world();
        match (&new.person, &new.scope) {
            (Some(person), None) => Reach::Person(subject(&world, person)?),
            (None, Some(path)) => Reach::Scope(scope(&world, me.person, path)?.id),
            _ => return Err(Failure::invalid("say either `person` or `scope`; the scope `/` is everything")),
        }
    };
    let done = me.submit(StopCommand::Order { reach, word: Said::new(new.word) }).await?;
    let id = made(&done, |what| match what {
        What::Stopped { stop, .. } => Some(*stop),
        _ => None,
    })?;
    shown(&done.world, id)
}

pub(super) async fn lift(Administrator(me): Administrator, At(id): At) -> Answer<StopView> {
    let id = reference(&id)?;
    let done = me.submit(StopCommand::Lift { stop: id }).await?;
    shown(&done.world, id)
}

//! Stop.

use std::cmp::Reverse;

use tempestas_api::{NewStop, OpenFilter, StopView};
use tempestas_core::{Reach, Said, Sight, Stop, StopCommand, StopId, What, World};

use super::{made, reference, scope, subject};
use crate::{
    callers::{Administrator, SignedIn},
    door::{Answer, At, Body, Json, Listed, Listing},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// Stops in force that somebody may see.
pub(super) fn in_force(world: &World, sight: &Sight) -> Vec<StopView> {
    let seen = world.stops.values().filter(|stop| stop.lifted_at.is_none());
    seen.filter_map(|stop| sight.see(world, stop)).map(|stop| views::stop(world, stop)).collect()
}

pub(super) async fn list(me: SignedIn, Listed(filter, paging): Listed<OpenFilter>) -> Listing<StopView> {
    let sight = me.sight();
    let world = me.app.world();
    let fits = |stop: &Stop| !filter.open || stop.lifted_at.is_none();
    let seen = world.stops.values().filter(|stop| fits(stop)).filter_map(|stop| sight.see(&world, stop));
    Ok(paging.of(seen, |stop| Reverse(stop.id))?.map(|stop| views::stop(&world, stop)))
}

fn shown(me: &SignedIn, world: &World, id: StopId) -> Answer<StopView> {
    let seen = world.stops.get(&id).and_then(|stop| me.sight().see(world, stop));
    let unknown = || Failure::unknown("stop", &id.to_string(), "`tempestas stop` lists them");
    Ok(Json(views::stop(world, seen.ok_or_else(unknown)?)))
}

pub(super) async fn show(me: SignedIn, At(id): At) -> Answer<StopView> {
    shown(&me, &me.app.world(), reference(&id)?)
}

pub(super) async fn stop(Administrator(me): Administrator, Body(new): Body<NewStop>) -> Answer<StopView> {
    let reach = {
        let world = me.app.world();
        match (&new.person, &new.scope) {
            (Some(person), None) => Reach::Person(subject(&world, person)?),
            (None, Some(path)) => Reach::Scope(scope(&world, me.person, path)?.id),
            _ => return Err(EdgeRefusal::StopUnsaid.into()),
        }
    };
    let done = me.submit(StopCommand::Order { reach, word: Said::new(new.word) }).await?;
    let id = made(&done, |what| match what {
        What::Stopped { stop, .. } => Some(*stop),
        _ => None,
    })?;
    shown(&me, &done.world, id)
}

pub(super) async fn lift(Administrator(me): Administrator, At(id): At) -> Answer<StopView> {
    let id = reference(&id)?;
    let done = me.submit(StopCommand::Lift { stop: id }).await?;
    shown(&me, &done.world, id)
}

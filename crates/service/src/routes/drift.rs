//! Drift: adopt, put back, ignore.

use std::cmp::Reverse;

use tempestas_api::{Done, DriftFilter, DriftView, IgnoreDrift, SourcePatch};
use tempestas_core::{Drift, DriftCommand, DriftId, DriftState, Said};

use tempestas_targets::StandingCall;

use super::{conversions::taken_away, reference, scope};
use crate::{
    callers::{Administrator, Overseer},
    connect::connect,
    door::{Answer, At, Body, Json, Listed, Listing},
    problem::Failure,
    views,
};

pub(super) async fn list(Overseer(me): Overseer, Listed(filter, paging): Listed<DriftFilter>) -> Listing<DriftView> {
    let sight = me.sight();
    let world = me.app.world();
    let at = filter.at.as_deref().map(|path| scope(&world, me.person, path)).transpose()?.map(|scope| scope.id);
    let seen = world.drifts.values().filter(|drift| {
        (filter.all || drift.state == DriftState::Open)
            && at.is_none_or(|at| world.is_within(drift.standing.right.scope, at))
    });
    let seen = seen.filter_map(|drift| sight.see(&world, drift));
    let decided = |drift: &Drift| drift.state != DriftState::Open;
    let page = paging.of(seen, |drift| (decided(drift), Reverse(drift.weight), drift.since, drift.id))?;
    Ok(page.map(|drift| views::drift(&world, drift)))
}

pub(super) async fn show(Overseer(me): Overseer, At(id): At) -> Answer<DriftView> {
    let sight = me.sight();
    let world = me.app.world();
    let known = world.drifts.get(&reference(&id)?).and_then(|drift| sight.see(&world, drift));
    let unknown = || Failure::unknown("difference", &id, "`tempestas drift` lists them");
    Ok(Json(views::drift(&world, known.ok_or_else(unknown)?)))
}

pub(super) async fn adopt(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(DriftCommand::Adopt { drift: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn ignore(
    Administrator(me): Administrator,
    At(id): At,
    Body(request): Body<IgnoreDrift>,
) -> Answer<Done> {
    let reason = Said::new(&request.reason);
    me.submit(DriftCommand::Ignore { drift: reference(&id)?, reason, until: request.until }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn put_back(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(DriftCommand::PutBack { drift: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

/// What to change at the source of a right that something else puts there, changing nothing.
pub(super) async fn patch(Overseer(me): Overseer, At(id): At) -> Answer<SourcePatch> {
    let id: DriftId = reference(&id)?;
    let (call, connector, scope, says) = {
        let (sight, world) = (me.sight(), me.app.world());
        let drift = world
            .drifts
            .get(&id)
            .and_then(|drift| sight.see(&world, drift))
            .ok_or_else(|| Failure::unknown("drift", &id.to_string(), "`tempestas drift` lists them"))?;
        let connector = world
            .connector(drift.target)
            .cloned()
            .ok_or_else(|| Failure::target("its target is not looked after any more"))?;
        let says = taken_away(&world, &drift.standing);
        (StandingCall::new(&world, &drift.standing), connector, drift.target, says)
    };
    let patch = connect(&me.app, scope, &connector).await?.patch(&call).await?;
    Ok(Json(SourcePatch { says: format!("at its source: {says}"), patch }))
}

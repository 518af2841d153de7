//! Drift: adopt, put back, ignore.

use std::cmp::Reverse;

use tempestas_api::{Done, DriftFilter, DriftStateView, DriftView, IgnoreDrift, SourcePatch};
use tempestas_core::{Drift, DriftCommand, DriftId, DriftState, Said, World};

use tempestas_targets::StandingCall;

use super::{conversions::taken_away, reference, scope};
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Body, Json, Listed, Listing},
    problem::Failure,
};

pub(super) async fn list(Overseer(me): Overseer, Listed(filter, paging): Listed<DriftFilter>) -> Listing<DriftView> {
    let sight = me.sight();
    let world = me.app.world();
    let at = filter.at.as_deref().map(|path| scope(&world, me.person, path)).transpose()?.map(|scope| scope.id);
    let seen = world.drifts.values().filter(|drift| {
        sight.sees_scope(&world, drift.target)
            && (filter.all || drift.state == DriftState::Open)
            && at.is_none_or(|at| world.is_within(drift.standing.right.scope, at))
    });
    let decided = |drift: &Drift| drift.state != DriftState::Open;
    let page = paging.of(seen, |drift| (decided(drift), Reverse(drift.weight), drift.since, drift.id))?;
    Ok(page.map(|drift| view(&world, drift)))
}

pub(super) async fn show(Overseer(me): Overseer, At(id): At) -> Answer<DriftView> {
    let sight = me.sight();
    let world = me.app.world();
    let known = world.drifts.get(&reference(&id)?).filter(|drift| sight.sees_scope(&world, drift.target));
    let unknown = || Failure::unknown("difference", &id, "`tempestas drift` lists them");
    Ok(Json(view(&world, known.ok_or_else(unknown)?)))
}

fn view(world: &World, drift: &Drift) -> DriftView {
    let (state, by, reason, at, conversion) = match &drift.state {
        DriftState::Open => (DriftStateView::Open, None, None, None, None),
        DriftState::Adopted { by, at } => (DriftStateView::Adopted, Some(*by), None, Some(*at), None),
        DriftState::PutBack { conversion } => {
            let by = world.conversions.get(conversion).map(|one| one.by);
            (DriftStateView::PutBack, by, None, None, Some(conversion.to_string()))
        }
        DriftState::Ignored { by, reason, until } => {
            (DriftStateView::Ignored, Some(*by), Some(world.text(*reason)), Some(*until), None)
        }
        DriftState::Over { at } => (DriftStateView::Over, None, None, Some(*at), None),
    };
    DriftView {
        id: drift.id.to_string(),
        target: world.path(drift.target),
        account: world.text(drift.standing.account),
        who: world.owner_of(&drift.standing).map(|who| world.subject_name(who)),
        right: world.right_name(drift.standing.right),
        weight: drift.weight,
        says: drift.sentence(world),
        since: drift.since,
        state,
        by: by.map(|by| world.subject_name(by)),
        reason,
        at,
        conversion,
    }
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
            .filter(|drift| sight.sees_scope(&world, drift.target))
            .ok_or_else(|| Failure::unknown("drift", &id.to_string(), "`tempestas drift` lists them"))?;
        let connector = world
            .connector(drift.target)
            .cloned()
            .ok_or_else(|| Failure::target("its target is not looked after any more"))?;
        let says = taken_away(&world, &drift.standing);
        (StandingCall::new(&world, &drift.standing), connector, drift.target, says)
    };
    let patch = me.app.target(scope, &connector).await?.patch(&call).await?;
    Ok(Json(SourcePatch { says: format!("at its source: {says}"), patch }))
}

//! Drift: adopt, put back, ignore.

use tempestas_api::{Done, DriftFilter, DriftStateView, DriftView, IgnoreDrift};
use tempestas_core::{Command, Drift, DriftState, Owners, Said, World};

use super::reference;
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Body, Json, Query},
};

pub(super) async fn list(Overseer(me): Overseer, Query(filter): Query<DriftFilter>) -> Answer<Vec<DriftView>> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let owners = world.owners();
    let seen = |drift: &&Drift| sight.sees_scope(&world, drift.target);
    let mut all: Vec<&Drift> = world
        .drifts
        .values()
        .filter(seen)
        .filter(|drift| filter.all || matches!(drift.state, DriftState::Open))
        .collect();
    all.sort_by_key(|drift| (drift.state != DriftState::Open, std::cmp::Reverse(drift.weight), drift.since));
    Ok(Json(all.into_iter().map(|drift| view(&world, &owners, drift)).collect()))
}

fn view(world: &World, owners: &Owners<'_>, drift: &Drift) -> DriftView {
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
        who: owners.of(&drift.standing).map(|who| world.subject_name(who)),
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
    me.submit(Command::AdoptDrift { drift: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn ignore(
    Administrator(me): Administrator,
    At(id): At,
    Body(request): Body<IgnoreDrift>,
) -> Answer<Done> {
    let reason = Said::new(&request.reason);
    me.submit(Command::IgnoreDrift { drift: reference(&id)?, reason, until: request.until }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn put_back(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(Command::PutBackDrift { drift: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

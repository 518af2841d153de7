//! Answers delegated for an absence.

use jiff::Timestamp;
use tempestas_api::{DelegationView, Done, NewDelegation};
use tempestas_core::{DelegationCommand, Said, What};

use super::{made, reference, subject};
use crate::{
    callers::SignedIn,
    door::{Answer, At, Body, Json},
    problem::Failure,
    views,
};

/// Those that are not over, the next one first.
pub(super) async fn list(me: SignedIn) -> Answer<Vec<DelegationView>> {
    let (world, sight, now) = (me.app.world(), me.sight(), Timestamp::now());
    let seen = world.delegations.values().filter(|one| one.until > now).filter_map(|one| sight.see(&world, one));
    let mut seen: Vec<DelegationView> = seen.map(|one| views::delegation(&world, one, me.person)).collect();
    seen.sort_by_key(|one| one.from);
    Ok(Json(seen))
}

pub(super) async fn give(me: SignedIn, Body(new): Body<NewDelegation>) -> Answer<DelegationView> {
    let (absent, delegate) = {
        let world = me.app.world();
        let absent = new.absent.as_deref().map_or(Ok(me.person), |name| subject(&world, name))?;
        (absent, subject(&world, &new.delegate)?)
    };
    let reason = new.reason.map(Said::new);
    let done =
        me.submit(DelegationCommand::Give { absent, delegate, from: new.from, until: new.until, reason }).await?;
    let id = made(&done, |what| match what {
        What::Delegated { delegation, .. } => Some(*delegation),
        _ => None,
    })?;
    let (sight, world) = (me.sight(), &done.world);
    let given = world.delegations.get(&id).and_then(|one| sight.see(world, one));
    let given = given.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was delegated is gone")))?;
    Ok(Json(views::delegation(world, given, me.person)))
}

pub(super) async fn end(me: SignedIn, At(id): At) -> Answer<Done> {
    me.submit(DelegationCommand::End { delegation: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

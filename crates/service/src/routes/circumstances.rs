//! Circumstances: what another system is asked, by name.

use tempestas_api::{CircumstanceBody, CircumstanceView, Done};
use tempestas_core::{Circumstance, CircumstanceCommand};
use tempestas_store::Private;
use tempestas_targets::local;

use crate::{
    callers::{Administrator, Overseer},
    desks::{TOKEN, owner_of},
    door::{Answer, At, Json, LookedOrNew, Tagged, Tagging, Whole},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

fn unknown(name: &str) -> Failure {
    Failure::unknown("circumstance", name, "`tempestas circumstances` lists them")
}

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<CircumstanceView>> {
    let (world, sight) = (me.app.world(), me.sight());
    let seen = world.circumstances.values().filter_map(|one| sight.see(&world, one));
    Ok(Json(seen.map(|one| views::circumstance(&world, &sight, one, me.app.desks().trouble(&one.name))).collect()))
}

pub(super) async fn show(Overseer(me): Overseer, At(name): At) -> Tagging<CircumstanceView> {
    let (world, sight) = (me.app.world(), me.sight());
    let known = world.circumstances.get(name.as_str()).and_then(|one| sight.see(&world, one));
    let known = known.ok_or_else(|| unknown(&name))?;
    Ok(Tagged(known.digest(), views::circumstance(&world, &sight, known, me.app.desks().trouble(&name))))
}

pub(super) async fn set(
    Administrator(me): Administrator,
    At(name): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(said): Whole<CircumstanceBody>,
) -> Answer<CircumstanceView> {
    let CircumstanceBody { address, pointer, is, secret } = said;
    local::ensure_url(&address, &["http"]).map_err(|why| EdgeRefusal::BadConnection { why })?;
    // It is told to nobody but whom it was given for.
    let elsewhere = me.app.world().circumstances.get(name.as_str()).is_some_and(|known| known.address != address);
    let private = match secret.filter(|secret| !secret.is_empty()) {
        Some(secret) => vec![Private::Sealed(me.app.keyring().seal(&owner_of(&name), TOKEN, secret.as_bytes())?)],
        None if elsewhere => vec![Private::Unsealed { owner: owner_of(&name), name: TOKEN.to_owned() }],
        None => Vec::new(),
    };
    let circumstance = Circumstance { name: name.clone(), address, pointer, is, set_by: None, set_at: None };
    let done = me.change_with(looked_at, CircumstanceCommand::Set { circumstance }, private).await?;
    let sight = me.sight();
    let set = done.world.circumstances.get(name.as_str()).and_then(|one| sight.see(&done.world, one));
    let set = set.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::circumstance(&done.world, &sight, set, None)))
}

pub(super) async fn end(Administrator(me): Administrator, At(name): At) -> Answer<Done> {
    let forget = Private::Unsealed { owner: owner_of(&name), name: TOKEN.to_owned() };
    me.submit_with(CircumstanceCommand::End { name }, |_| Ok(vec![forget])).await?;
    Ok(Json(Done {}))
}

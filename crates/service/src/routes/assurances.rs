//! How sure one must be of people, by name.

use tempestas_api::{AssuranceBody, AssuranceView, Done};
use tempestas_core::{Assurance, AssuranceCommand, World};

use super::subject;
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Json, LookedOrNew, Tagged, Tagging, Whole},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

fn unknown(name: &str) -> Failure {
    Failure::unknown("assurance", name, "`tempestas assurances` lists them")
}

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<AssuranceView>> {
    let (world, sight) = (me.app.world(), me.sight());
    let seen = world.assurances.values().filter_map(|one| sight.see(&world, one));
    Ok(Json(seen.map(|one| views::assurance(&world, &sight, one)).collect()))
}

pub(super) async fn show(Overseer(me): Overseer, At(name): At) -> Tagging<AssuranceView> {
    let (world, sight) = (me.app.world(), me.sight());
    let known = world.assurances.get(name.as_str()).and_then(|one| sight.see(&world, one));
    let known = known.ok_or_else(|| unknown(&name))?;
    Ok(Tagged(known.digest(), views::assurance(&world, &sight, known)))
}

pub(super) fn read(world: &World, name: String, said: AssuranceBody) -> Result<Assurance, Failure> {
    let network = |said: String| said.parse().map_err(|_| EdgeRefusal::NoNetwork { said });
    let group = |name: Option<String>| name.map(|name| subject(world, &name)).transpose();
    Ok(Assurance {
        name,
        accepts: said.accepts,
        within: said.within,
        networks: said.networks.into_iter().map(network).collect::<Result<_, _>>()?,
        bypass: group(said.bypass)?,
        pilot: group(said.pilot)?,
        watch_only: said.watch_only,
        set_by: None,
        set_at: None,
    })
}

pub(super) async fn set(
    Administrator(me): Administrator,
    At(name): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(said): Whole<AssuranceBody>,
) -> Answer<AssuranceView> {
    let assurance = read(&me.app.world(), name.clone(), said)?;
    let done = me.change(looked_at, AssuranceCommand::Set { assurance }).await?;
    let sight = me.sight();
    let set = done.world.assurances.get(name.as_str()).and_then(|one| sight.see(&done.world, one));
    let set = set.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::assurance(&done.world, &sight, set)))
}

pub(super) async fn end(Administrator(me): Administrator, At(name): At) -> Answer<Done> {
    me.submit(AssuranceCommand::End { name }).await?;
    Ok(Json(Done {}))
}

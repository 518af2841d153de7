//! Promises: what must hold whatever terms, groups and labels say, by name.

use jiff::Timestamp;
use tempestas_api::{BrokenView, Done, PromiseBody, PromiseView};
use tempestas_core::{Promise, PromiseCommand, SubjectId, World};

use super::{right_set, sees_whole, subject};
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Body, Json, LookedOrNew, Tagged, Tagging, Whole},
    problem::Failure,
    views,
};

fn unknown(name: &str) -> Failure {
    Failure::unknown("promise", name, "`tempestas promises` lists them")
}

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<PromiseView>> {
    let (world, sight, now) = (me.app.world(), me.sight(), Timestamp::now());
    let seen = world.promises.values().filter_map(|one| sight.see(&world, one));
    Ok(Json(seen.map(|one| views::promise(&world, &sight, one, now)).collect()))
}

pub(super) async fn show(Overseer(me): Overseer, At(name): At) -> Tagging<PromiseView> {
    let (world, sight) = (me.app.world(), me.sight());
    let known = world.promises.get(name.as_str()).and_then(|one| sight.see(&world, one));
    let known = known.ok_or_else(|| unknown(&name))?;
    Ok(Tagged(known.digest(), views::promise(&world, &sight, known, Timestamp::now())))
}

pub(super) fn read(world: &World, me: SubjectId, name: String, said: PromiseBody) -> Result<Promise, Failure> {
    let promised = said.promised.naming(|to| subject(world, &to))?;
    let by = said.by.map(|by| subject(world, &by)).transpose()?;
    Ok(Promise { name, of: right_set(world, me, &said.of)?, by, promised, set_by: None, set_at: None })
}

pub(super) async fn preview(Administrator(me): Administrator, Body(said): Body<PromiseBody>) -> Answer<BrokenView> {
    let (world, sight) = (me.app.world(), me.sight());
    let promise = read(&world, me.person, String::new(), said)?;
    sees_whole(&world, &sight, &promise.of)?;
    promise.check(&world)?;
    Ok(Json(views::broken(&world, &sight, &promise, Timestamp::now())))
}

pub(super) async fn set(
    Administrator(me): Administrator,
    At(name): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(said): Whole<PromiseBody>,
) -> Answer<PromiseView> {
    let promise = read(&me.app.world(), me.person, name.clone(), said)?;
    let done = me.change(looked_at, PromiseCommand::Set { promise }).await?;
    let sight = me.sight();
    let set = done.world.promises.get(name.as_str()).and_then(|one| sight.see(&done.world, one));
    let set = set.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::promise(&done.world, &sight, set, Timestamp::now())))
}

pub(super) async fn end(Administrator(me): Administrator, At(name): At) -> Answer<Done> {
    me.submit(PromiseCommand::End { name }).await?;
    Ok(Json(Done {}))
}

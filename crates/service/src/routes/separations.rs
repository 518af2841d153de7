//! Separations of duties: rights that nobody has together, by name.

use jiff::Timestamp;
use tempestas_api::{BreachView, Done, KeepsBody, SeparationBody, SeparationView, TolerateRequest};
use tempestas_core::{Keeps, Said, Separation, SeparationCommand, SubjectId, World};

use super::{right_set, sees_whole, subject};
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, Body, Json, LookedOrNew, Tagged, Tagging, Whole},
    problem::Failure,
    views,
};

fn unknown(name: &str) -> Failure {
    Failure::unknown("separation", name, "`tempestas separations` lists them")
}

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<SeparationView>> {
    let (world, sight, now) = (me.app.world(), me.sight(), Timestamp::now());
    let seen = world.separations.values().filter_map(|one| sight.see(&world, one));
    Ok(Json(seen.map(|one| views::separation(&world, &sight, one, now)).collect()))
}

pub(super) async fn show(Overseer(me): Overseer, At(name): At) -> Tagging<SeparationView> {
    let (world, sight) = (me.app.world(), me.sight());
    let known = world.separations.get(name.as_str()).and_then(|one| sight.see(&world, one));
    let known = known.ok_or_else(|| unknown(&name))?;
    Ok(Tagged(known.digest(), views::separation(&world, &sight, known, Timestamp::now())))
}

pub(super) fn read(world: &World, me: SubjectId, name: String, said: &SeparationBody) -> Result<Separation, Failure> {
    let rights = |text: &str| right_set(world, me, text);
    let keeps = match &said.keeps {
        KeepsBody::Apart { one, other } => Keeps::Apart { one: rights(one)?, other: rights(other)? },
        KeepsBody::Few { of, most } => Keeps::Few { of: rights(of)?, most: *most },
        KeepsBody::Holders { of, least, most } => Keeps::Holders { of: rights(of)?, least: *least, most: *most },
    };
    Ok(Separation { name, keeps, counts: said.counts, tolerated: Vec::new(), set_by: None, set_at: None })
}

pub(super) async fn preview(
    Administrator(me): Administrator,
    Body(said): Body<SeparationBody>,
) -> Answer<Vec<BreachView>> {
    let (world, sight) = (me.app.world(), me.sight());
    let separation = read(&world, me.person, String::new(), &said)?;
    separation.keeps.sets().try_for_each(|set| sees_whole(&world, &sight, set))?;
    separation.check(&world)?;
    Ok(Json(views::breaches(&world, &sight, &separation, Timestamp::now())))
}

pub(super) async fn set(
    Administrator(me): Administrator,
    At(name): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(said): Whole<SeparationBody>,
) -> Answer<SeparationView> {
    let separation = read(&me.app.world(), me.person, name.clone(), &said)?;
    let done = me.change(looked_at, SeparationCommand::Set { separation }).await?;
    let sight = me.sight();
    let set = done.world.separations.get(name.as_str()).and_then(|one| sight.see(&done.world, one));
    let set = set.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::separation(&done.world, &sight, set, Timestamp::now())))
}

pub(super) async fn end(Administrator(me): Administrator, At(name): At) -> Answer<Done> {
    me.submit(SeparationCommand::End { name }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn tolerate(
    Administrator(me): Administrator,
    At(name): At,
    Body(said): Body<TolerateRequest>,
) -> Answer<Done> {
    let who = said.who.map(|who| subject(&me.app.world(), &who)).transpose()?;
    let (until, reason) = (said.until, Said(said.reason));
    me.submit(SeparationCommand::Tolerate { name, who, until, reason }).await?;
    Ok(Json(Done {}))
}

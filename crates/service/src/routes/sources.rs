//! Sources: where people and groups come from.

use tempestas_api::{Done, NewSource, SourceView, WhichTarget};
use tempestas_core::{ScopeId, SourceCommand};

use super::target;
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, Body, Json},
    keeper,
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<SourceView>> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.sources.values().filter_map(|source| sight.see(&world, source));
    Ok(Json(seen.map(|source| views::source(&world, source)).collect()))
}

async fn shown(me: &SignedIn, id: ScopeId) -> Answer<SourceView> {
    let world = me.app.world();
    let gone = || Failure::unknown("source of people", &world.path(id), "`tempestas people source` lists them");
    let seen = world.sources.get(&id).and_then(|source| me.sight().see(&world, source));
    Ok(Json(views::source(&world, seen.ok_or_else(gone)?)))
}

pub(super) async fn set(Administrator(me): Administrator, Body(new): Body<NewSource>) -> Answer<SourceView> {
    let id = target(&me.app.world(), me.person, &new.target)?;
    me.submit(SourceCommand::Set { target: id, mapping: new.mapping }).await?;
    keeper::import(&me.app, id).await?;
    shown(&me, id).await
}

pub(super) async fn read(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<SourceView> {
    let id = target(&me.app.world(), me.person, &which.target)?;
    let id = me.administers(id)?.scope();
    shown(&me, id).await?;
    keeper::import(&me.app, id).await?;
    shown(&me, id).await
}

pub(super) async fn accept(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<SourceView> {
    let (id, held) = {
        let world = me.app.world();
        let id = target(&world, me.person, &which.target)?;
        (id, world.sources.get(&id).and_then(|source| source.held))
    };
    let none = || EdgeRefusal::NoReadingHeld { path: which.target.clone() };
    let digest = held.ok_or_else(none)?;
    let imported = me.app.store().import(digest).await?.ok_or(EdgeRefusal::ReadingGone)?;
    if !imported.complete {
        return Err(EdgeRefusal::HalfReading.into());
    }
    let record = SourceCommand::Accept { target: id, digest, imported: Box::new(imported) };
    me.submit(record).await?;
    shown(&me, id).await
}

pub(super) async fn end(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<Done> {
    let id = target(&me.app.world(), me.person, &which.target)?;
    me.submit(SourceCommand::End { target: id }).await?;
    Ok(Json(Done {}))
}

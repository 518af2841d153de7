//! Sources: where people and groups come from.

use tempestas_api::{Done, NewSource, SourceView, WhichTarget};
use tempestas_core::{Refusal, ScopeId, Source, SourceCommand, SubjectKind, World};

use super::target;
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, Body, Json},
    keeper,
    problem::Failure,
};

pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<SourceView>> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.sources.values().filter(|source| sight.sees_scope(&world, source.target));
    Ok(Json(seen.map(|source| view(&world, source)).collect()))
}

fn view(world: &World, source: &Source) -> SourceView {
    let subjects: Vec<_> = world
        .links
        .values()
        .filter(|link| link.target == source.target)
        .filter_map(|link| world.subjects.get(&link.subject))
        .collect();
    let people = || subjects.iter().filter(|subject| subject.kind == SubjectKind::Person);
    SourceView {
        target: world.path(source.target),
        mapping: source.mapping.clone(),
        people: people().count(),
        groups: subjects.len() - people().count(),
        suspended: people().filter(|person| world.is_suspended(person.id)).count(),
        taken_at: source.taken_at,
        held: source.held.is_some(),
        unusable: source.unusable,
    }
}

async fn shown(me: &SignedIn, id: ScopeId) -> Answer<SourceView> {
    let world = me.app.world();
    let gone = || Failure::unknown("source of people", &world.path(id), "`tempestas people source` lists them");
    world.sources.get(&id).map(|source| Json(view(&world, source))).ok_or_else(gone)
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
    let none = || Refusal::Conflict(format!("nothing that {} says of people waits for anybody", which.target));
    let digest = held.ok_or_else(none)?;
    let imported = me
        .app
        .store()
        .import(digest)
        .await?
        .ok_or_else(|| Refusal::Conflict("what was held is not there any more; have it read again".to_owned()))?;
    if !imported.complete {
        let says = "the directory answered only in part, and a part is never taken in; have it read again";
        return Err(Refusal::Conflict(says.to_owned()).into());
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

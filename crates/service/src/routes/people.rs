//! People, groups, programs, duties.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    AccountView, Done, DutyView, Enrolment, ManagerView, NewAccount, NewDuty, NewManager, NewMember, NewSubject,
    SubjectFilter, SubjectView, WhichTarget,
};
use tempestas_core::{
    CredentialStep, PeopleCommand, PeopleRefusal, Refusal, Said, Sight, SubjectId, SubjectKind, What, World,
    not_administrator,
};
use tempestas_store::Private;

use super::{made, reference, scope, seen_subject, subject, target};
use crate::{
    callers::{Administrator, Overseer},
    door::{Answer, At, AtTwo, Body, Json, Listed, Listing, LookedOrNew, Query, Tagged, Tagging, Whole},
    identity::token_digest,
    keyring,
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// How long an enrolment secret is good.
const ENROLMENT_LASTS: SignedDuration = SignedDuration::from_hours(72);

pub(super) async fn list(
    Overseer(me): Overseer,
    Listed(filter, paging): Listed<SubjectFilter>,
) -> Listing<SubjectView> {
    let sight = me.sight();
    let world = me.app.world();
    let fits = |kind| filter.kind.is_none_or(|wanted| wanted == kind);
    let wanted = world.subjects.values().filter(|one| fits(one.kind));
    let seen = wanted.filter_map(|one| sight.see(&world, one));
    Ok(paging.of(seen, |subject| subject.id)?.map(|subject| views::subject(&world, &sight, subject)))
}

/// Somebody on whom only an administrator of everything acts. Others are refused before the name is looked up, so that
/// trying names tells them nothing.
fn anybody(world: &World, me: SubjectId, name: &str) -> Result<SubjectId, Failure> {
    match world.root {
        Some(root) if !Sight::is_administrator(world, me, root) => Err(not_administrator(world, root).into()),
        _ => subject(world, name),
    }
}

pub(super) async fn add(Administrator(me): Administrator, Body(new): Body<NewSubject>) -> Answer<SubjectView> {
    let second_of = match &new.second_of {
        Some(first) => Some(anybody(&me.app.world(), me.person, first)?),
        None => None,
    };
    let command =
        PeopleCommand::AddSubject { kind: new.kind, name: Said::new(new.name), about: Said::new(new.about), second_of };
    let done = me.submit(command).await?;
    let id = made(&done, |what| match what {
        What::SubjectAdded { subject } => Some(*subject),
        _ => None,
    })?;
    let (sight, world) = (me.sight(), &done.world);
    let added = world.subjects.get(&id).and_then(|added| sight.see(world, added));
    let added = added.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was added is gone")))?;
    Ok(Json(views::subject(world, &sight, added)))
}

pub(super) async fn enrolment(Administrator(me): Administrator, At(who): At) -> Answer<Enrolment> {
    let (person, name, kind) = {
        let world = me.app.world();
        let id = anybody(&world, me.person, &who)?;
        (id, world.subject_name(id), world.subjects.get(&id).map(|subject| subject.kind))
    };
    if kind != Some(SubjectKind::Person) {
        return Err(EdgeRefusal::NoPerson { name }.into());
    }
    if person == me.person {
        return Err(Refusal::from(PeopleRefusal::OwnReset).into());
    }
    let secret = keyring::random_text();
    let expires = Timestamp::now().checked_add(ENROLMENT_LASTS).unwrap_or(Timestamp::MAX);
    let issued = Private::Enrolment { secret: token_digest(&secret), person, expires };
    let command = PeopleCommand::SetCredentials { subject: person, step: CredentialStep::Issued };
    me.submit_with(command, |_| Ok(vec![issued])).await?;
    Ok(Json(Enrolment { name, secret: secret.to_string(), expires }))
}

pub(super) async fn suspend(Administrator(me): Administrator, At(who): At) -> Answer<Done> {
    let person = anybody(&me.app.world(), me.person, &who)?;
    me.submit(PeopleCommand::Suspend { subject: person }).await?;
    me.app.store().end_sign_ins(person, None).await?;
    Ok(Json(Done {}))
}

pub(super) async fn resume(Administrator(me): Administrator, At(who): At) -> Answer<Done> {
    let person = anybody(&me.app.world(), me.person, &who)?;
    me.submit(PeopleCommand::Resume { subject: person }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn account(
    Administrator(me): Administrator,
    At(who): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(new): Whole<NewAccount>,
) -> Answer<Done> {
    let (person, target) = {
        let world = me.app.world();
        (subject(&world, &who)?, target(&world, me.person, &new.target)?)
    };
    let command = PeopleCommand::SetAccount { subject: person, target, account: Said::new(new.account) };
    me.change(looked_at, command).await?;
    Ok(Json(Done {}))
}

pub(super) async fn manager(
    Administrator(me): Administrator,
    At(who): At,
    LookedOrNew(looked_at): LookedOrNew,
    Whole(new): Whole<NewManager>,
) -> Answer<Done> {
    let (person, manager) = {
        let world = me.app.world();
        let manager = new.manager.as_deref().map(|name| anybody(&world, me.person, name)).transpose()?;
        (anybody(&world, me.person, &who)?, manager)
    };
    me.change(looked_at, PeopleCommand::SetManager { subject: person, manager }).await?;
    Ok(Json(Done {}))
}

/// Who somebody's manager is, to be changed in place.
pub(super) async fn show_manager(Overseer(me): Overseer, At(who): At) -> Tagging<ManagerView> {
    let sight = me.sight();
    let world = me.app.world();
    let person = seen_subject(&world, &sight, &who)?;
    let known =
        world.subjects.get(&person).ok_or_else(|| Failure::unknown("person", &who, "`tempestas people` lists them"))?;
    let digest = known.manager_digest();
    Ok(Tagged(digest, ManagerView { manager: known.manager.map(|manager| world.subject_name(manager)), digest }))
}

/// Somebody's account on a target, to be changed in place.
pub(super) async fn show_account(
    Overseer(me): Overseer,
    At(who): At,
    Query(on): Query<WhichTarget>,
) -> Tagging<AccountView> {
    let sight = me.sight();
    let world = me.app.world();
    let person = seen_subject(&world, &sight, &who)?;
    let target = target(&world, me.person, &on.target)?;
    let known = world.subjects.get(&person).and_then(|known| sight.see(&world, known));
    let own = known.map(|known| views::subject(&world, &sight, known).accounts);
    let path = world.path(target);
    let account = own.into_iter().flatten().find(|account| account.target == path);
    let none = || Failure::unknown("account", &who, "no account of theirs is named there");
    account.map(|account| Tagged(account.digest, account)).ok_or_else(none)
}

pub(super) async fn add_member(
    Administrator(me): Administrator,
    At(group): At,
    Body(new): Body<NewMember>,
) -> Answer<Done> {
    let (group, member) = {
        let world = me.app.world();
        (anybody(&world, me.person, &group)?, anybody(&world, me.person, &new.member)?)
    };
    me.submit(PeopleCommand::AddMember { group, member }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn remove_member(Administrator(me): Administrator, AtTwo(group, member): AtTwo) -> Answer<Done> {
    let (group, member) = {
        let world = me.app.world();
        (anybody(&world, me.person, &group)?, anybody(&world, me.person, &member)?)
    };
    me.submit(PeopleCommand::RemoveMember { group, member }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn duties(Overseer(me): Overseer) -> Answer<Vec<DutyView>> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.duties.values().filter_map(|duty| sight.see(&world, duty));
    Ok(Json(seen.map(|duty| views::duty(&world, duty)).collect()))
}

pub(super) async fn give_duty(Administrator(me): Administrator, Body(new): Body<NewDuty>) -> Answer<Done> {
    let (subject, scope) = {
        let world = me.app.world();
        (subject(&world, &new.who)?, scope(&world, me.person, &new.scope)?.id)
    };
    me.submit(PeopleCommand::GiveDuty { subject, kind: new.duty, scope }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn end_duty(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(PeopleCommand::EndDuty { duty: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

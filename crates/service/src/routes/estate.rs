//! Folders, targets, surveys, roles, alarms.

use std::{cmp::Reverse, collections::HashMap};

use axum::extract::State;
use tempestas_api::{
    AlarmView, CheckReply, Done, EndTarget, HostEnrolment, NewFolder, NewTarget, OpenFilter, RoleView, ScopeView,
    SurveyReply, TargetSettings, TargetView, TriedSeal, WhichTarget,
};
use tempestas_core::{
    Alarm, Command, Connector, EstateCommand, Fact, Note, PeopleRefusal, Phase, Refusal, Said, ScopeId, ScopeKind,
    Seconds, Weight, What, World,
};
use tempestas_engine::Committed;
use tempestas_store::Private;
use tempestas_targets::{Form, linux::public_key, local};
use zeroize::Zeroizing;

use super::{made, reference, scope, target};
use crate::{
    app::App,
    authorities,
    callers::{Administrator, Overseer},
    connect::connect,
    door::{Answer, At, Body, Json, Listed, Listing, Looked, Query, Tagged, Tagging},
    keeper,
    keyring::{BROKER, owner_of},
    problem::Failure,
    refused::EdgeRefusal,
    status::Statuses,
    views,
};

pub(super) async fn scopes(Overseer(me): Overseer, State(statuses): State<Statuses>) -> Answer<Vec<ScopeView>> {
    let sight = me.sight();
    let world = me.app.world();
    let counts = counts(&world);
    let mut seen: Vec<ScopeView> = world
        .scopes
        .values()
        .filter(|scope| scope.kind == ScopeKind::Folder || world.target_of(scope.id).is_some())
        .filter_map(|scope| sight.see(&world, scope))
        .map(|scope| {
            let counts = counts.get(&scope.id).copied().unwrap_or_default();
            ScopeView {
                path: world.path(scope.id),
                kind: scope.kind,
                standing: counts.standing,
                critical: counts.critical,
                live: counts.live,
                rules: world.terms.values().filter(|rule| rule.scope == scope.id).count(),
                trouble: statuses.of(scope.id).trouble,
            }
        })
        .collect();
    seen.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(Json(seen))
}

/// What is held at a scope and below.
#[derive(Debug, Clone, Copy, Default)]
struct Counts {
    standing: usize,
    critical: usize,
    live: usize,
}

/// Counted once upwards from every right, rather than once for every scope.
fn counts(world: &World) -> HashMap<ScopeId, Counts> {
    let mut counts: HashMap<ScopeId, Counts> = HashMap::new();
    for held in world.standing.values() {
        let critical = world.roles.get(&held.right.role).is_none_or(|role| role.weight == Weight::Critical);
        for scope in world.upwards(held.right.scope) {
            let count = counts.entry(scope.id).or_default();
            count.standing += 1;
            count.critical += usize::from(critical);
        }
    }
    let active = world.active();
    for elevation in active.filter(|elevation| elevation.phase == Phase::Live) {
        world.upwards(elevation.right.scope).for_each(|scope| counts.entry(scope.id).or_default().live += 1);
    }
    counts
}

pub(super) async fn add_folder(Administrator(me): Administrator, Body(new): Body<NewFolder>) -> Answer<Done> {
    let parent = scope(&me.app.world(), me.person, &new.parent)?.id;
    me.submit(EstateCommand::AddFolder { parent, name: new.name }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn targets(Overseer(me): Overseer) -> Answer<Vec<TargetView>> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.targets.values().filter_map(|target| sight.see(&world, target));
    Ok(Json(seen.map(|target| views::target(me.app.statuses(), &world, target)).collect()))
}

/// One target, whose settings are changed in place.
pub(super) async fn show_target(Overseer(me): Overseer, Query(which): Query<WhichTarget>) -> Tagging<TargetView> {
    let sight = me.sight();
    let world = me.app.world();
    let unknown = || Failure::unknown("target", &which.target, "`tempestas targets` lists them");
    let id = target(&world, me.person, &which.target)?;
    let known = world.targets.get(&id).and_then(|target| sight.see(&world, target)).ok_or_else(unknown)?;
    Ok(Tagged(known.digest(), views::target(me.app.statuses(), &world, known)))
}

pub(super) async fn add_target(Administrator(me): Administrator, Body(new): Body<NewTarget>) -> Answer<TargetView> {
    ensure_reachable(&new.connector)?;
    let parent = scope(&me.app.world(), me.person, &new.parent)?.id;
    let command = EstateCommand::AddTarget {
        parent,
        name: new.name,
        connector: new.connector,
        emergency_least: new.emergency_least,
        alarm_after: Seconds(new.alarm_after.max(1)),
    };
    let added = |what: &What| match what {
        What::TargetAdded { scope } => Some(*scope),
        _ => None,
    };
    let (app, secret) = (me.app.clone(), Zeroizing::new(new.secret));
    let sealed = move |facts: &[Fact]| {
        let id = facts.iter().find_map(|fact| added(&fact.what)).filter(|_| !secret.is_empty());
        id.map(|id| broker_secret(&app, id, &secret)).into_iter().collect()
    };
    let done = me.submit_with(command, sealed).await?;
    let id = made(&done, added)?;
    let added = done.world.targets.get(&id).and_then(|target| me.sight().see(&done.world, target));
    let added = added.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was added is gone")))?;
    Ok(Json(views::target(me.app.statuses(), &done.world, added)))
}

/// Only the way to hosts is encrypted so far, so nothing else beyond this machine is called.
fn ensure_reachable(connector: &Connector) -> Result<(), Failure> {
    let wrong = |why: String| EdgeRefusal::BadConnection { why }.into();
    match connector {
        Connector::Described { form } => {
            Form::read(form).and_then(|form| form.ensure_local()).map_err(|error| wrong(error.to_string()))
        }
        Connector::Linux { host, user, host_key, .. } => {
            if host.is_empty() || !is_account(user) {
                return Err(EdgeRefusal::BadHost.into());
            }
            public_key(host_key).map(|_| ()).map_err(|error| wrong(error.to_string()))
        }
        Connector::Ldap { url, base, grants, .. } => {
            if !grants.to_lowercase().ends_with(&base.to_lowercase()) {
                return Err(Refusal::from(PeopleRefusal::OutsideDirectory {
                    place: grants.clone(),
                    base: base.clone(),
                })
                .into());
            }
            local::ensure_url(url, &["ldap"]).map_err(wrong)
        }
        Connector::Postgres { host, .. } => local::ensure_host(host).map_err(wrong),
        Connector::Brightwater { url } | Connector::Fathom { url } => local::ensure_url(url, &["http"]).map_err(wrong),
    }
}

/// A name that can stand in sudoers and in a certificate with nothing to escape.
fn is_account(name: &str) -> bool {
    (1..=32).contains(&name.len())
        && name.starts_with(|first: char| first.is_ascii_lowercase())
        && name.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || b"_-".contains(&byte))
}

/// The password or key that we reach a target with, sealed.
fn broker_secret(app: &App, id: ScopeId, secret: &str) -> anyhow::Result<Private> {
    Ok(Private::Sealed(app.keyring().seal(&owner_of(id), BROKER, secret.as_bytes())?))
}

pub(super) async fn set_target(
    Administrator(me): Administrator,
    Looked(looked_at): Looked,
    Body(new): Body<TargetSettings>,
) -> Answer<Done> {
    let (id, runs_on) = {
        let world = me.app.world();
        let host = |path: &String| (!path.is_empty()).then(|| target(&world, me.person, path)).transpose();
        (target(&world, me.person, &new.target)?, new.runs_on.as_ref().map(host).transpose()?)
    };
    let command = EstateCommand::SetTarget {
        target: id,
        emergency_least: new.emergency_least,
        alarm_after: new.alarm_after.map(|seconds| Seconds(seconds.max(1))),
        runs_on,
        own_login: new.own_login,
        labels: new.labels.clone(),
    };
    let secret = new.secret.as_ref().map(|secret| broker_secret(&me.app, id, secret)).transpose()?;
    me.change_with(looked_at, command, secret.into_iter().collect()).await?;
    if new.own_login.is_some() {
        // Its roles end otherwise now, which the survey says; one that fails comes again by itself.
        let _ = keeper::survey(&me.app, id).await;
    }
    Ok(Json(Done {}))
}

pub(super) async fn end_target(Administrator(me): Administrator, Body(end): Body<EndTarget>) -> Answer<Done> {
    let id = target(&me.app.world(), me.person, &end.target)?;
    let unsealed = Private::Unsealed { owner: owner_of(id), name: BROKER.to_owned() };
    let command = EstateCommand::EndTarget { target: id, reason: Said::new(end.reason) };
    me.submit_with(command, |_| Ok(vec![unsealed])).await?;
    Ok(Json(Done {}))
}

pub(super) async fn tried_seal(Administrator(me): Administrator, Body(tried): Body<TriedSeal>) -> Answer<Done> {
    let target = target(&me.app.world(), me.person, &tried.target)?;
    me.submit(EstateCommand::SealTried { target, account: Said::new(tried.account), next: tried.next }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn survey(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<SurveyReply> {
    let id = target(&me.app.world(), me.person, &which.target)?;
    let id = me.administers(id)?.scope();
    me.submit(Note::SurveyAsked(id)).await?;
    Ok(Json(survey_reply(id, &keeper::survey(&me.app, id).await?)))
}

pub(super) async fn host_enrolment(
    Administrator(me): Administrator,
    Query(which): Query<WhichTarget>,
) -> Answer<HostEnrolment> {
    let (id, connector) = {
        let world = me.app.world();
        let id = target(&world, me.person, &which.target)?;
        (id, world.connector(id).cloned())
    };
    let id = me.administers(id)?.scope();
    let Some(Connector::Linux { user, .. }) = connector else {
        return Err(EdgeRefusal::NoHost { path: which.target }.into());
    };
    let (says, script, undo) = authorities::enrolment(&me.app, id.0, &user).await?;
    Ok(Json(HostEnrolment { says, script, undo }))
}

pub(super) async fn check(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<CheckReply> {
    let (id, connector) = {
        let world = me.app.world();
        let id = target(&world, me.person, &which.target)?;
        (id, world.connector(id).cloned())
    };
    let id = me.administers(id)?.scope();
    let connector = connector.ok_or_else(|| Failure::target("it is not looked after any more"))?;
    let missing = match connect(&me.app, id, &connector).await?.check().await {
        Ok(missing) => missing,
        Err(error) => vec![error.to_string()],
    };
    Ok(Json(CheckReply { target: which.target, missing }))
}

fn survey_reply(id: ScopeId, done: &Committed) -> SurveyReply {
    let world = &done.world;
    let (mut appeared, mut vanished, mut changed, mut held) = (0, 0, 0, None);
    for what in &done.whats {
        match what {
            What::Surveyed { appeared: new, vanished: gone, changed: other, .. } => {
                (appeared, vanished, changed) = (*new, *gone, *other)
            }
            What::SurveyHeld { why, .. } => held = Some(why.to_string()),
            _ => {}
        }
    }
    let waits = world.targets.get(&id).is_some_and(|target| target.held.is_some());
    SurveyReply {
        target: world.path(id),
        held: held
            .or_else(|| waits.then(|| "an earlier survey waits for a person: `tempestas targets accept`".to_owned())),
        appeared,
        vanished,
        changed,
        standing: world.standing_on(id).count(),
    }
}

pub(super) async fn accept(Administrator(me): Administrator, Body(which): Body<WhichTarget>) -> Answer<SurveyReply> {
    let (id, held) = {
        let world = me.app.world();
        let id = target(&world, me.person, &which.target)?;
        (id, world.targets.get(&id).and_then(|target| target.held))
    };
    let digest = held.ok_or_else(|| EdgeRefusal::NoSurveyHeld { path: which.target.clone() })?;
    let survey = me.app.store().survey(digest).await?.ok_or(EdgeRefusal::SurveyGone)?;
    if !survey.complete {
        return Err(EdgeRefusal::HalfSurvey.into());
    }
    let record = EstateCommand::AcceptSurvey { target: id, digest, survey: Box::new(survey) };
    let done = me.submit(record).await?;
    Ok(Json(survey_reply(id, &done)))
}

pub(super) async fn roles(Overseer(me): Overseer) -> Answer<Vec<RoleView>> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.roles.values().filter(|role| !role.gone).filter_map(|role| sight.see(&world, role));
    Ok(Json(seen.map(|role| views::role(&world, role)).collect()))
}

pub(super) async fn alarms(Overseer(me): Overseer, Listed(filter, paging): Listed<OpenFilter>) -> Listing<AlarmView> {
    let sight = me.sight();
    let world = me.app.world();
    let fits = |alarm: &Alarm| !filter.open || alarm.settled.is_none();
    let seen = world.alarms.values().filter(|alarm| fits(alarm)).filter_map(|alarm| sight.see(&world, alarm));
    let page = paging.of(seen, |alarm| (alarm.settled.is_some(), Reverse(alarm.since), alarm.id))?;
    Ok(page.map(|alarm| views::alarm(&world, alarm, me.person)))
}

pub(super) async fn alarm(Overseer(me): Overseer, At(id): At) -> Answer<AlarmView> {
    let sight = me.sight();
    let world = me.app.world();
    let known = world.alarms.get(&reference(&id)?).and_then(|alarm| sight.see(&world, alarm));
    let unknown = || Failure::unknown("alarm", &id, "`tempestas alarms` lists them");
    Ok(Json(views::alarm(&world, known.ok_or_else(unknown)?, me.person)))
}

pub(super) async fn settle(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(Command::SettleAlarm { alarm: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

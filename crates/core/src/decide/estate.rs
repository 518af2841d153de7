//! Folders and targets.

use std::collections::BTreeMap;

use super::{
    alarms, appointments,
    checked::{checked_name, checked_text},
    deciding::Deciding,
    drifts, seals, surveys,
};
use crate::{
    Connector, DriftState, EstateCommand, EstateRefusal, Refusal, Role, Row, Said, Scope, ScopeId, ScopeKind, Seconds,
    Target, What, World, terms::check_label,
};

/// Most labels of a target.
const LABELS_MOST: usize = 20;
/// How deep folders may nest.
const DEEPEST: usize = 12;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &EstateCommand) -> Result<(), Refusal> {
    match command {
        EstateCommand::AddFolder { parent, name } => {
            let administers = deciding.administers(*parent)?;
            let scope = new_scope(deciding, *parent, name, ScopeKind::Folder)?;
            deciding.by(administers).fact(What::FolderAdded { scope: scope.id }, vec![Row::Scope(scope)]);
            Ok(())
        }
        EstateCommand::AddTarget { parent, name, connector, emergency_least, alarm_after } => {
            // A description chooses what is called, and what runs, with the power of the service itself.
            let administers = match connector {
                Connector::Described { .. } => deciding.administers_all()?,
                _ => deciding.administers(*parent)?,
            };
            let scope = new_scope(deciding, *parent, name, ScopeKind::Target)?;
            let target = Target {
                scope: scope.id,
                connector: connector.clone(),
                emergency_least: *emergency_least,
                alarm_after: *alarm_after,
                broker: None,
                surveyed: None,
                surveyed_at: None,
                held: None,
                to_search: false,
                strays: Vec::new(),
                runs_on: None,
                labels: BTreeMap::new(),
                attributes: BTreeMap::new(),
                sealed: Vec::new(),
                trials: Vec::new(),
            };
            let what = What::TargetAdded { scope: scope.id };
            deciding.by(administers).fact(what, vec![Row::Scope(scope), Row::Target(target)]);
            Ok(())
        }
        EstateCommand::SetTarget { target, emergency_least, alarm_after, runs_on, own_login, labels } => {
            let changes = Changes {
                emergency_least: *emergency_least,
                alarm_after: *alarm_after,
                runs_on: *runs_on,
                own_login: *own_login,
                labels: labels.as_ref(),
            };
            set_target(deciding, *target, &changes)
        }
        EstateCommand::SealTried { target, account, next } => seals::tried(deciding, *target, account, *next),
        EstateCommand::EndTarget { target, reason } => end_target(deciding, *target, reason),
        EstateCommand::AcceptSurvey { target, digest, survey } => {
            let administers = deciding.administers(*target)?;
            surveys::accepted(&mut deciding.by(administers), *target, *digest, survey)
        }
    }
}

/// What is to become of a target; what is none stays.
struct Changes<'a> {
    emergency_least: Option<u32>,
    alarm_after: Option<Seconds>,
    runs_on: Option<Option<ScopeId>>,
    own_login: Option<bool>,
    labels: Option<&'a BTreeMap<String, String>>,
}

fn set_target(deciding: &mut Deciding<'_>, target: ScopeId, changes: &Changes<'_>) -> Result<(), Refusal> {
    let administers = deciding.administers(target)?;
    let mut row = known_target(deciding, target)?;
    deciding.ensure_as_looked_at(&deciding.world.path(target), Some(row.digest()))?;
    row.emergency_least = changes.emergency_least.unwrap_or(row.emergency_least);
    row.alarm_after = changes.alarm_after.unwrap_or(row.alarm_after);
    if let Some(host) = changes.runs_on {
        // What runs on what says who reaches whom: it is as much about the one as about the other.
        if let Some(host) = host {
            deciding.administers(host)?;
        }
        row.runs_on = host_of(deciding, target, host)?;
    }
    if let Some(wanted) = changes.own_login {
        let Connector::Postgres { own_login, .. } = &mut row.connector else {
            return Err(EstateRefusal::OneWayOnly.into());
        };
        *own_login = wanted;
    }
    if let Some(wanted) = changes.labels {
        if wanted.len() > LABELS_MOST {
            return Err(EstateRefusal::TooManyLabels { most: LABELS_MOST }.into());
        }
        wanted.iter().try_for_each(|(name, value)| check_label(name, value))?;
        row.labels.clone_from(wanted);
    }
    let mut put = vec![Row::Target(row)];
    // Other terms may hold by other labels, and by another way of giving.
    let by_label: Vec<_> = deciding.world.terms.values().filter(|rule| !rule.labels.is_empty()).collect();
    put.extend(deciding.own_influence_if_less(&put, &[], &by_label));
    deciding.by(administers).fact(What::TargetSet { scope: target }, put);
    Ok(())
}

/// Lets a target go, with everything that only meant something while it was looked after.
fn end_target(deciding: &mut Deciding<'_>, id: ScopeId, reason: &Said) -> Result<(), Refusal> {
    let administers = deciding.administers(id)?;
    let target = known_target(deciding, id)?;
    if reason.0.trim().is_empty() {
        return Err(EstateRefusal::EndWithoutReason.into());
    }
    checked_text("reason", reason, 500)?;
    let world = deciding.world;
    ensure_nothing_hangs_on(world, id)?;
    let draft = &mut deciding.by(administers);
    let reason = draft.text(reason);
    // Taken in again it would have no labels.
    let hand = draft.context.caller.subject().filter(|_| !target.labels.is_empty()).map(|me| draft.own_influence(me));
    let mut put: Vec<Row> = hand.into_iter().collect();
    let mut cut = vec![Row::Target(target).key()];
    put.extend(world.scopes.get(&id).map(|scope| Row::Scope(Scope { kind: ScopeKind::Gone, ..scope.clone() })));
    let roles = world.roles_on(id).filter(|role| !role.gone);
    put.extend(roles.map(|role| Row::Role(Role { gone: true, ..role.clone() })));
    let on_it = world.targets.values().filter(|other| other.runs_on == Some(id));
    put.extend(on_it.map(|other| Row::Target(Target { runs_on: None, ..other.clone() })));
    cut.extend(world.standing_on(id).map(|held| Row::Standing(held.clone()).key()));
    cut.extend(world.accounts.values().filter(|own| own.target == id).map(|own| Row::Account(own.clone()).key()));
    draft.fact_cutting(What::TargetEnded { scope: id, reason }, put, cut);
    for held in world.eligibilities.values().filter(|held| world.is_within(held.right.scope, id)) {
        appointments::end(draft, held);
    }
    let at = draft.now();
    for drift in world.drifts.values().filter(|drift| drift.target == id && drift.is_pending()) {
        drifts::settle(draft, drift.clone(), DriftState::Over { at });
    }
    // What was done there is still to be looked at.
    alarms::settle_where(draft, |about| {
        about.right().is_none() && world.alarm_scope(about).is_some_and(|scope| world.is_within(scope, id))
    });
    Ok(())
}

/// Refuses to let a target go while something on it is still to end.
fn ensure_nothing_hangs_on(world: &World, id: ScopeId) -> Result<(), Refusal> {
    let active = world.active();
    let open: Vec<String> =
        active.filter(|one| world.is_within(one.right.scope, id)).map(|one| one.id.to_string()).collect();
    if !open.is_empty() {
        return Err(EstateRefusal::OpenThere { open }.into());
    }
    if let Some(item) = world.pending_items(id).next() {
        return Err(EstateRefusal::ChangingThere { conversion: item.conversion }.into());
    }
    if world.sources.contains_key(&id) {
        return Err(EstateRefusal::SourceOfPeople.into());
    }
    Ok(())
}

/// Checks what a target is said to run on.
fn host_of(deciding: &Deciding<'_>, target: ScopeId, host: Option<ScopeId>) -> Result<Option<ScopeId>, Refusal> {
    let mut at = host;
    while let Some(id) = at {
        if id == target {
            return Err(EstateRefusal::RunsOnItself.into());
        }
        at = known_target(deciding, id)?.runs_on;
    }
    Ok(host)
}

pub(super) fn known_target(deciding: &Deciding<'_>, id: ScopeId) -> Result<Target, Refusal> {
    deciding
        .world
        .targets
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("target", deciding.world.path(id), "`tempestas targets` lists them"))
}

fn new_scope(deciding: &mut Deciding<'_>, parent: ScopeId, name: &str, kind: ScopeKind) -> Result<Scope, Refusal> {
    checked_name("scope", name)?;
    if deciding.world.target_of(parent).is_some() {
        return Err(EstateRefusal::NoFolder { scope: deciding.world.path(parent) }.into());
    }
    if deciding.world.depth(parent) >= DEEPEST {
        return Err(EstateRefusal::EstateTooDeep { most: DEEPEST }.into());
    }
    if let Some(there) = deciding.world.child(parent, name) {
        if there.kind == ScopeKind::Gone && kind == ScopeKind::Target {
            return Ok(Scope { kind, ..there.clone() });
        }
        let (parent, name) = (deciding.world.path(parent), name.to_owned());
        return Err(EstateRefusal::ThereAlready { parent, name }.into());
    }
    Ok(Scope { id: deciding.id(), parent: Some(parent), name: name.to_owned(), kind })
}

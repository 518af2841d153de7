//! Drift: what surveys saw that nobody did through us, and what people decide about it.

use std::collections::BTreeSet;

use jiff::Timestamp;

use super::{
    alarms,
    checked::checked_text,
    conversions,
    deciding::{Deciding, Draft},
    proofs::{Administers, Person},
};
use crate::{
    AlarmKind, Connector, Conversion, ConversionId, ConversionRefusal, Drift, DriftCommand, DriftId, DriftKind,
    DriftState, Item, ItemState, Refusal, RightFound, Row, Said, ScopeId, Seconds, Standing, SubjectId, WavePlan,
    Weight, What, World, caution::came_back, conversion::ensure_holders_stay, due::Due, later,
};

/// Longest that a drift may be ignored.
const IGNORED_MOST: Seconds = Seconds::hours(24 * 366);

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &DriftCommand) -> Result<(), Refusal> {
    let person = deciding.person()?;
    match command {
        DriftCommand::Adopt { drift } => {
            let Pending { drift, administers } = pending(deciding, *drift)?;
            ensure_is_not_own(deciding, person.id(), &drift)?;
            if drift.kind != DriftKind::Lost {
                conversions::ensure_may_stand(deciding, &drift.standing)?;
            }
            let state = DriftState::Adopted { by: person.id(), at: deciding.now() };
            settle(&mut deciding.by(administers), drift, state);
            Ok(())
        }
        DriftCommand::Ignore { drift, reason, until } => ignore(deciding, person, *drift, reason, *until),
        DriftCommand::PutBack { drift } => put_back(deciding, person, *drift),
    }
}

/// A drift that the caller may still decide about, as an administrator of its target.
struct Pending {
    drift: Drift,
    administers: Administers,
}

fn pending(deciding: &mut Deciding<'_>, id: DriftId) -> Result<Pending, Refusal> {
    let unknown = || Refusal::unknown("drift", id, "`tempestas drift` lists them");
    let drift = deciding.world.drifts.get(&id).ok_or_else(unknown)?;
    let administers = deciding.administers(drift.target)?;
    if !drift.is_pending() {
        return Err(ConversionRefusal::DriftDecided { drift: id }.into());
    }
    Ok(Pending { drift: drift.clone(), administers })
}

/// Nobody settles what is about themselves.
fn ensure_is_not_own(deciding: &Deciding<'_>, me: SubjectId, drift: &Drift) -> Result<(), Refusal> {
    let world = deciding.world;
    let owner = world.holder_of(drift.target, drift.standing.account);
    if owner.is_some_and(|owner| world.human(owner) == world.human(me)) {
        return Err(ConversionRefusal::OwnDrift { drift: drift.id }.into());
    }
    Ok(())
}

pub(super) fn settle(draft: &mut Draft<'_, '_>, drift: Drift, state: DriftState) {
    let id = drift.id;
    let what = match &state {
        DriftState::Adopted { .. } => What::DriftAdopted { drift: id },
        DriftState::Ignored { until, .. } => What::DriftIgnored { drift: id, until: *until },
        DriftState::PutBack { conversion } => What::DriftPutBack { drift: id, conversion: *conversion },
        DriftState::Over { .. } => What::DriftOver { drift: id },
        DriftState::Open => What::DriftSeen { drift: id, target: drift.target },
    };
    let is_open = state == DriftState::Open;
    draft.fact(what, vec![Row::Drift(Drift { state, ..drift })]);
    if !is_open {
        alarms::settle_where(draft, |about| *about == AlarmKind::NewPower { drift: id });
    }
}

fn ignore(
    deciding: &mut Deciding<'_>,
    person: Person,
    id: DriftId,
    reason: &Said,
    until: Timestamp,
) -> Result<(), Refusal> {
    let by = person.id();
    let Pending { drift, administers } = pending(deciding, id)?;
    ensure_is_not_own(deciding, by, &drift)?;
    if reason.0.is_empty() {
        return Err(ConversionRefusal::DriftWithoutReason.into());
    }
    checked_text("reason", reason, 500)?;
    if until <= deciding.now() || until > later(deciding.now(), IGNORED_MOST) {
        return Err(ConversionRefusal::BadIgnoring.into());
    }
    let reason = deciding.text(reason);
    settle(&mut deciding.by(administers), drift, DriftState::Ignored { by, reason, until });
    Ok(())
}

/// Has the target put back as it was: what was gained is taken away, what was lost is given back.
fn put_back(deciding: &mut Deciding<'_>, person: Person, id: DriftId) -> Result<(), Refusal> {
    let by = person.id();
    let Pending { drift, administers } = pending(deciding, id)?;
    let state = if drift.kind == DriftKind::Lost { ItemState::Restoring } else { ItemState::Taking };
    if state == ItemState::Restoring {
        ensure_is_not_own(deciding, by, &drift)?;
        conversions::ensure_no_own_return(deciding, by, &drift.standing)?;
        conversions::ensure_may_stand(deciding, &drift.standing)?;
    }
    if drift.standing.handle.is_none() {
        let through = drift.standing.chain.first().map_or("something else", |way| deciding.world.words(way));
        return Err(ConversionRefusal::DriftThrough { through: through.to_owned() }.into());
    }
    if state == ItemState::Restoring && matches!(deciding.world.connector(drift.target), Some(Connector::Linux { .. }))
    {
        return Err(ConversionRefusal::NotTakenByUs.into());
    }
    if state == ItemState::Taking {
        if deciding.world.is_broker(drift.target, drift.standing.account) {
            return Err(ConversionRefusal::DriftOfOurs.into());
        }
        ensure_holders_stay(deciding.world, &[drift.standing.id])?;
    }
    let draft = &mut deciding.by(administers);
    let conversion: ConversionId = draft.id();
    let name = draft.words(&format!("put back {id}"));
    let standing = drift.standing.clone();
    let item = Item { conversion, standing, eligibility: None, state, trouble: None, wave: 0, at: None };
    let row = Conversion {
        id: conversion,
        by,
        at: draft.now(),
        undone_at: None,
        waves: Some(WavePlan::default().waves(Some(name), &[0], draft.now())),
    };
    draft.fact(What::Converted { conversion, rights: 1 }, vec![Row::Conversion(row), Row::Item(item)]);
    settle(draft, drift, DriftState::PutBack { conversion });
    Ok(())
}

/// A right that a survey saw for the first time. What it is called may be new with it, and so not be known to the World yet.
pub(super) struct Sighted<'s> {
    pub(super) standing: Standing,
    pub(super) found: &'s RightFound,
    pub(super) weight: Weight,
}

/// What one survey saw appear on a target that had been surveyed before, and what it saw gone. Where a person looked and had
/// it taken in, what is gone is what they looked at; what appeared is news all the same.
pub(super) fn seen(
    draft: &mut Draft<'_, '_>,
    mut appeared: Vec<Sighted<'_>>,
    mut vanished: Vec<Standing>,
    accepted: bool,
) {
    let world = draft.world;
    // Held as before, only by another line or posting: after an undo it is a new one.
    appeared.retain(|one| {
        let same = |gone: &Standing| {
            gone.right == one.standing.right
                && gone.is_held_by(world, &one.found.chain)
                && world.is_text(gone.account, &one.found.account)
        };
        let before = vanished.iter().position(same);
        before.map(|at| vanished.remove(at)).is_none()
    });
    // A right held through something that was itself gained now is explained by that.
    let direct: BTreeSet<&str> =
        appeared.iter().filter(|one| one.found.chain.is_empty()).map(|one| one.found.account.as_str()).collect();
    for Sighted { standing, found, weight } in appeared {
        // What was lost and is there again is as it was.
        let is_same = |drift: &Drift| drift.is_of(world, &standing, found.handle.as_deref(), &found.account);
        if over(draft, |drift| drift.kind == DriftKind::Lost && is_same(drift)) {
            continue;
        }
        let explained = direct.contains(found.account.as_str()) || by_one_put_back(world, standing.target, found);
        if found.chain.is_empty() || !explained {
            let came_back = came_back(world, &standing, &found.account);
            let kind = came_back.map_or(DriftKind::Gained, |conversion| DriftKind::CameBack { conversion });
            notice(draft, kind, standing, weight);
        }
    }
    for standing in vanished {
        let account = world.text(standing.account);
        let handle = standing.handle.as_ref().map(|handle| world.words(handle));
        let as_before =
            over(draft, |drift| drift.kind != DriftKind::Lost && drift.is_of(world, &standing, handle, &account));
        if !as_before && !accepted && standing.handle.is_some() {
            let weight = world.roles.get(&standing.right.role).map_or(Weight::Ordinary, |role| role.weight);
            notice(draft, DriftKind::Lost, standing, weight);
        }
    }
}

/// Whether a right is held through one that we put back ourselves.
fn by_one_put_back(world: &World, target: ScopeId, found: &RightFound) -> bool {
    let items = world.items.values();
    items.filter(|item| matches!(item.state, ItemState::Restoring | ItemState::Restored)).any(|item| {
        item.standing.target == target
            && world.is_text(item.standing.account, &found.account)
            && found.chain.first().is_some_and(|way| way == world.role_name(item.standing.right.role))
    })
}

fn notice(draft: &mut Draft<'_, '_>, kind: DriftKind, standing: Standing, weight: Weight) {
    let id: DriftId = draft.id();
    let (target, since) = (standing.target, draft.now());
    let drift = Drift { id, target, kind, standing, weight, since, state: DriftState::Open };
    let is_power = drift.is_new_power();
    draft.fact(What::DriftSeen { drift: id, target }, vec![Row::Drift(drift)]);
    if is_power {
        alarms::raise(draft, AlarmKind::NewPower { drift: id });
    }
}

/// What was gained and is gone again, or was lost and is there again, needs nobody's decision any more; whether there
/// was such a drift.
fn over(draft: &mut Draft<'_, '_>, is_over: impl Fn(&Drift) -> bool) -> bool {
    let at = draft.now();
    let gone: Vec<Drift> =
        draft.world.drifts.values().filter(|drift| drift.is_pending() && is_over(drift)).cloned().collect();
    let any = !gone.is_empty();
    for drift in gone {
        settle(draft, drift, DriftState::Over { at });
    }
    any
}

/// What was ignored until now is open again.
pub(super) fn tick(draft: &mut Draft<'_, '_>) {
    let world = draft.world;
    let due = world.due_by(draft.now()).filter_map(|due| match due {
        Due::Drift(id) => world.drifts.get(&id),
        _ => None,
    });
    for drift in due.cloned() {
        settle(draft, drift, DriftState::Open);
    }
}

//! Delegating answers for an absence.

use jiff::Timestamp;

use super::{
    checked::checked_text,
    deciding::{Deciding, Draft},
    proofs::{FreshProof, Permitted},
};
use crate::{
    Delegation, DelegationCommand, DelegationId, DelegationRefusal, Key, Kind, Refusal, Row, Said, Sight, SubjectId,
    SubjectKind, Surety, What, assurance::FOR_A_STEP, delegation::DELEGATION_LASTS, later,
};

/// How many of one person may be ahead.
const AHEAD_MOST: usize = 20;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &DelegationCommand) -> Result<(), Refusal> {
    match command {
        DelegationCommand::Give { absent, delegate, from, until, reason } => {
            let from = from.unwrap_or(deciding.now());
            give(deciding, *absent, *delegate, (from, *until), reason.as_ref())
        }
        DelegationCommand::End { delegation } => end(deciding, *delegation),
    }
}

/// Whoever will be absent delegates, and an administrator of everything where they can't.
fn permitted(deciding: &mut Deciding<'_>, absent: SubjectId) -> Result<Permitted, Refusal> {
    let person = deciding.person()?;
    if deciding.world.human(person.id()) == deciding.world.human(absent) {
        return Ok(Permitted::by(person));
    }
    if !deciding.world.root.is_some_and(|root| Sight::is_administrator(deciding.world, person.id(), root)) {
        return Err(DelegationRefusal::NotYoursToDelegate.into());
    }
    deciding.administers_all().map(Permitted::by)
}

fn give(
    deciding: &mut Deciding<'_>,
    absent: SubjectId,
    delegate: SubjectId,
    (from, until): (Timestamp, Timestamp),
    reason: Option<&Said>,
) -> Result<(), Refusal> {
    let (world, now) = (deciding.world, deciding.now());
    let permitted = permitted(deciding, absent)?;
    let absent = world.human(absent);
    for who in [absent, delegate] {
        let unknown = || Refusal::unknown("person", who, "`tempestas people` lists them");
        let subject = world.subjects.get(&who).ok_or_else(unknown)?;
        if subject.kind != SubjectKind::Person || world.is_suspended(who) {
            return Err(DelegationRefusal::ToNobody { name: world.subject_name(who) }.into());
        }
    }
    if world.human(absent) == world.human(delegate) {
        return Err(DelegationRefusal::ToSelf.into());
    }
    if until <= now || until <= from {
        return Err(DelegationRefusal::EmptyAbsence.into());
    }
    if until > later(from, DELEGATION_LASTS) {
        return Err(DelegationRefusal::TooLongAway { most: DELEGATION_LASTS }.into());
    }
    let ahead: Vec<&Delegation> = world.delegations_of(absent).filter(|one| one.until > now).collect();
    if let Some(other) = ahead.iter().find(|one| one.from < until && from < one.until) {
        let (delegate, until) = (world.subject_name(other.delegate), other.until);
        return Err(DelegationRefusal::AwayAlready { other: other.id, delegate, until }.into());
    }
    if ahead.len() >= AHEAD_MOST {
        return Err(DelegationRefusal::TooManyAhead { most: AHEAD_MOST }.into());
    }
    if let Some(text) = reason {
        checked_text("reason", text, 500)?;
    }
    let proven = deciding.proven(&Surety::within(FOR_A_STEP))?;
    let wanted = Delegation { id: DelegationId(0), absent, delegate, from, until, set_by: None, reason: None };
    given(&mut deciding.by(permitted), proven, wanted, reason);
    Ok(())
}

fn given(draft: &mut Draft<'_, '_>, _: FreshProof, wanted: Delegation, reason: Option<&Said>) {
    let spent = draft.world.spent_delegations(draft.now()).map(|one| key(one.id)).collect();
    let (id, set_by, reason) = (draft.id(), draft.context.caller.subject(), draft.said(reason));
    let Delegation { absent, delegate, from, until, .. } = wanted;
    let mut put = draft.influences([delegate]);
    put.push(Row::Delegation(Delegation { id, set_by, reason, ..wanted }));
    draft.fact_cutting(What::Delegated { delegation: id, absent, delegate, from, until }, put, spent);
}

fn key(id: DelegationId) -> Key {
    Key { kind: Kind::Delegation, id: id.0.to_string() }
}

fn end(deciding: &mut Deciding<'_>, id: DelegationId) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("delegation", id, "`tempestas delegate list` lists them");
    let known = deciding.world.delegations.get(&id).cloned().ok_or_else(unknown)?;
    let person = deciding.person()?;
    if !Sight::of(deciding.world, person.id()).sees(deciding.world, &known) {
        return Err(unknown());
    }
    let is_delegate = deciding.world.human(known.delegate) == deciding.world.human(person.id());
    let permitted = if is_delegate { Permitted::by(person) } else { permitted(deciding, known.absent)? };
    let what = What::DelegationEnded { delegation: id, absent: known.absent };
    deciding.by(permitted).fact_cutting(what, Vec::new(), vec![key(id)]);
    Ok(())
}

//! Asking.

use jiff::{SignedDuration, Timestamp};

use super::{
    checked::{checked_line, checked_text, letters, shortened},
    deciding::{Deciding, Draft},
    lifecycle,
    proofs::{FreshProof, Person},
};
use crate::{
    Ask, AskRefusal, Brings, Demand, Demanded, Digest, Effective, Elevation, Phase, Purposes, ReasonRule,
    ReferenceRule, Refusal, Right, Round, Row, Said, Seconds, StartChoice, SubjectId, What, demand_for,
    elevation::AskLookedAt,
};

/// How many asks one person may have waiting, scheduled or ready.
pub(super) const WAITING_MOST: usize = 10;
/// How many elevations of one person on one target may be open at a time.
const OPEN_MOST: usize = 10;
/// Most letters of a ticket or another reference.
const REFERENCE_MOST: usize = 100;
/// How many asks one person may make in a minute, whatever becomes of them.
const ASKS_A_MINUTE: usize = 100;

pub(super) fn asked(deciding: &mut Deciding<'_>, person: Person, ask: &Ask) -> Result<(), Refusal> {
    let (me, now) = (person.id(), deciding.now());
    let demand = demand_for(deciding.world, me, ask.right, now)?;
    if Digest::of_json(&demand) != ask.shown {
        return Err(AskRefusal::DemandChanged.into());
    }
    let duration = checked_duration(deciding, &demand, ask)?;
    let starts = &demand.terms.starts;
    let unsaid = || AskRefusal::StartUnsaid { ways: lifecycle::ways(starts) };
    let start = ask.start.or_else(|| starts.unsaid()).ok_or_else(unsaid)?;
    lifecycle::checked_start(now, starts, start)?;
    checked_words(&demand.terms, &ask.brings)?;
    ensure_has_account(deciding, me, ask.right)?;
    ensure_not_too_many(deciding, me, ask.right)?;
    let proven = deciding.proven(demand.terms.assurance.0)?;
    place(&mut deciding.by(person), proven, Asking { me, ask, demand, duration, start });
    Ok(())
}

/// An ask that was checked.
struct Asking<'a> {
    me: SubjectId,
    ask: &'a Ask,
    demand: Demand,
    duration: Seconds,
    start: StartChoice,
}

fn place(draft: &mut Draft<'_, '_>, _: FreshProof, asking: Asking<'_>) {
    let Asking { me, ask, demand, duration, start } = asking;
    let now = draft.now();
    let id = draft.elevation_id();
    let stages = lifecycle::begun(&demand, now, Timestamp::MAX);
    let rounds = if stages.is_empty() { Vec::new() } else { vec![Round { extends: None, stages }] };
    let brought = draft.brought(&ask.brings);
    let digest = AskLookedAt { id, demand: &demand, duration, start, brought: &brought }.digest();
    let elevation = Elevation {
        id,
        asker: me,
        holder: me,
        right: ask.right,
        eligibility: demand.eligibility,
        digest,
        asked_at: now,
        duration,
        start,
        brought,
        asked: None,
        rounds,
        phase: Phase::Waiting,
        begin_by: None,
        grants: Vec::new(),
        extension: None,
        extended: 0,
        grace_taken: false,
        end_word: None,
        trouble: None,
    };
    let demanded = Row::Demand(Demanded { elevation: id, demand: demand.clone() });
    draft.fact(What::Asked { elevation: id, right: ask.right }, vec![Row::Elevation(elevation.clone()), demanded]);
    if elevation.rounds.is_empty() {
        lifecycle::proceed(draft, elevation, &demand);
    }
}

/// Refuses where the right would be put on the asker's own account, and nobody said which that is.
fn ensure_has_account(deciding: &Deciding<'_>, me: SubjectId, right: Right) -> Result<(), Refusal> {
    if let Some(target) = deciding.world.target_of(right.scope)
        && target.connector.uses_own_account()
        && deciding.world.account_of(me, target.scope).is_none()
    {
        return Err(AskRefusal::NoAccount { target: deciding.world.path(target.scope) }.into());
    }
    Ok(())
}

/// Refuses what would let one person take a target, the approvers or the writer from everybody else.
fn ensure_not_too_many(deciding: &Deciding<'_>, me: SubjectId, right: Right) -> Result<(), Refusal> {
    let world = deciding.world;
    let target = world.target_of(right.scope).map(|target| target.scope);
    let sign_ins = world.sign_ins_of(world.human(me));
    let here = sign_ins
        .iter()
        .flat_map(|one| world.asked_by(*one))
        .filter(|one| !one.is_over() && !one.is_before_opening())
        .filter(|one| world.target_of(one.right.scope).map(|target| target.scope) == target)
        .count();
    if here >= OPEN_MOST {
        return Err(AskRefusal::TooManyOpen { open: here, most: OPEN_MOST }.into());
    }
    let a_minute_ago = deciding.now().checked_sub(SignedDuration::from_mins(1)).unwrap_or(Timestamp::MIN);
    let lately = |one: SubjectId| world.asked_by(one).rev().take_while(|asked| asked.asked_at > a_minute_ago).count();
    if sign_ins.iter().map(|one| lately(*one)).sum::<usize>() >= ASKS_A_MINUTE {
        return Err(AskRefusal::TooOften { most: ASKS_A_MINUTE }.into());
    }
    let waiting = world.asked_by(me).filter(|open| open.is_before_opening()).count();
    if waiting >= WAITING_MOST {
        return Err(AskRefusal::TooManyWaiting { waiting, most: WAITING_MOST }.into());
    }
    Ok(())
}

fn checked_duration(deciding: &Deciding<'_>, demand: &Demand, ask: &Ask) -> Result<Seconds, Refusal> {
    let duration = ask.duration.unwrap_or(demand.terms.usual.0);
    if duration.0 == 0 {
        return Err(AskRefusal::NoDuration.into());
    }
    if duration > demand.terms.longest.0 {
        let (right, longest) = (deciding.world.right_name(ask.right), demand.terms.longest.0);
        return Err(AskRefusal::TooLong { right, duration, longest }.into());
    }
    Ok(duration)
}

/// Refuses what an asker brings where the terms don't want it so.
pub(super) fn checked_words(terms: &Effective, brings: &Brings) -> Result<(), Refusal> {
    checked_purpose(&terms.purposes, given(brings.purpose.as_ref()))?;
    checked_reason(terms.reason, given(brings.reason.as_ref()))?;
    checked_ticket(&terms.ticket.0, given(brings.ticket.as_ref()))?;
    let rules = &terms.references.0;
    if let Some(name) = brings.references.keys().find(|name| !rules.contains_key(*name)) {
        return Err(AskRefusal::ReferenceUnwanted { name: shortened(name) }.into());
    }
    for (name, rule) in rules {
        checked_reference(name, rule, given(brings.references.get(name)))?;
    }
    Ok(())
}

/// A text, where there is any.
fn given(said: Option<&Said>) -> Option<&Said> {
    said.filter(|said| !said.0.is_empty())
}

fn checked_purpose(purposes: &Purposes, purpose: Option<&Said>) -> Result<(), Refusal> {
    match purpose {
        None if purposes.0.is_empty() => Ok(()),
        None => Err(AskRefusal::NoPurpose { purposes: purposes.in_words() }.into()),
        Some(_) if purposes.0.is_empty() => Err(AskRefusal::PurposeUnwanted.into()),
        Some(said) if purposes.0.contains(&said.0) => Ok(()),
        Some(said) => {
            let (purpose, purposes) = (shortened(&said.0), purposes.in_words());
            Err(AskRefusal::PurposeUnlisted { purpose, purposes }.into())
        }
    }
}

fn checked_reason(rule: ReasonRule, reason: Option<&Said>) -> Result<(), Refusal> {
    if let Some(text) = reason {
        checked_text("reason", text, 2000)?;
    }
    match rule {
        ReasonRule::Required { at_least } => {
            let letters = reason.map_or(0, |text| letters(&text.0));
            if letters < usize::from(at_least.max(1)) {
                return Err(AskRefusal::ReasonTooShort { letters, at_least: at_least.max(1) }.into());
            }
            Ok(())
        }
        ReasonRule::Hidden if reason.is_some() => Err(AskRefusal::ReasonUnwanted.into()),
        ReasonRule::Hidden | ReasonRule::Optional => Ok(()),
    }
}

fn checked_ticket(rule: &ReferenceRule, ticket: Option<&Said>) -> Result<(), Refusal> {
    match (rule, ticket) {
        (ReferenceRule::Off, Some(_)) => Err(AskRefusal::TicketUnwanted.into()),
        (ReferenceRule::Required { pattern }, None) => Err(AskRefusal::NoTicket { form: pattern.clone() }.into()),
        (_, None) => Ok(()),
        (rule, Some(text)) => {
            checked_line("ticket", text, REFERENCE_MOST)?;
            if rule.fits(&text.0) {
                return Ok(());
            }
            let form = rule.pattern().unwrap_or_default().to_owned();
            Err(AskRefusal::TicketForm { ticket: shortened(&text.0), form }.into())
        }
    }
}

fn checked_reference(name: &str, rule: &ReferenceRule, reference: Option<&Said>) -> Result<(), Refusal> {
    let name = name.to_owned();
    match reference {
        None if rule.is_required() => {
            Err(AskRefusal::NoReference { name, form: rule.pattern().map(str::to_owned) }.into())
        }
        None => Ok(()),
        Some(text) => {
            checked_line(&name, text, REFERENCE_MOST)?;
            if rule.fits(&text.0) {
                return Ok(());
            }
            let (reference, form) = (shortened(&text.0), rule.pattern().unwrap_or_default().to_owned());
            Err(AskRefusal::ReferenceForm { name, reference, form }.into())
        }
    }
}

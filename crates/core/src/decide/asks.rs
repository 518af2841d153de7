//! Asking.

use jiff::{SignedDuration, Timestamp};

use super::{
    alarms, brought,
    deciding::{Deciding, Draft},
    lifecycle,
    proofs::{FreshProof, Person},
};
use crate::{
    AlarmKind, Approval, Ask, AskRefusal, Demand, Demanded, Digest, Elevation, Manner, Opening, Phase, Refusal, Right,
    Round, Row, Seconds, StartChoice, SubjectId, What, demand_to_hold, elevation::AskLookedAt, ensure_circumstances,
};

/// How many asks one person may have waiting, scheduled or ready.
pub(super) const WAITING_MOST: usize = 10;
/// How many elevations of one person on one target may be open at a time.
const OPEN_MOST: usize = 10;
/// How many asks one person may make in a minute, whatever becomes of them.
const ASKS_A_MINUTE: usize = 100;

pub(super) fn asked(deciding: &mut Deciding<'_>, person: Person, ask: &Ask) -> Result<(), Refusal> {
    let (me, now) = (person.id(), deciding.now());
    let manner = Manner { start: ask.start, duration: ask.duration, glass: ask.glass };
    let demand = demand_to_hold(deciding.world, me, ask.right, now, manner)?;
    if Digest::of_json(&demand) != ask.shown {
        return Err(AskRefusal::DemandChanged.into());
    }
    let duration = checked_duration(deciding, &demand, ask)?;
    let starts = &demand.terms.starts;
    let unsaid = || AskRefusal::StartUnsaid { ways: lifecycle::ways(starts) };
    let start = ask.start.or_else(|| starts.unsaid()).ok_or_else(unsaid)?;
    lifecycle::checked_start(now, starts, start)?;
    let opening = Opening::of(deciding.world, &demand.terms);
    if let StartChoice::At { time } = start
        && opening.open_until(time).is_none()
    {
        let (held, opens) = (opening.words(deciding.world), opening.opens(time));
        return Err(AskRefusal::StartClosed { start: time, held, why: opening.closed_by(time), opens }.into());
    }
    brought::checked(&demand.terms, &ask.brings)?;
    ensure_circumstances(deciding.world, &demand.terms, &ask.brings)?;
    ensure_has_account(deciding, me, ask.right)?;
    ensure_not_too_many(deciding, me, ask.right)?;
    let proven = deciding.proven(&demand.takes())?;
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
    let digest = AskLookedAt { id, demand: ask.shown, duration, start, brought: &brought }.digest();
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
        in_line: false,
        glass: ask.glass,
        debrief: None,
        end_word: None,
        trouble: None,
    };
    let demanded = Row::Demand(Demanded { elevation: id, demand: demand.clone() });
    draft.fact(What::Asked { elevation: id, right: ask.right }, vec![Row::Elevation(elevation.clone()), demanded]);
    if ask.glass {
        let (right, holder) = (ask.right, me);
        draft.fact(What::GlassBroken { elevation: id, right }, Vec::new());
        alarms::raise(draft, AlarmKind::GlassBroken { elevation: id, right, holder });
    }
    if elevation.rounds.is_empty() {
        let terms = demand.terms.trace::<Approval>().and_then(|trace| trace.rule);
        draft.fact(What::NobodyAsked { elevation: id, terms }, Vec::new());
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

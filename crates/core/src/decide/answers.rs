//! Answering: yes, no, or yes to less than was asked for.

use jiff::Timestamp;

use super::{
    checked::checked_text,
    deciding::{Deciding, Draft},
    extensions, lifecycle,
    proofs::{FreshProof, Person},
};
use crate::{
    Act, Answer, AnswerInput, AnswerRefusal, Asked, Demand, Demanded, Digest, Elevation, End, Less, Refusal, Row,
    Stages, SubjectId, Surety, Verdict, What,
    approvers::{Concern, could_settle, still_asked},
    demand_for,
    elevation::AskLookedAt,
};

pub(super) fn answered(deciding: &mut Deciding<'_>, person: Person, answer: &AnswerInput) -> Result<(), Refusal> {
    let (mut elevation, mut demand) = deciding.demanded(answer.elevation)?;
    if let Some(extension) = &elevation.extension {
        demand = extension.demand.clone();
    }
    ensure_may_answer(deciding, &elevation, &demand, person.id(), answer)?;
    match answer.reason.as_ref().filter(|text| !text.0.is_empty()) {
        Some(text) => checked_text("reason", text, 2000)?,
        None if answer.verdict == Verdict::No => {
            return Err(AnswerRefusal::NoWithoutReason.into());
        }
        None => {}
    }
    let proven = deciding.proven(&Surety::to_act(deciding.world, Act::Answer, elevation.right, person.id()))?;
    let less = answer.less.filter(|less| *less != Less::default());
    if let Some(less) = &less {
        if answer.verdict == Verdict::No {
            return Err(AnswerRefusal::NoToLess.into());
        }
        let before = elevation.start;
        if let Some(mut extension) = elevation.extension.take() {
            extensions::shorten(deciding, &elevation, &mut extension, less)?;
            elevation.extension = Some(extension);
        } else {
            narrow(deciding, &mut elevation, &mut demand, less)?;
        }
        let (id, is_moved) = (elevation.id, elevation.start != before);
        if let Some(stages) = elevation.open_stages().filter(|_| is_moved) {
            if stages.open_at() > Some(0) {
                return Err(AnswerRefusal::StartAgreed { id }.into());
            }
            // At another time it is another thing: whoever said yes to the first looks at it anew.
            if let Some(stage) = stages.open_mut() {
                stage.answers.retain(|answer| answer.verdict == Verdict::No);
            }
        }
    }
    let answered = (elevation, demand);
    give(&mut deciding.by(person), proven, person.id(), answered, &AnswerInput { less, ..answer.clone() });
    Ok(())
}

fn give(
    draft: &mut Draft<'_, '_>,
    _: FreshProof,
    me: SubjectId,
    (mut elevation, demand): (Elevation, Demand),
    answer: &AnswerInput,
) {
    let (id, verdict, less) = (elevation.id, answer.verdict, answer.less);
    let reason = draft.said(answer.reason.as_ref());
    let (now, latest) = (draft.now(), lifecycle::waits_until(draft.world, &elevation));
    let Some(stages) = elevation.open_stages() else { return };
    let Some(stage) = stages.open_mut() else { return };
    stage.answers.push(Answer { by: me, verdict, reason, less, at: now });
    let (granted, refused) = (stage.is_granted(), stage.is_refused());
    let next = granted && !refused && stages.begin_next(now, latest);
    let at = stages.open_at();
    let goes_on = elevation.extension.is_some();
    let mut put = vec![Row::Elevation(elevation.clone())];
    if !goes_on && draft.world.demand_of(id) != Some(&demand) {
        put.push(Row::Demand(Demanded { elevation: id, demand: demand.clone() }));
    }
    draft.fact(What::Answered { elevation: id, verdict }, put);
    if less.is_some() && !goes_on {
        let (right, duration, start) = (elevation.right, elevation.duration, elevation.start);
        draft.fact(What::Narrowed { elevation: id, right, duration, start }, Vec::new());
    }
    if refused {
        draft.fact(What::Settled { elevation: id, verdict: Verdict::No }, Vec::new());
        if goes_on {
            extensions::over(draft, elevation, End::Refused, None);
        } else {
            lifecycle::never_begun(draft, elevation, End::Refused, None);
        }
    } else if next {
        draft.fact(What::StageBegun { elevation: id, stage: lifecycle::number(at) }, Vec::new());
    } else if granted {
        draft.fact(What::Settled { elevation: id, verdict: Verdict::Yes }, Vec::new());
        if goes_on {
            extensions::settled(draft, elevation);
        } else {
            lifecycle::proceed(draft, elevation, &demand);
        }
    }
}

/// Leaves less of an ask. Its digest becomes another one, so that whoever looked at the wider ask looks again;
/// a yes to more, given before, covers it.
fn narrow(deciding: &Deciding<'_>, elevation: &mut Elevation, demand: &mut Demand, less: &Less) -> Result<(), Refusal> {
    let world = deciding.world;
    let asked = Asked { right: elevation.right, duration: elevation.duration, start: elevation.start };
    if let Some(duration) = less.duration {
        if duration.0 == 0 || duration > elevation.duration {
            let (id, asked) = (elevation.id, elevation.duration);
            return Err(AnswerRefusal::NotShorter { id, duration, asked }.into());
        }
        elevation.duration = duration;
    }
    if let Some(scope) = less.scope {
        if !world.scopes.contains_key(&scope) || !world.is_within(scope, elevation.right.scope) {
            let (scope, asked) = (world.path(scope), world.path(elevation.right.scope));
            return Err(AnswerRefusal::NotNarrower { scope, asked }.into());
        }
        elevation.right.scope = scope;
        let narrower = demand_for(world, elevation.holder, elevation.right, deciding.now())?;
        demand.right = elevation.right;
        demand.ends = narrower.ends;
    }
    if let Some(start) = less.start {
        lifecycle::checked_start(deciding.now(), &demand.terms.starts, start)?;
        elevation.start = start;
    }
    elevation.asked.get_or_insert(asked);
    let Elevation { id, duration, start, brought, .. } = &*elevation;
    let demand = Digest::of_json(demand);
    elevation.digest = AskLookedAt { id: *id, demand, duration: *duration, start: *start, brought }.digest();
    Ok(())
}

/// Refuses whoever may not answer this ask at this moment, and an answer to something else than was looked at.
fn ensure_may_answer(
    deciding: &Deciding<'_>,
    elevation: &Elevation,
    demand: &Demand,
    me: SubjectId,
    answer: &AnswerInput,
) -> Result<(), Refusal> {
    let (world, now, id) = (deciding.world, deciding.now(), elevation.id);
    if world.human(elevation.asker) == world.human(me) {
        return Err(AnswerRefusal::OwnAsk.into());
    }
    if !elevation.is_asked() {
        return Err(AnswerRefusal::NotWaiting { id, phase: elevation.phase }.into());
    }
    if elevation.asked_digest() != answer.shown {
        return Err(AnswerRefusal::AskChanged { id }.into());
    }
    let stages = elevation.rounds.last().map(|round| &round.stages);
    let open = stages.and_then(|stages| Some((stages, stages.open_at()?, stages.open()?)));
    let Some((stages, at, stage)) = open else { return Err(AnswerRefusal::NothingAsked { id }.into()) };
    let answered = stages.answered_in(world, me);
    if let Some(answered) = answered.filter(|answered| *answered != at) {
        return Err(AnswerRefusal::AnsweredInStage { id, stage: answered + 1 }.into());
    }
    if !stage.approvers.contains(&me) {
        return Err(AnswerRefusal::NotNamed { id }.into());
    }
    // The set was fixed at the ask, and only shrinks: whoever left since, or was touched since, is out.
    let approval = &demand.terms.approval;
    if !still_asked(world, approval, (at, stage), Concern::of(elevation), now).contains(&me) {
        return Err(AnswerRefusal::NoLongerNamed { id }.into());
    }
    if let Some(at) = stage.until.filter(|until| now >= *until) {
        return Err(AnswerRefusal::RanOut { id, at }.into());
    }
    if answered.is_some() {
        return Err(AnswerRefusal::AnsweredAlready { id }.into());
    }
    let settles = |elevation: &Elevation| could_settle(world, elevation, approval, now);
    if answer.verdict == Verdict::Yes && settles(elevation) && !settles(&with_yes(elevation, me, now)) {
        return Err(AnswerRefusal::NeededLater { id }.into());
    }
    Ok(())
}

/// The ask as it would be with one more yes.
fn with_yes(elevation: &Elevation, by: SubjectId, at: Timestamp) -> Elevation {
    let mut answered = elevation.clone();
    if let Some(stage) = answered.open_stages().and_then(Stages::open_mut) {
        stage.answers.push(Answer { by, verdict: Verdict::Yes, reason: None, less: None, at });
    }
    answered
}

//! Answering: yes, no, or yes to less than was asked for.

use super::{Draft, asks, checked_text, ensure_fresh};
use crate::{
    Answer, Approval, Asked, Digest, Elevation, ElevationId, End, Less, Phase, Refusal, Row, Said, SubjectId, Verdict,
    What, demand::who_may_answer, demand_for, moment,
};

/// An answer as it came in.
pub(super) struct Saying<'a> {
    pub(super) verdict: Verdict,
    pub(super) less: Option<Less>,
    pub(super) reason: Option<&'a Said>,
    pub(super) shown: Digest,
}

pub(super) fn answered(draft: &mut Draft<'_>, id: ElevationId, saying: &Saying<'_>) -> Result<(), Refusal> {
    let me = draft.person()?;
    let mut elevation = draft.elevation(id)?;
    let now = draft.now();
    ensure_may_answer(draft, &elevation, me, saying.shown)?;
    let said = saying.reason.filter(|text| !text.0.is_empty());
    if let Some(text) = said {
        checked_text("reason", text, 2000)?;
    } else if saying.verdict == Verdict::No {
        return Err(Refusal::invalid("a no needs a reason, which the asker will read"));
    }
    ensure_fresh(&draft.context.caller, super::ADMINISTRATOR_PROOF, now)?;
    let less = saying.less.filter(|less| *less != Less::default());
    if let Some(less) = &less {
        if saying.verdict == Verdict::No {
            return Err(Refusal::invalid("a no leaves nothing; say yes to less, or no"));
        }
        let before = elevation.start;
        narrow(draft, &mut elevation, less)?;
        if elevation.start != before
            && let Some(stage) = elevation.stages.last_mut()
        {
            // At another time it is another thing: whoever said yes to the first looks at it anew.
            stage.answers.retain(|answer| answer.verdict == Verdict::No);
        }
    }
    let reason = said.map(|text| draft.text(text));
    let Some(stage) = elevation.stages.last_mut() else {
        return Err(Refusal::conflict(format!("{id} needs no answer")));
    };
    stage.answers.push(Answer { by: me, verdict: saying.verdict, reason, less, at: now });
    let granted = stage.is_granted();
    let refused = stage.is_refused();
    draft.fact(What::Answered { elevation: id, verdict: saying.verdict }, vec![Row::Elevation(elevation.clone())]);
    if less.is_some() {
        let what = What::Narrowed {
            elevation: id,
            right: elevation.right,
            duration: elevation.duration,
            start: elevation.start,
        };
        draft.fact(what, Vec::new());
    }
    if refused {
        draft.fact(What::Settled { elevation: id, verdict: Verdict::No }, Vec::new());
        asks::never_begun(draft, elevation, End::Refused, None);
    } else if granted {
        draft.fact(What::Settled { elevation: id, verdict: Verdict::Yes }, Vec::new());
        asks::proceed(draft, elevation);
    }
    Ok(())
}

/// Leaves less of an ask. Its digest becomes another one, so that whoever looked at the wider ask looks again;
/// a yes to more, given before, covers it.
fn narrow(draft: &Draft<'_>, elevation: &mut Elevation, less: &Less) -> Result<(), Refusal> {
    let world = draft.world;
    let asked = Asked { right: elevation.right, duration: elevation.duration, start: elevation.start };
    if let Some(duration) = less.duration {
        if duration.0 == 0 || duration > elevation.duration {
            return Err(Refusal::invalid(format!(
                "{duration} is not less than the {} that {} asks for; a yes can only be to less",
                elevation.duration, elevation.id
            )));
        }
        elevation.duration = duration;
    }
    if let Some(scope) = less.scope {
        if !world.scopes.contains_key(&scope) || !world.is_within(scope, elevation.right.scope) {
            return Err(Refusal::invalid(format!(
                "{} does not lie below {}; a yes can only be to less",
                world.path(scope),
                world.path(elevation.right.scope)
            )));
        }
        elevation.right.scope = scope;
        let narrower = demand_for(world, elevation.asker, elevation.right, draft.now())?;
        elevation.demand.right = elevation.right;
        elevation.demand.ends = narrower.ends;
    }
    if let Some(start) = less.start {
        asks::checked_start(draft.now(), &elevation.demand.terms.starts, start)?;
        elevation.start = start;
    }
    elevation.asked.get_or_insert(asked);
    elevation.digest = Digest::of_json(&(
        elevation.id,
        &elevation.demand,
        elevation.duration,
        elevation.start,
        elevation.reason,
        elevation.ticket,
    ));
    Ok(())
}

/// Refuses whoever may not answer this ask at this moment, and an answer to something else than was looked at.
fn ensure_may_answer(draft: &Draft<'_>, elevation: &Elevation, me: SubjectId, shown: Digest) -> Result<(), Refusal> {
    let (world, now, id) = (draft.world, draft.now(), elevation.id);
    if world.human(elevation.asker) == world.human(me) {
        return Err(Refusal::not_allowed("nobody answers their own ask"));
    }
    if elevation.phase != Phase::Waiting {
        return Err(Refusal::conflict(format!("{id} doesn't wait for an answer any more: it is {}", elevation.phase)));
    }
    if elevation.digest != shown {
        return Err(Refusal::Changed(format!("{id} is not the ask you looked at")));
    }
    let Some(stage) = elevation.stages.last() else {
        return Err(Refusal::conflict(format!("{id} needs no answer")));
    };
    if !stage.approvers.contains(&me) {
        return Err(Refusal::not_allowed(format!(
            "you are not among those who may answer {id}; they were named when it was asked"
        )));
    }
    // The set was fixed at the ask, and only shrinks: whoever left since, or was touched since, is out.
    let still_named = match &elevation.demand.terms.approval {
        Approval::Stage { approvers, .. } => {
            who_may_answer(world, approvers, elevation.right.scope, elevation.asker, now).contains(&me)
        }
        Approval::None => false,
    };
    if !still_named {
        return Err(Refusal::not_allowed(format!(
            "you may not answer {id}: you are no longer named for it, or its asker made you an approver or set your sign-in within the last day"
        )));
    }
    if now >= stage.until {
        return Err(Refusal::conflict(format!("{id} ran out at {}", moment(stage.until))));
    }
    if stage.answers.iter().any(|answer| world.human(answer.by) == world.human(me)) {
        return Err(Refusal::conflict(format!("you have answered {id} already")));
    }
    Ok(())
}

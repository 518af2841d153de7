//! Debriefs: asked for when an elevation is over, signed off by somebody else, or gone higher.

use super::{
    alarms,
    checked::checked_text,
    deciding::{Deciding, Draft},
    proofs::{FreshProof, Person},
};
use crate::{
    Act, AlarmKind, Debrief, DebriefInput, DebriefRefusal, DebriefTerms, Elevation, ElevationId, Finding, Refusal, Row,
    SignOff, SubjectId, Surety, What,
    debrief::{again_after, debrief_terms, who_may_debrief},
    ensure_may_debrief, later,
};

/// What is to be looked at of an elevation that comes to its end: nothing where it never came to anything, but for a broken glass.
pub(super) fn of_ended(draft: &Draft<'_, '_>, elevation: &Elevation) -> Option<Debrief> {
    if elevation.grants.is_empty() && !elevation.glass {
        return None;
    }
    let (world, now) = (draft.world, draft.now());
    // Of what ends as it is asked for the World has not heard what it demands.
    let broken = || elevation.glass.then(DebriefTerms::default);
    let terms = debrief_terms(world, elevation).or_else(broken)?;
    let by = who_may_debrief(world, &terms.by, elevation, now);
    // Where nobody may look it doesn't wait for them.
    let until = if by.is_empty() { now } else { later(now, terms.within) };
    Some(Debrief { by, until, higher: 0, signed: None })
}

/// Says so of one that was just entered.
pub(super) fn asked(draft: &mut Draft<'_, '_>, elevation: ElevationId, debrief: Option<&Debrief>) {
    if let Some(debrief) = debrief {
        draft.fact(What::DebriefAsked { elevation, until: debrief.until }, Vec::new());
    }
}

/// Nobody looked in time: it goes higher, and does so again as long as nobody looks. By a clock that nobody has looked at it is
/// late no sooner.
pub(super) fn late(draft: &mut Draft<'_, '_>, elevation: &Elevation) {
    let (world, now) = (draft.world, draft.now());
    let Some(debrief) = elevation.open_debrief().filter(|debrief| now >= debrief.until) else { return };
    if world.clock_is_held() {
        return;
    }
    let terms = debrief_terms(world, elevation).unwrap_or_default();
    let mut debrief = debrief.clone();
    for named in [&terms.by, &terms.higher] {
        debrief.by.append(&mut who_may_debrief(world, named, elevation, now));
    }
    debrief.until = later(now, again_after(&terms));
    debrief.higher = debrief.higher.saturating_add(1);
    let (id, right) = (elevation.id, elevation.right);
    let row = Row::Elevation(Elevation { debrief: Some(debrief), ..elevation.clone() });
    draft.fact(What::DebriefLate { elevation: id }, vec![row]);
    alarms::raise(draft, AlarmKind::DebriefLate { elevation: id, right });
}

/// Somebody looked at what was done.
pub(super) fn signed_off(deciding: &mut Deciding<'_>, person: Person, input: &DebriefInput) -> Result<(), Refusal> {
    let (me, id) = (person.id(), input.elevation);
    let elevation = deciding.elevation(id)?;
    ensure_may_debrief(deciding.world, &elevation, me, deciding.now())?;
    let word = input.word.as_ref().filter(|word| !word.0.is_empty());
    match word {
        Some(word) => checked_text("reason", word, 2000)?,
        None if input.finding == Finding::NotInOrder => {
            return Err(DebriefRefusal::NotInOrderWithoutWord { id }.into());
        }
        None => {}
    }
    let takes = Surety::to_act(deciding.world, Act::Answer, elevation.right, me);
    let proven = deciding.proven(&takes)?;
    signed(&mut deciding.by(person), proven, elevation, (me, input));
    Ok(())
}

fn signed(draft: &mut Draft<'_, '_>, _: FreshProof, mut elevation: Elevation, (by, input): (SubjectId, &DebriefInput)) {
    let (id, right, holder, finding) = (elevation.id, elevation.right, elevation.holder, input.finding);
    let signed = SignOff { by, at: draft.now(), finding, word: draft.said(input.word.as_ref()) };
    if let Some(debrief) = &mut elevation.debrief {
        debrief.signed = Some(signed);
    }
    draft.fact(What::Debriefed { elevation: id, finding }, vec![Row::Elevation(elevation)]);
    alarms::settle_where(draft, |about| match about {
        AlarmKind::GlassBroken { elevation, .. } | AlarmKind::DebriefLate { elevation, .. } => *elevation == id,
        _ => false,
    });
    if finding == Finding::NotInOrder {
        alarms::raise(draft, AlarmKind::NotInOrder { elevation: id, right, holder });
    }
}

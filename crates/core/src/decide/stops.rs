//! Stop: said by one administrator without delay, lifted by two.

use super::{checked::checked_text, deciding::Deciding, grants};
use crate::{
    EstateRefusal, Reach, Refusal, Row, Said, ScopeId, Sight, Stop, StopCommand, StopId, StopRefusal, SubjectKind,
    What, influence::is_touched,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &StopCommand) -> Result<(), Refusal> {
    match command {
        StopCommand::Order { reach, word } => stop(deciding, *reach, word),
        StopCommand::Lift { stop } => lift(deciding, *stop),
    }
}

/// The scope that the caller must administer; a person is everybody's concern.
fn ruled_by(deciding: &Deciding<'_>, reach: Reach) -> Result<ScopeId, Refusal> {
    match reach {
        Reach::Scope(scope) if deciding.world.scopes.contains_key(&scope) => Ok(scope),
        Reach::Scope(scope) => Err(Refusal::unknown("scope", scope, "the estate shows the scopes there are")),
        Reach::Person(_) => deciding.world.root.ok_or_else(|| EstateRefusal::NotFounded.into()),
    }
}

/// No fresh proof is wanted: it must work at once, and what it does harms nobody's security.
fn stop(deciding: &mut Deciding<'_>, reach: Reach, word: &Said) -> Result<(), Refusal> {
    let person = deciding.person()?;
    let me = person.id();
    let (world, scope) = (deciding.world, ruled_by(deciding, reach)?);
    if !Sight::is_administrator(world, me, scope) {
        let (scope, reach) = (world.path(scope), world.reach_name(reach));
        return Err(StopRefusal::NotYoursToStop { scope, reach }.into());
    }
    if let Reach::Person(person) = reach
        && world.subjects.get(&person).is_none_or(|subject| subject.kind != SubjectKind::Person)
    {
        return Err(StopRefusal::NoPerson { name: world.subject_name(person) }.into());
    }
    if word.0.trim().is_empty() {
        return Err(StopRefusal::StopWithoutWord.into());
    }
    checked_text("word", word, 500)?;
    if let Some(known) = world.stops.values().find(|stop| stop.lifted_at.is_none() && stop.reach == reach) {
        return Err(StopRefusal::StoppedAlready { reach: world.reach_name(reach), stop: known.id }.into());
    }
    let draft = &mut deciding.by(person);
    let id: StopId = draft.id();
    let mut stop = Stop {
        id,
        reach,
        by: me,
        at: draft.now(),
        word: draft.text(word),
        ended: Vec::new(),
        lift: None,
        lifted_at: None,
    };
    let reached: Vec<_> =
        world.active().filter(|elevation| stop.reaches(world, elevation.asker, elevation.right)).cloned().collect();
    stop.ended = reached.iter().map(|elevation| elevation.id).collect();
    let ended = u32::try_from(reached.len()).unwrap_or(u32::MAX);
    draft.fact(What::Stopped { stop: id, reach, ended }, vec![Row::Stop(stop)]);
    for elevation in reached {
        grants::end_whatever_stands(draft, elevation, word);
    }
    Ok(())
}

/// The first voice waits an hour for the second, which must be another human's. Nothing comes back by itself.
fn lift(deciding: &mut Deciding<'_>, id: StopId) -> Result<(), Refusal> {
    let (world, now) = (deciding.world, deciding.now());
    let stop = world
        .stops
        .get(&id)
        .filter(|stop| stop.lifted_at.is_none())
        .ok_or_else(|| Refusal::unknown("stop in force", id, "`tempestas stop list` shows them"))?
        .clone();
    let me = deciding.person()?.id();
    let administers = deciding.administers(ruled_by(deciding, stop.reach)?)?;
    if let Reach::Person(person) = stop.reach {
        if world.human(person) == world.human(me) {
            return Err(StopRefusal::OwnStop.into());
        }
        if is_touched(world, me, person, now) {
            return Err(StopRefusal::OwesThem { who: world.subject_name(person) }.into());
        }
    }
    match stop.open_lift(now) {
        None => {
            let stop = Stop { lift: Some((me, now)), ..stop };
            deciding.by(administers).fact(What::LiftAsked { stop: id, reach: stop.reach }, vec![Row::Stop(stop)]);
        }
        Some(first) if world.human(first) == world.human(me) => {
            return Err(StopRefusal::OneVoice { stop: id, within: crate::stop::LIFT_LASTS }.into());
        }
        Some(first) if is_touched(world, me, first, now) || is_touched(world, first, me, now) => {
            return Err(StopRefusal::NotTwoVoices { first: world.subject_name(first) }.into());
        }
        Some(_) => {
            let stop = Stop { lifted_at: Some(now), ..stop };
            deciding.by(administers).fact(What::StopLifted { stop: id, reach: stop.reach }, vec![Row::Stop(stop)]);
        }
    }
    Ok(())
}

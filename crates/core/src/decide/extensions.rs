//! Going on with what is live: asked, settled, moved on the target. An end moves only once the target was read back with it.

use jiff::Timestamp;

use super::{
    brought,
    deciding::{Deciding, Draft},
    lifecycle::{begun, cause, lacking, needs_another_yes},
    proofs::{FreshProof, Person, Reported},
};
use crate::{
    AnswerRefusal, AskRefusal, Digest, Elevation, ElevationId, End, Extend, ExtendRefusal, Extends, Extension,
    ExtensionOffer, Grant, Less, Refusal, Round, Row, Seconds, Surety, What,
    extension::{end_with_grace, terms_to_go_on},
    extension_offer, later,
};

/// Its holder asks to go on.
pub(super) fn asked(deciding: &mut Deciding<'_>, person: Person, ask: &Extend) -> Result<(), Refusal> {
    let elevation = held(deciding, person, ask.elevation)?;
    let offer = extension_offer(deciding.world, &elevation, ask.more, deciding.now())?;
    if offer.digest != ask.shown {
        return Err(AskRefusal::DemandChanged.into());
    }
    brought::checked(&offer.demand.terms, &ask.brings)?;
    let proven = deciding.proven(&Surety::of(&offer.demand.terms))?;
    place(&mut deciding.by(person), proven, elevation, offer, ask);
    Ok(())
}

/// An elevation of the caller's.
fn held(deciding: &Deciding<'_>, person: Person, id: ElevationId) -> Result<Elevation, Refusal> {
    let elevation = deciding.elevation(id)?;
    if elevation.holder == person.id() { Ok(elevation) } else { Err(ExtendRefusal::NotHolderToExtend.into()) }
}

fn place(draft: &mut Draft<'_, '_>, _: FreshProof, mut elevation: Elevation, offer: ExtensionOffer, ask: &Extend) {
    let ExtensionOffer { demand, until, .. } = offer;
    let (id, asked_at) = (elevation.id, draft.now());
    let extends = Extends { until, asked_at, brought: draft.brought(&ask.brings) };
    let digest = Digest::of_json(&(id, &demand, &extends));
    // It waits no longer than there is something to go on with.
    let ends = draft.world.grant_of(&elevation).map_or(until, |grant| grant.until);
    let stages = begun(&demand, asked_at, ends);
    let asks_nobody = stages.is_empty();
    elevation.rounds.push(Round { extends: Some(extends), stages });
    elevation.extension = Some(Box::new(Extension { until, digest, demand }));
    draft.fact(What::ExtensionAsked { elevation: id, until }, vec![Row::Elevation(elevation.clone())]);
    if asks_nobody {
        settled(draft, elevation);
    }
}

/// Leaves less of what was asked: a shorter time.
pub(super) fn shorten(
    deciding: &Deciding<'_>,
    elevation: &Elevation,
    extension: &mut Extension,
    less: &Less,
) -> Result<(), Refusal> {
    let id = elevation.id;
    let Some(grant) = deciding.world.grant_of(elevation) else { return Ok(()) };
    if less.scope.is_some() || less.start.is_some() {
        return Err(AnswerRefusal::OnlyShorter { id }.into());
    }
    if let Some(more) = less.duration {
        let until = later(grant.until, more);
        if more.0 == 0 || until > extension.until {
            let asked = extension.until.duration_since(grant.until).as_secs();
            let asked = Seconds(u32::try_from(asked).unwrap_or(u32::MAX));
            return Err(AnswerRefusal::NotShorter { id, duration: more, asked }.into());
        }
        extension.until = until;
        extension.digest = Digest::of_json(&(id, &extension.demand, until, extension.digest));
    }
    Ok(())
}

/// All that was needed is said: what holds is checked again, and the end is ordered to move. The stricter of then and now wins.
pub(super) fn settled(draft: &mut Draft<'_, '_>, mut elevation: Elevation) {
    let world = draft.world;
    let Some(extension) = elevation.extension.take() else { return };
    let Some(grant) = world.grant_of(&elevation) else { return };
    if world.clock_is_held() {
        return over(draft, elevation, End::Failed, Some("this machine's clock is still to be looked at".to_owned()));
    }
    let (demand, latest) = match terms_to_go_on(world, &elevation, grant, draft.now()) {
        Ok(found) => found,
        Err(refusal) => {
            let why = format!("it may not go on any more ({}); asking again says why", cause(&refusal));
            return over(draft, elevation, End::Failed, Some(why));
        }
    };
    let lacks =
        elevation.extends().next_back().and_then(|asked| lacking(world, &extension.demand, &demand, &asked.brought));
    let more = || needs_another_yes(draft, &elevation, &extension.demand, &demand).map(|why| why.to_string());
    if let Some(why) = lacks.or_else(more) {
        return over(draft, elevation, End::Failed, Some(why));
    }
    let longest = later(grant.until, demand.terms.longest.0);
    let until = extension.until.min(latest).min(longest);
    if until <= grant.until || elevation.extended >= demand.terms.extensions.0 {
        let why = "the terms leave no later end any more".to_owned();
        return over(draft, elevation, End::Failed, Some(why));
    }
    elevation.extended += 1;
    let (grant, what) = ordered(grant, until);
    draft.fact(what, vec![Row::Elevation(elevation), Row::Grant(grant)]);
}

/// A grant whose end is ordered to move.
fn ordered(grant: &Grant, until: Timestamp) -> (Grant, What) {
    let what = What::EndMoving { elevation: grant.elevation, grant: grant.id, until };
    (Grant { moving_to: Some(until), ..grant.clone() }, what)
}

/// An ask to go on came to nothing; what is live goes on to its own end.
pub(super) fn over(draft: &mut Draft<'_, '_>, mut elevation: Elevation, end: End, why: Option<String>) {
    elevation.extension = None;
    let what = What::ExtensionOver { elevation: elevation.id, end, why };
    draft.fact(what, vec![Row::Elevation(elevation)]);
}

/// Its holder takes the grace that the terms give.
pub(super) fn take_grace(deciding: &mut Deciding<'_>, person: Person, id: ElevationId) -> Result<(), Refusal> {
    let elevation = held(deciding, person, id)?;
    let until = end_with_grace(deciding.world, &elevation, deciding.now())?;
    let (_, demand) = deciding.demanded(id)?;
    let proven = deciding.proven(&deciding.takes_still(&elevation, &demand))?;
    grace_taken(&mut deciding.by(person), proven, elevation, until);
    Ok(())
}

fn grace_taken(draft: &mut Draft<'_, '_>, _: FreshProof, mut elevation: Elevation, until: Timestamp) {
    let Some(grant) = draft.world.grant_of(&elevation) else { return };
    elevation.grace_taken = true;
    let (grant, moving) = ordered(grant, until);
    draft.fact(What::GraceTaken { elevation: elevation.id, until }, vec![Row::Elevation(elevation)]);
    draft.fact(moving, vec![Row::Grant(grant)]);
}

/// A keeper read a grant back with the end that it was to be moved to.
pub(super) fn moved(draft: &mut Draft<'_, '_>, Reported { elevation, grant, .. }: Reported, until: Timestamp) {
    // What comes after its end, or is of an earlier order, changes nothing: the target ends it, or is told to.
    if !grant.wanted || grant.moving_to != Some(until) || draft.now() >= grant.until {
        return;
    }
    let (id, seen_at) = (elevation.id, Some(draft.now()));
    let mut put = vec![Row::Grant(Grant { until, moving_to: None, seen_at, ..grant })];
    if elevation.trouble.is_some() {
        put.push(Row::Elevation(Elevation { trouble: None, ..elevation }));
    }
    draft.fact(What::Extended { elevation: id, until }, put);
}

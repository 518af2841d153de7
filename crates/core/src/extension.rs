//! Going on with what is live: how much longer it may be, and what that demands.

use jiff::Timestamp;

use crate::{
    Act, Demand, Digest, Elevation, ExtendRefusal, Grace, Grant, Manner, Opening, Phase, Refusal, Seconds, World,
    demand::demand_of, demand_to_hold, effective_terms, later,
};

/// How often one may ask to go on with one and the same elevation, whatever becomes of it.
const ASKED_MOST: usize = 10;

/// What it takes to go on with an elevation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExtensionOffer {
    /// What is demanded.
    pub demand: Demand,
    /// How much longer.
    pub more: Seconds,
    /// Until when it would go on.
    pub until: Timestamp,
    /// The latest end there could be.
    pub latest: Timestamp,
    /// Digest of what is shown, which the ask carries.
    pub digest: Digest,
}

/// What it takes to go on with an elevation for `more`; for the usual time where that isn't said.
///
/// # Errors
/// Refuses what can't be extended, or not for so long, and says what could be.
pub fn extension_offer(
    world: &World,
    elevation: &Elevation,
    more: Option<Seconds>,
    now: Timestamp,
) -> Result<ExtensionOffer, Refusal> {
    let grant = movable(world, elevation, now)?;
    let (demand, latest) = terms_to_go_on(world, elevation, grant, now)?;
    let (id, times) = (elevation.id, demand.terms.extensions.0);
    if elevation.extended >= times {
        return Err(ExtendRefusal::TimesUsed { id, times }.into());
    }
    let asked = elevation.extends().count();
    if asked >= ASKED_MOST {
        return Err(ExtendRefusal::AskedTooOften { id, most: ASKED_MOST }.into());
    }
    let left = latest.duration_since(grant.until).as_secs();
    let left = Seconds(u32::try_from(left.max(0)).unwrap_or(u32::MAX));
    if left.0 == 0 {
        return Err(ExtendRefusal::NoRoom { id, latest }.into());
    }
    let longest = demand.terms.longest.0;
    let more = more.unwrap_or_else(|| demand.terms.usual.0.min(left).min(longest));
    if more.0 == 0 {
        return Err(ExtendRefusal::ByNothing.into());
    }
    if more > longest {
        return Err(ExtendRefusal::TooMuch { id, more, longest }.into());
    }
    if more > left {
        return Err(ExtendRefusal::TooLate { id, latest, left }.into());
    }
    let until = later(grant.until, more);
    let digest = Digest::of_json(&(id, grant.until, &demand));
    Ok(ExtensionOffer { demand, more, until, latest, digest })
}

/// What going on demands at this moment, and the latest end that the terms of holding it leave.
pub(crate) fn terms_to_go_on(
    world: &World,
    elevation: &Elevation,
    grant: &Grant,
    now: Timestamp,
) -> Result<(Demand, Timestamp), Refusal> {
    let demand = demand_of(world, Act::Extend, elevation.holder, elevation.right, now)?;
    let held = effective_terms(world, Act::Elevate, elevation.right, elevation.holder);
    let frozen = world.demand_of(elevation.id).map_or(held.longest, |frozen| frozen.terms.longest);
    let latest = later(grant.opened_at, held.longest.min(frozen).0).min(closes(world, elevation, grant));
    let latest = demand.eligible_until.map_or(latest, |until| until.min(latest));
    // Rounded down, as every end is.
    Ok((demand, Timestamp::from_second(latest.as_second()).unwrap_or(latest)))
}

/// When it may be held no more, by the stricter of when it was asked and now.
fn closes(world: &World, elevation: &Elevation, grant: &Grant) -> Timestamp {
    // Where its end is where it closes, it is closed then.
    Opening::of_elevation(world, elevation).open_until(grant.until).unwrap_or(grant.until)
}

/// The end that the grace would move an elevation's to.
///
/// # Errors
/// Refuses where there is none, or none any more.
pub fn end_with_grace(world: &World, elevation: &Elevation, now: Timestamp) -> Result<Timestamp, Refusal> {
    let (id, grant) = (elevation.id, movable(world, elevation, now)?);
    let Grace(grace) = grace_of(world, elevation);
    if grace.0 == 0 {
        return Err(ExtendRefusal::NoGrace { right: world.right_name(elevation.right) }.into());
    }
    if elevation.grace_taken {
        return Err(ExtendRefusal::GraceTaken { id }.into());
    }
    let (holder, right) = (elevation.holder, elevation.right);
    // Whoever broke the glass went past hours and approval.
    let (demand, closes) = if elevation.glass {
        let manner = Manner { glass: true, ..Manner::default() };
        (demand_to_hold(world, holder, right, now, manner)?, Timestamp::MAX)
    } else {
        (demand_of(world, Act::Elevate, holder, right, now)?, closes(world, elevation, grant))
    };
    let until = later(grant.until, grace).min(closes);
    let until = demand.eligible_until.map_or(until, |end| end.min(until));
    let until = Timestamp::from_second(until.as_second()).unwrap_or(until);
    if until <= grant.until {
        return Err(ExtendRefusal::NoRoom { id, latest: grant.until }.into());
    }
    Ok(until)
}

/// The grace that an elevation has: the stricter of when it was asked and now.
#[must_use]
pub fn grace_of(world: &World, elevation: &Elevation) -> Grace {
    let now = effective_terms(world, Act::Elevate, elevation.right, elevation.holder).grace;
    world.demand_of(elevation.id).map_or(now, |frozen| frozen.terms.grace.min(now))
}

/// The grant of an elevation whose end can be moved at this moment.
fn movable<'w>(world: &'w World, elevation: &Elevation, now: Timestamp) -> Result<&'w Grant, Refusal> {
    let (id, phase) = (elevation.id, elevation.phase);
    let grant = world.grant_of(elevation).filter(|grant| phase == Phase::Live && grant.wanted && now < grant.until);
    let grant = grant.ok_or(ExtendRefusal::NotLive { id, phase })?;
    let role = world.roles.get(&elevation.right.role);
    if !role.is_some_and(|role| role.lapse.movable) {
        return Err(ExtendRefusal::EndIsFixed { right: world.right_name(elevation.right) }.into());
    }
    if world.clock_is_held() {
        return Err(ExtendRefusal::ClockHeld.into());
    }
    if let Some(until) = grant.moving_to.or_else(|| Some(elevation.extension.as_ref()?.until)) {
        return Err(ExtendRefusal::UnderWay { id, until }.into());
    }
    Ok(grant)
}

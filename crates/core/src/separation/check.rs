//! What separations keep from somebody: asked wherever a right is offered, asked for and opened.

use std::collections::BTreeSet;

use jiff::Timestamp;

use super::{Counts, Holding, Keeps, RightSet, Separation};
use crate::{Refusal, Right, Row, SeparationRefusal, Sight, SubjectId, World};

/// Who is to have which rights as well, and by what: by being eligible, or by holding them.
pub(crate) struct Gain<'g> {
    pub(crate) who: SubjectId,
    pub(crate) rights: &'g [Right],
    pub(crate) by: Counts,
    /// Who is told; none where the machine is.
    pub(crate) told: Option<SubjectId>,
}

/// Refuses what separations keep from somebody.
///
/// # Errors
/// Names the separation, and what else they have, as far as whoever is told sees it.
pub(crate) fn ensure_apart(world: &World, gain: &Gain<'_>, now: Timestamp) -> Result<(), Refusal> {
    world.separations.values().try_for_each(|separation| separation.ensure_apart(world, gain, now))
}

/// Refuses what would make more people eligible than may be.
///
/// # Errors
/// Names the separation.
pub(crate) fn ensure_room(
    world: &World,
    people: &BTreeSet<SubjectId>,
    rights: &[Right],
    now: Timestamp,
) -> Result<(), Refusal> {
    for separation in world.separations.values().filter(|one| one.counts == Counts::Eligible) {
        let Keeps::Holders { of, most: Some(most), .. } = &separation.keeps else { continue };
        let Some(right) = rights.iter().find(|right| of.has(world, **right)) else { continue };
        let mut holders: BTreeSet<SubjectId> = world.holders(of, separation.counts, now).into_keys().collect();
        let before = holders.len();
        holders.extend(people.iter().map(|who| world.human(*who)));
        if holders.len() > before && holders.len() > usize::from(*most) {
            let (separation, right) = (separation.name.clone(), world.right_name(*right));
            return Err(SeparationRefusal::TooManyHolders { separation, right, most: *most }.into());
        }
    }
    Ok(())
}

/// That a right is held by as many at one time as may.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AtOnce {
    /// By which separation.
    pub separation: String,
    /// How many may.
    pub most: u16,
    /// How many others do.
    pub held: usize,
    /// When the first of them is over; none where they hold it all the time, or nobody does.
    pub frees: Option<Timestamp>,
}

/// Separations that say how many may hold one of some rights at one time.
fn limits(world: &World) -> impl Iterator<Item = (&Separation, &RightSet, u16)> {
    world.separations.values().filter_map(|separation| match (&separation.keeps, separation.counts) {
        (Keeps::Holders { of, most: Some(most), .. }, Counts::Held) => Some((separation, of, *most)),
        _ => None,
    })
}

impl AtOnce {
    /// How many may hold a right at one time, and how many do, but for one human: of each separation that says so.
    pub fn of(world: &World, right: Right, but: Option<SubjectId>, now: Timestamp) -> impl Iterator<Item = Self> {
        limits(world).filter(move |(_, of, _)| of.has(world, right)).map(move |(separation, of, most)| {
            let mut holders = world.holders(of, Counts::Held, now);
            but.map(|but| holders.remove(&but));
            let frees = holders.values().flatten().min().copied();
            Self { separation: separation.name.clone(), most, held: holders.len(), frees }
        })
    }

    /// How many people may hold a right at one time; none where any number may.
    #[must_use]
    pub fn most(world: &World, right: Right) -> Option<u16> {
        limits(world).filter(|(_, of, _)| of.has(world, right)).map(|(_, _, most)| most).min()
    }

    /// Whether nobody else may hold it now.
    #[must_use]
    pub fn is_full(&self) -> bool {
        self.held >= usize::from(self.most)
    }
}

/// Whether a separation says of both how many may hold one at one time.
pub(crate) fn are_one_at_a_time(world: &World, one: Right, other: Right) -> bool {
    limits(world).any(|(_, of, _)| of.has(world, one) && of.has(world, other))
}

/// What keeps a right from anybody else at one time, if anything does: of several, what does so the longest.
pub(crate) fn has_no_room(world: &World, holder: SubjectId, right: Right, now: Timestamp) -> Option<AtOnce> {
    AtOnce::of(world, right, Some(world.human(holder)), now)
        .filter(AtOnce::is_full)
        .max_by_key(|full| full.frees.unwrap_or(Timestamp::MAX))
}

/// A separation that somebody breaks once such rows are put, and doesn't yet.
pub(crate) fn newly_broken<'w>(
    world: &'w World,
    put: &[Row],
    who: SubjectId,
    now: Timestamp,
) -> Option<&'w Separation> {
    let (after, human) = (world.tried(put, &[]), world.human(who));
    let breaks = |separation: &Separation, world: &World| {
        separation.broken_by(world, human, now).is_some_and(|breach| breach.tolerated.is_none())
    };
    world.separations.values().find(|one| breaks(one, &after) && !breaks(one, world))
}

impl Separation {
    fn ensure_apart(&self, world: &World, gain: &Gain<'_>, now: Timestamp) -> Result<(), Refusal> {
        // Being eligible is holding nothing yet.
        if self.counts > gain.by {
            return Ok(());
        }
        let human = world.human(gain.who);
        let tolerated = self.tolerates(Some(human), now).map_or(&[][..], |one| &one.rights);
        let is_new = |right: &&Right| !tolerated.iter().any(|known| world.is_one(*known, **right));
        let new: Vec<Right> = gain.rights.iter().filter(is_new).copied().collect();
        match &self.keeps {
            Keeps::Apart { one, other } => {
                for (side, across) in [(one, other), (other, one)] {
                    self.ensure_not_across(world, gain, &new, (side, across), now)?;
                }
                Ok(())
            }
            Keeps::Few { of, most } => self.ensure_few(world, gain, &new, (of, *most), now),
            Keeps::Holders { .. } => Ok(()),
        }
    }

    fn ensure_not_across(
        &self,
        world: &World,
        gain: &Gain<'_>,
        new: &[Right],
        (side, across): (&RightSet, &RightSet),
        now: Timestamp,
    ) -> Result<(), Refusal> {
        for right in new.iter().filter(|right| side.has(world, **right)) {
            let clashes = |other: Right| across.has(world, other) && !world.is_one(*right, other);
            let held = world.holdings(world.human(gain.who), self.counts, clashes, now);
            let other = held.first().copied();
            let beside = || gain.rights.iter().find(|other| clashes(**other)).copied();
            if other.is_some() || beside().is_some() {
                let (separation, who) = (self.name.clone(), world.subject_name(gain.who));
                let right = world.right_name(*right);
                let other = other.or_else(|| beside().map(|right| Holding { right, how: super::How::Eligible }));
                let other = other.map_or_else(String::new, |other| gain.told_of(world, other));
                return Err(SeparationRefusal::KeptApart { separation, who, right, other }.into());
            }
        }
        Ok(())
    }

    fn ensure_few(
        &self,
        world: &World,
        gain: &Gain<'_>,
        new: &[Right],
        (of, most): (&RightSet, u16),
        now: Timestamp,
    ) -> Result<(), Refusal> {
        let Some(right) = new.iter().find(|right| of.has(world, **right)) else { return Ok(()) };
        let held = world.holdings(world.human(gain.who), self.counts, |right| of.has(world, right), now);
        let new = new.iter().filter(|right| of.has(world, **right)).copied();
        let together = world.each_once(held.iter().map(|held| held.right).chain(new)).len();
        if together <= usize::from(most) {
            return Ok(());
        }
        let (separation, who) = (self.name.clone(), world.subject_name(gain.who));
        let (right, of) = (world.right_name(*right), of.text(world));
        Err(SeparationRefusal::TooMuch { separation, who, right, of, most, together }.into())
    }
}

impl Gain<'_> {
    /// What else somebody has, as far as whoever is told of it may know.
    fn told_of(&self, world: &World, other: Holding) -> String {
        let may_know = self.told.is_none_or(|told| {
            let is_own = world.human(told) == world.human(self.who);
            is_own || Sight::of(world, told).sees_scope(world, other.right.scope)
        });
        let name = if may_know { world.right_name(other.right) } else { "what you don't see".to_owned() };
        other.how.says(&name)
    }
}

impl World {
    /// Rights, those that are one counted once.
    pub(super) fn each_once(&self, rights: impl Iterator<Item = Right>) -> Vec<Right> {
        let mut once: Vec<Right> = Vec::new();
        for right in rights {
            if !once.iter().any(|known| self.is_one(*known, right)) {
                once.push(right);
            }
        }
        once
    }
}

//! What breaks a separation already.

use jiff::Timestamp;
use strum::VariantArray as _;

use super::{Holding, How, Keeps, Separation, people};
use crate::{SubjectId, World, demand::and};

/// How many rights of a breach are named that are had in one way.
const NAMED: usize = 4;

/// That something breaks a separation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Breach {
    /// Who does; none where too few or too many people have a right.
    pub who: Option<SubjectId>,
    /// What they have of it.
    pub has: Vec<Holding>,
    /// How many: rights of one person, or people.
    pub many: usize,
    /// Until when it is tolerated, where it is.
    pub tolerated: Option<Timestamp>,
}

impl Breach {
    /// It in words, that follow on whoever does.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        if self.who.is_none() {
            return format!("it is {}", people(self.many));
        }
        let said = How::VARIANTS.iter().filter_map(|how| {
            let rights: Vec<String> =
                self.has.iter().filter(|held| held.how == *how).map(|held| world.right_name(held.right)).collect();
            let more = rights.len().saturating_sub(NAMED);
            let more = (more > 0).then(|| format!("{more} more"));
            let named: Vec<String> = rights.into_iter().take(NAMED).chain(more).collect();
            (!named.is_empty()).then(|| how.says(&and(&named)))
        });
        and(&said.collect::<Vec<_>>())
    }
}

impl Separation {
    /// Everything that breaks it at a moment.
    #[must_use]
    pub fn breaches(&self, world: &World, now: Timestamp) -> Vec<Breach> {
        match &self.keeps {
            Keeps::Holders { of, least, most } => {
                let many = world.holders(of, self.counts, now).len();
                let breaks = many < usize::from(*least) || most.is_some_and(|most| many > usize::from(most));
                let tolerated = self.tolerates(None, now).map(|one| one.until);
                breaks.then_some(Breach { who: None, has: Vec::new(), many, tolerated }).into_iter().collect()
            }
            Keeps::Apart { .. } | Keeps::Few { .. } => {
                world.humans().filter_map(|human| self.broken_by(world, human, now)).collect()
            }
        }
    }

    /// How one human breaks it, if they do.
    pub(crate) fn broken_by(&self, world: &World, human: SubjectId, now: Timestamp) -> Option<Breach> {
        let of_any = |right| self.keeps.sets().any(|set| set.has(world, right));
        let has = world.holdings(human, self.counts, of_any, now);
        let many = world.each_once(has.iter().map(|held| held.right)).len();
        let breaks = match &self.keeps {
            Keeps::Apart { one, other } => has.iter().filter(|held| one.has(world, held.right)).any(|mine| {
                has.iter().any(|held| other.has(world, held.right) && !world.is_one(mine.right, held.right))
            }),
            Keeps::Few { most, .. } => many > usize::from(*most),
            Keeps::Holders { .. } => false,
        };
        let is_known =
            |known: &[crate::Right]| has.iter().all(|held| known.iter().any(|known| world.is_one(*known, held.right)));
        let tolerated = self.tolerates(Some(human), now).filter(|one| is_known(&one.rights)).map(|one| one.until);
        breaks.then_some(Breach { who: Some(human), has, many, tolerated })
    }
}

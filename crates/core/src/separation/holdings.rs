//! Who has which rights, and by what.

use std::collections::BTreeMap;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Counts, RightSet};
use crate::{Elevation, Phase, Right, Standing, SubjectId, SubjectKind, World};

/// By what somebody has a right.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema, strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
pub enum How {
    /// They may ask for it.
    Eligible,
    /// They hold it for a time.
    Live,
    /// They hold it all the time.
    Standing,
}

impl How {
    /// That somebody has rights so, in words.
    #[must_use]
    pub fn says(self, rights: &str) -> String {
        match self {
            Self::Eligible => format!("may ask for {rights}"),
            Self::Live => format!("holds {rights}"),
            Self::Standing => format!("holds {rights} all the time"),
        }
    }
}

/// A right that somebody has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Holding {
    /// Which.
    pub right: Right,
    /// By what.
    pub how: How,
}

impl Elevation {
    /// Whether its holder has the right by now, or still: it is only over once it was read back as gone.
    pub(crate) const fn is_held(&self) -> bool {
        matches!(self.phase, Phase::Opening | Phase::Live | Phase::Closing)
    }
}

impl World {
    /// Whether two are one right, of which one may reach further: of one role, with one place within the other.
    pub(super) fn is_one(&self, one: Right, other: Right) -> bool {
        one.role == other.role && (self.is_within(one.scope, other.scope) || self.is_within(other.scope, one.scope))
    }

    /// Whether it is there as an emergency holder, or as ourselves: held by nobody for their work.
    pub(crate) fn is_for_need(&self, held: &Standing) -> bool {
        self.is_broker(held.target, held.account) || self.is_sealed(held.target, &self.text(held.account))
    }

    /// What a human has of some rights, through groups, with all of their sign-ins and accounts, on every system.
    pub(super) fn holdings(
        &self,
        human: SubjectId,
        counts: Counts,
        of: impl Fn(Right) -> bool,
        now: Timestamp,
    ) -> Vec<Holding> {
        let mut held = Vec::new();
        for one in self.sign_ins_of(human) {
            if counts == Counts::Eligible && !self.is_suspended(one) {
                let may_ask = self.eligibilities_of(one).filter(|held| held.lasts_beyond(now));
                held.extend(may_ask.map(|may| Holding { right: may.right, how: How::Eligible }));
            }
            let live = self.asked_by(one).filter(|elevation| elevation.is_held());
            held.extend(live.map(|elevation| Holding { right: elevation.right, how: How::Live }));
            let standing = self.accounts_of(one).flat_map(|account| self.standing_of(account.target, account.name));
            let standing = standing.filter(|held| !self.is_for_need(held));
            held.extend(standing.map(|held| Holding { right: held.right, how: How::Standing }));
        }
        held.retain(|held| of(held.right));
        held.sort_unstable();
        held.dedup();
        held
    }

    /// The humans who have one of some rights, each with when what they hold for a time is over; those who hold one all the time,
    /// or may ask for one, without.
    pub(super) fn holders(
        &self,
        of: &RightSet,
        counts: Counts,
        now: Timestamp,
    ) -> BTreeMap<SubjectId, Option<Timestamp>> {
        let mut holders = BTreeMap::new();
        for elevation in self.active().filter(|one| one.is_held() && of.has(self, one.right)) {
            let until = self.grant_of(elevation).map(|grant| grant.until);
            let longest = holders.entry(self.human(elevation.holder)).or_insert(until);
            *longest = (*longest).max(until);
        }
        let targets = self
            .targets
            .keys()
            .filter(|target| self.is_within(**target, of.scope) || self.is_within(of.scope, **target));
        let standing = targets.flat_map(|target| self.standing_on(*target));
        let standing = standing.filter(|held| of.has(self, held.right) && !self.is_for_need(held));
        let owners = standing.filter_map(|held| self.owner_of(held)).map(|owner| self.human(owner));
        holders.extend(owners.map(|owner| (owner, None)));
        if counts == Counts::Eligible {
            let eligible =
                self.eligibilities.values().filter(|held| held.lasts_beyond(now) && of.has(self, held.right));
            let people = eligible.flat_map(|held| self.people_in(held.subject));
            let people = people.filter(|who| !self.is_suspended(*who)).map(|who| self.human(who));
            holders.extend(people.map(|who| (who, None)));
        }
        holders
    }

    /// Every human, and every program: whoever can have a right of their own.
    pub(super) fn humans(&self) -> impl Iterator<Item = SubjectId> {
        let own = self.subjects.values().filter(|one| one.kind != SubjectKind::Group && one.second_of.is_none());
        own.map(|one| one.id)
    }
}

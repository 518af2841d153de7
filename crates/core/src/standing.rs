//! Standing rights, as found on targets.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Right, RoleId, ScopeId, StandingId, StandingRule, SubjectId, Terms, TermsId, World, effective_under,
    text::{Digest, Words},
};

/// How many standing rights there were at the end of a day; kept for the days on which their number changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tally {
    /// The day (UTC), as `2026-11-23`.
    pub day: String,
    /// Standing rights at its end.
    pub standing: u32,
}

/// A right held all the time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Standing {
    /// Its id.
    pub id: StandingId,
    /// The target it was found on.
    pub target: ScopeId,
    /// Who holds it there.
    pub account: Digest,
    /// What is held.
    pub right: Right,
    /// How it came to be, what the account itself is in first; empty where it is held directly.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub chain: Vec<Words>,
    /// The target's own name for it, where it can be taken away by itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub handle: Option<Words>,
    /// Since when the target says it has been held.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Timestamp>,
    /// When a survey first saw it.
    pub first_seen: Timestamp,
    /// When it was last used, where the target knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub last_used: Option<Timestamp>,
}

/// Whose account it is where nobody has said so: no rule that names askers fits them.
const NOBODY: SubjectId = SubjectId(0);

impl Standing {
    /// The rule by which it may not be held all the time; none where it may be. What we work with ourselves, and the emergency
    /// holders that a system has sealed, are there for when nobody can be asked.
    #[must_use]
    pub fn stands_against(&self, world: &World) -> Option<TermsId> {
        self.would_stand_against(world, world.terms.values())
    }

    /// The same, were these the rules.
    #[must_use]
    pub fn would_stand_against<'w>(&self, world: &'w World, rules: impl Iterator<Item = &'w Terms>) -> Option<TermsId> {
        // No other rule has a part in it.
        let rules: Vec<&Terms> = rules.filter(|rule| rule.settings.standing.is_some()).collect();
        if rules.iter().all(|rule| rule.settings.standing == Some(StandingRule::Allowed))
            || world.is_broker(self.target, self.account)
            || world.is_sealed(self.target, &world.text(self.account))
        {
            return None;
        }
        let holder = world.owner_of(self).unwrap_or(NOBODY);
        let terms = effective_under(world, rules.into_iter(), Act::Elevate, self.right, holder);
        let trace = terms.trace::<StandingRule>().filter(|_| terms.standing == StandingRule::Never)?;
        trace.tightened_by.last().copied().or(trace.rule)
    }

    /// Whether it is held by this way.
    pub(crate) fn is_held_by(&self, world: &World, chain: &[String]) -> bool {
        let mut ways = self.chain.iter().zip(chain);
        self.chain.len() == chain.len() && ways.all(|(way, said)| world.are_words(way, said))
    }

    /// Whether its account holds it because it is in that role.
    pub(crate) fn is_through(&self, world: &World, role: RoleId) -> bool {
        let name = world.roles.get(&role).map(|role| &role.name);
        self.chain.first().zip(name).is_some_and(|(way, name)| world.are_same(way, name))
    }

    /// Whether the target names it so itself; none where it can't be taken away by itself.
    pub(crate) fn has_handle(&self, world: &World, handle: Option<&str>) -> bool {
        match (&self.handle, handle) {
            (Some(own), Some(handle)) => world.are_words(own, handle),
            (own, handle) => own.is_none() && handle.is_none(),
        }
    }
}

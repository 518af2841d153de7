//! Standing rights, as found on targets.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{
    Right, RoleId, ScopeId, StandingId, World,
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

impl Standing {
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

//! Standing rights, as found on targets.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{Right, ScopeId, StandingId, text::Digest};

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
    pub chain: Vec<String>,
    /// The target's own name for it, where it can be taken away by itself.
    pub handle: Option<String>,
    /// Since when the target says it has been held.
    pub since: Option<Timestamp>,
    /// When a survey first saw it.
    pub first_seen: Timestamp,
    /// When it was last used, where the target knows.
    pub last_used: Option<Timestamp>,
}

//! What a survey of a target reports, before anything is decided from it.

use std::collections::BTreeMap;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{Digest, Lapse, Weight};

/// One reading of a target.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Survey {
    /// Whether everything was read. A half survey changes nobody's rights.
    pub complete: bool,
    /// The target's own clock when it was read.
    pub clock: Timestamp,
    /// Our own account there.
    pub broker: String,
    /// Parts of the target, parents before children.
    pub parts: Vec<PartFound>,
    /// Roles it offers.
    pub roles: Vec<RoleFound>,
    /// Accounts on it.
    pub accounts: Vec<AccountFound>,
    /// Rights held there all the time.
    pub rights: Vec<RightFound>,
    /// Things that bear our mark.
    pub marked: Vec<Marked>,
    /// What it says of itself, like its system or version.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub attributes: BTreeMap<String, String>,
    /// Accounts that its own root sealed: emergency holders, that get nothing, lose nothing, and are watched.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sealed: Vec<String>,
}

/// A part of a target.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PartFound {
    /// Names from the target downwards.
    pub path: Vec<String>,
}

/// A role as found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RoleFound {
    /// Its name.
    pub name: String,
    /// What it lets one do, in plain words.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// Digest of what it permits.
    pub permits: Digest,
    /// How a grant of it ends.
    pub lapse: Lapse,
}

/// An account as found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AccountFound {
    /// Its name.
    pub name: String,
    /// When it last did anything, where the target knows.
    pub last_used: Option<Timestamp>,
}

/// A right as found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RightFound {
    /// Who holds it.
    pub account: String,
    /// Name of the role.
    pub role: String,
    /// Part of the target; empty for the whole.
    pub part: Vec<String>,
    /// How it came to be, what the account itself is in first; empty where it is held directly.
    pub chain: Vec<String>,
    /// The target's own name for it, where it can be taken away by itself.
    pub handle: Option<String>,
    /// Since when, where the target knows.
    pub since: Option<Timestamp>,
    /// When it was last used, where the target knows.
    pub last_used: Option<Timestamp>,
}

/// Something on the target that bears our mark.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Marked {
    /// Number of the grant in the mark.
    pub grant: u64,
    /// Its unguessable name.
    pub name: String,
}

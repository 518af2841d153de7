//! The SSH certificate authorities.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How far one pair of authorities has followed another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RotationStage {
    /// One pair, and no other.
    Steady,
    /// The next pair is announced to hosts.
    Announced,
    /// The next pair signs; the past one is still trusted.
    Switched,
}

impl RotationStage {
    /// What the step from here does, as a word.
    #[must_use]
    pub const fn step(self) -> &'static str {
        match self {
            Self::Steady => "announce",
            Self::Announced => "switch",
            Self::Switched => "finish",
        }
    }
}

/// The authorities, and who trusts them.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AuthoritiesView {
    /// How far a rotation is.
    pub stage: RotationStage,
    /// In plain words.
    pub says: String,
    /// Fingerprints of those for people that hosts are to trust, the one that signs first.
    pub people: Vec<String>,
    /// Fingerprints of those for orders.
    pub orders: Vec<String>,
    /// The hosts.
    pub hosts: Vec<HostTrust>,
}

/// Whether a host trusts what it should.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct HostTrust {
    /// Path.
    pub path: String,
    /// Whether it was told, and took it, since this service started.
    pub told: bool,
    /// What is in the way at present.
    pub trouble: Option<String>,
}

/// Takes a rotation one step further.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AuthoritiesStep {
    /// The stage that was looked at.
    pub from: RotationStage,
    /// Go on though some hosts were not told; they have to be enrolled anew.
    #[serde(default)]
    pub leave_behind: bool,
}

//! Assurances: how sure one must be of people, by name.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Lack, ProofMethod, Seconds};

/// How sure one must be of a person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AssuranceBody {
    /// Proofs of oneself that are accepted.
    #[schemars(with = "Vec<ProofMethod>")]
    pub accepts: BTreeSet<ProofMethod>,
    /// How old the last one may be, in seconds.
    pub within: Seconds,
    /// Networks that it must come from, like `10.20.0.0/16`; any where none is named.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub networks: BTreeSet<String>,
    /// The group whose members are let through without it.
    #[serde(default)]
    pub bypass: Option<String>,
    /// The group with which it is tried out: it holds for nobody else yet.
    #[serde(default)]
    pub pilot: Option<String>,
    /// Whether it refuses nothing yet, and only notes what it would have refused.
    #[serde(default)]
    pub watch_only: bool,
}

/// One assurance.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AssuranceView {
    /// Its name, by which rules want it.
    pub name: String,
    /// It in words.
    pub says: String,
    /// What it is.
    #[serde(flatten)]
    pub assurance: AssuranceBody,
    /// Rules that want it, of those that the caller sees.
    pub wanted_by: Vec<String>,
    /// Whom it would have refused while it only watched, and noted; of those whom the caller sees.
    pub let_through: Vec<LetThroughView>,
    /// Who set it last.
    pub set_by: Option<String>,
    /// When.
    pub set_at: Option<Timestamp>,
    /// Whether files have it: what is changed by hand is put back by the next filing.
    pub in_files: bool,
    /// What a change of it names in `If-Match`.
    pub digest: Digest,
}

/// Whom an assurance that only watches would have refused.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LetThroughView {
    /// Who.
    pub who: String,
    /// How often.
    pub times: u32,
    /// When last.
    pub last_at: Timestamp,
    /// What they lacked then.
    pub lack: Lack,
}

//! Request and reply types that service and client share. The wire is JSON; every type here is in the OpenAPI file.
//!
//! People, groups, programs, scopes, roles and rights are named as people write them (`mara`,
//! `/harbour/databases/berths`, `berth_reader@/harbour/databases/berths`); references (`E1042`) as they say them.

mod answers;
mod appointments;
mod asks;
mod assurances;
mod authorities;
mod calendars;
mod circumstances;
mod conversions;
mod delegations;
mod drift;
mod elevations;
mod estate;
mod filings;
mod idempotency;
mod known;
mod ledger;
mod pages;
mod people;
mod preconditions;
mod promises;
mod separations;
mod sign_in;
mod sources;
mod spoken;
mod standing;
mod stops;
mod terms;
mod ways;

pub use answers::*;
pub use appointments::*;
pub use asks::*;
pub use assurances::*;
pub use authorities::*;
pub use calendars::*;
pub use circumstances::*;
pub use conversions::*;
pub use delegations::*;
pub use drift::*;
pub use elevations::*;
pub use estate::*;
pub use filings::*;
pub use idempotency::{IDEMPOTENCY_KEY, takes_key};
pub use known::{ensure_known, ensure_whole};
pub use ledger::*;
pub use pages::*;
pub use people::*;
pub use preconditions::{as_precondition, read_precondition};
pub use promises::*;
pub use separations::*;
pub use sign_in::*;
pub use sources::*;
pub use spoken::{SPOKEN, by_clock};
pub use standing::*;
pub use stops::*;
pub use terms::*;
pub use ways::*;

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::ProofMethod;

/// What went wrong and what to do (RFC 9457).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Problem {
    /// Always `about:blank`; `code` says more.
    #[serde(rename = "type")]
    pub kind: String,
    /// Short words for the status.
    pub title: String,
    /// HTTP status.
    pub status: u16,
    /// One plain sentence: what was wrong, with the value, and what to do next.
    pub detail: String,
    /// A word for programs: `not-allowed`, `unknown`, `invalid`, `conflict`, `changed`, `stale`, `unseen`, `limit`,
    /// `step-up`, `sign-in`, `too-large`, `malformed`, `slow-down`, `target`, `failed`.
    pub code: String,
    /// Which of the causes behind `code` it is, as a word that stays the same whatever `detail` says: `too-long`, `own-ask`. Left out
    /// where `code` alone is told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub cause: Option<String>,
    /// With `step-up`: how old the proof may be, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub max_age: Option<u32>,
    /// With `step-up`: the proofs that are accepted; any where none is named.
    #[serde(skip_serializing_if = "BTreeSet::is_empty", default)]
    pub accepts: BTreeSet<ProofMethod>,
}

/// Which of a list whose things come to an end.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OpenFilter {
    /// Only those that are not over: alarms not settled, conversions not read back, stops in force, wishes that wait.
    #[serde(default)]
    pub open: bool,
}

/// Nothing more to say.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Done {}

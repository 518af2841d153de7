//! Stop.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What to stop: a person, a scope (`/` is everything).
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewStop {
    /// A person, under every name they have.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub person: Option<String>,
    /// A scope and all below; `/` is everything.
    #[schemars(regex(pattern = r"^/"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scope: Option<String>,
    /// Why; those it reaches will read it.
    pub word: String,
}

/// One stop.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct StopView {
    /// Id.
    pub id: String,
    /// `person`, `scope` or `everything`.
    pub reach: String,
    /// Whom or what it reaches.
    pub what: String,
    /// Who said stop.
    pub by: String,
    /// When.
    pub at: Timestamp,
    /// Why.
    pub word: String,
    /// References of the elevations it ended.
    pub ended: Vec<String>,
    /// How many of them are not read back as gone yet.
    pub closing: usize,
    /// Who was the first of two to say it may be lifted, while that still counts.
    pub lift_by: Option<String>,
    /// When it was lifted.
    pub lifted_at: Option<Timestamp>,
}

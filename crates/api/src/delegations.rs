//! Answers delegated for an absence.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Who is to answer in somebody's place.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDelegation {
    /// Who is away; the caller where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub absent: Option<String>,
    /// Who answers.
    pub delegate: String,
    /// From when; at once where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<Timestamp>,
    /// Until when.
    pub until: Timestamp,
    /// Why.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
}

/// Who answers in somebody's place.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DelegationView {
    /// Reference.
    pub id: String,
    /// Who is away.
    pub absent: String,
    /// Who answers.
    pub delegate: String,
    /// From when.
    pub from: Timestamp,
    /// Until when.
    pub until: Timestamp,
    /// Who said so.
    pub set_by: Option<String>,
    /// Why.
    pub reason: Option<String>,
    /// Whether it holds at this moment.
    pub holds: bool,
    /// Whether the caller may end it.
    pub may_end: bool,
}

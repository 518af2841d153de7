//! Sources: where people and groups come from.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::Mapping;

/// A target that people and groups come from.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SourceView {
    /// Path of the target.
    pub target: String,
    /// What means what there.
    pub mapping: Mapping,
    /// People who came from it, or were found to be in it.
    pub people: usize,
    /// Groups that came from it.
    pub groups: usize,
    /// Of the people, how many are suspended.
    pub suspended: usize,
    /// When something of it was last taken in.
    pub taken_at: Option<Timestamp>,
    /// Whether a reading waits for a person.
    pub held: bool,
    /// Entries that could not be taken in: their name is another's here, or can't be one.
    pub unusable: u32,
}

/// Has people and groups come from a target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSource {
    /// Path of the target.
    pub target: String,
    /// What means what there.
    pub mapping: Mapping,
}

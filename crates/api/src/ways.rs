//! Ways: who can reach what, and how.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::Weight;

/// Which ways: to a scope, to a right, or of somebody.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WaysQuery {
    /// To a scope and anything in it, or to one right: a path, or ROLE@/PATH.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// Of this person or program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<String>,
}

/// Ways, the shortest of each.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct WaysReply {
    /// How many there are.
    pub total: usize,
    /// Of those, how many without asking.
    pub without_asking: usize,
    /// The first of them; without asking first, then the shortest.
    pub ways: Vec<WayView>,
}

/// One way from somebody to what they reach.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct WayView {
    /// Who.
    pub who: String,
    /// What is reached.
    pub to: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// Whether it needs an ask on the way.
    pub on_request: bool,
    /// Step by step, each a plain sentence that goes on from the one before.
    pub steps: Vec<String>,
}

//! Drift: what surveys saw that nobody did through Tempestas.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Sentence, Weight};

/// Which differences.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DriftFilter {
    /// Those that were decided, too.
    #[serde(default)]
    pub all: bool,
    /// Those on this scope or below.
    #[schemars(regex(pattern = r"^/"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
}

/// What became of a difference.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum DriftStateView {
    /// Nobody has decided yet.
    Open,
    /// Taken as it is.
    Adopted,
    /// Being put back, or put back.
    PutBack,
    /// Known, and not to be heard of until a date.
    Ignored,
    /// It went away by itself.
    Over,
}

/// One difference between what should be there and what was seen.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DriftView {
    /// Reference.
    pub id: String,
    /// Path of the target.
    pub target: String,
    /// The account.
    pub account: String,
    /// Whose account that is, where it is known.
    pub who: Option<String>,
    /// The right.
    pub right: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// In one plain sentence.
    pub says: String,
    /// The same in parts, for whoever shows it by their own clock and leads on to what it names.
    pub words: Sentence,
    /// The rule of terms by which it may not be held all the time, so that it is not adopted, or not put back; none where it
    /// may be.
    #[serde(default)]
    pub against: Option<String>,
    /// When a survey first saw it.
    pub since: Timestamp,
    /// What became of it.
    pub state: DriftStateView,
    /// Who decided.
    pub by: Option<String>,
    /// Why it is ignored.
    pub reason: Option<String>,
    /// Until when it is ignored, or when it was decided.
    pub at: Option<Timestamp>,
    /// The conversion that puts it back.
    pub conversion: Option<String>,
}

/// Hears nothing of a difference until a date.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct IgnoreDrift {
    /// Why.
    pub reason: String,
    /// Until when.
    pub until: Timestamp,
}

/// What would have to change where a right comes from.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SourcePatch {
    /// What it is, in one plain sentence.
    pub says: String,
    /// As text that tools take: a unified diff of a host's file, SQL for a cluster; none where there is no such form.
    pub patch: Option<String>,
}

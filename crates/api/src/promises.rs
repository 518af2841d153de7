//! Promises: what must hold whatever terms, groups and labels say, by name.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Promised};

/// What is promised of rights, with whoever it names by name.
pub type PromisedBody = Promised<String>;

/// A promise as it is set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PromiseBody {
    /// The rights that it is about: `role@/path`, `weight:critical@/path` for all that weigh so much or more, or `/path`.
    pub of: String,
    /// Only of this person, or of the members of this group.
    #[serde(default)]
    pub by: Option<String>,
    /// What is promised of them.
    pub promised: PromisedBody,
}

/// One promise.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PromiseView {
    /// Its name.
    pub name: String,
    /// It in words.
    pub says: String,
    /// What it is.
    #[serde(flatten)]
    pub promise: PromiseBody,
    /// What breaks it at present, of what the caller sees.
    pub broken: BrokenView,
    /// Who set it last.
    pub set_by: Option<String>,
    /// When.
    pub set_at: Option<Timestamp>,
    /// Whether files have it: what is changed by hand is put back by the next filing.
    pub in_files: bool,
    /// What a change of it names in `If-Match`.
    pub digest: Digest,
}

/// What breaks a promise, or would.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct BrokenView {
    /// Of how many people and rights, each counted with each.
    pub times: usize,
    /// Examples, the shortest first; not all where there are many.
    pub examples: Vec<ExampleView>,
}

/// By what a promise is broken.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExampleView {
    /// It in words.
    pub says: String,
    /// Whoever breaks it, the first where it is the same with others; none where an account is nobody's.
    pub who: Option<String>,
    /// The right.
    pub right: String,
    /// The rule by which that is so.
    pub rule: Option<String>,
}

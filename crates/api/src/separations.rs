//! Separations of duties: rights that nobody has together, by name.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Counts, Digest, How};

/// What a separation sees to. Rights are written as `role@/path`, as `weight:critical@/path` for all that weigh so much or more, or
/// as `/path` for all there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is", deny_unknown_fields)]
pub enum KeepsBody {
    /// Nobody has a right of one side together with one of the other.
    Apart {
        /// One side.
        one: String,
        /// The other.
        other: String,
    },
    /// Nobody has more than so many of them.
    Few {
        /// Of which rights.
        of: String,
        /// How many one person may have.
        most: u16,
    },
    /// So many people have one of them.
    Holders {
        /// Of which rights.
        of: String,
        /// How many people at least.
        #[serde(default)]
        least: u16,
        /// How many people at most; any number where none is said.
        #[serde(default)]
        most: Option<u16>,
    },
}

/// A separation as it is set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SeparationBody {
    /// What it sees to.
    pub keeps: KeepsBody,
    /// What counts as having a right: that one may ask for it, or only that one holds it.
    #[serde(default)]
    pub counts: Counts,
}

/// One separation.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SeparationView {
    /// Its name.
    pub name: String,
    /// It in words.
    pub says: String,
    /// What it is.
    #[serde(flatten)]
    pub separation: SeparationBody,
    /// Those of its rights, as written, of which there is none at present: it keeps nothing by them.
    pub without_right: Vec<String>,
    /// What breaks it at present, of what the caller sees.
    pub breaches: Vec<BreachView>,
    /// Who set it last.
    pub set_by: Option<String>,
    /// When.
    pub set_at: Option<Timestamp>,
    /// Whether files have it: what is changed by hand is put back by the next filing.
    pub in_files: bool,
    /// What a change of it names in `If-Match`.
    pub digest: Digest,
}

/// That something breaks a separation.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct BreachView {
    /// Who does; none where too few or too many people have a right.
    pub who: Option<String>,
    /// It in words, after who does.
    pub says: String,
    /// What they have of it.
    pub has: Vec<HoldingView>,
    /// How many: rights of one person, or people.
    pub many: usize,
    /// Until when it is tolerated, where it is.
    pub tolerated_until: Option<Timestamp>,
    /// Why, where it is.
    pub because: Option<String>,
}

/// A right that somebody has.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct HoldingView {
    /// Which.
    pub right: String,
    /// By what.
    pub how: How,
}

/// That what breaks a separation is put up with, or no longer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TolerateRequest {
    /// Whose breach; none where it is no one person's.
    #[serde(default)]
    pub who: Option<String>,
    /// Until when; none to end it.
    #[serde(default)]
    pub until: Option<Timestamp>,
    /// Why.
    #[serde(default)]
    pub reason: String,
}

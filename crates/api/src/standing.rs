//! Standing rights, conversions, eligibilities.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Weight};

use crate::PauseView;

/// Which standing rights.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StandingFilter {
    /// Those that reach this scope; from postings above too.
    #[schemars(regex(pattern = r"^/"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
    /// Those of this person, group or program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// Those of this role.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
    /// Those on systems that administrators labelled so, like `stage=production`; a `*` at the end stands for anything.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Those on systems that say so of themselves, like `system=debian 11*`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub says: Option<String>,
    /// Only those that the terms let nobody like their holder hold all the time.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub against_terms: bool,
}

/// A right held all the time.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct StandingView {
    /// Reference.
    pub id: String,
    /// The account that holds it.
    pub account: String,
    /// Whose account that is, where it is known.
    pub who: Option<String>,
    /// The role.
    pub role: String,
    /// Path of the scope.
    pub scope: String,
    /// Path of the system that it is, or is a part of.
    pub target: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// How it came to be, what the account itself is in first; empty where it is held directly.
    pub chain: Vec<String>,
    /// Whether it can be converted by itself.
    pub direct: bool,
    /// Whether its account is an emergency holder that the system has sealed: nothing is taken from it.
    pub sealed: bool,
    /// The rule of terms by which it may not be held all the time; none where it may be.
    #[serde(default)]
    pub against: Option<String>,
    /// Since when the target says it has been held.
    pub since: Option<Timestamp>,
    /// When a survey first saw it.
    pub first_seen: Timestamp,
    /// When it was last used, where the target knows.
    pub last_used: Option<Timestamp>,
    /// Whether the target tells of uses at all: where it doesn't, one that was never seen used may be used daily.
    pub use_is_told: bool,
}

/// Which eligibilities.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EligibilityFilter {
    /// Those that this person, group or program has, through groups too.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// Those for this scope or below.
    #[schemars(regex(pattern = r"^/"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
}

/// An eligibility.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EligibilityView {
    /// Id.
    pub id: String,
    /// Of the whole of it; a change says it with `If-Match`.
    pub digest: Digest,
    /// Who may ask.
    pub who: String,
    /// For what.
    pub right: String,
    /// What the role lets one do.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// From when.
    pub from: Timestamp,
    /// Until when.
    pub until: Option<Timestamp>,
    /// For whom it stands in, where it covers an absence.
    pub covers: Option<String>,
    /// Who suspended it, where it is.
    pub suspended: Option<PauseView>,
    /// What an ask for it takes. Only in one's own list.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub takes: Option<TakesView>,
}

/// What an ask for a right takes.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TakesView {
    /// The demand at a glance; where it can't be asked for at present, why not.
    pub brief: String,
    /// The whole demand as one sentence; none where it can't be asked for at present.
    pub sentence: Option<String>,
    /// Whether the caller could break the glass for it at present.
    #[serde(default)]
    pub may_break_glass: bool,
}

/// One's own list, which says why it is empty.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EligibleReply {
    /// What may be asked for.
    pub eligible: Vec<EligibilityView>,
    /// Why it is empty and whom to ask, where it is.
    pub empty_because: Option<String>,
}

/// An eligibility to give.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewEligibility {
    /// Person, group or program.
    pub who: String,
    /// The right.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// From when; now, where it is left out.
    #[serde(default)]
    pub from: Option<Timestamp>,
    /// Until when; for good, where it is left out.
    #[serde(default)]
    pub until: Option<Timestamp>,
    /// Why.
    #[serde(default)]
    pub reason: Option<String>,
}

impl NewEligibility {
    /// From now on, for good.
    #[must_use]
    pub fn for_good(who: &str, right: &str) -> Self {
        Self { who: who.to_owned(), right: right.to_owned(), from: None, until: None, reason: None }
    }
}

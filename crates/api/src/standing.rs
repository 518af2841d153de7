//! Standing rights, conversions, eligibilities.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, ItemState, Weight};

/// Which standing rights.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StandingFilter {
    /// Those that reach this scope; from postings above too.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
    /// Those of this person, group or program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// Those of this role.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
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
    /// How much harm it can do.
    pub weight: Weight,
    /// How it came to be, outermost first; empty where it is held directly.
    pub chain: Vec<String>,
    /// Whether it can be converted by itself.
    pub direct: bool,
    /// Since when the target says it has been held.
    pub since: Option<Timestamp>,
    /// When a survey first saw it.
    pub first_seen: Timestamp,
    /// When it was last used, where the target knows.
    pub last_used: Option<Timestamp>,
}

/// Standing rights to convert.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Chosen {
    /// References.
    pub chosen: Vec<String>,
}

/// What converting would do.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PlanView {
    /// Right by right.
    pub items: Vec<PlanItemView>,
    /// Who is left with a critical right on each target.
    pub left: Vec<LeftView>,
    /// To be given back when applying it.
    pub digest: Digest,
}

/// One line of a plan.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PlanItemView {
    /// The right.
    pub standing: StandingView,
    /// What is done on the target, in plain words.
    pub taken_away: String,
    /// Rights that go with it, being held through it.
    pub also_lost: Vec<String>,
    /// What the person may ask for afterwards, as a demand.
    pub may_ask: String,
}

/// Who is left with a critical right on a target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LeftView {
    /// Path of the target.
    pub target: String,
    /// Accounts.
    pub accounts: Vec<String>,
    /// The least number that must stay.
    pub least: u32,
}

/// Applies a plan.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ConvertRequest {
    /// References.
    pub chosen: Vec<String>,
    /// Digest of the plan that was shown.
    pub shown: Digest,
    /// When the eligibilities end; never, where it is left out.
    #[serde(default)]
    pub until: Option<Timestamp>,
}

/// A conversion.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ConversionView {
    /// Reference.
    pub id: String,
    /// Who applied it.
    pub by: String,
    /// When.
    pub at: Timestamp,
    /// When it was undone.
    pub undone_at: Option<Timestamp>,
    /// Whether everything was read back from the targets.
    pub settled: bool,
    /// Right by right.
    pub items: Vec<ItemView>,
}

/// One right of a conversion.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ItemView {
    /// Reference of the standing right.
    pub standing: String,
    /// The account.
    pub account: String,
    /// The right.
    pub right: String,
    /// Where it stands.
    pub state: ItemState,
    /// What is in the way, or was found.
    pub trouble: Option<String>,
}

/// An eligibility.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EligibilityView {
    /// Id.
    pub id: String,
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
    /// The whole demand as one sentence, or why it can't be asked for at present. Only in one's own list.
    pub demand: Option<String>,
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
    pub right: String,
    /// From when; now, where it is left out.
    #[serde(default)]
    pub from: Option<Timestamp>,
    /// Until when; for good, where it is left out.
    #[serde(default)]
    pub until: Option<Timestamp>,
}

//! Terms and what holds for an ask.

use crate::PauseView;
use std::collections::BTreeMap;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Act, Digest, Dormant, Weight, WrittenSettings};

/// A rule to set. What changes one names everything, with `null` where there is nothing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTerms {
    /// Path of the scope where it holds, and below.
    #[schemars(regex(pattern = r"^/"))]
    pub scope: String,
    /// The act; `elevate` where it is left out.
    #[serde(default = "elevate")]
    pub act: Act,
    /// Only for roles of this name.
    #[serde(default)]
    pub role: Option<String>,
    /// Only for roles of this weight.
    #[serde(default)]
    pub weight: Option<Weight>,
    /// Only for this person, or members of this group.
    #[serde(default)]
    pub asker: Option<String>,
    /// Only on targets that administrators labelled so; a value may end in `*`.
    #[serde(default)]
    pub labels: BTreeMap<String, String>,
    /// Only on targets that say so of themselves; then it only tightens.
    #[serde(default)]
    pub attributes: BTreeMap<String, String>,
    /// What it sets.
    pub settings: WrittenSettings,
    /// Settings that may not be relaxed below.
    #[serde(default)]
    pub pins: Vec<String>,
    /// From when on it is valid; at once without.
    #[serde(default)]
    pub valid_from: Option<Timestamp>,
    /// Until when it is; without an end without.
    #[serde(default)]
    pub valid_until: Option<Timestamp>,
}

const fn elevate() -> Act {
    Act::Elevate
}

/// A setting in words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SettingWords {
    /// Which.
    pub setting: String,
    /// Its value.
    pub words: String,
}

/// A rule that is set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct TermsView {
    /// Id.
    pub id: String,
    /// Of the whole of it; a change says it with `If-Match`.
    pub digest: Digest,
    /// The rule.
    #[serde(flatten)]
    pub rule: NewTerms,
    /// What it sets, in words.
    pub says: Vec<SettingWords>,
    /// Who set it last.
    pub set_by: Option<String>,
    /// Its name in files, where files have it: what is changed by hand is put back by the next filing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub in_files: Option<String>,
    /// Set while it isn't valid: not yet, or no more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dormant: Option<Dormant>,
    /// Who suspended it, where it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub suspended: Option<PauseView>,
}

/// Rules, with the order in which they are weighed.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TermsReply {
    /// How rules are weighed, in words.
    pub precedence: String,
    /// The rules.
    pub terms: Vec<TermsView>,
}

/// A rule to try out: in place of another, or as a new one.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TermsTrial {
    /// The rule it would replace; a new one where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub replaces: Option<String>,
    /// The rule; none to try the end of the one replaced.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<NewTerms>,
}

/// Whom a change of terms touches.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TermsTouched {
    /// Who may ask for what, and which settings would be others; 200 at most.
    pub touched: Vec<TouchedView>,
    /// How many there are.
    pub count: usize,
    /// How many people that is.
    pub people: usize,
    /// References of open asks that were made under the present terms; they keep theirs, the stricter wins at opening.
    pub open_asks: Vec<String>,
    /// What other rules that are about just the same set otherwise.
    #[serde(default)]
    pub contradicts: Vec<ContradictionView>,
    /// How many standing rights would come to be held against the terms.
    #[serde(default)]
    pub newly_against: usize,
    /// How many standing rights would be held against the terms no longer.
    #[serde(default)]
    pub no_longer_against: usize,
    /// Why it would be refused, were it done now; none where it wouldn't be.
    #[serde(default)]
    pub refused_because: Option<String>,
}

/// What two rules of one rank set otherwise than each other.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ContradictionView {
    /// The rule that is tried, by its number, or its name in files; empty where it is a new one and there is no other.
    pub of: String,
    /// The other rule.
    pub rule: String,
    /// The setting.
    pub setting: String,
    /// What the other one sets.
    pub theirs: String,
    /// What holds: the stricter.
    pub holds: String,
}

/// One who is touched: somebody, or a group whose members are touched alike.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TouchedView {
    /// Who.
    pub who: String,
    /// For what.
    pub right: String,
    /// At which act.
    pub act: Act,
    /// What changes.
    pub changes: Vec<SettingChange>,
}

/// One setting before and after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SettingChange {
    /// Its name.
    pub setting: String,
    /// Now.
    pub before: String,
    /// Then.
    pub after: String,
}

/// For what, and whom.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EffectiveQuery {
    /// The right.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// The asker; the caller, where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub asker: Option<String>,
    /// The act; `elevate` where it is left out.
    #[serde(default = "elevate")]
    pub act: Act,
}

/// What holds, setting by setting.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EffectiveReply {
    /// How rules are weighed, in words.
    pub precedence: String,
    /// Setting by setting.
    pub settings: Vec<EffectiveSetting>,
}

/// One setting, and where it came from.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EffectiveSetting {
    /// Its name.
    pub setting: String,
    /// Its value, in plain words.
    pub value: String,
    /// Where it came from, in plain words.
    pub from: String,
    /// The rule that won it; none for the house's defaults.
    pub rule: Option<String>,
    /// Rules above whose pin tightened it.
    pub tightened_by: Vec<String>,
    /// Other rules that fit and set it.
    pub passed_over: Vec<String>,
}

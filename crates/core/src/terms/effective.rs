//! What holds for one ask, of all rules that fit it. Each setting is decided alone, by [`PRECEDENCE`]; the trace says which
//! rule won it and which tightened it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Act, Effective, Setting, Settings, Terms};
use crate::{Right, SubjectId, TermsId, World};

/// The order in which rules are weighed, as shown to people.
pub const PRECEDENCE: &str = "For each setting, of the rules that fit and set it: the deepest scope wins; at one scope, a rule \
that names the role before one that names a weight before one for any role; then one that names labels before one \
that names none; then one that names the person before one for a group before one for anyone; then the stricter. A \
setting that a rule above pins may be tightened below, never relaxed. What no rule sets comes from the house's own \
defaults. A rule that goes by what targets say of themselves only tightens.";

/// Where one setting's value came from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Trace {
    /// Name of the setting.
    pub setting: String,
    /// The rule that won it; none for the house's defaults.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<TermsId>,
    /// Rules above whose pin tightened the winner's value.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tightened_by: Vec<TermsId>,
    /// Other rules that fit and set it, in the order they would have come.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub passed_over: Vec<TermsId>,
}

/// The terms that hold for one act on one right by one asker, by [`PRECEDENCE`].
#[must_use]
pub fn effective_terms(world: &World, act: Act, right: Right, asker: SubjectId) -> Effective {
    effective_under(world, world.terms.values(), act, right, asker)
}

/// The terms that would hold if `rules` were all there are.
#[must_use]
pub fn effective_under<'w>(
    world: &'w World,
    rules: impl Iterator<Item = &'w Terms>,
    act: Act,
    right: Right,
    asker: SubjectId,
) -> Effective {
    let mut rules: Vec<&Terms> = rules.filter(|rule| rule.fits(world, act, right, asker)).collect();
    rules.sort_by_key(|rule| (std::cmp::Reverse(rule.specificity(world)), rule.id));
    let mut effective = Effective::weighed(act, Weigh { world, rules, traces: Vec::new() });
    effective.usual.0 = effective.usual.0.min(effective.longest.0);
    effective
}

impl Effective {
    /// Where the value of a setting came from; none in a demand that was frozen before there was such a setting.
    pub(crate) fn trace<S: Setting>(&self) -> Option<&Trace> {
        self.traces.iter().find(|trace| trace.setting == S::NAME)
    }
}

/// Weighs the rules that fit, setting by setting.
pub(super) struct Weigh<'w> {
    world: &'w World,
    /// Those that fit, most specific first.
    rules: Vec<&'w Terms>,
    traces: Vec<Trace>,
}

impl Weigh<'_> {
    /// Where each came from.
    pub(super) fn traces(self) -> Vec<Trace> {
        self.traces
    }

    /// What holds of one setting.
    pub(super) fn setting<S: Setting>(&mut self, act: Act, get: impl Fn(&Settings) -> Option<&S>) -> S {
        let set: Vec<(&Terms, &S)> =
            self.rules.iter().filter_map(|rule| get(&rule.settings).map(|value| (*rule, value))).collect();
        // What a target says of itself never decides, so that one that lies gains nothing.
        let winner = set.iter().find(|(rule, _)| rule.attributes.is_empty());
        let won = winner.map(|(rule, _)| rule.id);
        let rank = winner.map(|(rule, _)| rule.specificity(self.world));
        let mut value = winner.map_or_else(|| S::house_default(act), |(_, value)| (*value).clone());
        let mut trace =
            Trace { setting: S::NAME.to_owned(), rule: won, tightened_by: Vec::new(), passed_over: Vec::new() };
        for (rule, other) in set.iter().filter(|(rule, _)| Some(rule.id) != won) {
            trace.passed_over.push(rule.id);
            let by_report = !rule.attributes.is_empty();
            let is_pinned = || rule.pins.iter().any(|pin| pin == S::NAME);
            if !by_report && Some(rule.specificity(self.world)) != rank && !is_pinned() {
                continue;
            }
            let tighten = if by_report { S::tightened_by_report } else { S::stricter };
            let tightened = tighten(value.clone(), (*other).clone());
            if tightened != value {
                trace.tightened_by.push(rule.id);
                value = tightened;
            }
        }
        self.traces.push(trace);
        value
    }
}

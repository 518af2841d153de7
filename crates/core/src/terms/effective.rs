//! What holds for one ask, of all rules that fit it. Each setting is decided alone, by [`PRECEDENCE`]; the trace says which
//! rule won it and which tightened it.

use std::{borrow::Cow, cell::OnceCell, collections::BTreeSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Act, Effective, Setting, Settings, Terms};
use crate::{Right, Role, ScopeId, SubjectId, SubjectKind, Target, TermsId, Words, World};

/// The order in which rules are weighed, as shown to people.
pub const PRECEDENCE: &str = "For each setting, of the rules that fit and set it: the deepest scope wins; at one scope, a rule \
that names the role before one that names a weight before one for any role; then one that names labels before one \
that names none; then one that names the person before one for a group before one for anyone; then the stricter. A \
setting that a rule above pins may be tightened below, never relaxed. What no rule says of extending holds as it does \
of elevating, and what is pinned there holds here. What no rule sets comes from the house's own \
defaults. A rule that goes by what targets say of themselves only tightens.";

/// Where one setting's value came from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Trace {
    /// Name of the setting.
    pub setting: Cow<'static, str>,
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
    Asked::of(world, act, right, asker).map_or_else(|| Effective::of_none(act), |asked| asked.weighed(asked.rules()))
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
    Asked::of(world, act, right, asker).map_or_else(|| Effective::of_none(act), |asked| asked.weighed(rules))
}

/// The terms that hold for an act at a place by somebody. Of all rules those are about it that name neither a role nor a system.
#[must_use]
pub fn effective_at(world: &World, act: Act, scope: ScopeId, person: SubjectId) -> Effective {
    let asked = Asked::at(world, act, scope, person);
    asked.weighed(asked.rules())
}

/// The terms that would hold there if `rules` were all there are.
#[must_use]
pub fn effective_at_under<'w>(
    world: &'w World,
    rules: impl Iterator<Item = &'w Terms>,
    act: Act,
    scope: ScopeId,
    person: SubjectId,
) -> Effective {
    Asked::at(world, act, scope, person).weighed(rules)
}

/// How specific a rule is, the most specific the greatest: by whether it is about the act itself, the depth of its scope, its
/// role or weight, its labels, its asker.
type Rank = (bool, usize, u8, bool, u8);

/// What rules are held against: looked up once, however many rules there are.
struct Asked<'w> {
    world: &'w World,
    act: Act,
    asker: SubjectId,
    /// None where it is about a place.
    role: Option<&'w Role>,
    target: Option<&'w Target>,
    /// Where the right is, and every scope above that; the root last.
    upwards: Vec<ScopeId>,
    /// What the role is called.
    role_name: OnceCell<Option<&'w str>>,
    /// Groups that give the asker what they hold. Not every set of rules asks for them.
    groups: OnceCell<BTreeSet<SubjectId>>,
}

impl<'w> Asked<'w> {
    /// None where the right is of no role or target that there is: no rule fits it then.
    fn of(world: &'w World, act: Act, right: Right, asker: SubjectId) -> Option<Self> {
        let (role, target) = (world.roles.get(&right.role)?, world.target_of(right.scope)?);
        let upwards = world.upwards(right.scope).map(|scope| scope.id).collect();
        Some(Self {
            world,
            act,
            asker,
            role: Some(role),
            target: Some(target),
            upwards,
            role_name: OnceCell::new(),
            groups: OnceCell::new(),
        })
    }

    /// About a place, whatever is there.
    fn at(world: &'w World, act: Act, scope: ScopeId, asker: SubjectId) -> Self {
        let upwards = world.upwards(scope).map(|scope| scope.id).collect();
        Self {
            world,
            act,
            asker,
            role: None,
            target: None,
            upwards,
            role_name: OnceCell::new(),
            groups: OnceCell::new(),
        }
    }

    /// Every rule that may fit: those at the scopes above, of however many there are.
    fn rules(&self) -> impl Iterator<Item = &'w Terms> {
        self.upwards.iter().flat_map(|scope| self.world.terms_at(*scope))
    }

    /// What holds of all rules that fit.
    fn weighed(&self, rules: impl Iterator<Item = &'w Terms>) -> Effective {
        let mut rules: Vec<(Rank, &Terms)> = rules.filter_map(|rule| Some((self.rank(rule)?, rule))).collect();
        rules.sort_by_key(|(rank, rule)| (std::cmp::Reverse(*rank), rule.id));
        let mut effective = Effective::weighed(self.act, Weigh { rules, traces: Vec::new() });
        effective.usual.0 = effective.usual.0.min(effective.longest.0);
        // Whoever makes somebody eligible is not the one whom its rules are about.
        if self.act != Act::BeMadeEligible {
            let holds = |name: &String| {
                self.world.assurances.get(name).is_none_or(|assurance| assurance.holds_for(self.world, self.asker))
            };
            effective.assured.0.retain(holds);
        }
        effective
    }

    /// How specific a rule is; none where it doesn't fit.
    fn rank(&self, rule: &Terms) -> Option<Rank> {
        let above = self.upwards.iter().position(|scope| *scope == rule.scope)?;
        let depth = self.upwards.len() - 1 - above;
        let is_of_role = |name: &Words| self.role.is_some_and(|role| self.is_called(role, name));
        let fits = rule.is_in_force()
            && (rule.act == self.act || Some(rule.act) == self.act.follows())
            && rule.weight.is_none_or(|weight| self.role.is_some_and(|it| it.weight == weight))
            && rule.role.as_ref().is_none_or(is_of_role)
            && match self.target {
                Some(target) => target.has(&rule.labels, &rule.attributes),
                None => rule.labels.is_empty() && rule.attributes.is_empty(),
            }
            && rule.asker.is_none_or(|who| self.is_asker(who));
        if !fits {
            return None;
        }
        let role = if rule.role.is_some() { 2 } else { u8::from(rule.weight.is_some()) };
        let asker = match rule.asker.and_then(|id| self.world.subjects.get(&id)) {
            Some(subject) if subject.kind == SubjectKind::Group => 1,
            Some(_) => 2,
            None => 0,
        };
        Some((rule.act == self.act, depth, role, !rule.labels.is_empty(), asker))
    }

    /// Whether a role is called so: as far as that is known, and known to be the same where it isn't.
    fn is_called(&self, role: &'w Role, name: &Words) -> bool {
        let called = *self.role_name.get_or_init(|| self.world.known_words(&role.name));
        role.name == *name || called.is_some_and(|called| self.world.known_words(name) == Some(called))
    }

    fn is_asker(&self, who: SubjectId) -> bool {
        who == self.asker || self.groups.get_or_init(|| self.world.groups_above(self.asker)).contains(&who)
    }
}

impl Terms {
    /// Whether it says anything about an act on a right by an asker.
    #[must_use]
    pub fn fits(&self, world: &World, act: Act, right: Right, asker: SubjectId) -> bool {
        Asked::of(world, act, right, asker).is_some_and(|asked| asked.rank(self).is_some())
    }
}

impl Effective {
    /// What the house holds where no rule fits.
    fn of_none(act: Act) -> Self {
        Self::weighed(act, Weigh { rules: Vec::new(), traces: Vec::new() })
    }

    /// Where the value of a setting came from; none in a demand that was frozen before there was such a setting.
    pub(crate) fn trace<S: Setting>(&self) -> Option<&Trace> {
        self.traces.iter().find(|trace| trace.setting == S::NAME)
    }
}

/// Weighs the rules that fit, setting by setting.
pub(super) struct Weigh<'w> {
    /// Those that fit, most specific first.
    rules: Vec<(Rank, &'w Terms)>,
    traces: Vec<Trace>,
}

impl<'w> Weigh<'w> {
    /// Where each came from.
    pub(super) fn traces(self) -> Vec<Trace> {
        self.traces
    }

    /// What holds of one setting.
    pub(super) fn setting<S: Setting>(&mut self, act: Act, get: impl Fn(&Settings) -> Option<&S>) -> S {
        if !S::is_about(act) {
            return S::house_default(act);
        }
        let sets = |(rank, rule): &(Rank, &'w Terms)| get(&rule.settings).map(|value| (*rank, *rule, value));
        let set = || self.rules.iter().filter_map(sets);
        // What a target says of itself never decides, so that one that lies gains nothing.
        let winner = set().find(|(_, rule, _)| rule.attributes.is_empty());
        let (won, best) = (winner.map(|(_, rule, _)| rule.id), winner.map(|(rank, ..)| rank));
        let mut value = winner.map_or_else(|| S::house_default(act), |(.., value)| (*value).clone());
        let mut trace =
            Trace { setting: Cow::Borrowed(S::NAME), rule: won, tightened_by: Vec::new(), passed_over: Vec::new() };
        for (rank, rule, other) in set().filter(|(_, rule, _)| Some(rule.id) != won) {
            trace.passed_over.push(rule.id);
            let by_report = !rule.attributes.is_empty();
            let is_pinned = || rule.pins.iter().any(|pin| pin == S::NAME);
            if !by_report && Some(rank) != best && !is_pinned() {
                continue;
            }
            let tighten = if by_report { S::tightened_by_report } else { S::stricter };
            let tightened = tighten(value.clone(), other.clone());
            if tightened != value {
                trace.tightened_by.push(rule.id);
                value = tightened;
            }
        }
        self.traces.push(trace);
        value
    }
}

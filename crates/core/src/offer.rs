//! What somebody sees of what they aren't eligible for, and may ask to be made so: what terms offer to them.

use std::collections::BTreeSet;

use jiff::Timestamp;

use crate::{
    Act, OfferRule, Refusal, Right, Role, ScopeId, Seconds, Stage, SubjectId, World, appointment::making,
    effective_terms, terms::ReasonRule,
};

/// What asking to be made eligible takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OfferTakes {
    /// For how long at most.
    pub longest: Option<Seconds>,
    /// How many letters and digits a reason has at least, where one is wanted.
    pub reason: Option<u16>,
    /// Who is asked, stage by stage.
    pub stages: Vec<Stage>,
}

impl World {
    /// Whether terms offer a right to somebody.
    #[must_use]
    pub fn is_offered(&self, right: Right, to: SubjectId) -> bool {
        self.terms.values().any(|rule| rule.settings.offered == Some(OfferRule::Open))
            && self.roles.get(&right.role).is_some_and(|role| !role.gone)
            && effective_terms(self, Act::BeMadeEligible, right, to).offered == OfferRule::Open
    }

    /// Whether somebody is eligible for a right already: themselves, or through a group.
    pub(crate) fn is_eligible(&self, right: Right, who: SubjectId, now: Timestamp) -> bool {
        self.eligibilities_of(who).any(|held| {
            held.right.role == right.role
                && self.is_within(right.scope, held.right.scope)
                && held.until.is_none_or(|until| until > now)
        })
    }

    /// What terms offer to somebody, each as wide as it is, of what they aren't eligible for.
    #[must_use]
    pub fn offered_to(&self, who: SubjectId, now: Timestamp) -> Vec<Right> {
        let rules = self.terms.values().filter(|rule| rule.settings.offered.is_some());
        let places: BTreeSet<ScopeId> = rules.map(|rule| rule.scope).collect();
        let mut offered = Vec::new();
        for role in self.roles.values().filter(|_| !places.is_empty()) {
            let at = |scope| Right { role: role.id, scope };
            let mut open: Vec<ScopeId> =
                self.places_of(role, &places).filter(|place| self.is_offered(at(*place), who)).collect();
            let all = open.clone();
            open.retain(|place| !all.iter().any(|wider| wider != place && self.is_within(*place, *wider)));
            offered.extend(open.into_iter().map(at).filter(|right| !self.is_eligible(*right, who, now)));
        }
        offered
    }

    /// Where a role is, and each of some places below.
    fn places_of<'w>(&'w self, role: &'w Role, places: &'w BTreeSet<ScopeId>) -> impl Iterator<Item = ScopeId> + 'w {
        let below = places.iter().copied().filter(|place| *place != role.target && self.is_within(*place, role.target));
        std::iter::once(role.target).chain(below)
    }
}

/// What it takes that somebody is made eligible who asks for that, or that a group of theirs is.
///
/// # Errors
/// Where nobody could say yes.
pub fn offer_takes(
    world: &World,
    by: SubjectId,
    subject: SubjectId,
    right: Right,
    now: Timestamp,
) -> Result<OfferTakes, Refusal> {
    let made = making(world, Some(by), subject, &[right], true, now)?;
    let reason = match made.reason {
        ReasonRule::Required { at_least } => Some(at_least.max(1)),
        _ => None,
    };
    Ok(OfferTakes { longest: made.longest.map(|(longest, _)| longest), reason, stages: made.stages })
}

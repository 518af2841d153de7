//! Debriefs: somebody other than the holder looks at what was done under an elevation and signs it off, or it goes higher.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Approver, DebriefRefusal, DebriefRule, DebriefTerms, Elevation, Refusal, Seconds, Setting as _, SubjectId,
    World,
    approvers::{Concern, Free, who_may_answer},
    effective_terms,
    text::Digest,
};

/// What somebody found who looked at what was done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Finding {
    /// It was what it was asked for.
    InOrder,
    /// It was not; the word says what.
    NotInOrder,
}

impl Finding {
    /// In words.
    #[must_use]
    pub const fn words(self) -> &'static str {
        match self {
            Self::InOrder => "in order",
            Self::NotInOrder => "not in order",
        }
    }
}

/// That somebody looked at what was done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct SignOff {
    /// Who.
    pub by: SubjectId,
    /// When.
    pub at: Timestamp,
    /// What they found.
    pub finding: Finding,
    /// What they say of it; always there where it was not in order.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub word: Option<Digest>,
}

/// What was done under an elevation that is over, to be looked at.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Debrief {
    /// Who may look at it: fixed at its end, and only shrinks, but for those it goes higher to.
    pub by: BTreeSet<SubjectId>,
    /// When it goes higher.
    pub until: Timestamp,
    /// How often it went higher.
    #[serde(default, skip_serializing_if = "is_never")]
    pub higher: u16,
    /// Who signed it off.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signed: Option<SignOff>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde hands it so")]
const fn is_never(times: &u16) -> bool {
    *times == 0
}

impl Debrief {
    /// Whether somebody has yet to look.
    #[must_use]
    pub const fn is_open(&self) -> bool {
        self.signed.is_none()
    }
}

impl Elevation {
    /// The debrief that somebody has yet to sign off.
    #[must_use]
    pub fn open_debrief(&self) -> Option<&Debrief> {
        self.debrief.as_ref().filter(|debrief| debrief.is_open())
    }

    /// Whether it is over, and nobody has to look at it any more.
    #[must_use]
    pub fn is_closed(&self) -> bool {
        self.is_over() && self.open_debrief().is_none()
    }
}

/// Who looks at what was done under an elevation, and by when, by the stricter of then and now; none where nobody has to.
pub(crate) fn debrief_terms(world: &World, elevation: &Elevation) -> Option<DebriefTerms> {
    let now = effective_terms(world, Act::Elevate, elevation.right, elevation.holder).debrief;
    let then = world.demand_of(elevation.id).map(|demand| demand.terms.debrief.clone()).unwrap_or_default();
    match DebriefRule::stricter(now, then) {
        DebriefRule::None => None,
        DebriefRule::Wanted(terms) => Some(terms),
    }
}

/// Of those named, whoever may look at what was done.
pub(crate) fn who_may_debrief(
    world: &World,
    named: &[Approver],
    elevation: &Elevation,
    now: Timestamp,
) -> BTreeSet<SubjectId> {
    let concern = Concern::of(elevation);
    who_may_answer(world, named, (concern, &Free::of(world, concern, now)), now)
}

/// How long after it went higher it does so again.
pub(crate) fn again_after(terms: &DebriefTerms) -> Seconds {
    terms.within.max(Seconds::hours(24))
}

/// Refuses whoever may not sign off what was done under an elevation.
///
/// # Errors
/// Says why.
pub fn ensure_may_debrief(
    world: &World,
    elevation: &Elevation,
    person: SubjectId,
    now: Timestamp,
) -> Result<(), Refusal> {
    let id = elevation.id;
    let Some(debrief) = &elevation.debrief else { return Err(DebriefRefusal::NothingToDebrief { id }.into()) };
    if let Some(signed) = debrief.signed {
        return Err(DebriefRefusal::DebriefedAlready { id, at: signed.at }.into());
    }
    if [elevation.asker, elevation.holder].iter().any(|one| world.human(*one) == world.human(person)) {
        return Err(DebriefRefusal::OwnDebrief { id }.into());
    }
    if !debrief.by.contains(&person) {
        return Err(DebriefRefusal::NotYourDebrief { id }.into());
    }
    let still = |terms: DebriefTerms| {
        let higher = terms.higher.iter().filter(|_| debrief.higher > 0);
        let named: Vec<Approver> = terms.by.iter().chain(higher).copied().collect();
        who_may_debrief(world, &named, elevation, now).contains(&person)
    };
    if debrief_terms(world, elevation).is_some_and(still) {
        return Ok(());
    }
    Err(DebriefRefusal::NoLongerYourDebrief { id }.into())
}

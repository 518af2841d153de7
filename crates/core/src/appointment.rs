//! Appointments: making somebody eligible, which is itself an act under terms; a renewal, or cover for an absence.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, AppointmentId, Approval, Approver, Elevation, Eligibility, EligibilityId, EligibilityRefusal, Longest,
    ReasonRule, Refusal, Right, Seconds, Stage, StageTerms, Stages, SubjectId, Surety, World,
    approval::one_or_several,
    approvers::{Concern, Shortage, asked_in_stages, shortage},
    assurance::FOR_A_STEP,
    demand::refuse_own_terms,
    effective_terms, later, own_rights,
    text::Digest,
};

/// How long owners and administrators have to answer a wish, where no terms say otherwise.
const WISH_WITHIN: Seconds = Seconds::hours(24 * 7);

/// Where an appointment stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum AppointmentState {
    /// Somebody has still to say yes.
    Waiting,
    /// Done: whoever was appointed may ask.
    Made,
    /// An approver said no.
    Refused,
    /// Taken back before it was made.
    Withdrawn,
    /// Nobody answered in time.
    Unanswered,
    /// A cover whose time is over.
    Over,
}

impl AppointmentState {
    /// The state as people read it.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Made => "made",
            Self::Refused => "refused",
            Self::Withdrawn => "withdrawn",
            Self::Unanswered => "unanswered",
            Self::Over => "over",
        }
    }
}

/// Making one subject eligible for some rights.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Appointment {
    /// Its id.
    pub id: AppointmentId,
    /// Who wished it; none where the machine did.
    pub by: Option<SubjectId>,
    /// When.
    pub at: Timestamp,
    /// Who may ask, once it is made.
    pub subject: SubjectId,
    /// For what.
    pub rights: Vec<Right>,
    /// From when.
    pub from: Timestamp,
    /// Until when, where it ends.
    pub until: Option<Timestamp>,
    /// Why.
    pub reason: Option<Digest>,
    /// For whom they stand in.
    pub covers: Option<SubjectId>,
    /// Who has to say yes, stage by stage; none where nobody has to.
    #[serde(rename = "stage", with = "one_or_several")]
    pub stages: Stages,
    /// Where it stands.
    pub state: AppointmentState,
    /// When it was over, where it is.
    pub over_at: Option<Timestamp>,
    /// What it made, or changed in place.
    pub made: Vec<EligibilityId>,
}

impl Appointment {
    /// What an approver looked at, which their answer carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(&(self.id, self.subject, &self.rights, self.from, self.until, self.reason, self.covers))
    }

    /// Whether it waits for this person's answer.
    #[must_use]
    pub fn waits_for(&self, person: SubjectId) -> bool {
        self.state == AppointmentState::Waiting && self.stages.open().is_some_and(|stage| stage.waits_for(person))
    }

    /// Every elevation that rests on what it made, for the account of a cover.
    pub fn elevations<'w>(&self, world: &'w World) -> impl Iterator<Item = &'w Elevation> {
        let made: BTreeSet<EligibilityId> = self.made.iter().copied().collect();
        world.elevations.values().filter(move |elevation| made.contains(&elevation.eligibility))
    }
}

/// Whether an eligibility only covers for somebody's absence.
pub(crate) fn is_cover(world: &World, held: &Eligibility) -> bool {
    held.by.and_then(|id| world.appointments.get(&id)).is_some_and(|appointment| appointment.covers.is_some())
}

/// Refuses an eligibility that would last longer than `longest` from `from` on.
pub(crate) fn ensure_lasts(
    world: &World,
    (longest, right): (Seconds, Right),
    from: Timestamp,
    until: Option<Timestamp>,
) -> Result<(), Refusal> {
    if until.is_some_and(|until| until <= later(from, longest)) {
        return Ok(());
    }
    Err(EligibilityRefusal::LastsTooLong { right: world.right_name(right), longest }.into())
}

/// What making somebody eligible demands, of several rights together the strictest.
pub(crate) struct Making {
    /// How long it may last, and the right whose terms say so; none where it may have no end.
    pub(crate) longest: Option<(Seconds, Right)>,
    /// Whether a reason is needed.
    pub(crate) reason: ReasonRule,
    /// How sure it must be of whoever makes it.
    pub(crate) takes: Surety,
    /// Who has to say yes, stage by stage; none where nobody has to.
    pub(crate) stages: Vec<Stage>,
}

/// How long `subject` may be eligible for `right`; none where no terms limit it.
#[must_use]
pub(crate) fn longest_eligibility(world: &World, subject: SubjectId, right: Right) -> Option<Seconds> {
    let terms = effective_terms(world, Act::BeMadeEligible, right, subject);
    let is_set = terms.trace::<Longest>().is_some_and(|trace| trace.rule.is_some());
    is_set.then_some(terms.longest.0)
}

/// Works out what it demands that `subject` be made eligible for `rights`. `wished` where whoever is behind it is no
/// administrator of them all: then somebody has to say yes, whatever the terms.
///
/// # Errors
/// Refuses where nobody could say yes.
pub(crate) fn making(
    world: &World,
    by: Option<SubjectId>,
    subject: SubjectId,
    rights: &[Right],
    wished: bool,
    now: Timestamp,
) -> Result<Making, Refusal> {
    let takes = Surety::within(FOR_A_STEP);
    let mut making = Making { longest: None, reason: ReasonRule::Hidden, takes, stages: Vec::new() };
    for right in rights {
        let terms = effective_terms(world, Act::BeMadeEligible, *right, subject);
        let longest = longest_eligibility(world, subject, *right).map(|longest| (longest, *right));
        making.longest = [making.longest, longest].into_iter().flatten().min_by_key(|(longest, _)| *longest);
        making.reason = making.reason.max(terms.reason);
        making.takes = making.takes.and(Surety::of(&terms));
        // Whoever gains by it does not do without a yes by terms of their own making.
        if let Some(by) = by.filter(|_| terms.approval == Approval::None)
            && world.people_in(subject).iter().any(|one| world.human(*one) == world.human(by))
        {
            refuse_own_terms(world, &terms, by, now)?;
        }
        // What nobody need be asked about when an administrator does it is answered by whoever owns it, or administers it.
        let by_the_house = || {
            let approvers = vec![Approver::Owners, Approver::Administrators];
            StageTerms { approvers, within: WISH_WITHIN, ..StageTerms::default() }.into()
        };
        let approval = if wished && terms.approval == Approval::None { by_the_house() } else { terms.approval };
        // Whoever would be made eligible answers no more than whoever wished it.
        let parties: Vec<SubjectId> = by.into_iter().chain(world.people_in(subject)).collect();
        let concern = Concern { scope: right.scope, wider: None, holder: subject, parties: &parties };
        let asked = asked_in_stages(world, &approval, concern, now);
        let stages = approval.stages().iter().zip(asked).map(|(terms, asked)| Stage::of(terms, asked));
        making.stages = both(making.stages, stages.collect());
    }
    match shortage(world, &making.stages) {
        None => Ok(making),
        Some(Shortage::Stage { stage, yes, free }) => {
            Err(EligibilityRefusal::TooFewToAppoint { stage, yes, free }.into())
        }
        Some(Shortage::Together { humans }) => Err(EligibilityRefusal::TooFewTogetherToAppoint { humans }.into()),
    }
}

/// Stages that satisfy two.
fn both(one: Vec<Stage>, other: Vec<Stage>) -> Vec<Stage> {
    let (mut one, mut other) = (one.into_iter(), other.into_iter());
    std::iter::from_fn(|| match (one.next(), other.next()) {
        (Some(one), Some(other)) => Some(both_of(&one, &other)),
        (one, other) => one.or(other),
    })
    .collect()
}

fn both_of(one: &Stage, other: &Stage) -> Stage {
    Stage {
        approvers: one.approvers.intersection(&other.approvers).copied().collect(),
        yes: one.yes.max(other.yes),
        no: one.no.min(other.no),
        within: one.within.min(other.within),
        until: None,
        onward: one.onward.intersection(&other.onward).copied().collect(),
        away: one.away.iter().chain(&other.away).copied().collect(),
        answers: Vec::new(),
    }
}

/// What a stand-in has to be made eligible for to cover for `absent` from `from` until `until`: all that they may ask
/// for themselves, without what `stand_in` may ask for that long already, and without what they only cover in turn.
#[must_use]
pub fn rights_to_cover(
    world: &World,
    absent: SubjectId,
    stand_in: SubjectId,
    from: Timestamp,
    until: Timestamp,
) -> Vec<Right> {
    let has = |right: Right| {
        world.eligibilities_of(stand_in).any(|held| {
            held.right.role == right.role
                && world.is_within(right.scope, held.right.scope)
                && held.holds(from)
                && held.until.is_none_or(|end| end >= until)
        })
    };
    own_rights(world, absent, from)
        .into_iter()
        .filter(|held| held.holds(from) && !is_cover(world, held) && !has(held.right))
        .map(|held| held.right)
        .collect()
}

//! Whether somebody must say yes, and who: stage by stage.

mod written;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use written::{NextStage, WrittenApproval, WrittenOnward, WrittenStage};
pub(super) use written::{read_approvers, write_approvers};

use crate::{Act, Hours, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World, later, terms::setting::Setting};

/// How many stages there may be.
const STAGES_MOST: usize = 5;
/// How many yes or no one of them may take.
const ANSWERS_MOST: u16 = 50;

/// Who may answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "who")]
pub enum Approver {
    /// A person, or the members of a group.
    Subject {
        /// Which.
        id: SubjectId,
    },
    /// The administrators of the scope.
    Administrators,
    /// Whoever owns the scope: of it and those above, the nearest that is anybody's.
    Owners,
    /// The manager of whoever would hold it.
    Manager,
}

impl Approver {
    /// The person or group that it names.
    pub(crate) const fn subject(&self) -> Option<SubjectId> {
        match self {
            Self::Subject { id } => Some(*id),
            Self::Administrators | Self::Owners | Self::Manager => None,
        }
    }
}

/// Who is asked as well, once a stage has waited for its time.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "to")]
pub enum Onward {
    /// Nobody: it is over then, unanswered.
    #[default]
    Nobody,
    /// Those of the stage that follows.
    NextStage,
    /// Others.
    Others {
        /// Who.
        approvers: Vec<Approver>,
    },
}

impl Onward {
    fn is_nobody(&self) -> bool {
        *self == Self::Nobody
    }

    /// Of two, the one that asks fewer people.
    fn stricter(below: &Self, above: &Self) -> Self {
        match (below, above) {
            (Self::Others { approvers }, Self::Others { approvers: from })
                if approvers.iter().all(|approver| from.contains(approver)) =>
            {
                below.clone()
            }
            _ if below == above => above.clone(),
            _ => Self::Nobody,
        }
    }
}

/// What one stage of approval takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StageTerms {
    /// Who may decide.
    pub approvers: Vec<Approver>,
    /// How many yes settle it.
    pub yes: u16,
    /// How many no settle it.
    pub no: u16,
    /// How long before it runs out unanswered, or others are asked as well.
    pub within: Seconds,
    /// Who those are.
    #[serde(default, skip_serializing_if = "Onward::is_nobody")]
    pub onward: Onward,
    /// Whether whoever covers for one of them answers in their place.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub cover: bool,
}

impl Default for StageTerms {
    /// One of the administrators, within the working day.
    fn default() -> Self {
        let approvers = vec![Approver::Administrators];
        Self { approvers, yes: 1, no: 1, within: Seconds::hours(8), onward: Onward::Nobody, cover: false }
    }
}

/// Of those whom two rules name, the ones that are left. Only a choice among those above counts as tightening; other people would
/// be a way around them.
pub(super) fn narrowed(below: &[Approver], above: &[Approver]) -> Vec<Approver> {
    if names_someone_new(below, above) { above.to_vec() } else { below.to_vec() }
}

pub(super) fn names_someone_new(after: &[Approver], before: &[Approver]) -> bool {
    after.iter().any(|one| !before.contains(one))
}

impl StageTerms {
    /// Everybody whom it may come to.
    pub(crate) fn named<'s>(&'s self, next: Option<&'s Self>) -> impl Iterator<Item = &'s Approver> {
        self.approvers.iter().chain(self.onward_to(next))
    }

    /// Whom it comes to once its time has passed; `next` is the stage that follows.
    pub(crate) fn onward_to<'s>(&'s self, next: Option<&'s Self>) -> &'s [Approver] {
        match &self.onward {
            Onward::Nobody => &[],
            Onward::NextStage => next.map_or(&[], |next| &next.approvers),
            Onward::Others { approvers } => approvers,
        }
    }

    fn is_empty(&self) -> bool {
        let onward = matches!(&self.onward, Onward::Others { approvers } if approvers.is_empty());
        self.approvers.is_empty() || self.yes == 0 || self.no == 0 || self.within.0 == 0 || onward
    }

    fn stricter(below: &Self, above: &Self) -> Self {
        Self {
            approvers: narrowed(&below.approvers, &above.approvers),
            yes: below.yes.max(above.yes),
            no: below.no.min(above.no),
            within: below.within.min(above.within),
            onward: Onward::stricter(&below.onward, &above.onward),
            cover: below.cover && above.cover,
        }
    }

    fn tightened_by_report(set: &Self, reported: &Self) -> Self {
        let both: Vec<Approver> =
            set.approvers.iter().filter(|approver| reported.approvers.contains(approver)).copied().collect();
        let approvers = if both.is_empty() { set.approvers.clone() } else { both };
        Self::stricter(set, &Self { approvers, ..reported.clone() })
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        let others = |stage: &Self| match &stage.onward {
            Onward::Others { approvers } => approvers.clone(),
            Onward::Nobody | Onward::NextStage => Vec::new(),
        };
        self.yes < before.yes
            || self.no > before.no
            || names_someone_new(&self.approvers, &before.approvers)
            || names_someone_new(&others(self), &others(before))
            || self.onward == Onward::NextStage && before.onward != Onward::NextStage
            || self.cover && !before.cover
    }
}

/// Whether somebody must say yes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(from = "KeptApproval", into = "KeptApproval")]
#[schemars(with = "KeptApproval")]
pub enum Approval {
    /// Nobody need be asked.
    None,
    /// One stage after another; each settled by people of its own.
    Stages(Vec<StageTerms>),
    /// These outside of some hours; nobody need be asked for what lies within them.
    OutsideHours {
        /// The hours.
        hours: Hours,
        /// The stages.
        stages: Vec<StageTerms>,
    },
}

/// As facts have it: one stage stands by itself, as it did before there could be more.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
#[schemars(rename = "Approval")]
enum KeptApproval {
    /// Nobody need be asked.
    None,
    /// One stage.
    Stage(StageTerms),
    /// Several, one after another.
    Stages {
        /// Which.
        stages: Vec<StageTerms>,
    },
    /// These, outside of some hours.
    OutsideHours {
        /// The hours.
        hours: Hours,
        /// Which.
        stages: Vec<StageTerms>,
    },
}

impl From<KeptApproval> for Approval {
    fn from(kept: KeptApproval) -> Self {
        match kept {
            KeptApproval::None => Self::None,
            KeptApproval::Stage(stage) => stage.into(),
            KeptApproval::Stages { stages } => Self::Stages(stages),
            KeptApproval::OutsideHours { hours, stages } => Self::OutsideHours { hours, stages },
        }
    }
}

impl From<Approval> for KeptApproval {
    fn from(approval: Approval) -> Self {
        match approval {
            Approval::None => Self::None,
            Approval::Stages(mut stages) => match (stages.len(), stages.pop()) {
                (1, Some(stage)) => Self::Stage(stage),
                (_, last) => Self::Stages { stages: stages.into_iter().chain(last).collect() },
            },
            Approval::OutsideHours { hours, stages } => Self::OutsideHours { hours, stages },
        }
    }
}

impl From<StageTerms> for Approval {
    fn from(stage: StageTerms) -> Self {
        Self::Stages(vec![stage])
    }
}

impl Default for Approval {
    fn default() -> Self {
        StageTerms::default().into()
    }
}

impl Approval {
    /// Its stages; none where nobody need be asked.
    #[must_use]
    pub fn stages(&self) -> &[StageTerms] {
        match self {
            Self::None => &[],
            Self::Stages(stages) | Self::OutsideHours { stages, .. } => stages,
        }
    }

    /// What it comes to for what is held from a moment on for so long.
    #[must_use]
    pub(crate) fn of_time(self, from: Timestamp, lasts: Seconds) -> Self {
        match self {
            Self::OutsideHours { hours, stages } => match hours.open_until(from) {
                Some(until) if later(from, lasts) <= until => Self::None,
                _ => Self::Stages(stages),
            },
            other => other,
        }
    }

    /// When nobody need be asked: none where always somebody must.
    fn unasked(&self) -> Option<Hours> {
        match self {
            Self::None => Some(Hours::default()),
            Self::Stages(_) => None,
            Self::OutsideHours { hours, .. } => Some(hours.clone()),
        }
    }

    /// Each stage with the one that follows it.
    pub(crate) fn in_turn(&self) -> impl Iterator<Item = (&StageTerms, Option<&StageTerms>)> {
        let stages = self.stages();
        stages.iter().enumerate().map(|(at, stage)| (stage, stages.get(at + 1)))
    }

    /// Every stage of two, both of which are to be satisfied.
    fn each(one: &Self, other: &Self, both: impl Fn(&StageTerms, &StageTerms) -> StageTerms) -> Self {
        let unasked = one.unasked().zip(other.unasked());
        let (one, other) = (one.stages(), other.stages());
        let stages = (0..one.len().max(other.len())).filter_map(|at| match (one.get(at), other.get(at)) {
            (Some(one), Some(other)) => Some(both(one, other)),
            (one, other) => one.or(other).cloned(),
        });
        let stages: Vec<StageTerms> = stages.collect();
        let unasked = unasked.map(|(one, other)| Hours::stricter(one, other));
        match unasked {
            _ if stages.is_empty() => Self::None,
            Some(hours) => Self::OutsideHours { hours, stages },
            None => Self::Stages(stages),
        }
    }
}

impl Setting for Approval {
    const NAME: &'static str = "approval";

    type Written = WrittenApproval;

    /// An administrator makes somebody eligible alone.
    fn house_default(act: Act) -> Self {
        match act {
            Act::BeMadeEligible | Act::Answer | Act::Administer => Self::None,
            _ => Self::default(),
        }
    }

    fn is_about(act: Act) -> bool {
        !act.is_a_step()
    }

    fn stricter(below: Self, above: Self) -> Self {
        Self::each(&below, &above, StageTerms::stricter)
    }

    /// A target that lies about itself puts nobody in an approver's place: of those that other rules name it may leave fewer,
    /// or want more of their yes, or one more stage.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        Self::each(&set, &reported, StageTerms::tightened_by_report)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        let unasked_more = match (self.unasked(), before.unasked()) {
            (None, _) => false,
            (Some(_), None) => true,
            (Some(after), Some(before)) => after.demands_less_than(&before),
        };
        let (after, before) = (self.stages(), before.stages());
        unasked_more
            || after.len() < before.len()
            || after.iter().zip(before).any(|(after, before)| after.demands_less_than(before))
    }

    fn words(&self, world: &World) -> String {
        let said = |stage: &StageTerms| {
            let WrittenStage { approvers, yes, no, within, onward, cover } = stage.written(world);
            let then = match onward {
                None => String::new(),
                Some(WrittenOnward::Next(NextStage::NextStage)) => ", then from those of the next stage too".to_owned(),
                Some(WrittenOnward::Others(others)) => format!(", then from {} too", others.join(" or ")),
            };
            let or_cover = if cover { ", or whoever covers for them" } else { "" };
            format!("{yes} yes (or {no} no) within {within} from {}{or_cover}{then}", approvers.join(" or "))
        };
        let stages = match self.stages() {
            [] => "nobody need be asked".to_owned(),
            [stage] => said(stage),
            stages => {
                let numbered = (1..).zip(stages).map(|(number, stage)| format!("{number}. {}", said(stage)));
                numbered.collect::<Vec<_>>().join("; ")
            }
        };
        match self {
            Self::OutsideHours { hours, .. } => {
                format!("nobody need be asked {}; outside of that {stages}", hours.words(world))
            }
            Self::None | Self::Stages(_) => stages,
        }
    }

    fn check(&self, act: Act, settings: &Settings) -> Result<(), Refusal> {
        let stages = match self {
            Self::None => return Ok(()),
            Self::Stages(stages) => stages,
            Self::OutsideHours { .. } if act != Act::Elevate => {
                return Err(TermsRefusal::HoursOfHolding { act }.into());
            }
            Self::OutsideHours { hours, .. } if hours.0.is_empty() => return Err(TermsRefusal::UnaskedAlways.into()),
            Self::OutsideHours { hours, stages } => {
                hours.check(act, settings)?;
                stages
            }
        };
        if stages.is_empty() || stages.iter().any(StageTerms::is_empty) {
            return Err(TermsRefusal::EmptyApproval.into());
        }
        if stages.len() > STAGES_MOST {
            return Err(TermsRefusal::TooManyStages { stages: stages.len(), most: STAGES_MOST }.into());
        }
        if stages.iter().any(|stage| stage.yes.max(stage.no) > ANSWERS_MOST) {
            return Err(TermsRefusal::TooManyAnswers { most: ANSWERS_MOST }.into());
        }
        if stages.last().is_some_and(|last| last.onward == Onward::NextStage) {
            return Err(TermsRefusal::NoNextStage { stage: stages.len() }.into());
        }
        Ok(())
    }

    fn written(&self, world: &World) -> WrittenApproval {
        WrittenApproval::of(self, world)
    }

    fn read<E>(written: WrittenApproval, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
        written.read(find)
    }
}

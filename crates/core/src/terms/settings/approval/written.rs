//! Approval as people write it: who answers stands by name.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Approval, Approver, Onward, StageTerms};
use crate::{Hours, Seconds, SubjectId, World};

/// How people write the administrators of a scope, in a name's place. Nobody is called so.
const ADMINISTRATORS: &str = "administrators";
/// The owners of a scope. Names have no spaces, so nobody is called so.
const OWNERS: &str = "the owners";
/// The manager of whoever would hold it.
const MANAGER: &str = "the manager";

/// What one stage takes, as people write it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "StageTermsView")]
pub struct WrittenStage {
    /// Names of people and groups; `administrators` for those of the scope, `the owners` of it, `the manager` of whoever
    /// would hold it.
    pub approvers: Vec<String>,
    /// How many yes settle it.
    pub yes: u16,
    /// How many no settle it.
    pub no: u16,
    /// How long before it runs out unanswered, or others are asked as well, in seconds.
    pub within: Seconds,
    /// Who is asked as well then: others, named as `approvers` are, or those of the stage that follows. Where it is left out,
    /// it runs out.
    #[serde(default)]
    pub onward: Option<WrittenOnward>,
    /// Whether whoever covers for one of them answers in their place.
    #[serde(default)]
    pub cover: bool,
}

/// Who is asked as well once a stage has waited for its time, as people write it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
#[schemars(rename = "OnwardView")]
pub enum WrittenOnward {
    /// Those of the stage that follows.
    Next(NextStage),
    /// Others, by name.
    Others(Vec<String>),
}

/// Those of the stage that follows, in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NextStage {
    /// `next-stage`.
    NextStage,
}

/// Whether somebody must say yes, as people write it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is", deny_unknown_fields)]
#[schemars(rename = "ApprovalView")]
pub enum WrittenApproval {
    /// Nobody need be asked.
    None,
    /// One stage.
    Stage(WrittenStage),
    /// Several, one after another.
    Stages {
        /// Which; five at most.
        stages: Vec<WrittenStage>,
    },
    /// These outside of some hours; for what is held within them from its beginning to its end, nobody need be asked.
    OutsideHours {
        /// The hours, as the setting of that name has them; at least one week.
        hours: Hours,
        /// Which stages; five at most.
        stages: Vec<WrittenStage>,
    },
}

impl WrittenApproval {
    pub(super) fn of(approval: &Approval, world: &World) -> Self {
        let mut stages: Vec<WrittenStage> = approval.stages().iter().map(|stage| stage.written(world)).collect();
        match (approval, stages.len()) {
            (Approval::None, _) => Self::None,
            (Approval::OutsideHours { hours, .. }, _) => Self::OutsideHours { hours: hours.clone(), stages },
            (_, 1) => Self::Stage(stages.remove(0)),
            _ => Self::Stages { stages },
        }
    }

    pub(super) fn read<E>(self, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Approval, E> {
        let mut read = |stages: Vec<WrittenStage>| -> Result<Vec<StageTerms>, E> {
            stages.iter().map(|stage| StageTerms::read(stage, find)).collect()
        };
        Ok(match self {
            Self::None => Approval::None,
            Self::Stage(stage) => Approval::Stages(read(vec![stage])?),
            Self::Stages { stages } => Approval::Stages(read(stages)?),
            Self::OutsideHours { hours, stages } => Approval::OutsideHours { hours, stages: read(stages)? },
        })
    }
}

impl StageTerms {
    pub(super) fn written(&self, world: &World) -> WrittenStage {
        let names = |approvers: &[Approver]| write_approvers(approvers, world);
        let (next, others) = match &self.onward {
            Onward::Nobody => (None, None),
            Onward::NextStage => (Some(NextStage::NextStage), None),
            Onward::Others { approvers } => (None, Some(names(approvers))),
        };
        let approvers = names(&self.approvers);
        let onward = next.map(WrittenOnward::Next).or_else(|| others.map(WrittenOnward::Others));
        WrittenStage { approvers, yes: self.yes, no: self.no, within: self.within, onward, cover: self.cover }
    }

    fn read<E>(written: &WrittenStage, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
        let WrittenStage { approvers, yes, no, within, onward, cover } = written;
        let onward = match onward {
            None => Onward::Nobody,
            Some(WrittenOnward::Next(NextStage::NextStage)) => Onward::NextStage,
            Some(WrittenOnward::Others(names)) => Onward::Others { approvers: read_approvers(names, find)? },
        };
        let approvers = read_approvers(approvers, find)?;
        Ok(Self { approvers, yes: *yes, no: *no, within: *within, onward, cover: *cover })
    }
}

/// Approvers by name.
pub(in super::super) fn write_approvers(approvers: &[Approver], world: &World) -> Vec<String> {
    approvers.iter().map(|one| name(*one, world)).collect()
}

/// Approvers from their names.
pub(in super::super) fn read_approvers<E>(
    names: &[String],
    find: &mut impl FnMut(&str) -> Result<SubjectId, E>,
) -> Result<Vec<Approver>, E> {
    names.iter().map(|name| approver(name, find)).collect()
}

fn name(approver: Approver, world: &World) -> String {
    match approver {
        Approver::Subject { id } => world.subject_name(id),
        Approver::Administrators => ADMINISTRATORS.to_owned(),
        Approver::Owners => OWNERS.to_owned(),
        Approver::Manager => MANAGER.to_owned(),
    }
}

fn approver<E>(name: &str, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Approver, E> {
    match name {
        ADMINISTRATORS => Ok(Approver::Administrators),
        OWNERS => Ok(Approver::Owners),
        MANAGER => Ok(Approver::Manager),
        name => find(name).map(|id| Approver::Subject { id }),
    }
}

//! Whether somebody must say yes, and who.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Act, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World, terms::setting::Setting};

/// How people write the administrators of a scope, in a name's place.
const ADMINISTRATORS: &str = "administrators";

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
}

/// Whether somebody must say yes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum Approval {
    /// Nobody need be asked.
    None,
    /// One stage.
    Stage {
        /// Who may decide.
        approvers: Vec<Approver>,
        /// How many yes settle it.
        yes: u16,
        /// How many no settle it.
        no: u16,
        /// How long before it runs out unanswered.
        within: Seconds,
    },
}

/// Whether somebody must say yes, as people write it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is", deny_unknown_fields)]
#[schemars(rename = "ApprovalView")]
pub enum WrittenApproval {
    /// Nobody need be asked.
    None,
    /// One stage.
    Stage {
        /// Names of people and groups; `administrators` for those of the scope.
        approvers: Vec<String>,
        /// How many yes settle it.
        yes: u16,
        /// How many no settle it.
        no: u16,
        /// How long before it runs out unanswered, in seconds.
        within: Seconds,
    },
}

impl Default for Approval {
    fn default() -> Self {
        Self::Stage { approvers: vec![Approver::Administrators], yes: 1, no: 1, within: Seconds::hours(8) }
    }
}

impl Setting for Approval {
    const NAME: &'static str = "approval";

    type Written = WrittenApproval;

    /// An administrator makes somebody eligible alone.
    fn house_default(act: Act) -> Self {
        match act {
            Act::BeMadeEligible => Self::None,
            Act::Elevate | Act::Extend | Act::OpenSession | Act::SeeSecret => Self::default(),
        }
    }

    fn stricter(below: Self, above: Self) -> Self {
        let (
            Self::Stage { approvers, yes, no, within },
            Self::Stage { approvers: from, yes: least, no: most, within: longest },
        ) = (&below, &above)
        else {
            return if below == Self::None { above } else { below };
        };
        // Only a choice among those above counts as tightening; other people would be a way around them.
        let narrowed = approvers.iter().all(|approver| from.contains(approver));
        Self::Stage {
            approvers: if narrowed { approvers.clone() } else { from.clone() },
            yes: *yes.max(least),
            no: *no.min(most),
            within: *within.min(longest),
        }
    }

    /// A target that lies about itself puts nobody in an approver's place: of those that other rules name it may leave fewer,
    /// or want more of their yes.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        let (Self::Stage { approvers, .. }, Self::Stage { approvers: named, yes, no, within }) = (&set, &reported)
        else {
            return if set == Self::None { reported } else { set };
        };
        let both: Vec<Approver> = approvers.iter().filter(|approver| named.contains(approver)).copied().collect();
        let approvers = if both.is_empty() { approvers.clone() } else { both };
        Self::stricter(set, Self::Stage { approvers, yes: *yes, no: *no, within: *within })
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        match (before, self) {
            (Self::None, _) => false,
            (Self::Stage { .. }, Self::None) => true,
            (
                Self::Stage { approvers: before, yes: wanted, no: stopped, .. },
                Self::Stage { approvers: after, yes, no, .. },
            ) => yes < wanted || no > stopped || after.iter().any(|approver| !before.contains(approver)),
        }
    }

    fn words(&self, world: &World) -> String {
        match self.written(world) {
            WrittenApproval::None => "nobody need be asked".to_owned(),
            WrittenApproval::Stage { approvers, yes, no, within } => {
                format!("{yes} yes (or {no} no) within {within} from {}", approvers.join(" or "))
            }
        }
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        match self {
            Self::Stage { approvers, yes, no, within }
                if approvers.is_empty() || *yes == 0 || *no == 0 || within.0 == 0 =>
            {
                Err(TermsRefusal::EmptyApproval.into())
            }
            Self::Stage { .. } | Self::None => Ok(()),
        }
    }

    fn written(&self, world: &World) -> WrittenApproval {
        let Self::Stage { approvers, yes, no, within } = self else { return WrittenApproval::None };
        let name = |approver: &Approver| match approver {
            Approver::Subject { id } => world.subject_name(*id),
            Approver::Administrators => ADMINISTRATORS.to_owned(),
        };
        let approvers = approvers.iter().map(name).collect();
        WrittenApproval::Stage { approvers, yes: *yes, no: *no, within: *within }
    }

    fn read<E>(written: WrittenApproval, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
        let WrittenApproval::Stage { approvers, yes, no, within } = written else { return Ok(Self::None) };
        let named = |name: &String| match name.as_str() {
            ADMINISTRATORS => Ok(Approver::Administrators),
            name => find(name).map(|id| Approver::Subject { id }),
        };
        Ok(Self::Stage { approvers: approvers.iter().map(named).collect::<Result<_, _>>()?, yes, no, within })
    }
}

//! Subjects: people, groups, programs.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{SubjectId, text::Digest};

/// What a subject is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum SubjectKind {
    /// A human being.
    Person,
    /// A set of subjects; may nest.
    Group,
    /// Something that runs by itself.
    Program,
}

/// A person, group or program.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Subject {
    /// Its id.
    pub id: SubjectId,
    /// What it is.
    pub kind: SubjectKind,
    /// Name to sign in or be named by, unique; private for people.
    pub name: Digest,
    /// A person's full name, or what the group or program is for.
    pub about: Digest,
    /// The same human's first sign-in, where this is a second one (an account for administration).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub second_of: Option<SubjectId>,
    /// Suspended subjects may do and be given nothing.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub suspended: bool,
    /// A person's manager.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub manager: Option<SubjectId>,
    /// Who said so last, where that is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub manager_set: Option<ManagerSet>,
}

impl Subject {
    /// Who their manager is, as somebody looked at it before they change it.
    #[must_use]
    pub fn manager_digest(&self) -> Digest {
        Digest::of_json(&(self.id, self.manager, self.manager_set))
    }
}

/// Who said who somebody's manager is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct ManagerSet {
    /// Who; none where the source did that they come from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<SubjectId>,
    /// When.
    pub at: Timestamp,
}

/// That a subject belongs to a group, itself and not through another one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Membership {
    /// The group.
    pub group: SubjectId,
    /// Who belongs to it.
    pub member: SubjectId,
}

/// That one person had a hand in what makes another an approver, or in their credentials.
/// For a day, the touched one can't answer the toucher's asks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Influence {
    /// Who acted; none where it was done on the machine, by nobody we can name.
    pub by: Option<SubjectId>,
    /// Whose standing as an approver was touched.
    pub touched: SubjectId,
    /// When.
    pub at: Timestamp,
}

//! People, groups, programs, duties.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, DutyKind, SubjectKind};

/// Which people, groups and programs.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SubjectFilter {
    /// Only of this kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<SubjectKind>,
}

/// A person, group or program.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SubjectView {
    /// Id.
    pub id: String,
    /// What it is.
    pub kind: SubjectKind,
    /// Name.
    pub name: String,
    /// Full name, or what it is for.
    pub about: String,
    /// The same human's first sign-in, where this is a second.
    pub second_of: Option<String>,
    /// Whether it is suspended.
    pub suspended: bool,
    /// A person's manager.
    pub manager: Option<String>,
    /// Members, where it is a group.
    pub members: Vec<String>,
    /// Accounts on targets that the caller sees.
    pub accounts: Vec<AccountView>,
    /// Others whose names look like this one's at a glance.
    #[serde(default)]
    pub alike: Vec<String>,
}

/// Somebody's account on a target.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AccountView {
    /// Path of the target.
    pub target: String,
    /// The account's name there.
    pub account: String,
    /// Of the whole of it; a change says it with `If-Match`.
    pub digest: Digest,
}

/// A person, group or program to add.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSubject {
    /// What it is.
    pub kind: SubjectKind,
    /// Name.
    pub name: String,
    /// Full name, or what it is for.
    pub about: String,
    /// The same human's first sign-in, where this is a second.
    #[serde(default)]
    pub second_of: Option<String>,
}

/// A one-time secret with which a person sets password and TOTP; shown once.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct Enrolment {
    /// For whom.
    pub name: String,
    /// The secret.
    pub secret: String,
    /// Until when it is good.
    pub expires: Timestamp,
}

/// A member to add to a group.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewMember {
    /// Person, group or program.
    pub member: String,
}

/// Whose account is which.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewAccount {
    /// Path of the target.
    #[schemars(regex(pattern = r"^/"))]
    pub target: String,
    /// The account's name there.
    pub account: String,
}

/// Who somebody's manager is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ManagerView {
    /// Who; none where nobody said.
    pub manager: Option<String>,
    /// Of who it is; a change says it with `If-Match`.
    pub digest: Digest,
}

/// Who somebody's manager is to be.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewManager {
    /// Who; nobody where it is left out.
    #[serde(default)]
    pub manager: Option<String>,
}

/// A duty.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DutyView {
    /// Id.
    pub id: String,
    /// Who.
    pub who: String,
    /// Which.
    pub duty: DutyKind,
    /// Path of the scope.
    pub scope: String,
}

/// A duty to give.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDuty {
    /// Person or group.
    pub who: String,
    /// Which.
    pub duty: DutyKind,
    /// Path of the scope.
    #[schemars(regex(pattern = r"^/"))]
    pub scope: String,
}

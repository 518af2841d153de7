//! Sign-in, people, groups, programs, duties.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{DutyKind, SubjectKind};

/// Name, password and a current TOTP code.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SignInRequest {
    /// Name to sign in by.
    pub name: String,
    /// Password.
    pub password: String,
    /// TOTP code.
    pub code: String,
}

/// A sign-in that began.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct SignInReply {
    /// Bearer token; shown once.
    pub token: String,
    /// Who signed in.
    pub name: String,
    /// When it ends whatever happens.
    pub ends: Timestamp,
}

/// A one-time enrolment secret and the password to set.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EnrolRequest {
    /// The secret, as handed over.
    pub secret: String,
    /// The new password, 12 letters or more.
    pub password: String,
}

/// The TOTP secret to put into an authenticator; shown once.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct EnrolReply {
    /// Whose.
    pub name: String,
    /// Secret in Base32.
    pub totp_secret: String,
    /// The same as an `otpauth:` address.
    pub totp_url: String,
}

/// A current TOTP code.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ProofRequest {
    /// The code.
    pub code: String,
}

/// How sure the service is of the caller.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ProofReply {
    /// Since when.
    pub proven_at: Timestamp,
}

/// The caller.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Me {
    /// Name.
    pub name: String,
    /// Full name.
    pub about: String,
    /// Duties.
    pub duties: Vec<DutyView>,
    /// Groups they belong to, through any number of groups.
    pub groups: Vec<String>,
    /// When they last proved themselves with a second factor in this sign-in.
    pub proven_at: Option<Timestamp>,
    /// How many asks wait for their answer.
    pub waiting_for_me: usize,
    /// How many of their elevations are live.
    pub live: usize,
}

/// One of the caller's sign-ins.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SignInView {
    /// Its number.
    pub id: i64,
    /// From where.
    pub address: String,
    /// Since when.
    pub began_at: Timestamp,
    /// Last use.
    pub used_at: Timestamp,
    /// Whether it is the one this call came with.
    pub this_one: bool,
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
    /// Members, where it is a group.
    pub members: Vec<String>,
    /// Accounts on targets, as `account@/path`.
    pub accounts: Vec<String>,
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
    pub target: String,
    /// The account's name there.
    pub account: String,
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
    pub scope: String,
}

//! Scopes, targets, roles, alarms.

use std::collections::BTreeMap;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Connector, Digest, Lapse, ScopeKind, Sentence, Weight};

/// A node of the estate.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ScopeView {
    /// Path.
    pub path: String,
    /// What it is.
    pub kind: ScopeKind,
    /// Standing rights held right here or below.
    pub standing: usize,
    /// Critical ones among them.
    pub critical: usize,
    /// Grants live right here or below.
    pub live: usize,
    /// Rules of terms set right here.
    pub rules: usize,
    /// What is in the way on this target, in plain words.
    pub trouble: Option<String>,
}

/// A folder to add.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewFolder {
    /// Path of its parent.
    #[schemars(regex(pattern = r"^/"))]
    pub parent: String,
    /// Its name there.
    pub name: String,
}

/// A target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TargetView {
    /// Path.
    pub path: String,
    /// Of its settings; a change says it with `If-Match`.
    pub digest: Digest,
    /// How it is reached.
    pub connector: Connector,
    /// Our own account there.
    pub broker: Option<String>,
    /// Least number of accounts that keep a critical right through any conversion.
    pub emergency_least: u32,
    /// How long a taking-away may be late before it is an alarm, in seconds.
    pub alarm_after: u32,
    /// Path of the target that it runs on, as an administrator said.
    pub runs_on: Option<String>,
    /// What administrators say of it.
    pub labels: BTreeMap<String, String>,
    /// What it says of itself.
    pub attributes: BTreeMap<String, String>,
    /// The emergency holders that it has sealed.
    #[serde(default)]
    pub seals: Vec<SealView>,
    /// Since when it is being surveyed, where it is at present.
    pub surveying: Option<Timestamp>,
    /// How the last survey went; none since the service started.
    pub last_survey: Option<LastSurvey>,
    /// When a survey last changed something.
    pub surveyed_at: Option<Timestamp>,
    /// Whether a survey waits for a person.
    pub held: bool,
    /// What is in the way at present, in plain words.
    pub trouble: Option<String>,
    /// When it last answered.
    pub answered_at: Option<Timestamp>,
    /// Standing rights there.
    pub standing: usize,
    /// Live grants there.
    pub live: usize,
}

/// A sealed emergency holder, which is tried by a date.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SealView {
    /// The account.
    pub account: String,
    /// By when it is to be tried.
    pub due: Timestamp,
    /// When it was tried last, as the log of its system has it.
    pub tried_at: Option<Timestamp>,
    /// Who said so.
    pub tried_by: Option<String>,
}

/// That the last use of a sealed emergency holder was its trial.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TriedSeal {
    /// Path of its target.
    #[schemars(regex(pattern = r"^/"))]
    pub target: String,
    /// The account.
    pub account: String,
    /// By when it is to be tried again; in 90 days where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<Timestamp>,
}

/// A target to be let go.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EndTarget {
    /// Path.
    #[schemars(regex(pattern = r"^/"))]
    pub target: String,
    /// Why.
    pub reason: String,
}

/// How a survey went.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LastSurvey {
    /// When it ended.
    pub at: Timestamp,
    /// How long it took, in milliseconds.
    pub took_ms: f64,
    /// What came of it, in plain words.
    pub says: String,
}

/// A target to look after.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewTarget {
    /// Path of the folder it goes into.
    #[schemars(regex(pattern = r"^/"))]
    pub parent: String,
    /// Its name there.
    pub name: String,
    /// How it is reached.
    pub connector: Connector,
    /// The broker's password or key; sealed, and never shown again. None for a host, which has none.
    #[serde(default)]
    pub secret: String,
    /// Least number of accounts that keep a critical right through any conversion.
    #[serde(default = "one")]
    pub emergency_least: u32,
    /// How long a taking-away may be late before it is an alarm, in seconds.
    #[serde(default = "minute")]
    pub alarm_after: u32,
}

const fn one() -> u32 {
    1
}

const fn minute() -> u32 {
    60
}

/// Settings of a target to change; what is left out stays.
#[derive(Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TargetSettings {
    /// Path.
    #[schemars(regex(pattern = r"^/"))]
    pub target: String,
    /// Least number of accounts that keep a critical right through any conversion.
    #[serde(default)]
    pub emergency_least: Option<u32>,
    /// How long a taking-away may be late before it is an alarm, in seconds.
    #[serde(default)]
    pub alarm_after: Option<u32>,
    /// A new password or key of the broker.
    #[serde(default)]
    pub secret: Option<String>,
    /// Path of the target that it runs on, so that ways through it are known; empty for none.
    #[serde(default)]
    pub runs_on: Option<String>,
    /// For PostgreSQL: whether grants are put on people's own logins, instead of on a login for the one grant.
    #[serde(default)]
    pub own_login: Option<bool>,
    /// What administrators say of it, in place of what was said.
    #[serde(default)]
    pub labels: Option<BTreeMap<String, String>>,
}

/// How a target is let be looked after.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct HostEnrolment {
    /// What power that is, and why; one sentence each.
    pub says: Vec<String>,
    /// A script for the root of the host that places what is needed.
    pub script: String,
    /// A script that takes all of it away again.
    pub undo: String,
}

/// Whether a target can be looked after.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct CheckReply {
    /// Path.
    pub target: String,
    /// What is missing, each with what to do; nothing where all is well.
    pub missing: Vec<String>,
}

/// Names a target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WhichTarget {
    /// Path.
    #[schemars(regex(pattern = r"^/"))]
    pub target: String,
}

/// What a survey came to.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SurveyReply {
    /// Path of the target.
    pub target: String,
    /// Whether it waits for a person, and why.
    pub held: Option<String>,
    /// Standing rights that are new.
    pub appeared: u32,
    /// Standing rights that are gone.
    pub vanished: u32,
    /// Standing rights that changed.
    pub changed: u32,
    /// Standing rights now.
    pub standing: usize,
}

/// A role.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RoleView {
    /// Name.
    pub role: String,
    /// Path of its target.
    pub target: String,
    /// What it lets one do.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// How a grant of it ends.
    pub lapse: Lapse,
}

/// An alarm.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AlarmView {
    /// Id.
    pub id: String,
    /// Kind, as a word.
    pub kind: String,
    /// In one plain sentence.
    pub says: String,
    /// The same in parts, for whoever shows it by their own clock and leads on to what it names.
    pub words: Sentence,
    /// Since when.
    pub since: Timestamp,
    /// When it was settled.
    pub settled: Option<Timestamp>,
    /// Whether the caller may settle it; the others settle by themselves, once their cause is gone.
    pub may_settle: bool,
}

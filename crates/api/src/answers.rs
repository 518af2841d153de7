//! Answering: what waits, what an approver wants to know, and what was said.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Seconds, StartChoice, Verdict};

use crate::AwayView;

/// An answer.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AnswerRequest {
    /// Yes or no.
    pub verdict: Verdict,
    /// With a yes: to less than was asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub less: Option<LessView>,
    /// Why; always with a no.
    #[serde(default)]
    pub reason: Option<String>,
    /// Digest of the ask that was looked at.
    pub shown: Digest,
}

/// Less than was asked for; what is left out stays as asked.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LessView {
    /// Shorter, in seconds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub duration: Option<Seconds>,
    /// Narrower: the path of a scope below.
    #[schemars(regex(pattern = r"^/"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scope: Option<String>,
    /// At another time.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start: Option<StartChoice>,
}

/// What an approver wants to know besides the ask itself.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AskContext {
    /// How the asker's earlier elevations of the same right went, newest first; 20 at most.
    pub earlier: Vec<EarlierView>,
    /// How many there were.
    pub earlier_count: usize,
    /// What else the asker holds at this moment, live or standing.
    pub holds: Vec<String>,
    /// What the role would let them do that they can't do now.
    pub would_change: String,
    /// Scopes below the one asked for, to narrow it to.
    pub narrower: Vec<String>,
    /// Asks of others that wait for the same right.
    pub others_waiting: usize,
}

/// One earlier elevation, in short.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EarlierView {
    /// Reference.
    pub id: String,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// How it ended.
    pub state: String,
    /// Why it was asked.
    pub reason: Option<String>,
    /// How many leftovers were found.
    pub leftovers: usize,
}

/// One round of approval.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RoundView {
    /// Until when the elevation would go on, where it was asked for that.
    #[serde(default)]
    pub extends_to: Option<Timestamp>,
    /// Its stages, one after another.
    pub stages: Vec<StageView>,
}

/// One stage of approval.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct StageView {
    /// Who may answer.
    pub approvers: Vec<String>,
    /// How many yes settle it.
    pub yes: u16,
    /// How many no settle it.
    pub no: u16,
    /// When it runs out, or comes to others; none while a stage before it is open.
    pub until: Option<Timestamp>,
    /// Who is asked as well then; nobody where it runs out.
    pub onward: Vec<String>,
    /// Who is named, and away.
    pub away: Vec<AwayView>,
    /// What was answered.
    pub answers: Vec<AnswerView>,
}

impl StageView {
    /// The one that waits, or waited last.
    #[must_use]
    pub fn open(stages: &[Self]) -> Option<&Self> {
        stages.iter().rfind(|stage| stage.until.is_some())
    }
}

/// One answer.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AnswerView {
    /// Who.
    pub who: String,
    /// What.
    pub verdict: Verdict,
    /// In words, where it was a yes to less.
    pub less: Option<String>,
    /// Why.
    pub reason: Option<String>,
    /// When.
    pub at: Timestamp,
}

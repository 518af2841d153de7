//! Asking, answering, holding.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Lapse, ReasonRule, Seconds, Seen, StartChoice, Starts, TicketRule, Verdict, Weight};

use crate::LedgerEntry;

/// What to ask for, to be shown the demand first.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PreviewRequest {
    /// The right, `role@/path`.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// For how long, in seconds; the usual time where it is left out.
    #[serde(default)]
    pub duration: Option<Seconds>,
    /// When the clock starts; where it is left out, at the yes if the terms allow it, or else when the holder begins.
    #[serde(default)]
    pub start: Option<StartChoice>,
}

/// Everything an ask will need.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DemandView {
    /// The right.
    pub right: String,
    /// What the role lets one do.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// The whole demand as one plain sentence.
    pub sentence: String,
    /// For how long it would be, in seconds.
    pub duration: Seconds,
    /// Longest that the terms allow, in seconds.
    pub longest: Seconds,
    /// Usual time, in seconds.
    pub usual: Seconds,
    /// How the clock may start.
    pub starts: Starts,
    /// How old the caller's proof may be, in seconds.
    pub proof_within: Seconds,
    /// Whether a reason is given, and of how many letters at least.
    pub reason: ReasonRule,
    /// Whether a ticket is given, and of which form.
    pub ticket: TicketRule,
    /// Scopes below the one asked for, which are less.
    pub narrower: Vec<String>,
    /// Who would be asked, stage by stage; empty where nobody is.
    pub stages: Vec<StageAskedView>,
    /// How it ends on the target.
    pub ends: Lapse,
    /// To be given back with the ask.
    pub digest: Digest,
}

/// An ask.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AskRequest {
    /// The right, `role@/path`.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// For how long, in seconds; the usual time where it is left out.
    #[serde(default)]
    pub duration: Option<Seconds>,
    /// When the clock starts; where it is left out, at the yes if the terms allow it, or else when the holder begins.
    #[serde(default)]
    pub start: Option<StartChoice>,
    /// Why.
    #[serde(default)]
    pub reason: Option<String>,
    /// Ticket.
    #[serde(default)]
    pub ticket: Option<String>,
    /// Digest of the demand that was shown.
    pub shown: Digest,
}

/// How much longer to go on with an elevation, to be shown the demand first.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExtensionPreview {
    /// How much longer, in seconds; the usual time where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub more: Option<Seconds>,
}

/// Everything that going on with an elevation will need.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtensionDemand {
    /// The whole demand as one plain sentence.
    pub sentence: String,
    /// How much longer, in seconds.
    pub more: Seconds,
    /// Until when it would go on.
    pub until: Timestamp,
    /// The latest end there could be.
    pub latest: Timestamp,
    /// Longest that it goes on at a time, in seconds.
    pub longest: Seconds,
    /// How old the caller's proof may be, in seconds.
    pub proof_within: Seconds,
    /// Whether a reason is given, and of how many letters at least.
    pub reason: ReasonRule,
    /// Whether a ticket is given, and of which form.
    pub ticket: TicketRule,
    /// Who would be asked, stage by stage; empty where nobody is.
    pub stages: Vec<StageAskedView>,
    /// To be given back with the ask.
    pub digest: Digest,
}

/// An ask to go on with an elevation.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExtensionRequest {
    /// How much longer, in seconds; the usual time where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub more: Option<Seconds>,
    /// Why.
    #[serde(default)]
    pub reason: Option<String>,
    /// Ticket.
    #[serde(default)]
    pub ticket: Option<String>,
    /// Digest of the demand that was shown.
    pub shown: Digest,
}

/// An ask to go on, whatever became of it.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtendsView {
    /// Until when it was to go on.
    pub until: Timestamp,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// Why.
    pub reason: Option<String>,
    /// Ticket.
    pub ticket: Option<String>,
}

/// An ask to go on, while it waits.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtensionView {
    /// Until when it would go on.
    pub until: Timestamp,
    /// How much longer that is, in seconds.
    pub more: Seconds,
    /// Why.
    pub reason: Option<String>,
    /// Ticket.
    pub ticket: Option<String>,
    /// What was demanded, as one plain sentence.
    pub demand: String,
}

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

/// What was asked for at first, where an approver said yes to less.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AskedView {
    /// The right.
    pub right: String,
    /// For how long, in seconds.
    pub duration: Seconds,
    /// When the clock was to start.
    pub start: StartChoice,
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

/// A word said with an end.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WordRequest {
    /// The word.
    pub word: String,
}

/// Which elevations.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ElevationFilter {
    /// Also those of others that one may see.
    #[serde(default)]
    pub all: bool,
    /// Also those that are over.
    #[serde(default)]
    pub ended: bool,
    /// Only of this person or program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// Only in this state, as [`ElevationView::state`] has it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub state: Option<String>,
}

/// To wait for a change.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WaitQuery {
    /// The state that the caller knows; the reply comes when it is another, or after `seconds`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unlike: Option<String>,
    /// The reply comes when nothing to go on with it waits or is being moved, or after `seconds`; in place of `unlike`.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub settled: bool,
    /// How long to wait at most; 25 is the most.
    #[schemars(range(min = 0, max = 25))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seconds: Option<u64>,
}

/// One ask and what came of it.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ElevationView {
    /// Reference, like `E1042`.
    pub id: String,
    /// Who asked.
    pub who: String,
    /// Others whose names look like theirs at a glance.
    #[serde(default)]
    pub alike: Vec<String>,
    /// The account of theirs that it is put on, where it is put on one.
    #[serde(default)]
    pub account: Option<String>,
    /// What that account holds there all the time, besides; as far as the caller sees it.
    #[serde(default)]
    pub account_holds: Vec<String>,
    /// The right.
    pub right: String,
    /// What the role lets one do.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// `waiting`, `scheduled`, `ready`, `opening`, `live`, `closing`, `lapsed`, `given-back`, `revoked`,
    /// `refused`, `withdrawn`, `unanswered` or `failed`.
    pub state: String,
    /// What it is at, as one plain sentence.
    pub sentence: String,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// For how long, in seconds.
    pub duration: Seconds,
    /// When the clock starts.
    pub start: StartChoice,
    /// What was asked for at first, where an approver said yes to less.
    pub asked: Option<AskedView>,
    /// Why.
    pub reason: Option<String>,
    /// Ticket.
    pub ticket: Option<String>,
    /// Whether the caller is its holder.
    pub mine: bool,
    /// Whether it is used with a public key of one's own, which is certified for it.
    pub takes_own_key: bool,
    /// Whether it waits for the caller's answer.
    pub for_me: bool,
    /// What was asked to go on with it, while that waits.
    #[serde(default)]
    pub extension: Option<ExtensionView>,
    /// Every ask to go on with it, the first one first.
    #[serde(default)]
    pub extends: Vec<ExtendsView>,
    /// Whether the caller could ask to go on with it at this moment.
    #[serde(default)]
    pub may_extend: bool,
    /// How much longer the caller may take at its end with nobody asked, in seconds; none where that is none, or was taken.
    #[serde(default)]
    pub grace: Option<Seconds>,
    /// Whether the caller may end it.
    pub may_revoke: bool,
    /// What was demanded, as one plain sentence.
    pub demand: String,
    /// Rounds of approval, the open one last.
    pub rounds: Vec<RoundView>,
    /// To be given back with an answer.
    pub digest: Digest,
    /// The grant, once opening began.
    pub grant: Option<GrantView>,
    /// A word said with its end.
    pub end_word: Option<String>,
    /// What is in the way at present.
    pub trouble: Option<String>,
}

/// An elevation with its story.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ElevationStory {
    /// The elevation.
    #[serde(flatten)]
    pub elevation: ElevationView,
    /// Every step, oldest first.
    pub story: Vec<LedgerEntry>,
}

/// Who would be asked in one stage.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct StageAskedView {
    /// Who may answer.
    pub approvers: Vec<String>,
    /// How many yes settle it.
    pub yes: u16,
    /// How long it waits, in seconds.
    pub within: Seconds,
    /// Who is asked as well then; nobody where it runs out.
    pub onward: Vec<String>,
    /// Who is named, and away.
    pub away: Vec<AwayView>,
}

/// That somebody is away, and who is asked in their place.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AwayView {
    /// Who is away.
    pub who: String,
    /// Who is asked.
    pub delegate: String,
    /// Until when they are away.
    pub until: Timestamp,
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

/// One right in force on one target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct GrantView {
    /// Id.
    pub id: String,
    /// Its end.
    pub until: Timestamp,
    /// The end that it is being moved to on the target.
    #[serde(default)]
    pub moving_to: Option<Timestamp>,
    /// Whether it is wanted.
    pub wanted: bool,
    /// What was last seen on the target.
    pub seen: Seen,
    /// When.
    pub seen_at: Option<Timestamp>,
    /// When it was first read back as there.
    pub verified_at: Option<Timestamp>,
    /// How it ends.
    pub ends: Lapse,
    /// What was found after its end; none until somebody looked.
    pub leftovers: Option<Vec<LeftoverView>>,
}

/// Power kept past the end.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LeftoverView {
    /// What and where.
    pub what: String,
    /// When it came to be, where the target knows.
    pub when: Option<Timestamp>,
    /// Whether it was ended, or is only shown.
    pub ended: bool,
}

/// What a login is made for.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LoginAsk {
    /// The line of a public key, like `ssh-ed25519 AAAA…`; for a host, which is reached with a key of one's own.
    #[serde(default)]
    pub public_key: Option<String>,
}

/// How to use a live elevation. A password in it is shown once and kept nowhere.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct LoginReply {
    /// In one plain sentence.
    pub says: String,
    /// Whether an earlier password is void now.
    pub replaced: bool,
    /// Login name; none where the right is on the holder's own account.
    pub user: Option<String>,
    /// Password.
    pub password: Option<String>,
    /// Host.
    pub host: Option<String>,
    /// Port.
    pub port: Option<u16>,
    /// A database to begin with.
    pub database: Option<String>,
    /// A certificate for the key that was sent, on a host.
    #[serde(default)]
    pub certificate: Option<String>,
    /// The host's own public key, to know it by.
    #[serde(default)]
    pub host_key: Option<String>,
    /// Its end.
    pub until: Timestamp,
}

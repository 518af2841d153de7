//! Elevations and what is held of them.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Finding, Lapse, Seconds, Seen, StartChoice, Weight};

use crate::{AskedView, Brings, LedgerEntry, RoundView};

/// An ask to go on, whatever became of it.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtendsView {
    /// Until when it was to go on.
    pub until: Timestamp,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// What the asker brought.
    pub brought: Brings,
}

/// An ask to go on, while it waits.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtensionView {
    /// Until when it would go on.
    pub until: Timestamp,
    /// How much longer that is, in seconds.
    pub more: Seconds,
    /// What the asker brought.
    pub brought: Brings,
    /// What was demanded, as one plain sentence.
    pub demand: String,
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
    /// What the asker brought.
    pub brought: Brings,
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
    /// Whether the glass was broken for it.
    #[serde(default)]
    pub glass: bool,
    /// What somebody else looks at, or has looked at, once it is over; none where nobody has to.
    #[serde(default)]
    pub debrief: Option<DebriefView>,
    /// A word said with its end.
    pub end_word: Option<String>,
    /// What is in the way at present.
    pub trouble: Option<String>,
}

/// That somebody other than the holder looks at what was done under an elevation.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DebriefView {
    /// Who may sign it off.
    pub by: Vec<String>,
    /// When it goes higher, while nobody has.
    pub until: Timestamp,
    /// How often it went higher, because nobody looked in time.
    pub higher: u16,
    /// Whether the caller may sign it off.
    pub for_me: bool,
    /// Who signed it off, once somebody has.
    pub signed: Option<SignedOffView>,
}

/// What somebody found who looked at what was done.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SignedOffView {
    /// Who.
    pub who: String,
    /// When.
    pub at: Timestamp,
    /// What they found.
    pub finding: Finding,
    /// What they say of it.
    pub word: Option<String>,
}

/// What the caller found who looked at what was done.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DebriefRequest {
    /// What.
    pub finding: Finding,
    /// What they say of it; needed where it was not in order.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub word: Option<String>,
}

/// Which debriefs.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DebriefFilter {
    /// Also those that wait for others, as far as one sees them.
    #[serde(default)]
    pub all: bool,
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

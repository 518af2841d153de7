//! Elevations: one ask and all that follows, to its grant and its end.

use std::fmt;

use jiff::{SignedDuration, Timestamp};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Answer, Brought, Debrief, Demand, ElevationId, EligibilityId, GrantId, Right, Round, ScopeId, Stage, Stages,
    SubjectId, World, text::Digest, time::Seconds,
};

/// Where an elevation stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Phase {
    /// Somebody has still to answer.
    Waiting,
    /// Starts at a set time.
    Scheduled,
    /// Starts when the holder begins, within its window.
    Ready,
    /// Being put on the target.
    Opening,
    /// In force, as read back from the target.
    Live,
    /// Being taken away.
    Closing,
    /// Over, or never begun.
    Ended(End),
}

/// Why an ask ends that nobody could settle any more.
pub const LEFT_ALONE: &str = "too few of those who could answer it when it was asked still may";

/// How an elevation ended, or why it never began.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum End {
    /// At its set time.
    Lapsed,
    /// Early, once it was used, where it was good for one use.
    Used,
    /// Early, once what it could be held only while of did not hold any more.
    CutShort,
    /// Early, by the holder.
    GivenBack,
    /// Early, by an approver or administrator.
    Revoked,
    /// An approver said no.
    Refused,
    /// The asker took it back before it began.
    Withdrawn,
    /// Nobody answered in time, or nobody began in time.
    Unanswered,
    /// The target could not be made to give it, or it may not be given any more.
    Failed,
}

impl fmt::Display for Phase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Waiting => "waiting",
            Self::Scheduled => "scheduled",
            Self::Ready => "ready",
            Self::Opening => "opening",
            Self::Live => "live",
            Self::Closing => "closing",
            Self::Ended(End::Lapsed) => "lapsed",
            Self::Ended(End::Used) => "used",
            Self::Ended(End::CutShort) => "cut-short",
            Self::Ended(End::GivenBack) => "given-back",
            Self::Ended(End::Revoked) => "revoked",
            Self::Ended(End::Refused) => "refused",
            Self::Ended(End::Withdrawn) => "withdrawn",
            Self::Ended(End::Unanswered) => "unanswered",
            Self::Ended(End::Failed) => "failed",
        })
    }
}

/// When the clock is to start, as asked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "start")]
pub enum StartChoice {
    /// At the last yes, or at once.
    AtYes,
    /// At a set time.
    At {
        /// The time.
        time: Timestamp,
    },
    /// When the holder begins.
    OnBegin,
}

/// What was asked for at first, where a yes to less changed it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Asked {
    /// The right.
    pub right: Right,
    /// For how long.
    pub duration: Seconds,
    /// From when.
    pub start: StartChoice,
}

/// An ask to go on with what is live.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Extends {
    /// Until when.
    pub until: Timestamp,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// What the asker brought.
    #[serde(flatten)]
    pub brought: Brought,
}

/// What is known of an ask to go on until it is settled; its round is the elevation's last.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Extension {
    /// Until when it would go on; earlier than was asked, where an approver said yes to less.
    pub until: Timestamp,
    /// Digest of the demand and the ask, which answers carry.
    pub digest: Digest,
    /// What it demands, frozen.
    pub demand: Demand,
}

/// What is asked under a demand, of which answers carry the digest.
#[derive(Serialize)]
pub(crate) struct AskLookedAt<'a> {
    pub(crate) id: ElevationId,
    /// Of that demand.
    pub(crate) demand: Digest,
    pub(crate) duration: Seconds,
    pub(crate) start: StartChoice,
    pub(crate) brought: &'a Brought,
}

impl AskLookedAt<'_> {
    pub(crate) fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}

/// One ask and all that follows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Elevation {
    /// Its id, said aloud as `E1042`.
    pub id: ElevationId,
    /// Who asked.
    pub asker: SubjectId,
    /// Who will hold it.
    pub holder: SubjectId,
    /// What for.
    pub right: Right,
    /// The eligibility that allows it.
    pub eligibility: EligibilityId,
    /// Digest of the demand and the ask, which answers carry.
    pub digest: Digest,
    /// When it was asked.
    pub asked_at: Timestamp,
    /// For how long.
    pub duration: Seconds,
    /// When the clock starts.
    pub start: StartChoice,
    /// What was asked for, where an approver said yes to less.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub asked: Option<Asked>,
    /// What the asker brought.
    #[serde(flatten)]
    pub brought: Brought,
    /// Rounds of approval, the last one the open one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rounds: Vec<Round>,
    /// Where it stands.
    pub phase: Phase,
    /// Until when the holder may begin, where it is `ready`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub begin_by: Option<Timestamp>,
    /// Its grants, once opening began: one for each target.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub grants: Vec<GrantId>,
    /// What was asked to go on with it, while that isn't settled.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extension: Option<Box<Extension>>,
    /// How often it was extended.
    #[serde(default, skip_serializing_if = "is_none_yet")]
    pub extended: u16,
    /// Whether its holder took the grace that the terms give.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub grace_taken: bool,
    /// Whether it waits until others are done, of whom no more may hold one like it at one time.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub in_line: bool,
    /// Whether the glass was broken for it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub glass: bool,
    /// What somebody else has to look at, or has, once it is over.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub debrief: Option<Debrief>,
    /// A word said with its end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub end_word: Option<Digest>,
    /// What is in the way at present, in plain words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trouble: Option<String>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde hands it so")]
const fn is_none_yet(times: &u16) -> bool {
    *times == 0
}

impl Elevation {
    /// Every stage of every round, the first one first.
    pub fn stages(&self) -> impl DoubleEndedIterator<Item = &Stage> {
        self.rounds.iter().flat_map(|round| round.stages.all())
    }

    /// The stage that waits, or waited last; none where nobody had to be asked.
    #[must_use]
    pub fn stage(&self) -> Option<&Stage> {
        self.rounds.last()?.stages.open()
    }

    /// The stages of the open round, to be answered.
    pub(crate) fn open_stages(&mut self) -> Option<&mut Stages> {
        self.rounds.last_mut().map(|round| &mut round.stages)
    }

    /// Every answer of every round, the first one first.
    pub fn answers(&self) -> impl DoubleEndedIterator<Item = &Answer> {
        self.stages().flat_map(|stage| &stage.answers)
    }

    /// Everybody who was ever among those who might answer, or will be, or who looks at what was done.
    pub fn everybody_asked(&self) -> impl Iterator<Item = SubjectId> {
        let debrief = self.debrief.iter().flat_map(|debrief| &debrief.by);
        self.stages().flat_map(|stage| &stage.approvers).chain(debrief).copied()
    }

    /// Whether this person is one of them.
    #[must_use]
    pub fn asked_about(&self, person: SubjectId) -> bool {
        self.everybody_asked().any(|one| one == person)
    }

    /// Every ask to go on with it, the first one first.
    pub fn extends(&self) -> impl DoubleEndedIterator<Item = &Extends> {
        self.rounds.iter().filter_map(|round| round.extends.as_ref())
    }

    /// Whether it waits for answers: for beginning, or for going on.
    #[must_use]
    pub fn is_asked(&self) -> bool {
        self.phase == Phase::Waiting || (self.phase == Phase::Live && self.extension.is_some())
    }

    /// Whether it waits for this person's answer.
    #[must_use]
    pub fn waits_for(&self, person: SubjectId) -> bool {
        self.is_asked() && self.stage().is_some_and(|stage| stage.waits_for(person))
    }

    /// The demand that is to be met at present: of going on, where that is asked, or else of holding it.
    #[must_use]
    pub fn demanded<'a>(&'a self, world: &'a World) -> Option<&'a Demand> {
        self.extension.as_ref().map(|extension| &extension.demand).or_else(|| world.demand_of(self.id))
    }

    /// Digest of what is asked at present, which answers carry.
    #[must_use]
    pub fn asked_digest(&self) -> Digest {
        self.extension.as_ref().map_or(self.digest, |extension| extension.digest)
    }

    /// Whether it is over.
    #[must_use]
    pub const fn is_over(&self) -> bool {
        matches!(self.phase, Phase::Ended(_))
    }

    /// Whether it never reached a target.
    #[must_use]
    pub const fn is_before_opening(&self) -> bool {
        matches!(self.phase, Phase::Waiting | Phase::Scheduled | Phase::Ready)
    }
}

/// How far a target's clock may be from ours while grants are still given there.
pub(crate) const CLOCKS_APART: SignedDuration = SignedDuration::from_secs(5);

/// Whether something was seen on the target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Seen {
    /// It is there.
    Yes,
    /// It is not.
    No,
    /// Nobody looked since it was ordered.
    Unknown,
}

/// Power kept past the end of a grant.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leftover {
    /// What and where, in plain words; private, since it may name accounts.
    pub what: Digest,
    /// When it came to be, where the target knows.
    pub when: Option<Timestamp>,
    /// Whether we ended it, or only show it.
    pub ended: bool,
}

/// One right in force on one target for its time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Grant {
    /// Its id, which every call to the target carries.
    pub id: GrantId,
    /// Whose.
    pub elevation: ElevationId,
    /// The target.
    pub target: ScopeId,
    /// What.
    pub right: Right,
    /// Unguessable name of what is made for it on the target.
    pub name: String,
    /// The holder's own account there, where the right is put on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub account: Option<Digest>,
    /// When it was ordered.
    pub opened_at: Timestamp,
    /// Its end, fixed before the first call; moved only once the target was read back with a later one.
    pub until: Timestamp,
    /// The end that it is being moved to on the target.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub moving_to: Option<Timestamp>,
    /// Whether its first use ends it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub once: bool,
    /// When it was given, by the target's own clock, where its first use ends it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub given_at: Option<Timestamp>,
    /// Whether it is wanted; false from its end on.
    pub wanted: bool,
    /// How it ended or is ending.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ending: Option<End>,
    /// Since when it is not wanted any more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ending_since: Option<Timestamp>,
    /// What was last seen on the target.
    pub seen: Seen,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seen_at: Option<Timestamp>,
    /// When it was first read back as there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub verified_at: Option<Timestamp>,
    /// Whether a login was fetched for it before.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub login_shown: bool,
    /// What was found after its end; none until somebody looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leftovers: Option<Vec<Leftover>>,
}

impl Grant {
    /// The latest that the target may end it by itself: where its end is being moved, it may have been there.
    #[must_use]
    pub fn ends_by(&self) -> Timestamp {
        self.moving_to.unwrap_or(self.until)
    }

    /// Since when a use by its account may be of it, by the target's clock. Where the answer was lost that it is given, what the
    /// account did just before counts too.
    #[must_use]
    pub fn usable_from(&self) -> Timestamp {
        self.given_at.or(self.opened_at.checked_sub(CLOCKS_APART).ok()).unwrap_or(Timestamp::MIN)
    }

    /// Whether it is not wanted any more, and was read back as gone.
    #[must_use]
    pub fn is_gone(&self) -> bool {
        !self.wanted && self.seen == Seen::No
    }
}

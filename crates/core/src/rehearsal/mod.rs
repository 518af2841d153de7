//! Rehearsal: what was recorded of some rights, replayed against the terms that would hold, touching nothing.
//!
//! ```text
//! recorded uses ─▶ by right: covered by a grant? else an ask ─▶ who may answer, and when are they there ─▶ figures
//! ```
//!
//! What it assumes is said with the result: a person asks for the usual time when they first need the right, goes on
//! under it until it ends, and asks again; approvers answer in the hours of the week in which they were seen at work.

mod presence;
mod replay;
mod rhythm;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use jiff::{Timestamp, tz::TimeZone};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use presence::Presence;
pub use rhythm::{Advice, Clockwork, Rhythm, UseOf, advise, use_of};

use crate::{
    Act, LapseRule, Right, Seconds, StandingId, SubjectId, SubjectKind, Terms, World,
    approvers::{Concern, asked_in_stages},
    effective_under,
};
use presence::{Answering, Hours};
use replay::{Answerers, Answers, Replay};

/// Whoever can't answer somebody for a day, having been made an approver by them, can on all the others.
const LONG_AFTER: Timestamp = Timestamp::MAX;

/// A right that might be converted, with what was recorded of it.
#[derive(Debug, Clone)]
pub struct Recorded {
    /// The right as it stands.
    pub standing: StandingId,
    /// Whose it is.
    pub holder: SubjectId,
    /// What is held.
    pub right: Right,
    /// When it was used, in order.
    pub uses: Vec<Timestamp>,
}

/// What is rehearsed.
pub struct Script<'s> {
    /// The rights.
    pub rights: &'s [Recorded],
    /// When people were seen at work.
    pub seen: &'s Presence,
    /// The rules of terms that would hold.
    pub rules: &'s [Terms],
    /// From when it is replayed.
    pub from: Timestamp,
    /// Until when.
    pub to: Timestamp,
    /// On whose clock it is night.
    pub zone: &'s TimeZone,
    /// How long somebody who is there takes to answer.
    pub answered_after: Seconds,
}

/// How one use would have fared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// Under a grant that was live, or that nobody had to be asked for.
    Free,
    /// After a wait, short of an hour.
    Soon,
    /// After an hour or more.
    Late,
    /// Not at all: nobody answered in time, or the terms rule it out.
    Refused,
}

/// Figures of one person or program over the whole time.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Figures {
    /// Uses that were recorded.
    pub uses: u64,
    /// Asks there would have been.
    pub asks: u64,
    /// Asks made when nobody who may answer is usually there.
    pub unattended: u64,
    /// Of those, how many at night.
    pub at_night: u64,
    /// Uses that would have been refused.
    pub refused: u64,
    /// Of those, how many are clockwork: started by a machine at a fixed time.
    pub clockwork: u64,
    /// The longest wait, and when it would have begun.
    pub longest: Option<(Seconds, Timestamp)>,
}

impl Figures {
    fn add(&mut self, other: &Self) {
        self.uses += other.uses;
        self.asks += other.asks;
        self.unattended += other.unattended;
        self.at_night += other.at_night;
        self.refused += other.refused;
        self.clockwork += other.clockwork;
        self.longest = self.longest.max(other.longest);
    }

    /// Orders whom to talk to: what breaks, then what waits with nobody there, then what costs many asks.
    fn weight(&self) -> (u64, u64, u64) {
        (self.refused, self.unattended, self.asks)
    }
}

/// A batch that would break.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Batch {
    /// Under whose name it runs.
    pub holder: SubjectId,
    /// With which right.
    pub right: Right,
    /// When.
    pub clockwork: Clockwork,
}

/// What a rehearsal showed.
#[derive(Debug, Clone, Default)]
pub struct Rehearsal {
    /// Over everybody.
    pub all: Figures,
    /// By person or program; whom to talk to first comes first.
    pub people: Vec<(SubjectId, Figures)>,
    /// How many asks would have reached each approver.
    pub approvers: Vec<(SubjectId, u64)>,
    /// Batches that would break.
    pub batches: Vec<Batch>,
    /// How uses would have fared, by hour of the day and fate.
    pub hours: BTreeMap<(u8, Fate), u64>,
    /// Rights of which nothing was recorded.
    pub unseen: Vec<StandingId>,
}

/// Replays what was recorded.
#[must_use]
pub fn rehearse(world: &World, script: &Script<'_>) -> Rehearsal {
    let mut people: BTreeMap<SubjectId, Figures> = BTreeMap::new();
    let mut approvers: BTreeMap<SubjectId, u64> = BTreeMap::new();
    let mut out = Rehearsal::default();
    let mut hours_of: HashMap<SubjectId, Hours> = HashMap::new();
    for recorded in script.rights {
        if recorded.uses.is_empty() {
            out.unseen.push(recorded.standing);
        }
        let clockwork = rhythm::clockwork(&recorded.uses, script.zone);
        let answers =
            answers(world, script, recorded, &mut |who| *hours_of.entry(who).or_insert_with(|| script.seen.hours(who)));
        let replay = Replay::of(&recorded.uses, &answers, &clockwork, script);
        people.entry(recorded.holder).or_default().add(&replay.figures);
        out.all.add(&replay.figures);
        for (fate, count) in replay.hours {
            *out.hours.entry(fate).or_default() += count;
        }
        for who in answers.who() {
            *approvers.entry(who).or_default() += replay.figures.asks;
        }
        out.batches.extend(clockwork.into_iter().map(|clockwork| Batch {
            holder: recorded.holder,
            right: recorded.right,
            clockwork,
        }));
    }
    out.people = people.into_iter().filter(|(_, figures)| figures.uses > 0).collect();
    out.people.sort_by_key(|(who, figures)| (std::cmp::Reverse(figures.weight()), *who));
    out.approvers = approvers.into_iter().filter(|(_, asks)| *asks > 0).collect();
    out.approvers.sort_by_key(|(who, asks)| (std::cmp::Reverse(*asks), *who));
    out
}

/// Everybody who might answer for any of the rights.
#[must_use]
pub fn approvers(world: &World, rules: &[Terms], rights: &[Recorded]) -> BTreeSet<SubjectId> {
    let mut people = BTreeSet::new();
    for one in rights {
        let terms = effective_under(world, rules.iter(), Act::Elevate, one.right, one.holder);
        let asked = asked_in_stages(world, &terms.approval, concern(one), LONG_AFTER);
        people.extend(asked.into_iter().flat_map(|stage| stage.approvers.into_iter().chain(stage.onward)));
    }
    people
}

/// Who would answer for one right, when, and for how long a yes lasts.
fn answers(
    world: &World,
    script: &Script<'_>,
    recorded: &Recorded,
    hours_of: &mut dyn FnMut(SubjectId) -> Hours,
) -> Answers {
    let terms = effective_under(world, script.rules.iter(), Act::Elevate, recorded.right, recorded.holder);
    let is_program = world.subjects.get(&recorded.holder).is_some_and(|subject| subject.kind == SubjectKind::Program);
    let lapses = world.roles.get(&recorded.right.role).is_some_and(|role| role.lapse.by_itself);
    if is_program || (terms.lapse == LapseRule::ByItself && !lapses) {
        return Answers::Never;
    }
    let lasts = terms.usual.0;
    let asked = asked_in_stages(world, &terms.approval, concern(recorded), LONG_AFTER);
    if asked.is_empty() {
        return Answers::AtOnce { lasts };
    }
    let stages = terms.approval.stages().iter().zip(asked).map(|(terms, asked)| {
        let yes = usize::from(terms.yes);
        let mut hours: Vec<Hours> = asked.approvers.iter().map(|who| hours_of(*who)).collect();
        let answering = Answering::of(&hours, yes);
        hours.extend(asked.onward.iter().map(|who| hours_of(*who)));
        let onward = (!asked.onward.is_empty()).then(|| Answering::of(&hours, yes));
        let who = asked.approvers.into_iter().chain(asked.onward).collect();
        Answerers { who, answering, within: terms.within, onward }
    });
    Answers::People { stages: stages.collect(), lasts }
}

/// What an answer to the holder's ask would be about.
fn concern(recorded: &Recorded) -> Concern<'_> {
    let parties = std::slice::from_ref(&recorded.holder);
    Concern { scope: recorded.right.scope, wider: None, holder: recorded.holder, parties }
}

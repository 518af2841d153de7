//! Approval under way: who is asked, stage by stage, and what they said.
//!
//! A stage begins when the one before it is settled. Who may answer in it is fixed when it is asked, and only shrinks, but for
//! those named for when its time has passed. One human answers in one stage.

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Away, Extends, ScopeId, Seconds, StageTerms, StartChoice, SubjectId, World, later, text::Digest};

/// Yes or no.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// Let it be given.
    Yes,
    /// Don't.
    No,
}

/// What an approver leaves of an ask; what is left out stays as asked.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Less {
    /// Shorter.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub duration: Option<Seconds>,
    /// Narrower: a scope below the one asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scope: Option<ScopeId>,
    /// At another time.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start: Option<StartChoice>,
}

/// One approver's answer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answer {
    /// Who.
    pub by: SubjectId,
    /// What.
    pub verdict: Verdict,
    /// Why; always there with a no.
    pub reason: Option<Digest>,
    /// What a yes left of the ask, where it was a yes to less.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub less: Option<Less>,
    /// When.
    pub at: Timestamp,
}

/// Everything that was asked for at one time: another round begins where what was answered isn't enough any more.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Round {
    /// What was asked for, where it was to go on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub extends: Option<Extends>,
    /// Its stages; none where nobody had to be asked to go on.
    pub stages: Stages,
}

/// Who is asked in one stage, worked out when it is asked.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StageAsked {
    /// Who may answer, each a person.
    pub approvers: BTreeSet<SubjectId>,
    /// Who may as well, once the stage has waited for its time.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub onward: BTreeSet<SubjectId>,
    /// Who is named and away, each with who is asked in their place.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub away: Vec<Away>,
}

/// One set of people whose answers settle a part of a round.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stage {
    /// Who may answer; fixed at the ask, and only shrinks, but for `onward`.
    pub approvers: BTreeSet<SubjectId>,
    /// How many yes settle it.
    pub yes: u16,
    /// How many no settle it.
    pub no: u16,
    /// How long it waits, while it has yet to begin, or to come to others.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<Seconds>,
    /// When it runs out, or comes to others; none before it begins.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<Timestamp>,
    /// Who may answer as well, once it has waited for its time.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub onward: BTreeSet<SubjectId>,
    /// Who is named and away, each with who is asked in their place.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub away: Vec<Away>,
    /// What was answered so far.
    pub answers: Vec<Answer>,
}

impl Stage {
    /// A stage that has yet to begin.
    pub(crate) fn of(terms: &StageTerms, asked: StageAsked) -> Self {
        let StageAsked { approvers, onward, away } = asked;
        let (yes, no, within) = (terms.yes, terms.no, Some(terms.within));
        Self { approvers, yes, no, within, until: None, onward, away, answers: Vec::new() }
    }

    /// Whether somebody who was asked in `before` would be asked in this, now: themselves, or who they stand in for.
    pub(crate) fn still_asks(&self, world: &World, before: &Self, person: SubjectId) -> bool {
        let named = |who: SubjectId| {
            self.approvers.contains(&who) || self.onward.contains(&who) || self.away.iter().any(|away| away.who == who)
        };
        let mut lent = before.away.iter().filter(|away| away.delegate == person && away.stands(world));
        named(person) || lent.any(|away| named(away.who))
    }

    /// Whether enough said yes of those who would be asked now, as many as it takes now.
    pub(crate) fn still_holds(&self, world: &World, now: &Self) -> bool {
        let yes = self.answers.iter().filter(|answer| answer.verdict == Verdict::Yes).map(|answer| answer.by);
        let counted: BTreeSet<SubjectId> =
            yes.filter(|by| now.still_asks(world, self, *by)).map(|by| world.human(by)).collect();
        counted.len() >= usize::from(self.yes.max(now.yes))
    }

    /// How many answered so.
    #[must_use]
    pub fn count(&self, verdict: Verdict) -> usize {
        self.answers.iter().filter(|answer| answer.verdict == verdict).count()
    }

    /// Whether this person may answer, and has not.
    #[must_use]
    pub fn waits_for(&self, person: SubjectId) -> bool {
        self.approvers.contains(&person) && !self.answers.iter().any(|answer| answer.by == person)
    }

    /// Those who may still answer.
    pub fn silent(&self) -> impl Iterator<Item = SubjectId> + '_ {
        self.approvers.iter().copied().filter(|who| !self.answers.iter().any(|answer| answer.by == *who))
    }

    /// Whether enough said yes.
    #[must_use]
    pub fn is_granted(&self) -> bool {
        self.count(Verdict::Yes) >= usize::from(self.yes)
    }

    /// Whether enough said no, or too few are left to say yes.
    #[must_use]
    pub fn is_refused(&self) -> bool {
        let no = self.count(Verdict::No);
        no >= usize::from(self.no) || self.approvers.len() + self.onward.len() - no < usize::from(self.yes)
    }

    /// How many more yes it takes.
    pub(crate) fn lacks(&self) -> usize {
        usize::from(self.yes).saturating_sub(self.count(Verdict::Yes))
    }

    /// Whether its time has passed; a stage that hasn't begun has none.
    #[must_use]
    pub fn has_run_out(&self, now: Timestamp) -> bool {
        self.until.is_some_and(|until| now >= until)
    }

    fn begin(&mut self, now: Timestamp, latest: Timestamp) {
        let within = if self.onward.is_empty() { self.within.take() } else { self.within };
        self.until = Some(later(now, within.unwrap_or(Seconds(0))).min(latest));
    }

    /// Comes to others, where there are any to come to.
    fn move_on(&mut self, now: Timestamp, latest: Timestamp) -> bool {
        if self.onward.is_empty() {
            return false;
        }
        self.approvers.append(&mut self.onward);
        self.begin(now, latest);
        true
    }
}

/// The stages of a round, one after another.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Stages(Vec<Stage>);

impl From<Vec<Stage>> for Stages {
    fn from(stages: Vec<Stage>) -> Self {
        Self(stages)
    }
}

impl Stages {
    /// Each of them.
    #[must_use]
    pub fn all(&self) -> &[Stage] {
        &self.0
    }

    /// Whether nobody had to be asked.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Which of them waits, or waited last.
    #[must_use]
    pub fn open_at(&self) -> Option<usize> {
        self.0.iter().rposition(|stage| stage.until.is_some())
    }

    /// The one that waits, or waited last.
    #[must_use]
    pub fn open(&self) -> Option<&Stage> {
        self.0.get(self.open_at()?)
    }

    /// [`Self::open`], to be answered.
    pub(crate) fn open_mut(&mut self) -> Option<&mut Stage> {
        let at = self.open_at()?;
        self.0.get_mut(at)
    }

    /// Those that wait, or have yet to.
    pub(crate) fn ahead(&self) -> impl Iterator<Item = (usize, &Stage)> {
        self.0.iter().enumerate().skip(self.open_at().unwrap_or(0))
    }

    /// Every answer, the first one first.
    pub fn answers(&self) -> impl DoubleEndedIterator<Item = &Answer> {
        self.0.iter().flat_map(|stage| &stage.answers)
    }

    /// In which stage the human behind a sign-in answered, where they did.
    pub(crate) fn answered_in(&self, world: &World, person: SubjectId) -> Option<usize> {
        let human = world.human(person);
        self.0.iter().position(|stage| stage.answers.iter().any(|answer| world.human(answer.by) == human))
    }

    /// Wants what is ahead of it to take no less than it takes now, and what has come to be wanted besides.
    pub(crate) fn demand_more(&mut self, now: &[Stage]) {
        for (stage, now) in self.0.iter_mut().zip(now) {
            stage.yes = stage.yes.max(now.yes);
            stage.no = stage.no.min(now.no);
        }
        self.0.extend(now.iter().skip(self.0.len()).cloned());
    }

    /// Begins the stage that follows the last one begun; whether there was one. None waits longer than until `latest`.
    pub(crate) fn begin_next(&mut self, now: Timestamp, latest: Timestamp) -> bool {
        let next = self.0.iter_mut().find(|stage| stage.until.is_none());
        next.map(|stage| stage.begin(now, latest)).is_some()
    }

    /// Has the one that waits come to others, where there are any to come to.
    pub(crate) fn move_on(&mut self, now: Timestamp, latest: Timestamp) -> bool {
        self.open_mut().is_some_and(|stage| stage.move_on(now, latest))
    }
}

/// How facts have stages that stand where there was one at most: one by itself, and none as nothing.
pub(crate) mod one_or_several {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    use super::{Stage, Stages};

    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Kept {
        Several(Stages),
        One(Box<Stage>),
    }

    pub(crate) fn serialize<S: Serializer>(stages: &Stages, serializer: S) -> Result<S::Ok, S::Error> {
        match stages.all() {
            [] => serializer.serialize_none(),
            [one] => one.serialize(serializer),
            several => several.serialize(serializer),
        }
    }

    pub(crate) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Stages, D::Error> {
        Ok(match Option::<Kept>::deserialize(deserializer)? {
            None => Stages::default(),
            Some(Kept::Several(stages)) => stages,
            Some(Kept::One(stage)) => Stages(vec![*stage]),
        })
    }
}

/// Whether there are enough humans for all stages: so many for each, nobody in two of them.
///
/// A place in a stage takes somebody whom no other place has, or else somebody whose place another could fill (augmenting
/// paths).
pub(crate) fn are_enough(stages: &[(BTreeSet<SubjectId>, usize)]) -> bool {
    if stages.iter().any(|(people, places)| people.len() < *places) {
        return false;
    }
    let places: Vec<&BTreeSet<SubjectId>> =
        stages.iter().flat_map(|(people, places)| std::iter::repeat_n(people, *places)).collect();
    let mut taken: BTreeMap<SubjectId, usize> = BTreeMap::new();
    (0..places.len()).all(|place| is_filled(place, &places, &mut taken, &mut BTreeSet::new()))
}

fn is_filled(
    place: usize,
    places: &[&BTreeSet<SubjectId>],
    taken: &mut BTreeMap<SubjectId, usize>,
    tried: &mut BTreeSet<SubjectId>,
) -> bool {
    let Some(people) = places.get(place) else { return false };
    if let Some(free) = people.iter().find(|person| !taken.contains_key(*person)) {
        taken.insert(*free, place);
        return true;
    }
    for person in *people {
        if !tried.insert(*person) {
            continue;
        }
        let holds = taken.get(person).copied();
        if holds.is_some_and(|other| is_filled(other, places, taken, tried)) {
            taken.insert(*person, place);
            return true;
        }
    }
    false
}

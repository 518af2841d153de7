//! Who may answer: those whom the terms name, without anyone through whom somebody would answer themselves (rule 10).

use std::collections::BTreeSet;

use jiff::Timestamp;

use crate::{
    Approval, Approver, Away, DutyKind, Elevation, Refusal, ScopeId, Seconds, Stage, StageAsked, SubjectId,
    SubjectKind, TermsRefusal, World,
    approval::are_enough,
    delegation::with_delegates,
    influence::{INFLUENCE_LASTS, is_touched, touched_by},
    later,
};

/// What an answer is about, and for whom.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Concern<'a> {
    /// Where the right is.
    pub(crate) scope: ScopeId,
    /// Where it was asked for at first, where a yes to less made it narrower: those of that place answer as well.
    pub(crate) wider: Option<ScopeId>,
    /// Who would hold it, or come to be able to ask for it.
    pub(crate) holder: SubjectId,
    /// Who gains by it, and therefore answers nothing about it.
    pub(crate) parties: &'a [SubjectId],
}

impl<'a> Concern<'a> {
    /// Of an elevation that was asked for.
    pub(crate) fn of(elevation: &'a Elevation) -> Self {
        let parties = std::slice::from_ref(&elevation.asker);
        let wider = elevation.asked.map(|asked| asked.right.scope);
        Self { scope: elevation.right.scope, wider, holder: elevation.holder, parties }
    }

    fn scopes(&self) -> impl Iterator<Item = ScopeId> {
        [Some(self.scope), self.wider].into_iter().flatten()
    }
}

/// Whoever is free to answer: people who are there, without the parties and whoever is their hand.
pub(crate) struct Free<'w> {
    world: &'w World,
    barred: BTreeSet<SubjectId>,
}

impl<'w> Free<'w> {
    pub(crate) fn of(world: &'w World, concern: Concern<'_>, now: Timestamp) -> Self {
        let hands = |party: &SubjectId| touched_by(world, *party, now).into_iter().chain([world.human(*party)]);
        Self { world, barred: concern.parties.iter().flat_map(hands).collect() }
    }

    pub(crate) fn has(&self, person: SubjectId) -> bool {
        let subject = self.world.subjects.get(&person);
        subject.is_some_and(|subject| subject.kind == SubjectKind::Person && !self.world.is_suspended(subject.id))
            && !self.barred.contains(&self.world.human(person))
    }
}

/// The people who may answer: of those named, whoever is free to.
pub(crate) fn who_may_answer<'a>(
    world: &World,
    approvers: impl IntoIterator<Item = &'a Approver>,
    (concern, free): (Concern<'_>, &Free<'_>),
    now: Timestamp,
) -> BTreeSet<SubjectId> {
    let named = approvers.into_iter().flat_map(|approver| named(world, *approver, concern, now));
    named.filter(|person| free.has(*person)).collect()
}

/// Everybody whom a rule names so.
fn named(world: &World, approver: Approver, concern: Concern<'_>, now: Timestamp) -> BTreeSet<SubjectId> {
    match approver {
        Approver::Subject { id } => world.people_in(id),
        Approver::Administrators => with_duty(world, DutyKind::Administrator, |at| world.is_within(concern.scope, at)),
        Approver::Owners => {
            let owners = |scope: ScopeId| with_duty(world, DutyKind::Owner, |at| at == scope);
            let nearest = |scope| world.upwards(scope).map(|scope| owners(scope.id)).find(|owners| !owners.is_empty());
            concern.scopes().filter_map(nearest).flatten().collect()
        }
        Approver::Manager => manager_of(world, concern, now).into_iter().collect(),
    }
}

fn with_duty(world: &World, kind: DutyKind, at: impl Fn(ScopeId) -> bool) -> BTreeSet<SubjectId> {
    let duties = world.duties.values().filter(|duty| duty.kind == kind && at(duty.scope));
    duties.flat_map(|duty| world.people_in(duty.subject)).collect()
}

/// The manager of whoever would hold it. For a day nobody answers as the manager whom a directory named, or a party, or their
/// hand: whoever changed the directory may be the asker.
pub(crate) fn manager_of(world: &World, concern: Concern<'_>, now: Timestamp) -> Option<SubjectId> {
    let holder = world.subjects.get(&world.human(concern.holder))?;
    holder.manager.filter(|_| !is_manager_unsure(world, concern, now))
}

/// Whether who the manager is was said within a day by somebody who may gain by it.
fn is_manager_unsure(world: &World, concern: Concern<'_>, now: Timestamp) -> bool {
    let is_own = |by: SubjectId| {
        let is_theirs =
            |party: &SubjectId| world.human(*party) == world.human(by) || is_touched(world, by, *party, now);
        concern.parties.iter().any(is_theirs)
    };
    let holder = world.subjects.get(&world.human(concern.holder));
    let lately = holder.and_then(|holder| holder.manager_set).filter(|set| later(set.at, INFLUENCE_LASTS) > now);
    lately.is_some_and(|set| set.by.is_none_or(is_own))
}

/// Who is asked in each stage, as things are now.
pub(crate) fn asked_in_stages(
    world: &World,
    approval: &Approval,
    concern: Concern<'_>,
    now: Timestamp,
) -> Vec<StageAsked> {
    let free = Free::of(world, concern, now);
    let asked = approval.in_turn().map(|(stage, next)| {
        let lent = |named: &[Approver]| {
            let named = who_may_answer(world, named, (concern, &free), now);
            with_delegates(world, named, stage.cover, |delegate| free.has(delegate), now)
        };
        let (approvers, mut away) = lent(&stage.approvers);
        let (onward, also_away) = lent(stage.onward_to(next));
        away.extend(also_away);
        away.sort_unstable();
        away.dedup();
        let onward = onward.difference(&approvers).copied().collect();
        let mut asked = StageAsked { approvers, onward, away };
        // Whoever made themselves somebody without a manager gets around no manager by it.
        if !(stage.approvers.contains(&Approver::Manager) && is_manager_unsure(world, concern, now)) {
            asked.turn_to_others(world, stage.yes);
        }
        asked
    });
    asked.collect()
}

impl StageAsked {
    /// Asks the others at once where too few are there to wait for.
    fn turn_to_others(&mut self, world: &World, yes: u16) {
        if humans(world, &self.approvers).len() < usize::from(yes) {
            self.approvers.append(&mut self.onward);
        }
    }
}

/// The humans behind sign-ins.
pub(crate) fn humans<'a>(world: &World, people: impl IntoIterator<Item = &'a SubjectId>) -> BTreeSet<SubjectId> {
    people.into_iter().map(|person| world.human(*person)).collect()
}

/// Why stages could never be settled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Shortage {
    /// Too few may answer in one of them.
    Stage {
        /// Which, the first being 1.
        stage: usize,
        /// How many yes it takes.
        yes: u16,
        /// How many humans could give one.
        free: usize,
    },
    /// Each has enough, but not all of them together: one human answers in one stage.
    Together {
        /// How many humans they take.
        humans: usize,
    },
}

/// Why stages that nobody answered yet could never be settled, if they couldn't.
pub(crate) fn shortage(world: &World, stages: &[Stage]) -> Option<Shortage> {
    let people: Vec<(BTreeSet<SubjectId>, usize)> =
        stages.iter().map(|stage| (humans(world, &stage.approvers), usize::from(stage.yes))).collect();
    let short = people.iter().zip(stages).zip(1..).find(|(((people, yes), _), _)| people.len() < *yes);
    if let Some((((people, _), stage), at)) = short {
        return Some(Shortage::Stage { stage: at, yes: stage.yes, free: people.len() });
    }
    let humans = people.iter().map(|(_, yes)| yes).sum();
    (!are_enough(&people)).then_some(Shortage::Together { humans })
}

/// Who could answer in each stage at a place, whoever asks; and whether the manager of whoever does could, too. As things are, and
/// without what holds for a day.
pub(crate) fn could_answer(world: &World, approval: &Approval, scope: ScopeId) -> Vec<(BTreeSet<SubjectId>, bool)> {
    let nobody = Concern { scope, wider: None, holder: SubjectId(0), parties: &[] };
    let free = Free::of(world, nobody, Timestamp::MAX);
    let of_stage = |(stage, next): (&crate::StageTerms, Option<&crate::StageTerms>)| {
        let could = who_may_answer(world, stage.named(next), (nobody, &free), Timestamp::MAX);
        (could, stage.named(next).any(|approver| *approver == Approver::Manager))
    };
    approval.in_turn().map(of_stage).collect()
}

impl Approval {
    /// Refuses stages that nobody who is there could settle, for anything at a place or below it: whoever asks is no better off
    /// than with a no. Managers and owners are named
    /// elsewhere, and may be yet: a stage that names them is let be.
    ///
    /// # Errors
    /// Says which stage takes more people than there are.
    pub fn ensure_can_be_given(&self, world: &World, scope: ScopeId) -> Result<(), Refusal> {
        let is_related = |at: ScopeId| world.is_within(at, scope) || world.is_within(scope, at);
        let nobody = Concern { scope, wider: None, holder: SubjectId(0), parties: &[] };
        let free = Free::of(world, nobody, Timestamp::MIN);
        let anybody = |approver: &Approver| match approver {
            Approver::Subject { id } => world.people_in(*id),
            Approver::Administrators => with_duty(world, DutyKind::Administrator, is_related),
            Approver::Owners | Approver::Manager => BTreeSet::new(),
        };
        let is_known = |approver: &Approver| !matches!(approver, Approver::Owners | Approver::Manager);
        let known = self.in_turn().zip(1..).filter(|((stage, next), _)| stage.named(*next).all(is_known));
        let mut people = Vec::new();
        for ((stage, next), at) in known {
            let could: BTreeSet<SubjectId> = stage.named(next).flat_map(anybody).filter(|one| free.has(*one)).collect();
            let could = humans(world, &could);
            if could.len() < usize::from(stage.yes) {
                return Err(TermsRefusal::TooFewCould { stage: at, yes: stage.yes, could: could.len() }.into());
            }
            people.push((could, usize::from(stage.yes)));
        }
        if are_enough(&people) {
            return Ok(());
        }
        Err(TermsRefusal::TooFewCouldTogether { humans: people.iter().map(|(_, yes)| yes).sum() }.into())
    }
}

/// Whether those who may still answer, each with a yes, could settle all that is ahead of an ask. `now` is when the open stage is
/// answered at the latest: whoever may not answer for a day because of a hand in their standing may once that day is over.
pub(crate) fn could_settle(world: &World, elevation: &Elevation, approval: &Approval, now: Timestamp) -> bool {
    let Some(round) = elevation.rounds.last() else { return true };
    let answered = humans(world, round.stages.answers().map(|answer| &answer.by));
    let mut at = now;
    let ahead: Vec<(BTreeSet<SubjectId>, usize)> = round
        .stages
        .ahead()
        .map(|(number, stage)| {
            if stage.until.is_none() {
                at = later(at, stage.within.unwrap_or(Seconds(0)));
            }
            let still = still_asked(world, approval, (number, stage), Concern::of(elevation), at);
            let free = still.iter().filter(|one| stage.approvers.contains(*one) || stage.onward.contains(*one));
            (humans(world, free).difference(&answered).copied().collect(), stage.lacks())
        })
        .collect();
    are_enough(&ahead)
}

/// Of all who were asked in a stage, those who may answer still: whom terms name for it, and whoever answers in their place.
pub(crate) fn still_asked(
    world: &World,
    approval: &Approval,
    (at, stage): (usize, &Stage),
    concern: Concern<'_>,
    now: Timestamp,
) -> BTreeSet<SubjectId> {
    let Some((terms, next)) = approval.in_turn().nth(at) else { return BTreeSet::new() };
    let free = Free::of(world, concern, now);
    let mut still = who_may_answer(world, terms.named(next), (concern, &free), now);
    let stands = |away: &&Away| still.contains(&away.who) && away.stands(world) && free.has(away.delegate);
    let delegates: Vec<SubjectId> = stage.away.iter().filter(stands).map(|away| away.delegate).collect();
    still.extend(delegates);
    still
}

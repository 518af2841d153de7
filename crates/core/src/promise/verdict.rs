//! Whether the terms of a right, for those alike, break a promise.

use std::{collections::BTreeSet, rc::Rc};

use super::{
    Promised,
    breach::BrokenBy,
    power::{Alike, Power, Powers},
};
use crate::{
    Act, Approval, Assured, Effective, Glass, Longest, Setting, SubjectId, TermsId, World,
    approvers::{could_answer, humans},
    effective_terms,
};

/// Those who could answer in a stage.
#[derive(Debug)]
pub(super) struct StagePeople {
    /// As humans.
    could: BTreeSet<SubjectId>,
    /// Whether the manager of whoever asks could, too.
    manager: bool,
}

/// What holds of a promise.
#[derive(Debug)]
pub(super) enum Verdict {
    /// It is kept.
    Kept,
    /// It is broken.
    Broken(BrokenBy, Option<TermsId>),
    /// It is kept for those without whom enough are left to answer.
    Answerable {
        /// How many that is.
        people: usize,
        /// Stage by stage.
        stages: Vec<StagePeople>,
        /// By which rule.
        rule: Option<TermsId>,
    },
}

impl Verdict {
    /// Of people alike, those who break it, by what and by which rule.
    pub(super) fn broken(&self, world: &World, alike: &Alike) -> Vec<(Alike, BrokenBy, Option<TermsId>)> {
        match self {
            Self::Kept => Vec::new(),
            Self::Broken(how, rule) => vec![(Rc::clone(alike), how.clone(), *rule)],
            Self::Answerable { people, stages, rule } => {
                let short = stages.iter().zip(1..).filter_map(|(stage, at)| {
                    let left = |who: &SubjectId| stage.left(world, *who);
                    let least = alike.iter().map(left).filter(|left| left < people).min()?;
                    let short: Alike = alike.iter().copied().filter(|who| left(who) == least).collect();
                    Some((short, BrokenBy::FewAnswer { stage: at, could: least }, *rule))
                });
                short.take(1).collect()
            }
        }
    }
}

impl StagePeople {
    /// How many could answer whoever asks: nobody answers themselves.
    fn left(&self, world: &World, who: SubjectId) -> usize {
        let human = world.human(who);
        let others = self.could.len() - usize::from(self.could.contains(&human));
        let manager = world.subjects.get(&human).and_then(|person| person.manager).filter(|_| self.manager);
        let manager = manager.filter(|one| !world.is_suspended(*one)).map(|one| world.human(one));
        let is_more = manager.is_some_and(|manager| manager != human && !self.could.contains(&manager));
        others + usize::from(is_more)
    }
}

impl Powers<'_> {
    /// What holds for those alike of a right.
    pub(super) fn verdict(&mut self, power: Power, kind: usize) -> Rc<Verdict> {
        let Some(key) = self.kinds.right(power.right).map(|right| (right, kind)) else { return Rc::new(Verdict::Kept) };
        if let Some(known) = self.verdicts.get(&key) {
            return Rc::clone(known);
        }
        let verdict = Rc::new(self.judged(power));
        self.verdicts.insert(key, Rc::clone(&verdict));
        verdict
    }

    fn judged(&self, Power { who, right }: Power) -> Verdict {
        let (world, promised) = (self.world, &self.promise.promised);
        let effective = || effective_terms(world, Act::Elevate, right, who);
        match promised {
            Promised::NeverStanding => Verdict::Kept,
            Promised::Only { to } if world.belongs_to(who, *to) => Verdict::Kept,
            Promised::Only { .. } => Verdict::Broken(BrokenBy::MayAsk, None),
            Promised::Answered { yes } => answered(world, &effective(), who, *yes),
            Promised::Brief { longest } => {
                let terms = effective();
                // What may be taken at the end goes beyond the longest, once.
                let held = crate::Seconds(terms.longest.0.0 + terms.grace.0.0);
                if held > *longest {
                    return Verdict::Broken(BrokenBy::Longer { longest: held }, rule_of::<Longest>(&terms));
                }
                Verdict::Kept
            }
            Promised::Assured { assurance } => {
                let terms = effective();
                let refuses = world.assurances.get(assurance).is_some_and(|known| !known.watch_only);
                if refuses && terms.assured.0.contains(assurance) {
                    return Verdict::Kept;
                }
                Verdict::Broken(BrokenBy::NotAssured, rule_of::<Assured>(&terms))
            }
            Promised::Answerable { people } => {
                let terms = effective();
                let stages = could_answer(world, &terms.approval, right.scope).into_iter();
                let stages = stages.map(|(could, manager)| StagePeople { could: humans(world, &could), manager });
                let (people, rule) = (usize::from(*people), rule_of::<Approval>(&terms));
                Verdict::Answerable { people, stages: stages.collect(), rule }
            }
        }
    }
}

fn rule_of<S: Setting>(terms: &Effective) -> Option<TermsId> {
    terms.trace::<S>().and_then(|trace| trace.tightened_by.last().copied().or(trace.rule))
}

/// Whether so many yes are wanted of whoever asks, at whatever hour and whatever they break.
fn answered(world: &World, terms: &Effective, who: SubjectId, wanted: u16) -> Verdict {
    let yes: u16 = terms.approval.stages().iter().map(|stage| stage.yes).sum();
    let rule = rule_of::<Approval>(terms);
    if yes == 0 {
        return Verdict::Broken(BrokenBy::NobodyAsked, rule);
    }
    if yes < wanted {
        return Verdict::Broken(BrokenBy::FewerYes { yes }, rule);
    }
    if matches!(terms.approval, Approval::OutsideHours { .. }) {
        return Verdict::Broken(BrokenBy::NobodyAskedWithin, rule);
    }
    if terms.glass.is_for(world, who) {
        return Verdict::Broken(BrokenBy::Glass, rule_of::<Glass>(terms));
    }
    Verdict::Kept
}

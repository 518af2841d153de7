//! What breaks a promise, and the shortest example of it.

use std::rc::Rc;

use jiff::Timestamp;

use super::{
    Promise, Touch,
    power::{Power, Powers},
};
use crate::{EligibilityId, Right, ScopeId, Seconds, StandingId, SubjectId, TermsId, World, separation::people};

/// By what a promise is broken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BrokenBy {
    /// Nobody is asked.
    NobodyAsked,
    /// Fewer yes are wanted.
    FewerYes {
        /// How many.
        yes: u16,
    },
    /// Within some hours nobody is asked.
    NobodyAskedWithin,
    /// They may break the glass.
    Glass,
    /// It may be held for longer.
    Longer {
        /// How long, with what may be taken at its end.
        longest: Seconds,
    },
    /// The assurance isn't wanted of them.
    NotAssured,
    /// Too few could answer in a stage.
    FewAnswer {
        /// Which, the first being 1.
        stage: usize,
        /// How many could.
        could: usize,
    },
    /// It is held all the time.
    Standing,
    /// They may ask for it, and are none of those who may.
    MayAsk,
}

impl BrokenBy {
    /// It in words, after who could ask for what, or holds it.
    fn words(&self) -> Option<String> {
        Some(match self {
            Self::NobodyAsked => "nobody is asked".to_owned(),
            Self::FewerYes { yes } => format!("only {yes} yes is wanted"),
            Self::NobodyAskedWithin => "within some hours nobody is asked".to_owned(),
            Self::Glass => "may break the glass for it".to_owned(),
            Self::Longer { longest } => format!("may hold it for {longest}"),
            Self::NotAssured => "needn't meet that assurance".to_owned(),
            Self::FewAnswer { stage, could: 0 } => format!("nobody could answer in stage {stage}"),
            Self::FewAnswer { stage, could } => format!("only {} could answer in stage {stage}", people(*could)),
            Self::Standing | Self::MayAsk => return None,
        })
    }
}

/// By what somebody has it, or could come to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum By {
    /// By this they may ask for it.
    Eligible(EligibilityId),
    /// They hold it all the time.
    Standing(StandingId),
}

/// That something breaks a promise: one right, of people with whom it is the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PromiseBreach {
    /// Who does, the first of them; none where an account is nobody's.
    pub who: Option<SubjectId>,
    /// Everybody with whom it is the same.
    pub everybody: Rc<[SubjectId]>,
    /// The right.
    pub right: Right,
    /// The group through which they may ask for it; none where they may themselves.
    pub through: Option<SubjectId>,
    /// By what it is broken.
    pub broken: BrokenBy,
    /// The rule by which that is so; none where none is, or no rule says so.
    pub rule: Option<TermsId>,
    pub(super) by: By,
}

impl PromiseBreach {
    /// It in words.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let right = world.right_name(self.right);
        if let By::Standing(id) = self.by {
            let account = world.standing.get(&id).map(|held| world.text(held.account)).unwrap_or_default();
            return match self.who {
                Some(who) => format!("{} holds {right} all the time, as `{account}`", world.subject_name(who)),
                None => format!("`{account}`, which is nobody's, holds {right} all the time"),
            };
        }
        let who = self.who.map_or_else(|| "nobody".to_owned(), |who| world.subject_name(who));
        let through = self.through.map(|group| format!(" through {}", world.subject_name(group))).unwrap_or_default();
        let others = match self.everybody.len().saturating_sub(1) {
            0 => String::new(),
            1 => ", as 1 other may".to_owned(),
            more => format!(", as {more} others may"),
        };
        let by = self.rule.map(|rule| format!(" ({rule})")).unwrap_or_default();
        let broken = self.broken.words().map(|how| format!(", and {how}{by}")).unwrap_or_default();
        format!("{who} may ask for {right}{through}{others}{broken}")
    }

    /// The shorter of two examples comes first: who may ask themselves, before who may through a group, before one within another;
    /// of these what is nearest to the root.
    fn length(&self, world: &World) -> (usize, usize, Option<SubjectId>, Right) {
        let steps = match (self.by, self.through, self.who) {
            (By::Standing(_), ..) | (_, None, _) => 0,
            (_, Some(group), Some(who)) if world.is_member(group, who) => 1,
            _ => 2,
        };
        (steps, world.upwards(self.right.scope).count(), self.who, self.right)
    }
}

impl Promise {
    /// Everything that breaks it at a moment, the shortest example first.
    #[must_use]
    pub fn breaches(&self, world: &World, now: Timestamp) -> Vec<PromiseBreach> {
        self.broken(world, None, now)
    }

    fn broken(&self, world: &World, touched: Option<&Touch>, now: Timestamp) -> Vec<PromiseBreach> {
        let mut broken = Powers::of(world, self, now).broken(touched);
        broken.sort_by_cached_key(|breach| breach.length(world));
        broken
    }

    /// The shortest example of what breaks it after a change, and didn't before: for somebody, of a right, in a way.
    pub(crate) fn newly_broken(
        &self,
        (before, after): (&World, &World),
        touch: &Touch,
        now: Timestamp,
    ) -> Option<PromiseBreach> {
        let mut was = Powers::of(before, self, now);
        self.broken(after, Some(touch), now).into_iter().find_map(|breach| {
            let everybody = Rc::clone(&breach.everybody);
            match breach.by {
                By::Standing(id) => {
                    let known = before.standing.get(&id).and_then(|held| was.standing(held));
                    known.is_none().then_some(breach)
                }
                By::Eligible(_) => {
                    let is_new = |who: &&SubjectId| !was.is_broken_so(**who, breach.right, &breach.broken);
                    let who = everybody.iter().find(is_new).copied()?;
                    Some(PromiseBreach { who: Some(who), ..breach })
                }
            }
        })
    }
}

impl Powers<'_> {
    /// Whether somebody broke it in the same way already.
    fn is_broken_so(&mut self, who: SubjectId, right: Right, broken: &BrokenBy) -> bool {
        let (world, now) = (self.world, self.now);
        let may_ask = |place: ScopeId| {
            world.eligibilities_of(who).any(|held| {
                held.right.role == right.role && held.lasts_beyond(now) && world.is_within(place, held.right.scope)
            })
        };
        let is_same = |known: &BrokenBy| std::mem::discriminant(known) == std::mem::discriminant(broken);
        !world.is_suspended(who)
            && self.promise.by.is_none_or(|by| world.belongs_to(who, by))
            && may_ask(right.scope)
            && self.of_one(Power { who, right }).is_some_and(|(known, _)| is_same(&known))
    }
}

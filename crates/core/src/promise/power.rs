//! Everybody and every right that a promise is about. People with whom every rule is the same are looked at once, and so are rights.

use std::{
    collections::{BTreeMap, BTreeSet, HashMap},
    rc::Rc,
};

use jiff::Timestamp;

use super::{
    Promise, PromiseBreach, Promised, Touch,
    breach::{BrokenBy, By},
    verdict::Verdict,
};
use crate::{
    Eligibility, Right, ScopeId, Standing, SubjectId, TermsId, World,
    alike::{Kinds, RightKind},
};

/// People with whom every rule is the same.
pub(super) type Alike = Rc<[SubjectId]>;

/// A right that somebody may ask for.
#[derive(Debug, Clone, Copy)]
pub(super) struct Power {
    pub(super) who: SubjectId,
    pub(super) right: Right,
}

/// Looks at who could come to hold what, and whether that breaks a promise.
pub(super) struct Powers<'w> {
    pub(super) world: &'w World,
    pub(super) promise: &'w Promise,
    pub(super) now: Timestamp,
    pub(super) kinds: Kinds<'w>,
    people: HashMap<SubjectId, Rc<[(usize, Alike)]>>,
    pub(super) verdicts: HashMap<(RightKind, usize), Rc<Verdict>>,
}

impl<'w> Powers<'w> {
    pub(super) fn of(world: &'w World, promise: &'w Promise, now: Timestamp) -> Self {
        let mut kinds = Kinds::of(&[world]);
        // Who could answer goes by who answers for the nearest place.
        kinds.mark(world.duties.values().map(|duty| duty.scope));
        let only = match promise.promised {
            Promised::Only { to } => Some(to),
            _ => None,
        };
        kinds.name(promise.by.into_iter().chain(only));
        Self { world, promise, now, kinds, people: HashMap::new(), verdicts: HashMap::new() }
    }

    /// What breaks the promise, of what was touched where that is said.
    pub(super) fn broken(&mut self, touched: Option<&Touch>) -> Vec<PromiseBreach> {
        let world = self.world;
        let mut broken = Vec::new();
        if self.promise.promised != Promised::NeverStanding {
            match touched.filter(|touch| touch.is_of_people_alone()) {
                Some(touch) => {
                    let of_people = touch.people.iter().flat_map(|who| world.eligibilities_of(*who));
                    let given = touch.eligibilities.iter().filter_map(|id| world.eligibilities.get(id));
                    let held: BTreeMap<_, &Eligibility> = of_people.chain(given).map(|held| (held.id, held)).collect();
                    held.into_values().for_each(|held| self.of_eligibility(held, touched, &mut broken));
                }
                None => {
                    world.eligibilities.values().for_each(|held| self.of_eligibility(held, touched, &mut broken));
                }
            }
        }
        let of_standing = |held: &&Standing| {
            touched.is_none_or(|touch| {
                let is_touched = touch.standing.contains(&held.id) || touch.accounts_on.contains(&held.target);
                touch.all || is_touched || touch.roles.contains(&held.right.role)
            })
        };
        match touched.filter(|touch| touch.is_of_people_alone() && touch.accounts_on.is_empty()) {
            Some(touch) => {
                let owned = touch.people.iter().flat_map(|who| world.accounts_of(*who));
                let of_people = owned.flat_map(|account| world.standing_of(account.target, account.name));
                let held = touch.standing.iter().filter_map(|id| world.standing.get(id)).chain(of_people);
                broken.extend(held.filter_map(|held| self.standing(held)));
            }
            None => broken.extend(world.standing.values().filter(of_standing).filter_map(|held| self.standing(held))),
        }
        broken
    }

    /// What of one eligibility breaks it.
    fn of_eligibility(&mut self, held: &Eligibility, touched: Option<&Touch>, broken: &mut Vec<PromiseBreach>) {
        let is_whole = |touch: &Touch| {
            touch.all || touch.eligibilities.contains(&held.id) || touch.roles.contains(&held.right.role)
        };
        // Most that may be asked for is nowhere near a change: said first, for it costs the least.
        let is_near = touched.is_none_or(|touch| {
            let meets = |scope: &ScopeId| {
                self.world.is_within(held.right.scope, *scope) || self.world.is_within(*scope, held.right.scope)
            };
            is_whole(touch) || !touch.people.is_empty() || touch.scopes.iter().any(meets)
        });
        if !is_near || !held.lasts_beyond(self.now) || !self.promise.of.has(self.world, held.right) {
            return;
        }
        let people = self.people(held.subject);
        for place in self.places(held.right.scope) {
            let right = Right { scope: place, ..held.right };
            let of_all = touched.is_none_or(|touch| {
                is_whole(touch) || touch.scopes.iter().any(|scope| self.world.is_within(place, *scope))
            });
            for (kind, alike) in people.iter() {
                let alike = match touched.filter(|_| !of_all) {
                    None => Rc::clone(alike),
                    Some(touch) => alike.iter().copied().filter(|who| touch.people.contains(who)).collect(),
                };
                let Some(first) = alike.first().copied() else { continue };
                let verdict = self.verdict(Power { who: first, right }, *kind);
                for (everybody, how, rule) in verdict.broken(self.world, &alike) {
                    broken.push(PromiseBreach {
                        who: everybody.first().copied(),
                        everybody,
                        right,
                        through: Some(held.subject).filter(|group| *group != first),
                        broken: how,
                        rule,
                        by: By::Eligible(held.id),
                    });
                }
            }
        }
    }

    /// How one person breaks it by a right that they may ask for, if they do.
    pub(super) fn of_one(&mut self, power: Power) -> Option<(BrokenBy, Option<TermsId>)> {
        let kind = self.kinds.person(power.who);
        let verdict = self.verdict(power, kind);
        let broken = verdict.broken(self.world, &Rc::from([power.who]));
        broken.into_iter().next().map(|(_, how, rule)| (how, rule))
    }

    /// Whether a right that is held all the time breaks it.
    pub(super) fn standing(&mut self, held: &Standing) -> Option<PromiseBreach> {
        let Promise { of, by, promised, .. } = self.promise;
        let world = self.world;
        if matches!(promised, Promised::Answerable { .. }) || !of.has(world, held.right) || world.is_for_need(held) {
            return None;
        }
        let owner = world.owner_of(held);
        let is_of = |group: SubjectId| owner.is_some_and(|owner| world.belongs_to(owner, group));
        let is_theirs = matches!(promised, Promised::Only { to } if is_of(*to));
        if is_theirs || by.is_some_and(|by| !is_of(by)) {
            return None;
        }
        Some(PromiseBreach {
            who: owner,
            everybody: owner.into_iter().collect(),
            right: held.right,
            through: None,
            broken: BrokenBy::Standing,
            rule: None,
            by: By::Standing(held.id),
        })
    }

    /// Where what may be asked for at a place goes by terms of its own: there, and at each place with rules below it that the
    /// promise is about.
    fn places(&self, scope: ScopeId) -> BTreeSet<ScopeId> {
        let of = self.promise.of.scope;
        let world = self.world;
        let is_about = |place: &ScopeId| world.is_within(*place, of) || world.is_within(of, *place);
        let own = Some(of).filter(|of| world.is_within(*of, scope));
        let below = self.kinds.ruled_below(scope).iter().copied().filter(is_about);
        below.chain(own).chain([scope]).collect()
    }

    /// The people who may ask by an eligibility of somebody's, those alike together.
    fn people(&mut self, holder: SubjectId) -> Rc<[(usize, Alike)]> {
        if let Some(known) = self.people.get(&holder) {
            return Rc::clone(known);
        }
        let mut kinds: BTreeMap<usize, Vec<SubjectId>> = BTreeMap::new();
        for who in self.world.holders_in(holder).into_iter().filter(|who| !self.world.is_suspended(*who)) {
            if self.promise.by.is_none_or(|by| self.world.belongs_to(who, by)) {
                kinds.entry(self.kinds.person(who)).or_default().push(who);
            }
        }
        let people: Rc<[_]> = kinds.into_iter().map(|(kind, alike)| (kind, Alike::from(alike))).collect();
        self.people.insert(holder, Rc::clone(&people));
        people
    }
}

//! Ways: one graph over all systems, from people through accounts, groups and rights to what they reach.
//!
//! ```text
//! person ─▶ group ─▶ account ─▶ group there ─▶ right ─▶ everything there ─▶ what runs on it
//!    └──────────────── may ask for ───────────────▲
//! ```
//!
//! Built once from the [`World`], asked often: both questions are one walk over it.

use std::{
    cmp::Reverse,
    collections::{HashMap, HashSet, VecDeque},
};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Connector, Right, ScopeId, SubjectId, SubjectKind, Weight, World};

/// One place in the graph.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Place {
    /// A person, group or program.
    Subject(SubjectId),
    /// An account on a target.
    Account(ScopeId, String),
    /// A group, line or key on a target through which rights are held there.
    Through(ScopeId, String),
    /// A right.
    Right(Right),
    /// Whatever can be done on a target, or on a part of one.
    Everything(ScopeId),
    /// What a target that runs on this one can start here.
    Programs(ScopeId, ScopeId),
}

/// How one place leads to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum How {
    /// Is a member of.
    Member,
    /// Is another sign-in of the same human.
    SameHuman,
    /// Owns the account.
    Owns,
    /// The account holds it all the time.
    Holds,
    /// Gives what is held through it.
    Gives,
    /// May ask for it.
    MayAsk,
    /// Whoever holds it can do everything there.
    DoesEverything,
    /// Runs on it, so whoever can do everything there can do everything here.
    RunsOn,
    /// Can start programs on the host it runs on.
    Starts,
    /// Has a key that opens the account.
    SignsInAs,
}

/// One step of a way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// From where.
    pub from: Place,
    /// How.
    pub how: How,
    /// To where.
    pub to: Place,
}

/// One way from a subject to a right, the shortest; without asking, where there is one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Way {
    /// Who.
    pub who: SubjectId,
    /// Where it ends.
    pub to: Place,
    /// Whether it needs an ask on the way.
    pub on_request: bool,
    /// Step by step.
    pub steps: Vec<Step>,
}

/// The first of the ways that were found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// How many there are.
    pub total: usize,
    /// Of those, how many without asking.
    pub without_asking: usize,
    /// The first of them.
    pub ways: Vec<Way>,
}

/// How a place was reached.
#[derive(Debug, Clone, Copy)]
struct Reached {
    /// The place before, and how it leads on; none where the walk began.
    before: Option<(u32, How)>,
    /// Where the walk began.
    start: u32,
    steps: u32,
    asks: bool,
}

/// Where a way ends: without asking before all else, then the most harm, then the fewest steps.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct End {
    asks: bool,
    weight: Reverse<Weight>,
    steps: u32,
    id: u32,
}

/// What a walk reached, place by place.
struct Walk {
    reached: Vec<Option<Reached>>,
}

impl Walk {
    fn at(&self, id: u32) -> Option<Reached> {
        self.reached.get(id as usize).copied().flatten()
    }

    /// Notes how a place was reached, unless it was before.
    fn reach(&mut self, id: u32, how: Reached) -> bool {
        match self.reached.get_mut(id as usize) {
            Some(place @ None) => {
                *place = Some(how);
                true
            }
            _ => false,
        }
    }
}

/// The graph.
#[derive(Debug, Default)]
pub struct Ways {
    places: Vec<Place>,
    index: HashMap<Place, u32>,
    forward: Vec<Vec<(u32, How)>>,
    backward: Vec<Vec<(u32, How)>>,
}

impl Ways {
    /// Builds the graph.
    #[must_use]
    pub fn of(world: &World) -> Self {
        let mut ways = Self::default();
        ways.subjects(world);
        ways.standing(world);
        ways.systems(world);
        ways
    }

    /// How many places and steps there are.
    #[must_use]
    pub fn size(&self) -> (usize, usize) {
        (self.places.len(), self.forward.iter().map(Vec::len).sum())
    }

    fn place(&mut self, place: Place) -> u32 {
        if let Some(known) = self.index.get(&place) {
            return *known;
        }
        let id = u32::try_from(self.places.len()).unwrap_or(u32::MAX);
        self.places.push(place.clone());
        self.index.insert(place, id);
        self.forward.push(Vec::new());
        self.backward.push(Vec::new());
        id
    }

    fn step(&mut self, from: Place, how: How, to: Place) {
        let (from, to) = (self.place(from), self.place(to));
        let Some(out) = self.forward.get_mut(from as usize) else { return };
        if out.contains(&(to, how)) {
            return;
        }
        out.push((to, how));
        if let Some(into) = self.backward.get_mut(to as usize) {
            into.push((from, how));
        }
    }

    fn subjects(&mut self, world: &World) {
        for subject in world.subjects.values() {
            self.place(Place::Subject(subject.id));
            for member in world.members_of(subject.id) {
                self.step(Place::Subject(member), How::Member, Place::Subject(subject.id));
            }
            if let Some(first) = subject.second_of {
                self.step(Place::Subject(first), How::SameHuman, Place::Subject(subject.id));
            }
        }
        for account in world.accounts.values() {
            let place = Place::Account(account.target, world.text(account.name));
            self.step(Place::Subject(account.subject), How::Owns, place);
        }
        // Whoever is suspended can't ask, but what their accounts hold on targets they hold still.
        for held in world.eligibilities.values().filter(|held| !world.is_suspended(held.subject)) {
            self.step(Place::Subject(held.subject), How::MayAsk, Place::Right(held.right));
        }
    }

    fn standing(&mut self, world: &World) {
        for held in world.standing.values() {
            let mut at = Place::Account(held.target, world.text(held.account));
            for through in &held.chain {
                let next = Place::Through(held.target, world.words(through).to_owned());
                self.step(at, How::Holds, next.clone());
                at = next;
            }
            let how = if held.chain.is_empty() { How::Holds } else { How::Gives };
            self.step(at, how, Place::Right(held.right));
        }
    }

    fn systems(&mut self, world: &World) {
        let rights: Vec<Right> = self
            .places
            .iter()
            .filter_map(|place| match place {
                Place::Right(right) => Some(*right),
                _ => None,
            })
            .collect();
        for right in rights {
            // One account's key in another's authorized_keys.
            if let Some(role) = world.roles.get(&right.role)
                && let Some(account) = world.words(&role.name).strip_prefix("as:")
                && matches!(world.connector(role.target), Some(Connector::Linux { .. }))
            {
                self.step(Place::Right(right), How::SignsInAs, Place::Account(role.target, account.to_owned()));
            }
            let Some(role) = world.roles.get(&right.role).filter(|role| role.weight == Weight::Critical) else {
                continue;
            };
            self.step(Place::Right(right), How::DoesEverything, Place::Everything(right.scope));
            let starts = ["SUPERUSER", "pg_execute_server_program"].contains(&world.words(&role.name));
            let target = world.targets.get(&role.target);
            if let Some(target) =
                target.filter(|target| starts && matches!(target.connector, Connector::Postgres { .. }))
                && let Some(host) = target.runs_on
            {
                self.step(Place::Right(right), How::Starts, Place::Programs(host, target.scope));
            }
        }
        for target in world.targets.values() {
            if let Some(host) = target.runs_on {
                self.step(Place::Everything(host), How::RunsOn, Place::Everything(target.scope));
            }
        }
    }

    /// Walks from the given places, nearest first; what is reached without asking comes before all else.
    fn walk(&self, edges: &[Vec<(u32, How)>], from: &[u32]) -> Walk {
        let mut walk = Walk { reached: vec![None; self.places.len()] };
        let mut open = VecDeque::new();
        for start in from {
            walk.reach(*start, Reached { before: None, start: *start, steps: 0, asks: false });
            open.push_back(*start);
        }
        // Once with what is there, then from all of that by asking.
        let mut by_asking = Vec::new();
        while let Some(at) = open.pop_front() {
            let Some(here) = walk.at(at) else { continue };
            for (next, how) in edges.get(at as usize).into_iter().flatten() {
                let reached =
                    Reached { before: Some((at, *how)), start: here.start, steps: here.steps + 1, asks: here.asks };
                if *how == How::MayAsk && !here.asks {
                    by_asking.push((*next, Reached { asks: true, ..reached }));
                } else if walk.reach(*next, reached) {
                    open.push_back(*next);
                }
            }
            if open.is_empty() {
                open.extend(
                    by_asking.drain(..).filter(|(next, reached)| walk.reach(*next, *reached)).map(|(next, _)| next),
                );
            }
        }
        walk
    }

    /// The ends of a walk that `is_end` picks.
    fn ends(&self, world: &World, walk: &Walk, backward: bool, is_end: impl Fn(&Place, Reached) -> bool) -> Vec<End> {
        let ends = (0_u32..).zip(&self.places).filter_map(|(id, place)| {
            let reached = walk.at(id).filter(|reached| reached.before.is_some() && is_end(place, *reached))?;
            let to = if backward { self.places.get(reached.start as usize)? } else { place };
            Some(End { asks: reached.asks, weight: Reverse(to.weight(world)), steps: reached.steps, id })
        });
        ends.collect()
    }

    /// The `most` first of the ways to these ends, each by its walk, and how many there are.
    fn listed(&self, mut ends: Vec<(End, &Walk)>, most: usize, backward: bool) -> Found {
        ends.sort_unstable_by_key(|(end, _)| *end);
        let without_asking = ends.iter().filter(|(end, _)| !end.asks).count();
        let ways = ends.iter().take(most).filter_map(|(end, walk)| self.way(walk, end.id, end.asks, backward));
        Found { total: ends.len(), without_asking, ways: ways.collect() }
    }

    fn way(&self, walk: &Walk, end: u32, on_request: bool, backward: bool) -> Option<Way> {
        let mut steps = Vec::new();
        let mut at = end;
        while let Some((other, how)) = walk.at(at)?.before {
            steps.extend(if backward { self.between(at, how, other) } else { self.between(other, how, at) });
            at = other;
        }
        if !backward {
            steps.reverse();
        }
        let (from, to) = if backward { (end, at) } else { (at, end) };
        let Place::Subject(who) = self.places.get(from as usize)? else { return None };
        Some(Way { who: *who, to: self.places.get(to as usize)?.clone(), on_request, steps })
    }

    /// Who can reach a scope or anything in it, or a right there, and how: people and programs, each by the shortest way to
    /// the most they can do there, and where that needs an ask, by the one to the most they can do without; those who need
    /// not ask first, then those who can do most.
    #[must_use]
    pub fn to(&self, world: &World, scope: ScopeId, only: Option<Right>, most: usize) -> Found {
        let below: HashSet<ScopeId> = world.scopes.keys().copied().filter(|id| world.is_within(*id, scope)).collect();
        let above: HashSet<ScopeId> = world.upwards(scope).map(|scope| scope.id).collect();
        let is_goal = |place: &Place| match (place, only) {
            (Place::Right(right), Some(only)) => *right == only,
            (Place::Right(right), None) => below.contains(&right.scope) || above.contains(&right.scope),
            (Place::Everything(at), only) => above.contains(at) || (only.is_none() && below.contains(at)),
            (Place::Programs(at, _), None) => below.contains(at),
            _ => false,
        };
        let acts = |who: &SubjectId| world.subjects.get(who).is_some_and(|one| one.kind != SubjectKind::Group);
        let walks = [Weight::Critical, Weight::Privileged, Weight::Ordinary].map(|weight| {
            let goals = (0..).zip(&self.places).filter(|(_, place)| is_goal(place) && place.weight(world) == weight);
            self.walk(&self.backward, &goals.map(|(id, _)| id).collect::<Vec<u32>>())
        });
        let mut ends: Vec<(End, &Walk)> = Vec::new();
        // Whether somebody's way to as much or more was found already, and needs an ask.
        let mut known: HashMap<u32, bool> = HashMap::new();
        for walk in &walks {
            let found = self.ends(world, walk, true, |place, _| matches!(place, Place::Subject(who) if acts(who)));
            for end in found {
                let is_more = known.get(&end.id).is_none_or(|asks| *asks && !end.asks);
                if is_more {
                    known.insert(end.id, end.asks);
                    ends.push((end, walk));
                }
            }
        }
        self.listed(ends, most, true)
    }

    /// What somebody can reach, as far as `sees` lets it be shown: rights, and whole systems that run on others, each by
    /// the shortest way; without asking first, then what does most harm.
    #[must_use]
    pub fn of_subject(&self, world: &World, who: SubjectId, most: usize, sees: impl Fn(&Place) -> bool) -> Found {
        let start: Vec<u32> = self.index.get(&Place::Subject(who)).copied().into_iter().collect();
        let walk = self.walk(&self.forward, &start);
        let ends = self.ends(world, &walk, false, |place, reached| {
            let ends = match place {
                Place::Right(_) | Place::Programs(..) => true,
                Place::Everything(_) => reached.before.is_some_and(|(_, how)| how == How::RunsOn),
                Place::Subject(_) | Place::Account(..) | Place::Through(..) => false,
            };
            ends && sees(place)
        });
        self.listed(ends.into_iter().map(|end| (end, &walk)).collect(), most, false)
    }

    fn between(&self, from: u32, how: How, to: u32) -> Option<Step> {
        let place = |id: u32| self.places.get(id as usize).cloned();
        Some(Step { from: place(from)?, how, to: place(to)? })
    }
}

impl Place {
    /// The place in plain words.
    #[must_use]
    pub fn says(&self, world: &World) -> String {
        match self {
            Self::Subject(id) => world.subject_name(*id),
            Self::Account(target, name) => format!("`{name}` on {}", world.path(*target)),
            Self::Through(target, name) => format!("{name} on {}", world.path(*target)),
            Self::Right(right) => world.right_name(*right),
            Self::Everything(scope) => format!("everything on {}", world.path(*scope)),
            Self::Programs(host, by) => format!("programs of {} on {}", world.path(*by), world.path(*host)),
        }
    }

    /// How much harm can be done there.
    #[must_use]
    pub fn weight(&self, world: &World) -> Weight {
        match self {
            Self::Right(right) => world.roles.get(&right.role).map_or(Weight::Critical, |role| role.weight),
            Self::Programs(..) => Weight::Privileged,
            Self::Everything(_) | Self::Subject(_) | Self::Account(..) | Self::Through(..) => Weight::Critical,
        }
    }

    /// Where it lies; none for subjects.
    #[must_use]
    pub const fn scope(&self) -> Option<ScopeId> {
        match self {
            Self::Subject(_) => None,
            Self::Account(scope, _) | Self::Through(scope, _) | Self::Everything(scope) | Self::Programs(scope, _) => {
                Some(*scope)
            }
            Self::Right(right) => Some(right.scope),
        }
    }
}

impl Step {
    /// The step as one plain sentence without its subject.
    #[must_use]
    pub fn sentence(&self, world: &World) -> String {
        let to = self.to.says(world);
        match self.how {
            How::Member => format!("is a member of {to}"),
            How::SameHuman => format!("is the same human as {to}"),
            How::Owns => format!("owns {to}"),
            How::Holds => match self.to {
                Place::Through(..) => format!("which is in {to}"),
                _ => format!("which holds {to} all the time"),
            },
            How::Gives => format!("which gives {to}"),
            How::MayAsk => format!("may ask for {to}"),
            How::DoesEverything => format!("which can do {to}"),
            How::RunsOn => format!("on which another runs: {to}"),
            How::Starts => format!("which can start {to}"),
            How::SignsInAs => format!("which signs in as {to}"),
        }
    }
}

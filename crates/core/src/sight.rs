//! Sight: what a caller may see. Every list and every single thing shown goes through it.

use std::ops::Deref;

use crate::{
    Actor, Alarm, Appointment, Assurance, Calendar, Circumstance, Conversion, Delegation, Drift, Duty, DutyKind,
    Elevation, Eligibility, Fact, Filing, Promise, Reach, Role, Scope, ScopeId, Separation, Shortfall, Source,
    Standing, Stop, Subject, SubjectId, Target, Terms, World,
};

/// Something that a caller may see. [`Sight`] alone makes one, and what shows things takes nothing else, so that no reply can
/// be made of what nobody looked at with the caller's eyes.
///
/// ```
/// # use tempestas_core::{Elevation, Sight, Visible, World};
/// fn shown<'w>(world: &'w World, sight: &Sight) -> Vec<Visible<'w, Elevation>> {
///     world.active().filter_map(|one| sight.see(world, one)).collect()
/// }
/// ```
///
/// ```compile_fail,E0423
/// # use tempestas_core::{Elevation, Sight, Visible, World};
/// fn shown<'w>(world: &'w World, sight: &Sight) -> Vec<Visible<'w, Elevation>> {
///     world.active().map(Visible).collect()
/// }
/// ```
#[derive(Debug)]
pub struct Visible<'w, T>(&'w T);

impl<T> Clone for Visible<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Visible<'_, T> {}

impl<'w, T> Visible<'w, T> {
    /// The thing itself, for as long as the World lasts that it is of.
    #[must_use]
    pub const fn get(self) -> &'w T {
        self.0
    }
}

impl<T> Deref for Visible<'_, T> {
    type Target = T;

    fn deref(&self) -> &T {
        self.0
    }
}

/// An elevation of which no more is shown than that it was, and what came of it: an asker's earlier ones for the same right.
#[derive(Debug, Clone, Copy)]
pub struct Outline<'w>(&'w Elevation);

impl<'w> Outline<'w> {
    /// The elevation, whose outline may be shown.
    #[must_use]
    pub const fn get(self) -> &'w Elevation {
        self.0
    }
}

/// What is seen by some and not by others.
pub trait InSight {
    /// Whether a caller may see it.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool;
}

/// What one caller may see.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sight {
    person: Option<SubjectId>,
    /// Scopes that a duty lets them see whole, with all below.
    scopes: Vec<ScopeId>,
}

impl Sight {
    /// The sight of a signed-in subject.
    #[must_use]
    pub fn of(world: &World, person: SubjectId) -> Self {
        let scopes = world
            .duties
            .values()
            .filter(|duty| world.belongs_to(person, duty.subject))
            .map(|duty| duty.scope)
            .collect();
        Self { person: Some(person), scopes }
    }

    /// Whether it is this subject's own.
    #[must_use]
    pub fn is_of(&self, id: SubjectId) -> bool {
        self.person == Some(id)
    }

    /// Whether a duty shows them this scope.
    #[must_use]
    pub fn sees_scope(&self, world: &World, scope: ScopeId) -> bool {
        self.scopes.iter().any(|held| world.is_within(scope, *held))
    }

    /// Whether they may learn that a scope is there: one that a duty shows them, those above it, which its path names, and
    /// those of a target that they have an account or an eligibility on.
    #[must_use]
    pub fn knows_scope(&self, world: &World, scope: ScopeId) -> bool {
        let target_of = |scope| world.target_of(scope).map(|target| target.scope);
        let uses = |person: SubjectId| {
            let own = world.eligibilities_of(person).map(|held| held.right.scope);
            own.chain(world.accounts_of(person).map(|account| account.target)).collect::<Vec<_>>()
        };
        let used = self.person.map(uses).unwrap_or_default();
        let at = target_of(scope);
        self.sees_scope(world, scope)
            || self.scopes.iter().chain(&used).any(|below| world.is_within(*below, scope))
            || at.is_some() && used.iter().any(|used| target_of(*used) == at)
    }

    /// Whether a duty shows them everything.
    #[must_use]
    pub fn sees_all(&self, world: &World) -> bool {
        world.root.is_some_and(|root| self.sees_scope(world, root))
    }

    /// Whether they may see this person, group or program: themselves, and whoever has an account, a duty or an
    /// eligibility in their scopes, or belongs to a group that has.
    #[must_use]
    pub fn sees_subject(&self, world: &World, id: SubjectId) -> bool {
        let there = |holder: SubjectId, scope: ScopeId| self.sees_scope(world, scope) && world.belongs_to(id, holder);
        self.person == Some(id)
            || self.sees_all(world)
            || world.accounts.values().any(|account| there(account.subject, account.target))
            || world.duties.values().any(|duty| there(duty.subject, duty.scope))
            || world.eligibilities.values().any(|held| there(held.subject, held.right.scope))
    }

    /// A thing, if they may see it.
    #[must_use]
    pub fn see<'w, T: InSight>(&self, world: &World, thing: &'w T) -> Option<Visible<'w, T>> {
        self.sees(world, thing).then_some(Visible(thing))
    }

    /// Whether they may see a thing.
    #[must_use]
    pub fn sees<T: InSight>(&self, world: &World, thing: &T) -> bool {
        thing.is_in_sight(world, self)
    }

    /// Of another elevation, beside one that they see: as much as an approver of the one needs, where it was asked by the same
    /// person for the same right, or they see it anyway.
    #[must_use]
    pub fn beside<'w>(
        &self,
        world: &World,
        shown: Visible<'_, Elevation>,
        other: &'w Elevation,
    ) -> Option<Outline<'w>> {
        let is_same = other.asker == shown.asker && other.right == shown.right;
        (is_same || self.sees(world, other)).then_some(Outline(other))
    }

    /// What was done by an appointment, as far as they may read it: both sides of a cover read all of it, also what an elevation
    /// alone would not show them; nobody else does.
    pub fn done_by<'w>(
        &self,
        world: &'w World,
        appointment: Visible<'_, Appointment>,
    ) -> impl Iterator<Item = Visible<'w, Elevation>> {
        let sides = [appointment.covers, Some(appointment.subject)];
        let is_side = appointment.covers.is_some() && self.person.is_some() && sides.contains(&self.person);
        let done = appointment.get().elevations(world);
        done.filter(move |one| is_side || self.sees(world, *one)).map(Visible)
    }

    /// Whether they have the administrator's duty at `scope`.
    #[must_use]
    pub fn is_administrator(world: &World, person: SubjectId, scope: ScopeId) -> bool {
        !world.is_suspended(person)
            && world.duties.values().any(|duty| {
                duty.kind == DutyKind::Administrator
                    && world.is_within(scope, duty.scope)
                    && world.belongs_to(person, duty.subject)
            })
    }
}

impl InSight for Scope {
    /// In a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.id)
    }
}

impl InSight for Target {
    /// In a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.scope)
    }
}

impl InSight for Role {
    /// On a target in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.target)
    }
}

impl InSight for Source {
    /// On a target in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.target)
    }
}

impl InSight for Drift {
    /// On a target in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.target)
    }
}

impl InSight for Terms {
    /// Set at a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.scope)
    }
}

impl InSight for Assurance {
    /// One that a rule wants which they see; whoever sees all sees each.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_all(world) || world.terms_wanting(&self.name).any(|rule| sight.sees(world, rule))
    }
}

impl InSight for Calendar {
    /// One that a rule goes by which they see; whoever sees all sees each.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_all(world) || world.terms_closed_by(&self.name).any(|rule| sight.sees(world, rule))
    }
}

impl InSight for Circumstance {
    /// One that a rule wants which they see; whoever sees all sees each.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_all(world) || world.terms_only_while(&self.name).any(|rule| sight.sees(world, rule))
    }
}

impl InSight for Separation {
    /// One about rights at places that a duty shows them.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        self.keeps.sets().all(|set| sight.sees_scope(world, set.scope))
    }
}

impl InSight for Promise {
    /// One about rights at a place that a duty shows them.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.of.scope)
    }
}

impl InSight for Filing {
    /// One about a place that a duty shows them.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.within)
    }
}

impl InSight for Shortfall {
    /// Of somebody whom they see.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_subject(world, self.subject)
    }
}

impl InSight for Duty {
    /// Their own, or one in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.person.is_some_and(|me| world.belongs_to(me, self.subject)) || sight.sees_scope(world, self.scope)
    }
}

impl InSight for Standing {
    /// Their own, or one in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_scope(world, self.right.scope) || sight.person.is_some_and(|me| world.owner_of(self) == Some(me))
    }
}

impl InSight for Eligibility {
    /// Their own, or one in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.person.is_some_and(|me| world.belongs_to(me, self.subject)) || sight.sees_scope(world, self.right.scope)
    }
}

impl InSight for Conversion {
    /// Where something of it lies in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        world.items_of(self.id).any(|item| sight.sees_scope(world, item.standing.right.scope))
    }
}

impl InSight for Alarm {
    /// In a scope of their duty, or about the whole house where their duty is that.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        match world.alarm_scope(&self.about) {
            Some(scope) => sight.sees_scope(world, scope),
            None => sight.sees_all(world),
        }
    }
}

impl InSight for Stop {
    /// One that reaches them, or everything, or a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        match self.reach {
            Reach::Person(person) => {
                sight.person.is_some_and(|me| world.human(person) == world.human(me)) || sight.sees_all(world)
            }
            Reach::Scope(scope) => Some(scope) == world.root || sight.sees_scope(world, scope),
        }
    }
}

impl InSight for Subject {
    /// Themselves, and whoever has an account, a duty or an eligibility in their scopes, or belongs to a group that has.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        sight.sees_subject(world, self.id)
    }
}

impl InSight for Elevation {
    /// Their own, one they were asked about, or one in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        let asked = |me: SubjectId| self.asker == me || self.holder == me || self.asked_about(me);
        sight.person.is_some_and(asked) || sight.sees_scope(world, self.right.scope)
    }
}

impl InSight for Appointment {
    /// One they wished, are made eligible by, are covered by, were asked about, or one about a right in a scope of their duty.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        let is_party = |me: SubjectId| {
            self.by == Some(me)
                || self.covers == Some(me)
                || world.belongs_to(me, self.subject)
                || self.stages.all().iter().any(|stage| stage.approvers.contains(&me))
        };
        sight.person.is_some_and(is_party) || self.rights.iter().any(|right| sight.sees_scope(world, right.scope))
    }
}

impl InSight for Delegation {
    /// Their own, one by which they answer, or one of somebody they see.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        let is_party =
            |me: SubjectId| [self.absent, self.delegate].map(|one| world.human(one)).contains(&world.human(me));
        sight.person.is_some_and(is_party) || sight.sees_subject(world, self.absent)
    }
}

impl InSight for Fact {
    /// An entry of the ledger: their own doings, elevations they see, and all in their scopes.
    fn is_in_sight(&self, world: &World, sight: &Sight) -> bool {
        if sight.sees_all(world) || sight.person.is_some_and(|me| self.by == Actor::Subject(me)) {
            return true;
        }
        let about = self.what.about();
        let elevation = about.elevation.and_then(|id| world.elevations.get(&id));
        elevation.is_some_and(|elevation| sight.sees(world, elevation))
            || about.scope.is_some_and(|scope| sight.sees_scope(world, scope))
    }
}

//! Sight: what a caller may see. Every list and every single thing shown goes through it.

use crate::{Actor, Appointment, DutyKind, Elevation, Fact, ScopeId, SubjectId, World};

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

    /// Whether they may see this elevation: their own, one they were asked about, or one in a scope of their duty.
    #[must_use]
    pub fn sees_elevation(&self, world: &World, elevation: &Elevation) -> bool {
        let asked = self.person.is_some_and(|me| {
            elevation.asker == me || elevation.stages.iter().any(|stage| stage.approvers.contains(&me))
        });
        asked || self.sees_scope(world, elevation.right.scope)
    }

    /// Whether they may see this appointment: one they wished, are made eligible by, are covered by, were asked about, or
    /// one about a right in a scope of their duty.
    #[must_use]
    pub fn sees_appointment(&self, world: &World, one: &Appointment) -> bool {
        let party = self.person.is_some_and(|me| {
            one.by == Some(me)
                || one.covers == Some(me)
                || world.belongs_to(me, one.subject)
                || one.stage.as_ref().is_some_and(|stage| stage.approvers.contains(&me))
        });
        party || one.rights.iter().any(|right| self.sees_scope(world, right.scope))
    }

    /// Whether they may see this entry of the ledger: their own doings, elevations they see, and all in their scopes.
    #[must_use]
    pub fn sees_fact(&self, world: &World, fact: &Fact) -> bool {
        if self.sees_all(world) {
            return true;
        }
        let own = self.person.is_some_and(|me| fact.by == Actor::Subject(me));
        let about = fact.what.about();
        own || about
            .elevation
            .and_then(|id| world.elevations.get(&id))
            .is_some_and(|elevation| self.sees_elevation(world, elevation))
            || about.scope.is_some_and(|scope| self.sees_scope(world, scope))
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

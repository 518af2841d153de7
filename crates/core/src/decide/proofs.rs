//! What was checked, as values: made by their checks alone, and taken by what must not go without. No fact is written without
//! one that is a [`Permit`].

use jiff::Timestamp;

use super::deciding::Deciding;
use crate::{
    Actor, Caller, CallerRefusal, Elevation, EstateRefusal, Grant, GrantId, Refusal, ScopeId, Sight, SubjectId, Surety,
    Target, World,
};

/// A value that says why somebody may have facts written.
pub(super) trait Permit {}

impl Permit for Administers {}
impl Permit for AdministersEach {}
impl Permit for Person {}
impl Permit for Reporting {}
impl Permit for Operates {}
impl Permit for Itself {}
impl Permit for Stranger {}
impl Permit for Permitted {}

/// That the caller administers a scope, and proved themselves freshly enough for changing who may do what.
///
/// ```
/// # use tempestas_core::{Administers, Caller, Refusal, ScopeId, World};
/// # use jiff::Timestamp;
/// fn may(world: &World, caller: &Caller, scope: ScopeId, now: Timestamp) -> Result<Administers, Refusal> {
///     Administers::of(world, caller, scope, now)
/// }
/// ```
///
/// ```compile_fail,E0423
/// # use tempestas_core::{Administers, Caller, Refusal, ScopeId, World};
/// # use jiff::Timestamp;
/// fn may(world: &World, caller: &Caller, scope: ScopeId, now: Timestamp) -> Result<Administers, Refusal> {
///     Ok(Administers(scope))
/// }
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Administers(ScopeId);

impl Administers {
    /// Refuses anyone but an administrator of the scope with a fresh proof.
    ///
    /// # Errors
    /// Says which duty, or which proof, is missing.
    pub fn of(world: &World, caller: &Caller, scope: ScopeId, now: Timestamp) -> Result<Self, Refusal> {
        match caller.actor {
            Actor::Keeper => Err(CallerRefusal::KeeperOnlyReports.into()),
            Actor::Nobody => Err(CallerRefusal::NotSignedIn.into()),
            Actor::Machine => Ok(Self(scope)),
            Actor::Subject(person) if Sight::is_administrator(world, person, scope) => {
                let takes = Surety::to_administer(world, scope, person);
                FreshProof::of(world, caller, &takes, now).map(|_| Self(scope))
            }
            Actor::Subject(_) => Err(not_administrator(world, scope)),
        }
    }

    /// The scope, with all below it.
    #[must_use]
    pub const fn scope(self) -> ScopeId {
        self.0
    }
}

/// How somebody is refused who is no administrator of a scope.
#[must_use]
pub fn not_administrator(world: &World, scope: ScopeId) -> Refusal {
    CallerRefusal::NotAdministrator { scope: world.path(scope) }.into()
}

/// That the caller proved themselves as was demanded.
///
/// ```
/// # use tempestas_core::{Caller, FreshProof, Refusal, Seconds, Surety, World};
/// # use jiff::Timestamp;
/// fn fresh(world: &World, caller: &Caller, now: Timestamp) -> Result<FreshProof, Refusal> {
///     FreshProof::of(world, caller, &Surety::within(Seconds::minutes(15)), now)
/// }
/// ```
///
/// ```compile_fail,E0423
/// # use tempestas_core::{Caller, FreshProof, Refusal, Seconds};
/// # use jiff::Timestamp;
/// fn fresh(caller: &Caller, now: Timestamp) -> Result<FreshProof, Refusal> {
///     Ok(FreshProof(()))
/// }
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FreshProof(());

impl FreshProof {
    /// Refuses a caller of whom it isn't as sure as is wanted.
    ///
    /// # Errors
    /// Says what, and how it is mended.
    pub fn of(world: &World, caller: &Caller, takes: &Surety, now: Timestamp) -> Result<Self, Refusal> {
        takes.lacking(world, caller, now).map(|_| Self(()))
    }
}

/// A person or program that signed in, and isn't suspended. Alone it permits what is done to one's own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Person(SubjectId);

impl Person {
    pub(super) const fn id(self) -> SubjectId {
        self.0
    }
}

/// That the caller keeps a target, and so may report on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Reporting(ScopeId);

impl Reporting {
    /// The target that is reported on.
    pub(super) const fn target(self) -> ScopeId {
        self.0
    }
}

/// That the caller has a shell on the machine that the service runs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Operates(());

/// That the service itself says so: of time, and of its own state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Itself(());

/// Somebody who proved nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Stranger(());

/// That the caller administers each of several scopes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct AdministersEach(());

/// That something permits it, whatever that was.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Permitted(());

impl Permitted {
    pub(super) fn by(_: impl Permit) -> Self {
        Self(())
    }
}

/// A grant that the keeper of its target reports on.
pub(super) struct Reported {
    pub(super) reporting: Reporting,
    pub(super) elevation: Elevation,
    pub(super) grant: Grant,
}

impl Deciding<'_> {
    /// The person or program that gives the command.
    pub(super) fn person(&self) -> Result<Person, Refusal> {
        let signed_in = self.context.caller.subject();
        let id = signed_in.ok_or(CallerRefusal::NotPerson)?;
        if self.world.is_suspended(id) {
            return Err(CallerRefusal::YouAreSuspended.into());
        }
        Ok(Person(id))
    }

    /// Whoever is signed in, suspended or not: refusals are noted of them as well.
    pub(super) fn whoever(&self) -> Result<Person, Refusal> {
        let signed_in = self.context.caller.subject().map(Person);
        signed_in.ok_or_else(|| CallerRefusal::NotOfYou.into())
    }

    pub(super) fn proven(&mut self, takes: &Surety) -> Result<FreshProof, Refusal> {
        let proven = FreshProof::of(self.world, &self.context.caller, takes, self.now())?;
        self.watch(takes);
        Ok(proven)
    }

    pub(super) fn administers(&mut self, scope: ScopeId) -> Result<Administers, Refusal> {
        let administers = Administers::of(self.world, &self.context.caller, scope, self.now())?;
        if let Some(me) = self.context.caller.subject() {
            self.watch(&Surety::to_administer(self.world, scope, me));
        }
        Ok(administers)
    }

    /// The administrator of everything.
    pub(super) fn administers_all(&mut self) -> Result<Administers, Refusal> {
        self.administers(self.world.root.ok_or(EstateRefusal::NotFounded)?)
    }

    pub(super) fn administers_each(
        &mut self,
        scopes: impl IntoIterator<Item = ScopeId>,
    ) -> Result<AdministersEach, Refusal> {
        let mut each = None;
        for scope in scopes {
            self.administers(scope)?;
            each = Some(AdministersEach(()));
        }
        // Of none at all nobody is the administrator.
        each.ok_or_else(|| CallerRefusal::OfNothing.into())
    }

    pub(super) fn operates(&self) -> Result<Operates, Refusal> {
        match self.context.caller.actor {
            Actor::Machine => Ok(Operates(())),
            _ => Err(CallerRefusal::NotTheMachine.into()),
        }
    }

    pub(super) fn stranger(&self) -> Result<Stranger, Refusal> {
        match self.context.caller.actor {
            Actor::Nobody => Ok(Stranger(())),
            _ => Err(CallerRefusal::NotStranger.into()),
        }
    }

    /// The service itself, whichever part of it.
    pub(super) fn itself(&self) -> Result<Itself, Refusal> {
        match self.context.caller.actor {
            Actor::Keeper => Ok(Itself(())),
            _ => Err(CallerRefusal::NotTheService.into()),
        }
    }

    /// The service itself, of what is nobody's target; or the keeper of the target that it is about.
    pub(super) fn itself_about(&self, target: Option<ScopeId>) -> Result<Itself, Refusal> {
        let itself = self.itself()?;
        if self.context.caller.keeps == target {
            return Ok(itself);
        }
        Err(CallerRefusal::AnothersAlarm.into())
    }

    /// Refuses anybody but a keeper.
    pub(super) fn reporting_own(&self) -> Result<Reporting, Refusal> {
        match (self.context.caller.actor, self.context.caller.keeps) {
            (Actor::Keeper, Some(target)) => Ok(Reporting(target)),
            _ => Err(CallerRefusal::NotKeeper.into()),
        }
    }

    /// Refuses anybody but the keeper of this target.
    pub(super) fn reporting(&self, target: ScopeId) -> Result<Reporting, Refusal> {
        let reporting = self.reporting_own()?;
        if reporting.target() == target {
            return Ok(reporting);
        }
        Err(CallerRefusal::AnothersTarget.into())
    }

    /// The target that is reported on.
    pub(super) fn reported_target(&self, reporting: Reporting) -> Result<Target, Refusal> {
        super::estate::known_target(self, reporting.target())
    }

    /// A grant on the target that is reported on; none where no such grant is known any more.
    pub(super) fn reported_grant(&self, id: GrantId) -> Result<Option<Reported>, Refusal> {
        self.reporting_own()?;
        let Some((elevation, grant)) = self.world.elevation_of(id) else { return Ok(None) };
        let reporting = self.reporting(grant.target)?;
        Ok(Some(Reported { reporting, elevation: elevation.clone(), grant: grant.clone() }))
    }
}

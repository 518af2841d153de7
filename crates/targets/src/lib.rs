//! The real systems, one module for each kind of target.
//!
//! Every call names the grant and an attempt, may be repeated, and is read back. What is made on a target bears
//! our mark (`tempestas/INSTALLATION/GRANT`) and an unguessable name; what lacks the mark is never adopted.

mod brightwater;
mod described;
mod desk;
mod fathom;
mod http;
mod ldap;
pub mod linux;
pub mod local;
mod postgres;
mod system;

use std::time::Duration;

use jiff::Timestamp;
use secrecy::SecretString;
use tempestas_core::{Activity, Connector, Grant, Imported, Mapping, Marked, ScopeId, Standing, Survey, Trail, World};
use thiserror::Error;

use brightwater::Brightwater;
use described::Described;
pub use described::{Form, FormError, Program};
pub use desk::Desk;
use fathom::Fathom;
use ldap::Ldap;
use linux::{Address, Authority, Linux};
use postgres::Postgres;
use system::System;

/// No call to a target takes longer.
const CALL_LIMIT: Duration = Duration::from_secs(20);

/// Why a call to a target came to nothing. Reads as the end of "it waits: …", and holds no secret and no account.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum TargetError {
    /// Not to be reached, or it broke off.
    #[error("the target can't be reached ({0})")]
    Unreachable(String),
    /// It took too long.
    #[error("the target did not answer within {} s", CALL_LIMIT.as_secs())]
    Slow,
    /// It limits how often it may be asked.
    #[error("the target limits how often it is asked")]
    Limited,
    /// It said no, or something we don't understand.
    #[error("the target refused: {0}")]
    Refused(String),
    /// The grant was ended there already; a late order changes nothing.
    #[error("the target has ended this grant already")]
    Late,
}

/// A grant, as calls to a target name it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GrantCall {
    /// Number of the grant.
    pub grant: u64,
    /// Grows with every try; a target refuses one that is not above the last.
    pub attempt: i64,
    /// Unguessable name of what is made for it.
    pub name: String,
    /// Name of the role.
    pub role: String,
    /// Part of the target; empty for the whole.
    pub part: Vec<String>,
    /// The holder's own account, where the right is put on it.
    pub account: Option<String>,
    /// When it was ordered.
    pub opened_at: Timestamp,
    /// Its end.
    pub until: Timestamp,
}

impl GrantCall {
    /// The call for a grant at this moment, with the latest end that it may have there.
    #[must_use]
    pub fn new(world: &World, grant: &Grant, now: Timestamp) -> Self {
        Self {
            grant: grant.id.0,
            attempt: now.as_microsecond(),
            name: grant.name.clone(),
            role: world.role_name(grant.right.role).to_owned(),
            part: part_of(world, grant.target, grant.right),
            account: grant.account.map(|account| world.text(account)),
            opened_at: grant.opened_at,
            until: grant.ends_by(),
        }
    }

    /// When it was first used since `from`, by what the target itself attests.
    #[must_use]
    pub fn first_use(&self, uses: &[Activity], from: Timestamp) -> Option<Timestamp> {
        let account = self.account.as_deref()?;
        let own = uses.iter().filter(|one| one.attested && one.is_of(account, &self.role, &self.part));
        own.map(|one| one.at).filter(|at| *at >= from).min()
    }
}

/// A standing right, as calls to a target name it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StandingCall {
    /// Who holds it.
    pub account: String,
    /// Name of the role.
    pub role: String,
    /// Part of the target; empty for the whole.
    pub part: Vec<String>,
    /// The target's own name for it.
    pub handle: String,
}

impl StandingCall {
    /// The call for a standing right.
    #[must_use]
    pub fn new(world: &World, standing: &Standing) -> Self {
        Self {
            account: world.text(standing.account),
            role: world.role_name(standing.right.role).to_owned(),
            part: part_of(world, standing.target, standing.right),
            handle: standing.handle.as_ref().map(|handle| world.words(handle).to_owned()).unwrap_or_default(),
        }
    }
}

fn part_of(world: &World, target: tempestas_core::ScopeId, right: tempestas_core::Right) -> Vec<String> {
    let mut part: Vec<String> =
        world.upwards(right.scope).take_while(|scope| scope.id != target).map(|scope| scope.name.clone()).collect();
    part.reverse();
    part
}

/// Power kept past the end of a grant, as found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftoverFound {
    /// What and where, in plain words.
    pub what: String,
    /// When it came to be, where the target knows.
    pub when: Option<Timestamp>,
    /// Whether we ended it, or only show it.
    pub ended: bool,
    /// Whether somebody must see to it: the target can't be made as it was.
    pub alarming: bool,
}

/// What reading a grant back showed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReadBack {
    /// Whether it is in force.
    pub there: bool,
    /// The target's own clock.
    pub clock: Timestamp,
}

/// A login for one grant, shown once and kept nowhere.
pub struct Login {
    /// Name of the login.
    pub user: String,
    /// Its password.
    pub password: SecretString,
    /// Host.
    pub host: String,
    /// Port.
    pub port: u16,
    /// A database to begin with.
    pub database: String,
}

/// Where a target is, and what opens it.
pub struct Place<'p> {
    /// How it is reached.
    pub connector: &'p Connector,
    /// Its scope.
    pub scope: ScopeId,
    /// The installation that reaches it.
    pub installation: &'p str,
    /// Programs that described targets may run here.
    pub programs: &'p [Program],
}

/// A target of any kind, no call to which takes longer than a while.
pub struct Target(Box<dyn System>);

async fn limited<T>(call: impl Future<Output = Result<T, TargetError>>) -> Result<T, TargetError> {
    tokio::time::timeout(CALL_LIMIT, call).await.unwrap_or(Err(TargetError::Slow))
}

impl Target {
    /// A target with its own password or key; nothing is called yet. None for a host, which has no secret of its own.
    ///
    /// # Errors
    /// When the connector's settings can't be used.
    pub fn with_secret(place: &Place<'_>, secret: SecretString) -> Result<Option<Self>, TargetError> {
        let installation = place.installation;
        let system: Box<dyn System> = match place.connector {
            Connector::Postgres { host, port, user, database, own_login } => {
                Box::new(Postgres::new(host, *port, user, database, *own_login, secret, installation))
            }
            Connector::Brightwater { url } => Box::new(Brightwater::new(url, secret, installation)?),
            Connector::Fathom { url } => Box::new(Fathom::new(url, secret, installation)?),
            Connector::Ldap { url, user, base, grants, sweep } => {
                let address = ldap::Address {
                    url: url.clone(),
                    user: user.clone(),
                    base: base.clone(),
                    grants: grants.clone(),
                    sweep: *sweep,
                };
                Box::new(Ldap::new(address, secret, installation))
            }
            Connector::Described { form } => {
                let form = Form::read(form).map_err(|error| TargetError::Refused(error.to_string()))?;
                Box::new(Described::new(form, secret, place.programs, installation)?)
            }
            Connector::Linux { .. } => return Ok(None),
        };
        Ok(Some(Self(system)))
    }

    /// A host, by the authorities that sign orders, the one to be tried first first; nothing is called yet. None for
    /// what is no host.
    #[must_use]
    pub fn host(place: &Place<'_>, orders: Vec<Authority>) -> Option<Self> {
        let Connector::Linux { host, port, user, host_key } = place.connector else { return None };
        let address = Address { host: host.clone(), port: *port, user: user.clone(), host_key: host_key.clone() };
        Some(Self(Box::new(Linux::new(address, orders, place.installation, place.scope.0))))
    }

    /// Whether it is a host, which trusts our authorities rather than a secret.
    #[must_use]
    pub fn is_host(&self) -> bool {
        self.0.is_host()
    }

    /// What is missing for the target to be looked after, each with what to do.
    ///
    /// # Errors
    /// When it can't be asked.
    pub async fn check(&self) -> Result<Vec<String>, TargetError> {
        limited(self.0.check()).await
    }

    /// Reads every standing right.
    ///
    /// # Errors
    /// When the target can't be read at all. One read in part says so itself.
    pub async fn survey(&self) -> Result<Survey, TargetError> {
        limited(self.0.survey()).await
    }

    /// Puts a grant in force, with its end, and reads it back.
    ///
    /// # Errors
    /// When the target didn't take it, or can't be read.
    pub async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        limited(self.0.give(call)).await
    }

    /// Moves the end of a grant that is in force, and reads it back with that end. What has ended stays so.
    ///
    /// # Errors
    /// When the target didn't take it, or can't be read.
    pub async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        limited(self.0.prolong(call)).await
    }

    /// Takes a grant away, for good: from then on a late order to give it is refused. Reads it back.
    ///
    /// # Errors
    /// When the target didn't take it, or can't be read.
    pub async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        limited(self.0.take(call)).await
    }

    /// Reads a grant back.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        limited(self.0.holds(call)).await
    }

    /// Looks for power kept past the end of a grant, ends what can be, and clears up after it.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        limited(self.0.leftovers(call)).await
    }

    /// What was done there since `from`, by the target's own logs; none where it keeps none that we can read.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn activity(&self, from: Timestamp) -> Result<Option<Trail>, TargetError> {
        limited(self.0.activity(from)).await
    }

    /// People and groups, as `mapping` picks them; none where it is no directory.
    ///
    /// # Errors
    /// When it can't be read at all. One read in part says so itself.
    pub async fn people(&self, mapping: &Mapping) -> Result<Option<Imported>, TargetError> {
        limited(self.0.people(mapping)).await
    }

    /// The target's own clock.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn clock(&self) -> Result<Timestamp, TargetError> {
        limited(self.0.clock()).await
    }

    /// Everything that bears our mark.
    ///
    /// # Errors
    /// When the target can't be read whole.
    pub async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        limited(self.0.marked()).await
    }

    /// Whether a standing right is there.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        limited(self.0.holds_standing(call)).await
    }

    /// Takes a standing right away.
    ///
    /// # Errors
    /// When the target didn't take it.
    pub async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        limited(self.0.take_standing(call)).await
    }

    /// What would have to change where a standing right comes from, for whoever keeps that elsewhere, as text that their
    /// tools take; none where we know of no such form.
    ///
    /// # Errors
    /// When the target can't be read.
    pub async fn patch(&self, call: &StandingCall) -> Result<Option<String>, TargetError> {
        limited(self.0.patch(call)).await
    }

    /// Puts a standing right back.
    ///
    /// # Errors
    /// When the target didn't take it.
    pub async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        limited(self.0.restore_standing(call)).await
    }

    /// Makes a fresh login for a grant; none where the grant is on the holder's own account.
    ///
    /// # Errors
    /// When the target didn't take it.
    pub async fn login(&self, call: &GrantCall, password: SecretString) -> Result<Option<Login>, TargetError> {
        limited(self.0.login(call, password)).await
    }

    /// Has a host trust exactly these authorities, and hold these certificates void. Others know neither.
    ///
    /// # Errors
    /// When the host didn't take it.
    pub async fn trust(&self, trusted: &linux::Trusted) -> Result<(), TargetError> {
        limited(self.0.trust(trusted)).await
    }

    /// Sees to whatever on the target ends grants by itself. To be called now and then.
    ///
    /// # Errors
    /// When it can't be made sure that it runs.
    pub async fn keep_time(&self) -> Result<(), TargetError> {
        limited(self.0.keep_time()).await
    }
}

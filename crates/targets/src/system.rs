//! What every kind of system can do for us, and what some can beside it.

use async_trait::async_trait;
use jiff::Timestamp;
use secrecy::SecretString;
use tempestas_core::{Imported, Mapping, Marked, Survey, Trail};

use crate::{GrantCall, LeftoverFound, Login, ReadBack, StandingCall, TargetError, linux::Trusted};

/// One system, reached in its own way. What a kind can't do is left as it stands here; [`crate::Target`] says what each
/// call is for, and puts a time to it.
#[async_trait]
pub(crate) trait System: Send + Sync {
    async fn clock(&self) -> Result<Timestamp, TargetError>;
    async fn survey(&self) -> Result<Survey, TargetError>;
    async fn marked(&self) -> Result<Vec<Marked>, TargetError>;
    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError>;
    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError>;
    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError>;
    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError>;
    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError>;
    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError>;

    /// Not where nothing moves an end there, as its lapse then says.
    async fn prolong(&self, _call: &GrantCall) -> Result<ReadBack, TargetError> {
        Err(TargetError::Refused("it can't move the end of a grant".to_owned()))
    }

    /// Where nothing has to be made ready on it, whether it answers.
    async fn check(&self) -> Result<Vec<String>, TargetError> {
        self.clock().await.map(|_| Vec::new())
    }

    /// None where it can't be looked at, as its lapse then says.
    async fn leftovers(&self, _call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        Ok(Vec::new())
    }

    /// None where it keeps no log that we can read.
    async fn activity(&self, _from: Timestamp) -> Result<Option<Trail>, TargetError> {
        Ok(None)
    }

    /// None where it is no directory.
    async fn people(&self, _mapping: &Mapping) -> Result<Option<Imported>, TargetError> {
        Ok(None)
    }

    /// None where a grant is on the holder's own account.
    async fn login(&self, _call: &GrantCall, _password: SecretString) -> Result<Option<Login>, TargetError> {
        Ok(None)
    }

    /// None where we know of no form that its own tools take.
    async fn patch(&self, _call: &StandingCall) -> Result<Option<String>, TargetError> {
        Ok(None)
    }

    /// Nothing where it ends grants without anything of ours, or with what each call looks after.
    async fn keep_time(&self) -> Result<(), TargetError> {
        Ok(())
    }

    /// Whether it is a host, which trusts our authorities rather than a secret.
    fn is_host(&self) -> bool {
        false
    }

    /// Nothing where it is no host.
    async fn trust(&self, _trusted: &Trusted) -> Result<(), TargetError> {
        Ok(())
    }
}

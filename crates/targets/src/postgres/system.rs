//! What is asked of a cluster, each answered in the file of its matter by a method of the same name.

use async_trait::async_trait;
use jiff::Timestamp;
use secrecy::SecretString;
use tempestas_core::{Marked, Survey};

use super::Postgres;
use crate::{GrantCall, LeftoverFound, Login, ReadBack, StandingCall, TargetError, system::System};

#[async_trait]
impl System for Postgres {
    async fn clock(&self) -> Result<Timestamp, TargetError> {
        self.clock().await
    }

    async fn survey(&self) -> Result<Survey, TargetError> {
        self.survey().await
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        self.marked().await
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.give(call).await?;
        self.holds(call).await
    }

    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let moved = self.prolong(call).await?;
        let back = self.holds(call).await?;
        Ok(ReadBack { there: moved && back.there, ..back })
    }

    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.take(call).await?;
        self.holds(call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.holds(call).await
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        self.holds_standing(call).await
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.take_standing(call).await
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.restore_standing(call).await
    }

    async fn check(&self) -> Result<Vec<String>, TargetError> {
        self.check().await
    }

    async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        self.leftovers(call).await
    }

    async fn login(&self, call: &GrantCall, password: SecretString) -> Result<Option<Login>, TargetError> {
        self.login(call, password).await
    }

    async fn patch(&self, call: &StandingCall) -> Result<Option<String>, TargetError> {
        Ok(Self::statement(call))
    }

    async fn keep_time(&self) -> Result<(), TargetError> {
        self.keep_time().await
    }
}

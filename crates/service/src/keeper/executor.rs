//! Carrying out one piece of work on a target, and reporting what was seen.

use std::sync::Arc;

use jiff::Timestamp;
use tempestas_core::{AlarmKind, ConversionId, Grant, Order, Report, Said, ScopeId, Standing, Task};
use tempestas_targets::{GrantCall, StandingCall, Target, TargetError};

use crate::{app::App, authorities};

/// One piece of work.
pub(super) enum Work {
    /// An order.
    Order(Order),
    /// Seeing to whatever ends grants on the target by itself, and to its clock.
    KeepTime,
    /// Reading live grants back.
    ReadBack,
    /// Looking for the first use of what is good for one.
    Uses,
    /// Reading what was done, for an alarm when a sealed emergency holder was used.
    Watch,
    /// Surveying.
    Survey,
}

/// Carries out what is to be done on one target.
#[derive(Clone)]
pub(super) struct Executor {
    pub(super) app: App,
    pub(super) scope: ScopeId,
    pub(super) target: Arc<Target>,
}

impl Executor {
    /// Does it, or says what is in the way.
    pub(super) async fn carry_out(&self, work: &Work) -> Result<(), String> {
        match work {
            Work::Survey => {
                super::survey(&self.app, self.scope).await.map(drop).map_err(|failure| super::said(&failure))
            }
            Work::Watch => {
                super::activity(&self.app, self.scope, &self.target).await.map_err(|failure| super::said(&failure))
            }
            other => self.on_target(other).await.map_err(|error| error.to_string()),
        }
    }

    async fn on_target(&self, work: &Work) -> Result<(), TargetError> {
        let target = &*self.target;
        match work {
            Work::Order(order) => self.one(target, order).await,
            Work::KeepTime => {
                let clock = target.clock().await?;
                self.check_skew(clock).await;
                target.keep_time().await?;
                self.trust(target).await
            }
            Work::ReadBack => self.read_back(target).await,
            Work::Uses => self.uses(target).await,
            Work::Watch | Work::Survey => Ok(()),
        }
    }

    /// Tells a host whom to trust, where that is not what it was told last.
    async fn trust(&self, target: &Target) -> Result<(), TargetError> {
        if !target.is_host() {
            return Ok(());
        }
        let trusted = authorities::trusted(&self.app, self.scope).await.map_err(|error| {
            tracing::error!(%error, "what hosts have to trust can't be read");
            TargetError::Refused("its authorities can't be read here; the log says why".to_owned())
        })?;
        let digest = authorities::digest(&trusted);
        if self.app.statuses().trusts(self.scope) != Some(digest) {
            target.trust(&trusted).await?;
            self.app.statuses().told_to_trust(self.scope, digest);
        }
        Ok(())
    }

    async fn read_back(&self, target: &Target) -> Result<(), TargetError> {
        let calls: Vec<GrantCall> = {
            let world = self.app.world();
            let now = Timestamp::now();
            // One whose end is being moved is read back with that.
            let live = world.live_grants(self.scope).into_iter().filter(|grant| grant.moving_to.is_none());
            live.map(|grant| GrantCall::new(&world, &grant, now)).collect()
        };
        for call in calls {
            let there = target.holds(&call).await?.there;
            self.app.report(self.scope, Report::GrantSeen { grant: tempestas_core::GrantId(call.grant), there }).await;
        }
        Ok(())
    }

    async fn uses(&self, target: &Target) -> Result<(), TargetError> {
        let calls: Vec<(Timestamp, GrantCall)> = {
            let (world, now) = (self.app.world(), Timestamp::now());
            let once = world.good_for_one_use(self.scope).into_iter();
            once.map(|grant| (grant.usable_from(), GrantCall::new(&world, &grant, now))).collect()
        };
        let Some(from) = calls.iter().map(|(from, _)| *from).min() else { return Ok(()) };
        let Some(trail) = target.activity(from).await? else { return Ok(()) };
        for (from, call) in calls {
            if let Some(at) = call.first_use(&trail.uses, from) {
                self.app.report(self.scope, Report::GrantUsed { grant: tempestas_core::GrantId(call.grant), at }).await;
            }
        }
        Ok(())
    }

    async fn one(&self, target: &Target, order: &Order) -> Result<(), TargetError> {
        match &order.task {
            Task::Take(grant) => self.take(target, grant).await,
            Task::Give(grant) => self.give(target, grant).await,
            Task::Move(grant, until) => self.prolong(target, grant, *until).await,
            Task::TakeStanding(conversion, standing) => {
                let call = self.standing_call(standing).await;
                // Asked first, so that trying again after a lost answer does nothing twice.
                if target.holds_standing(&call).await? {
                    target.take_standing(&call).await?;
                }
                if target.holds_standing(&call).await? {
                    return Err(TargetError::Refused("it is still there when read back".to_owned()));
                }
                let (conversion, standing) = (*conversion, standing.id);
                self.app.report(self.scope, Report::StandingTaken { conversion, standing }).await;
                Ok(())
            }
            Task::RestoreStanding(conversion, standing) => self.restore(target, *conversion, standing).await,
            Task::Search => {
                let marked = target.marked().await?;
                self.app.report(self.scope, Report::Searched { target: self.scope, marked }).await;
                Ok(())
            }
            Task::EndStray(name) => {
                let call = self.stray_call(name);
                target.take(&call).await?;
                if target.marked().await?.iter().any(|marked| marked.name == *name) {
                    return Err(TargetError::Refused("it is still there when read back".to_owned()));
                }
                target.leftovers(&call).await?;
                self.app.report(self.scope, Report::StrayEnded { target: self.scope, name: name.clone() }).await;
                Ok(())
            }
            Task::Hold(..) => Ok(()),
        }
    }

    fn stray_call(&self, name: &str) -> GrantCall {
        let now = Timestamp::now();
        GrantCall {
            grant: 0,
            attempt: now.as_microsecond(),
            name: name.to_owned(),
            role: String::new(),
            part: Vec::new(),
            account: None,
            opened_at: now,
            until: now,
        }
    }

    async fn grant_call(&self, grant: &Grant) -> GrantCall {
        GrantCall::new(&self.app.world(), grant, Timestamp::now())
    }

    async fn standing_call(&self, standing: &Standing) -> StandingCall {
        StandingCall::new(&self.app.world(), standing)
    }

    async fn give(&self, target: &Target, grant: &Grant) -> Result<(), TargetError> {
        let call = self.grant_call(grant).await;
        // Asked first: its clock is needed in any case, and after a lost answer it may be there already.
        let before = target.holds(&call).await?;
        if self.check_skew(before.clock).await {
            return Err(TargetError::Refused("its clock is too far from ours".to_owned()));
        }
        if !before.there && !target.give(&call).await?.there {
            return Err(TargetError::Refused("it is not there when read back".to_owned()));
        }
        let grant = grant.id;
        let seen = match before.there {
            true => Report::GrantSeen { grant, there: true },
            false => Report::GrantGiven { grant, at: before.clock },
        };
        self.app.report(self.scope, seen).await;
        Ok(())
    }

    async fn prolong(&self, target: &Target, grant: &Grant, until: Timestamp) -> Result<(), TargetError> {
        let call = GrantCall { until, ..self.grant_call(grant).await };
        let before = target.holds(&GrantCall { until: grant.until, ..call.clone() }).await?;
        if self.check_skew(before.clock).await {
            return Err(TargetError::Refused("its clock is too far from ours".to_owned()));
        }
        // After a lost answer it may have its new end already. What is there with neither is not brought back.
        if !before.there && !target.holds(&call).await?.there {
            return Err(TargetError::Refused("it is not there any more".to_owned()));
        }
        if !target.prolong(&call).await?.there {
            return Err(TargetError::Refused("it is not there with its new end when read back".to_owned()));
        }
        self.app.report(self.scope, Report::GrantMoved { grant: grant.id, until }).await;
        Ok(())
    }

    async fn take(&self, target: &Target, grant: &Grant) -> Result<(), TargetError> {
        let call = self.grant_call(grant).await;
        let mut there = target.take(&call).await?.there;
        if grant.moving_to.is_some() {
            // Its end may not have moved.
            there |= target.holds(&GrantCall { until: grant.until, ..call.clone() }).await?.there;
        }
        if there {
            return Err(TargetError::Refused("it is still there when read back".to_owned()));
        }
        let found = target.leftovers(&call).await?;
        if found.iter().any(|one| one.alarming) {
            let grant = grant.id;
            let about =
                if target.is_host() { AlarmKind::EndHindered { grant } } else { AlarmKind::LoginKept { grant } };
            self.app.report(self.scope, Report::Alarm(about)).await;
        }
        let leftovers = found.into_iter().map(|found| (Said::new(found.what), found.when, found.ended)).collect();
        self.app.report(self.scope, Report::GrantGone { grant: grant.id, leftovers }).await;
        Ok(())
    }

    async fn restore(&self, target: &Target, conversion: ConversionId, standing: &Standing) -> Result<(), TargetError> {
        let call = self.standing_call(standing).await;
        let by_others = target.holds_standing(&call).await?;
        if !by_others {
            target.restore_standing(&call).await?;
            if !target.holds_standing(&call).await? {
                return Err(TargetError::Refused("it is not there when read back".to_owned()));
            }
        }
        let standing = standing.id;
        self.app.report(self.scope, Report::StandingRestored { conversion, standing, by_others }).await;
        Ok(())
    }

    /// Whether the target's clock is too far from ours; an alarm while it is.
    async fn check_skew(&self, clock: Timestamp) -> bool {
        let skew = clock.duration_since(Timestamp::now());
        let target = self.scope;
        let too_far = skew.abs() > self.app.config().surveys.skew.0;
        let open = {
            let world = self.app.world();
            world
                .open_alarm(|about| matches!(about, AlarmKind::Skew { target: known, .. } if *known == target))
                .is_some()
        };
        match (too_far, open) {
            (true, false) => {
                self.app.report(self.scope, Report::Alarm(AlarmKind::Skew { target, seconds: skew.as_secs() })).await
            }
            (false, true) => self.app.report(self.scope, Report::ClockAgrees { target }).await,
            _ => {}
        }
        too_far
    }
}

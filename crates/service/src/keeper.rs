//! Keepers: one for each target. Each compares what is wanted with what was seen, acts on the difference, taking
//! before giving, and reports what it saw. A target that is down or slow holds up no other.

use std::{collections::BTreeMap, sync::Arc, time::Duration};

use futures_util::future::join_all;
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    AlarmKind, Caller, Command, Connector, Grant, Order, Said, ScopeId, Standing, Task, World, orders,
};
use tempestas_targets::{GrantCall, StandingCall, Target, TargetError};
use tokio::task::{AbortHandle, JoinSet};

use crate::{app::App, problem::Failure};

/// Orders carried out at the same time on one target.
const TOGETHER: usize = 4;
/// First wait after an order failed; doubled each time.
const BACK_OFF_FIRST: SignedDuration = SignedDuration::from_millis(500);
/// Longest such wait.
const BACK_OFF_MOST: SignedDuration = SignedDuration::from_secs(30);
/// How often what ends grants by itself is seen to.
const KEEP_TIME_EVERY: SignedDuration = SignedDuration::from_secs(10);
/// A clock step of this machine beyond which nothing is opened.
const CLOCK_STEP_MOST: SignedDuration = SignedDuration::from_secs(5);

/// Starts a keeper for each target that there is, or comes to be.
pub(crate) async fn keepers(app: App) {
    let mut changes = app.changes();
    // Ends its keepers when it is ended itself.
    let mut running = JoinSet::new();
    let mut known: BTreeMap<ScopeId, AbortHandle> = BTreeMap::new();
    loop {
        let targets: Vec<ScopeId> = app.world().await.targets.keys().copied().collect();
        for scope in targets {
            if known.get(&scope).is_none_or(AbortHandle::is_finished) {
                known.insert(scope, running.spawn(Keeper::new(app.clone(), scope).run()));
            }
        }
        if changes.changed().await.is_err() {
            return;
        }
    }
}

/// Lets time pass in the World, once a second and as soon as something is due; watches this machine's clock.
pub(crate) async fn ticker(app: App) {
    let (mut wall, mut steady) = (Timestamp::now(), tokio::time::Instant::now());
    loop {
        tokio::time::sleep(Duration::from_millis(250)).await;
        let (now, ran) = (Timestamp::now(), steady.elapsed());
        let step = now.duration_since(wall) - SignedDuration::try_from(ran).unwrap_or(SignedDuration::ZERO);
        if step.abs() > CLOCK_STEP_MOST {
            app.report(Command::RaiseAlarm(AlarmKind::ClockStep { seconds: step.as_secs() })).await;
        }
        (wall, steady) = (now, tokio::time::Instant::now());
        if app.submit(Caller::keeper(), Command::Tick).await.is_err() {
            return;
        }
    }
}

struct Waiting {
    until: Timestamp,
    next: SignedDuration,
}

struct Keeper {
    app: App,
    scope: ScopeId,
    /// The target, with its open connections; made anew after it failed.
    target: Option<Arc<Target>>,
    /// Orders that failed, and when they are tried again.
    backing_off: BTreeMap<String, Waiting>,
    read_back_at: Timestamp,
    kept_time_at: Timestamp,
    surveyed_at: Option<Timestamp>,
}

impl Keeper {
    fn new(app: App, scope: ScopeId) -> Self {
        let long_ago = Timestamp::UNIX_EPOCH;
        Self {
            app,
            scope,
            target: None,
            backing_off: BTreeMap::new(),
            read_back_at: long_ago,
            kept_time_at: long_ago,
            surveyed_at: None,
        }
    }

    async fn run(mut self) {
        let mut changes = self.app.changes();
        loop {
            changes.mark_unchanged();
            if let Err(failure) = self.round().await {
                self.target = None;
                self.app.hear(self.scope, Some(said(&failure)));
            }
            // Waits are at most a second, on the wall clock.
            tokio::select! {
                changed = changes.changed() => if changed.is_err() { return },
                () = tokio::time::sleep(Duration::from_millis(500)) => {}
            }
        }
    }

    async fn target(&mut self, connector: &Connector) -> Result<Arc<Target>, Failure> {
        if let Some(target) = &self.target {
            return Ok(Arc::clone(target));
        }
        let target = Arc::new(self.app.target(self.scope, connector).await?);
        self.target = Some(Arc::clone(&target));
        Ok(target)
    }

    async fn round(&mut self) -> Result<(), Failure> {
        let (due, connector) = {
            let world = self.app.world().await;
            let Some(connector) = world.connector(self.scope).cloned() else { return Ok(()) };
            (orders(&world, self.scope, Timestamp::now()), connector)
        };
        self.backing_off.retain(|key, _| due.iter().any(|order| order.key == *key));
        let (holds, due): (Vec<Order>, Vec<Order>) =
            due.into_iter().partition(|order| matches!(order.task, Task::Hold(..)));
        for order in holds {
            if let Task::Hold(grant, trouble) = order.task {
                self.app.report(Command::GrantDelayed { grant, trouble }).await;
            }
        }
        let now = Timestamp::now();
        let due: Vec<Order> = due
            .into_iter()
            .filter(|order| self.backing_off.get(&order.key).is_none_or(|waiting| waiting.until <= now))
            .collect();
        let (gives, takes): (Vec<Order>, Vec<Order>) =
            due.into_iter().partition(|order| matches!(order.task, Task::Give(_)));
        if !takes.is_empty() {
            self.carry_out(&connector, takes).await?;
        }
        if !gives.is_empty() {
            self.carry_out(&connector, gives).await?;
        }
        self.see_to_the_rest(&connector, now).await
    }

    /// Read-backs, surveys and whatever ends grants by itself, each at its own pace.
    async fn see_to_the_rest(&mut self, connector: &Connector, now: Timestamp) -> Result<(), Failure> {
        let surveys = &self.app.config().surveys;
        let (every, read_back) = (surveys.every.0, surveys.read_back.0);
        if now.duration_since(self.kept_time_at) >= KEEP_TIME_EVERY {
            self.kept_time_at = now;
            let target = self.target(connector).await?;
            let kept = target.keep_time().await;
            let clock = target.clock().await;
            self.app.hear(self.scope, kept.err().map(|error| error.to_string()));
            self.check_skew(clock?).await;
        }
        if now.duration_since(self.read_back_at) >= read_back {
            self.read_back_at = now;
            self.read_back(connector).await?;
        }
        if self.surveyed_at.is_none_or(|at| now.duration_since(at) >= every) {
            self.surveyed_at = Some(now);
            // On its own: a long survey must not keep a right from being taken away.
            let (app, scope) = (self.app.clone(), self.scope);
            tokio::spawn(async move {
                if let Err(failure) = survey(&app, scope).await {
                    app.hear(scope, Some(said(&failure)));
                }
            });
        }
        Ok(())
    }

    async fn read_back(&mut self, connector: &Connector) -> Result<(), Failure> {
        let calls: Vec<(Grant, GrantCall)> = {
            let world = self.app.world().await;
            let now = Timestamp::now();
            world
                .live_grants(self.scope)
                .into_iter()
                .map(|grant| (grant.clone(), GrantCall::new(&world, &grant, now)))
                .collect()
        };
        if calls.is_empty() {
            return Ok(());
        }
        let target = self.target(connector).await?;
        for (grant, call) in calls {
            let seen = target.holds(&call).await?;
            self.app.report(Command::GrantSeen { grant: grant.id, there: seen.there }).await;
        }
        Ok(())
    }

    async fn carry_out(&mut self, connector: &Connector, due: Vec<Order>) -> Result<(), Failure> {
        let target = self.target(connector).await?;
        for some in due.chunks(TOGETHER) {
            let done = join_all(some.iter().map(|order| self.one(&target, order))).await;
            for (order, outcome) in some.iter().zip(done) {
                match outcome {
                    Ok(()) => {
                        self.backing_off.remove(&order.key);
                        self.app.hear(self.scope, None);
                    }
                    Err(error) => self.back_off(order, &error).await,
                }
            }
        }
        Ok(())
    }

    async fn back_off(&mut self, order: &Order, error: &TargetError) {
        let next = self.backing_off.get(&order.key).map_or(BACK_OFF_FIRST, |waiting| waiting.next);
        let until = Timestamp::now().checked_add(next).unwrap_or(Timestamp::MAX);
        self.backing_off.insert(order.key.clone(), Waiting { until, next: (next * 2).min(BACK_OFF_MOST) });
        self.app.hear(self.scope, Some(error.to_string()));
        self.target = None;
        let trouble = format!("{error}; it is tried again until it is done");
        tracing::warn!(target = %self.scope, order = %order.key, %error, "an order failed and is tried again");
        match &order.task {
            Task::Take(grant) | Task::Give(grant) => {
                self.app.report(Command::GrantDelayed { grant: grant.id, trouble }).await;
            }
            Task::TakeStanding(conversion, standing) | Task::RestoreStanding(conversion, standing) => {
                let (conversion, standing) = (*conversion, standing.id);
                self.app.report(Command::StandingDelayed { conversion, standing, trouble }).await;
            }
            Task::EndStray(_) | Task::Search | Task::Hold(..) => {}
        }
    }

    async fn one(&self, target: &Target, order: &Order) -> Result<(), TargetError> {
        match &order.task {
            Task::Take(grant) => self.take(target, grant).await,
            Task::Give(grant) => self.give(target, grant).await,
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
                self.app.report(Command::StandingTaken { conversion, standing }).await;
                Ok(())
            }
            Task::RestoreStanding(conversion, standing) => self.restore(target, *conversion, standing).await,
            Task::Search => {
                let marked = target.marked().await?;
                self.app.report(Command::RecordSearch { target: self.scope, marked }).await;
                Ok(())
            }
            Task::EndStray(name) => {
                let call = self.stray_call(name);
                target.take(&call).await?;
                if target.marked().await?.iter().any(|marked| marked.name == *name) {
                    return Err(TargetError::Refused("it is still there when read back".to_owned()));
                }
                target.leftovers(&call).await?;
                self.app.report(Command::StrayEnded { target: self.scope, name: name.clone() }).await;
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
        GrantCall::new(&*self.app.world().await, grant, Timestamp::now())
    }

    async fn standing_call(&self, standing: &Standing) -> StandingCall {
        StandingCall::new(&*self.app.world().await, standing)
    }

    async fn give(&self, target: &Target, grant: &Grant) -> Result<(), TargetError> {
        let call = self.grant_call(grant).await;
        // Asked first: its clock is needed in any case, and after a lost answer it may be there already.
        let before = target.holds(&call).await?;
        if self.check_skew(before.clock).await {
            return Err(TargetError::Refused("its clock is too far from ours".to_owned()));
        }
        if !before.there {
            target.give(&call).await?;
            if !target.holds(&call).await?.there {
                return Err(TargetError::Refused("it is not there when read back".to_owned()));
            }
        }
        self.app.report(Command::GrantSeen { grant: grant.id, there: true }).await;
        Ok(())
    }

    async fn take(&self, target: &Target, grant: &Grant) -> Result<(), TargetError> {
        let call = self.grant_call(grant).await;
        target.take(&call).await?;
        if target.holds(&call).await?.there {
            return Err(TargetError::Refused("it is still there when read back".to_owned()));
        }
        let found = target.leftovers(&call).await?;
        let leftovers = found.into_iter().map(|found| (Said::new(found.what), found.when, found.ended)).collect();
        self.app.report(Command::GrantGone { grant: grant.id, leftovers }).await;
        Ok(())
    }

    async fn restore(
        &self,
        target: &Target,
        conversion: tempestas_core::ConversionId,
        standing: &Standing,
    ) -> Result<(), TargetError> {
        let call = self.standing_call(standing).await;
        let by_others = target.holds_standing(&call).await?;
        if !by_others {
            target.restore_standing(&call).await?;
            if !target.holds_standing(&call).await? {
                return Err(TargetError::Refused("it is not there when read back".to_owned()));
            }
        }
        let standing = standing.id;
        self.app.report(Command::StandingRestored { conversion, standing, by_others }).await;
        Ok(())
    }

    /// Whether the target's clock is too far from ours; an alarm while it is.
    async fn check_skew(&self, clock: Timestamp) -> bool {
        let skew = clock.duration_since(Timestamp::now());
        let target = self.scope;
        let too_far = skew.abs() > self.app.config().surveys.skew.0;
        let open = {
            let world = self.app.world().await;
            world
                .open_alarm(|about| matches!(about, AlarmKind::Skew { target: known, .. } if *known == target))
                .map(|alarm| alarm.id)
        };
        match (too_far, open) {
            (true, None) => {
                self.app.report(Command::RaiseAlarm(AlarmKind::Skew { target, seconds: skew.as_secs() })).await
            }
            (false, Some(alarm)) => self.app.report(Command::SettleAlarm { alarm }).await,
            _ => {}
        }
        too_far
    }
}

fn said(failure: &Failure) -> String {
    match failure {
        Failure::Target(says) => says.clone(),
        other => {
            tracing::warn!(?other, "a keeper failed");
            "the service itself failed at this; its log says why".to_owned()
        }
    }
}

impl From<TargetError> for Failure {
    fn from(error: TargetError) -> Self {
        Self::Target(error.to_string())
    }
}

/// Surveys a target and has what was read taken in. Returns the facts that came of it.
pub(crate) async fn survey(app: &App, scope: ScopeId) -> Result<Vec<tempestas_core::What>, Failure> {
    let connector = app
        .world()
        .await
        .connector(scope)
        .cloned()
        .ok_or_else(|| Failure::unknown("target", &scope.to_string(), "`tempestas targets` lists them"))?;
    let target = app.target(scope, &connector).await?;
    let survey = match target.survey().await {
        Ok(survey) => survey,
        Err(error) => {
            app.hear(scope, Some(error.to_string()));
            return Err(error.into());
        }
    };
    app.hear(scope, None);
    let digest = app.store().keep_survey(scope, Timestamp::now(), &survey).await?;
    let record = Command::RecordSurvey { target: scope, digest, survey: Box::new(survey), accepted: false };
    Ok(app.submit(Caller::keeper(), record).await?)
}

/// Runs the keepers and the ticker; ends with the first that ends.
pub(crate) async fn run(app: App) {
    let mut tasks = JoinSet::new();
    tasks.spawn(keepers(app.clone()));
    tasks.spawn(ticker(app));
    tasks.join_next().await;
}

/// The present World has this many rows worth keeping an eye on; used for the log at start.
pub(crate) fn summary(world: &World) -> String {
    format!(
        "{} people, groups and programs, {} targets, {} standing rights, {} elevations of which {} not over",
        world.subjects.len(),
        world.targets.len(),
        world.standing.len(),
        world.elevations.len(),
        world.active.len()
    )
}

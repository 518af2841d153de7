//! Keepers: one for each target. Each compares what is wanted with what was seen, acts on the difference, taking
//! before giving, and reports what it saw. A target that is down or slow holds up no other.

mod executor;
mod pace;

use std::{
    collections::{BTreeMap, BTreeSet},
    sync::Arc,
    time::Duration,
};

use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Activity, AlarmKind, Caller, Connector, GrantId, Order, Report, Said, ScopeId, Task, Trail, Weight, What, World,
    orders,
};
use tempestas_engine::Committed;
use tempestas_store::Told;
use tempestas_targets::{Target, TargetError};
use tokio::{
    sync::Notify,
    task::{JoinError, JoinSet},
};

use executor::{Executor, Work};

pub(crate) use pace::run;

use crate::{app::App, connect::connect, problem::Failure};

/// Grants given at the same time on one target; what is taken away never waits for a place.
const GIVEN_TOGETHER: usize = 4;
/// First wait after an order failed; doubled each time.
const BACK_OFF_FIRST: SignedDuration = SignedDuration::from_millis(500);
/// Longest such wait.
const BACK_OFF_MOST: SignedDuration = SignedDuration::from_secs(30);
/// How often what ends grants by itself is seen to.
const KEEP_TIME_EVERY: SignedDuration = SignedDuration::from_secs(10);
/// How long activity is kept.
const ACTIVITY_KEPT: SignedDuration = SignedDuration::from_hours(24 * 400);
/// How far back from when it was last asked a target is asked again, since a log may be written late.
const ACTIVITY_AGAIN: SignedDuration = SignedDuration::from_mins(10);

struct Waiting {
    until: Timestamp,
    next: SignedDuration,
    /// Why, as it was logged.
    why: String,
}

/// What became of a piece of work.
type Ended = (String, Work, Result<(), String>);

struct Keeper {
    app: App,
    scope: ScopeId,
    /// The target, with its open connections; made anew after it failed, or is reached otherwise.
    target: Option<(Connector, u64, Arc<Target>)>,
    /// Work that failed, and when it is tried again.
    backing_off: BTreeMap<String, Waiting>,
    /// Work under way, by key; whether it is an order to give.
    under_way: BTreeMap<String, bool>,
    tasks: JoinSet<Ended>,
    read_back_at: Timestamp,
    /// When uses of what is good for one were last looked for.
    uses_read_at: Timestamp,
    /// When the emergency holders that it sealed were last looked at.
    watched_at: Timestamp,
    kept_time_at: Timestamp,
    /// The turn of the authorities that the target was last told about.
    told_turn: u64,
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
            under_way: BTreeMap::new(),
            tasks: JoinSet::new(),
            read_back_at: long_ago,
            uses_read_at: long_ago,
            watched_at: long_ago,
            kept_time_at: long_ago,
            told_turn: 0,
            surveyed_at: None,
        }
    }

    /// Runs until its target is looked after no more; `woken` when something on it may be to do.
    async fn run(mut self, woken: Arc<Notify>) {
        self.app.statuses().forget(self.scope);
        loop {
            if self.app.world().connector(self.scope).is_none() {
                return;
            }
            if let Err(failure) = self.round().await {
                self.target = None;
                self.app.statuses().hear(self.scope, Some(said(&failure)));
            }
            // Waits are at most a second, on the wall clock.
            tokio::select! {
                () = woken.notified() => {}
                Some(ended) = self.tasks.join_next() => self.ended(ended).await,
                () = tokio::time::sleep(Duration::from_millis(500)) => {}
            }
        }
    }

    /// Begins whatever is due and not under way. Nothing here waits for the target, so that a slow one is still
    /// told at once to take away.
    async fn round(&mut self) -> Result<(), Failure> {
        let (due, live, once, seals, connector, held) = {
            let world = self.app.world();
            let Some(known) = world.targets.get(&self.scope) else { return Ok(()) };
            let live = !world.live_grants(self.scope).is_empty();
            let due = orders(&world, self.scope, Timestamp::now());
            let held = critical_held(&self.app, &world, &due);
            let once = !world.good_for_one_use(self.scope).is_empty();
            (due, live, once, !known.sealed.is_empty(), known.connector.clone(), held)
        };
        let now = Timestamp::now();
        self.backing_off
            .retain(|key, waiting| key == "survey" || waiting.until > now || due.iter().any(|order| order.key == *key));
        // Orders come with the taking first.
        for order in due {
            if let Task::Hold(grant, trouble) = order.task {
                self.app.report(self.scope, Report::GrantDelayed { grant, trouble }).await;
                continue;
            }
            let gives = matches!(order.task, Task::Give(_) | Task::Move(..));
            if let Task::Give(grant) | Task::Move(grant, _) = &order.task
                && held.contains(&grant.id)
            {
                let trouble = UNVERIFIED.to_owned();
                self.app.report(self.scope, Report::GrantDelayed { grant: grant.id, trouble }).await;
                continue;
            }
            if gives && self.under_way.values().filter(|gives| **gives).count() >= GIVEN_TOGETHER {
                continue;
            }
            self.begin(&connector, order.key.clone(), Work::Order(order), gives, now).await?;
        }
        let surveys = &self.app.config().surveys;
        let (every, read_back) = (surveys.every.0, surveys.read_back.0);
        let turn = self.app.statuses().authorities_turn();
        if now.duration_since(self.kept_time_at) >= KEEP_TIME_EVERY || turn != self.told_turn {
            (self.kept_time_at, self.told_turn) = (now, turn);
            self.begin(&connector, "keep-time".to_owned(), Work::KeepTime, false, now).await?;
        }
        // With nothing to read back the target would not be called, and not have answered.
        if live && now.duration_since(self.read_back_at) >= read_back {
            self.read_back_at = now;
            self.begin(&connector, "read-back".to_owned(), Work::ReadBack, false, now).await?;
        }
        if once && now.duration_since(self.uses_read_at) >= read_back {
            self.uses_read_at = now;
            self.begin(&connector, "uses".to_owned(), Work::Uses, false, now).await?;
        }
        if seals && now.duration_since(self.watched_at) >= read_back {
            self.watched_at = now;
            self.begin(&connector, "watch".to_owned(), Work::Watch, false, now).await?;
        }
        if self.surveyed_at.is_none_or(|at| now.duration_since(at) >= every) {
            // One that is under way, or backs off, is not begun, and stays due.
            if self.begin(&connector, "survey".to_owned(), Work::Survey, false, now).await? {
                self.surveyed_at = Some(now);
            }
        }
        Ok(())
    }

    /// Begins a piece of work, unless it is under way or backs off; whether it did.
    async fn begin(
        &mut self,
        connector: &Connector,
        key: String,
        work: Work,
        gives: bool,
        now: Timestamp,
    ) -> Result<bool, Failure> {
        let waits = self.backing_off.get(&key).is_some_and(|waiting| waiting.until > now);
        if waits || self.under_way.contains_key(&key) {
            return Ok(false);
        }
        let turn = self.app.statuses().authorities_turn();
        let target = match &self.target {
            Some((known, at, target)) if known == connector && *at == turn => Arc::clone(target),
            _ => {
                let target = Arc::new(connect(&self.app, self.scope, connector).await?);
                self.target = Some((connector.clone(), turn, Arc::clone(&target)));
                target
            }
        };
        let executor = Executor { app: self.app.clone(), scope: self.scope, target };
        self.under_way.insert(key.clone(), gives);
        self.tasks.spawn(async move {
            let outcome = executor.carry_out(&work).await;
            (key, work, outcome)
        });
        Ok(true)
    }

    async fn ended(&mut self, ended: Result<Ended, JoinError>) {
        let Ok((key, work, outcome)) = ended else {
            // A fault of ours. Which work it was is not known, so all of it may be begun again; it may be repeated.
            tracing::error!(target = %self.scope, "work on a target broke off");
            self.under_way.clear();
            self.tasks.abort_all();
            return;
        };
        self.under_way.remove(&key);
        match outcome {
            Ok(()) => {
                self.backing_off.remove(&key);
                self.app.statuses().hear(self.scope, None);
                if self.left_something(&work) {
                    // What a holder made for afterwards is found at once, not within the hour.
                    self.surveyed_at = None;
                }
            }
            Err(error) => {
                if matches!(work, Work::Survey) {
                    // Not at its next turn, which may be hours away, but as soon as it has backed off.
                    self.surveyed_at = None;
                }
                self.back_off(key, &work, error).await;
            }
        }
    }

    /// Whether a grant was taken away that left something which the target could not be rid of.
    fn left_something(&self, work: &Work) -> bool {
        let Work::Order(Order { task: Task::Take(grant), .. }) = work else { return false };
        let world = self.app.world();
        let leftovers = world.grants.get(&grant.id).and_then(|grant| grant.leftovers.as_ref());
        leftovers.is_some_and(|left| left.iter().any(|one| !one.ended))
    }

    async fn back_off(&mut self, key: String, work: &Work, error: String) {
        // Once for each reason: what stays as it is is no news.
        if self.backing_off.get(&key).is_none_or(|waiting| waiting.why != error) {
            tracing::warn!(target = %self.scope, work = %key, %error, "work on a target failed and is tried again");
        }
        let next = self.backing_off.get(&key).map_or(BACK_OFF_FIRST, |waiting| waiting.next);
        let until = Timestamp::now().checked_add(next).unwrap_or(Timestamp::MAX);
        self.backing_off.insert(key, Waiting { until, next: (next * 2).min(BACK_OFF_MOST), why: error.clone() });
        self.target = None;
        let trouble = format!("{error}; it is tried again until it is done");
        self.app.statuses().hear(self.scope, Some(error));
        let Work::Order(order) = work else { return };
        match &order.task {
            Task::Take(grant) | Task::Give(grant) | Task::Move(grant, _) => {
                self.app.report(self.scope, Report::GrantDelayed { grant: grant.id, trouble }).await;
            }
            Task::TakeStanding(conversion, standing) | Task::RestoreStanding(conversion, standing) => {
                let (conversion, standing) = (*conversion, standing.id);
                self.app.report(self.scope, Report::StandingDelayed { conversion, standing, trouble }).await;
            }
            Task::EndStray(_) | Task::Search | Task::Hold(..) => {}
        }
    }
}

/// Why a critical right waits.
const UNVERIFIED: &str = "held until the database was held against the ledger, and they agree";

/// Grants of critical rights that wait until the database was held against the ledger.
fn critical_held(app: &App, world: &World, due: &[Order]) -> BTreeSet<GrantId> {
    let critical = |order: &Order| match &order.task {
        Task::Give(grant) | Task::Move(grant, _) => {
            let role = world.roles.get(&grant.right.role);
            role.is_none_or(|role| role.weight == Weight::Critical).then_some(grant.id)
        }
        _ => None,
    };
    if app.is_unverified(world) { due.iter().filter_map(critical).collect() } else { BTreeSet::new() }
}

fn said(failure: &Failure) -> String {
    match failure {
        Failure::Target(says) => says.clone(),
        other => {
            tracing::warn!(error = other.logged(), "a keeper failed");
            "the service itself failed at this; its log says why".to_owned()
        }
    }
}

impl From<TargetError> for Failure {
    fn from(error: TargetError) -> Self {
        Self::Target(error.to_string())
    }
}

/// Surveys a target and has what was read taken in. Returns what came of it.
pub(crate) async fn survey(app: &App, scope: ScopeId) -> Result<Committed, Failure> {
    // Of many systems so many at a time; orders to give and take wait for none of them.
    let _turn = app.statuses().survey_turn(scope).await;
    app.statuses().survey_began(scope);
    let outcome = read(app, scope).await;
    let says = match &outcome {
        Ok(done) => came_of(&done.whats),
        Err(failure) => said(failure),
    };
    app.statuses().survey_ended(scope, says);
    outcome
}

/// What came of a survey, in plain words.
fn came_of(whats: &[What]) -> String {
    whats
        .iter()
        .find_map(|what| match what {
            What::Surveyed { appeared, vanished, changed, .. } => {
                Some(format!("{appeared} new, {vanished} gone, {changed} changed"))
            }
            What::SurveyHeld { why, .. } => Some(format!("held: {why}")),
            _ => None,
        })
        .unwrap_or_else(|| "nothing new".to_owned())
}

async fn read(app: &App, scope: ScopeId) -> Result<Committed, Failure> {
    let connector = app
        .world()
        .connector(scope)
        .cloned()
        .ok_or_else(|| Failure::unknown("target", &scope.to_string(), "`tempestas targets` lists them"))?;
    let target = connect(app, scope, &connector).await?;
    let survey = match target.survey().await {
        Ok(survey) => survey,
        Err(error) => {
            app.statuses().hear(scope, Some(error.to_string()));
            return Err(error.into());
        }
    };
    app.statuses().hear(scope, None);
    if let Err(failure) = activity(app, scope, &target).await {
        // It only advises, so a survey is worth as much without it.
        tracing::warn!(target = %scope, error = failure.logged(), "what was done on a target can't be read");
    }
    if let Err(failure) = import(app, scope).await {
        tracing::warn!(target = %scope, error = failure.logged(), "people can't be read from a source");
    }
    let digest = app.store().keep_survey(scope, Timestamp::now(), &survey).await?;
    let record = Report::Surveyed { target: scope, digest, survey: Box::new(survey) };
    Ok(app.submit(Caller::keeper_of(scope), record).await?)
}

/// Reads people and groups from a target that is a source of them, and has what was read taken in.
pub(crate) async fn import(app: &App, scope: ScopeId) -> Result<(), Failure> {
    let (mapping, connector) = {
        let world = app.world();
        (world.sources.get(&scope).map(|source| source.mapping.clone()), world.connector(scope).cloned())
    };
    let (Some(mapping), Some(connector)) = (mapping, connector) else { return Ok(()) };
    let Some(imported) = connect(app, scope, &connector).await?.people(&mapping).await? else { return Ok(()) };
    let digest = app.store().keep_import(scope, Timestamp::now(), &imported).await?;
    let record = Report::Imported { target: scope, digest, imported: Box::new(imported) };
    app.submit(Caller::keeper_of(scope), record).await?;
    Ok(())
}

/// Keeps what was done on a target since it was asked last; a use of a sealed emergency holder is an alarm.
async fn activity(app: &App, scope: ScopeId, target: &Target) -> Result<(), Failure> {
    let now = Timestamp::now();
    let oldest = now.checked_sub(ACTIVITY_KEPT).unwrap_or(Timestamp::MIN);
    let told = app.store().told().await?.remove(&scope);
    let from = told.map_or(oldest, |told| told.asked_at.checked_sub(ACTIVITY_AGAIN).unwrap_or(oldest));
    let Some(Trail { mut uses, unread }) = target.activity(from).await? else { return Ok(()) };
    if unread > 0 {
        app.report(scope, Report::Alarm(AlarmKind::LogUnread { target: scope, bytes: unread })).await;
    }
    // By a clock that is ahead something may have been done in the future; it counts once it is past.
    uses.retain(|one| one.at <= now);
    let broken = broken_seals(&app.world(), scope, &uses);
    for ((account, claimed), at) in broken {
        app.report(scope, Report::SealedUsed { target: scope, account: Said::new(account), at, claimed }).await;
    }
    Ok(app.store().keep_activity(scope, Told { from, asked_at: now }, oldest, &uses).await?)
}

/// The last use of each sealed emergency holder, what is only claimed apart.
fn broken_seals(world: &World, scope: ScopeId, uses: &[Activity]) -> BTreeMap<(String, bool), Timestamp> {
    let mut last = BTreeMap::new();
    for one in uses.iter().filter(|one| world.is_sealed(scope, &one.account)) {
        let at = last.entry((one.account.clone(), !one.attested)).or_insert(one.at);
        *at = one.at.max(*at);
    }
    last
}

/// The present World has this many rows worth keeping an eye on; used for the log at start.
pub(crate) fn summary(world: &World) -> String {
    format!(
        "{} people, groups and programs, {} targets, {} standing rights, {} elevations that are not over",
        world.subjects.len(),
        world.targets.len(),
        world.standing.len(),
        world.active().count()
    )
}

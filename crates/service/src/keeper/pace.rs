//! Who acts when: a keeper for each target, woken for its own; and time, which passes in the World as soon as something is due.

use std::{collections::BTreeMap, sync::Arc, time::Duration};

use jiff::{SignedDuration, Timestamp};
use tempestas_core::{AlarmKind, Caller, Command, ScopeId, Topic};
use tempestas_engine::Snapshot;
use tokio::{
    sync::{Notify, broadcast::error::RecvError, watch},
    task::{AbortHandle, JoinSet},
    time::{Instant, sleep_until},
};

use super::Keeper;
use crate::app::App;

/// A clock step of this machine beyond which nothing is opened.
const CLOCK_STEP_MOST: SignedDuration = SignedDuration::from_secs(5);
/// How long time passes at most before what could not be settled when it was due is looked at again, and how soon a keeper that
/// broke off is started again.
const AGAIN: Duration = Duration::from_secs(1);

/// Runs the keepers and the ticker; ends with the first that ends.
pub(crate) async fn run(app: App) {
    #[cfg(feature = "crash-points")]
    if std::env::var("TEMPESTAS_CRASH_AT").is_ok_and(|what| what == "keepers") {
        return;
    }
    let mut tasks = JoinSet::new();
    tasks.spawn(keepers(app.clone()));
    tasks.spawn(ticker(app));
    tasks.join_next().await;
}

/// A keeper under way.
struct Kept {
    running: AbortHandle,
    woken: Arc<Notify>,
}

/// Starts a keeper for each target that there is, or comes to be, and wakes each when something on its target may be to do.
async fn keepers(app: App) {
    let mut changes = app.changes();
    // Ends its keepers when it is ended itself.
    let mut all = JoinSet::new();
    let mut known: BTreeMap<ScopeId, Kept> = BTreeMap::new();
    let mut again = tokio::time::interval(AGAIN);
    loop {
        tokio::select! {
            change = changes.recv() => match change {
                Ok(change) => {
                    if change.topics.contains(&Topic::Estate) {
                        start(&app, &mut all, &mut known);
                    }
                    change.targets.iter().filter_map(|target| known.get(target)).for_each(|one| one.woken.notify_one());
                }
                Err(RecvError::Lagged(_)) => {
                    start(&app, &mut all, &mut known);
                    known.values().for_each(|one| one.woken.notify_one());
                }
                Err(RecvError::Closed) => return,
            },
            _ = again.tick() => start(&app, &mut all, &mut known),
        }
    }
}

/// Starts those that don't run yet, or no more.
fn start(app: &App, all: &mut JoinSet<()>, known: &mut BTreeMap<ScopeId, Kept>) {
    let world = app.world();
    known.retain(|scope, _| world.targets.contains_key(scope));
    for scope in world.targets.keys() {
        if known.get(scope).is_none_or(|one| one.running.is_finished()) {
            let woken = Arc::new(Notify::new());
            let running = all.spawn(Keeper::new(app.clone(), *scope).run(Arc::clone(&woken)));
            known.insert(*scope, Kept { running, woken });
        }
    }
    while all.try_join_next().is_some() {}
}

/// Lets time pass in the World as soon as something is due, and once a second; watches this machine's clock.
async fn ticker(app: App) {
    let (mut wall, mut steady) = (Timestamp::now(), Instant::now());
    let mut commits = app.commits();
    loop {
        let (now, ran) = (Timestamp::now(), steady.elapsed());
        let step = now.duration_since(wall) - SignedDuration::try_from(ran).unwrap_or(SignedDuration::ZERO);
        if step.abs() > CLOCK_STEP_MOST {
            app.raise(AlarmKind::ClockStep { seconds: step.as_secs() }).await;
        }
        (wall, steady) = (now, Instant::now());
        if app.submit(Caller::service(), Command::Tick).await.is_err() {
            return;
        }
        something_is_due(&mut commits, now).await;
    }
}

/// Waits for what is due after `since`, be it that a commit makes something so; a second at most.
async fn something_is_due(commits: &mut watch::Receiver<Snapshot>, since: Timestamp) {
    let again = Instant::now() + AGAIN;
    loop {
        let due = commits.borrow_and_update().next_due(since);
        let left = due.and_then(|at| Duration::try_from(at.duration_since(Timestamp::now())).ok());
        let until = match (due, left) {
            (Some(_), left) => again.min(Instant::now() + left.unwrap_or_default()),
            (None, _) => again,
        };
        tokio::select! {
            () = sleep_until(until) => return,
            changed = commits.changed() => if changed.is_err() { return },
        }
    }
}

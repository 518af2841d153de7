//! What handlers and keepers share.

use std::sync::{
    Arc, Mutex,
    atomic::{AtomicBool, Ordering},
};

use axum::{Router, extract::FromRef};
use tempestas_core::{
    Actor, AlarmKind, Caller, Channel, Command, Fact, LookedAt, Note, Proof, Report, Said, ScopeId, SubjectId, World,
    ledger::Signer,
};
use tempestas_engine::{Change, Engine, Outcome, Snapshot};
use tempestas_store::{Private, Store};
use tokio::sync::{broadcast, watch};
use url::Url;

use crate::{
    access::AccessGraph, config::Config, desks::Desks, identity::Identity, keyring::Keyring, passkeys::Passkeys,
    status::Statuses,
};

/// Shared by every handler and keeper.
#[derive(Clone)]
pub(crate) struct App {
    shared: Arc<Shared>,
}

struct Shared {
    config: Config,
    engine: Engine,
    stopping: watch::Sender<bool>,
    keyring: Keyring,
    signer: Arc<Signer>,
    identity: Identity,
    passkeys: Passkeys,
    address: Url,
    /// The routes themselves, to carry out drafts that were confirmed. They hold this in turn, until it stops.
    routes: Mutex<Option<Router>>,
    installation: String,
    statuses: Statuses,
    access: AccessGraph,
    desks: Desks,
    /// Whether the database was held against the ledger since the start.
    verified: AtomicBool,
}

/// Everything an [`App`] is made of.
pub(crate) struct Parts {
    pub(crate) config: Config,
    pub(crate) engine: Engine,
    pub(crate) passkeys: Passkeys,
    pub(crate) address: Url,
    pub(crate) keyring: Keyring,
    pub(crate) signer: Arc<Signer>,
    pub(crate) installation: String,
    pub(crate) desks: Desks,
}

impl App {
    pub(crate) fn new(parts: Parts) -> Self {
        let Parts { config, engine, passkeys, address, keyring, signer, installation, desks } = parts;
        let access = AccessGraph::new(engine.clone());
        let shared = Shared {
            config,
            engine,
            stopping: watch::channel(false).0,
            keyring,
            signer,
            identity: Identity::new(),
            passkeys,
            address,
            routes: Mutex::default(),
            installation,
            statuses: Statuses::default(),
            access,
            desks,
            verified: AtomicBool::default(),
        };
        Self { shared: Arc::new(shared) }
    }

    pub(crate) fn config(&self) -> &Config {
        &self.shared.config
    }

    pub(crate) fn engine(&self) -> &Engine {
        &self.shared.engine
    }

    pub(crate) fn store(&self) -> &Store {
        self.shared.engine.store()
    }

    pub(crate) fn keyring(&self) -> &Keyring {
        &self.shared.keyring
    }

    pub(crate) fn signer(&self) -> &Signer {
        &self.shared.signer
    }

    pub(crate) fn identity(&self) -> &Identity {
        &self.shared.identity
    }

    /// What is known of each target beside the World.
    pub(crate) fn statuses(&self) -> &Statuses {
        &self.shared.statuses
    }

    /// What other systems said of circumstances.
    pub(crate) fn desks(&self) -> &Desks {
        &self.shared.desks
    }

    /// The World after the last commit.
    pub(crate) fn world(&self) -> Snapshot {
        self.shared.engine.world()
    }

    /// A receiver that hears of every commit.
    pub(crate) fn commits(&self) -> watch::Receiver<Snapshot> {
        self.shared.engine.commits()
    }

    /// A receiver that hears which lists each commit changed.
    pub(crate) fn changes(&self) -> broadcast::Receiver<Change> {
        self.shared.engine.changes()
    }

    /// A receiver that hears when the service is about to stop.
    pub(crate) fn stopping(&self) -> watch::Receiver<bool> {
        self.shared.stopping.subscribe()
    }

    /// Tells those who listen for long that the service is about to stop, and lets go of the routes, which would keep
    /// the writer waiting for further commands.
    pub(crate) fn stop(&self) {
        self.shared.stopping.send_replace(true);
        if let Ok(mut kept) = self.shared.routes.lock() {
            *kept = None;
        }
    }

    /// The address that people type, without a slash at its end.
    pub(crate) fn address(&self) -> String {
        self.shared.address.as_str().trim_end_matches('/').to_owned()
    }

    pub(crate) fn installation(&self) -> &str {
        &self.shared.installation
    }

    pub(crate) fn passkeys(&self) -> &Passkeys {
        &self.shared.passkeys
    }

    /// The routes, once the doors are open.
    pub(crate) fn routes(&self) -> Option<Router> {
        self.shared.routes.lock().ok().and_then(|routes| routes.clone())
    }

    pub(crate) fn keep_routes(&self, routes: Router) {
        if let Ok(mut kept) = self.shared.routes.lock() {
            *kept = Some(routes);
        }
    }

    /// Has a command decided for a caller.
    pub(crate) async fn submit(&self, caller: Caller, command: impl Into<Command>) -> Outcome {
        self.shared.engine.submit(caller, None, command).await
    }

    /// Has a command decided, with secrets that are written in the same commit.
    pub(crate) async fn submit_with(
        &self,
        caller: Caller,
        command: impl Into<Command>,
        private: impl FnOnce(&[Fact]) -> anyhow::Result<Vec<Private>> + Send + 'static,
    ) -> Outcome {
        self.shared.engine.submit_with(caller, None, command, Box::new(private)).await
    }

    /// Has a change in place decided for a caller who looked at what is there.
    pub(crate) async fn change(
        &self,
        caller: Caller,
        looked_at: LookedAt,
        command: impl Into<Command>,
        private: Vec<Private>,
    ) -> Outcome {
        self.shared.engine.submit_with(caller, Some(looked_at), command, Box::new(|_| Ok(private))).await
    }

    /// Has a keeper's report on its target decided; what it refuses is a fault of ours, and logged.
    pub(crate) async fn report(&self, target: ScopeId, report: Report) {
        if let Err(refusal) = self.submit(Caller::keeper_of(target), report).await {
            tracing::warn!(%target, %refusal, "a keeper's report was refused");
        }
    }

    /// Raises an alarm about the service itself.
    pub(crate) async fn raise(&self, about: AlarmKind) {
        if let Err(refusal) = self.submit(Caller::service(), Report::Alarm(about)).await {
            tracing::warn!(%refusal, "an alarm could not be raised");
        }
    }

    /// Notes an event that changes no row, by a subject at an address.
    pub(crate) async fn note(&self, by: SubjectId, address: &str, note: Note) -> Outcome {
        self.submit(caller(by, address, None), note).await
    }

    /// Whether nothing critical may be opened: until the database was held against the ledger, and while it differs.
    pub(crate) fn is_unverified(&self, world: &World) -> bool {
        !self.shared.verified.load(Ordering::Relaxed)
            || world.open_alarm(|about| matches!(about, AlarmKind::LedgerDiffers { .. })).is_some()
    }

    /// The database was held against the ledger.
    pub(crate) fn was_verified(&self) {
        self.shared.verified.store(true, Ordering::Relaxed);
    }
}

impl FromRef<App> for AccessGraph {
    fn from_ref(app: &App) -> Self {
        app.shared.access.clone()
    }
}

impl FromRef<App> for Statuses {
    fn from_ref(app: &App) -> Self {
        app.shared.statuses.clone()
    }
}

/// A signed-in caller.
pub(crate) fn caller(by: SubjectId, address: &str, proof: Option<Proof>) -> Caller {
    Caller { actor: Actor::Subject(by), proof, from: Some(Said::new(address)), channel: Channel::Api, keeps: None }
}

//! What handlers and keepers share.

use std::{
    collections::{BTreeMap, HashMap},
    sync::{
        Arc, Mutex,
        atomic::{AtomicBool, AtomicU64, Ordering},
    },
};

use axum::Router;
use jiff::Timestamp;
use tempestas_api::LastSurvey;
use tempestas_core::{
    Actor, AlarmKind, Caller, Command, Connector, Digest, Door, Fact, LookedAt, Note, Proof, Report, Said, ScopeId,
    SubjectId, World, ledger::Signer, ways::Ways,
};
use tempestas_engine::{Change, Engine, Outcome, Snapshot};
use tempestas_store::{Private, Store};
use tempestas_targets::{Place, Target};
use tokio::sync::{Semaphore, SemaphorePermit, broadcast, watch};

use url::Url;

use crate::{
    authorities::{Signs, authorities},
    config::Config,
    identity::Identity,
    passkeys::Passkeys,
    problem::Failure,
    vault::{BROKER, Vault, owner_of},
};

/// How many targets are surveyed at a time.
const SURVEYED_TOGETHER: usize = 16;

/// What a keeper last heard from its target.
#[derive(Debug, Clone, Default)]
pub(crate) struct Heard {
    /// When it last answered.
    pub(crate) answered_at: Option<Timestamp>,
    /// What is in the way.
    pub(crate) trouble: Option<String>,
    /// Since when it is being surveyed.
    pub(crate) surveying: Option<Timestamp>,
    /// How the last survey went.
    pub(crate) surveyed: Option<LastSurvey>,
}

/// Shared by every handler and keeper.
#[derive(Clone)]
pub(crate) struct App {
    shared: Arc<Shared>,
}

struct Shared {
    config: Config,
    engine: Engine,
    stopping: watch::Sender<bool>,
    vault: Vault,
    signer: Arc<Signer>,
    identity: Identity,
    passkeys: Passkeys,
    address: Url,
    /// The routes themselves, to carry out drafts that were confirmed. They hold this in turn, until it stops.
    routes: Mutex<Option<Router>>,
    installation: String,
    heard: Mutex<BTreeMap<ScopeId, Heard>>,
    /// Turns for surveys.
    survey_turns: Semaphore,
    /// What each host was last told to trust, as a digest.
    trusts: Mutex<HashMap<ScopeId, Digest>>,
    /// Whether the database was held against the ledger since the start.
    verified: AtomicBool,
    /// Grows when the authorities change, so that connections are made anew.
    authorities: AtomicU64,
    /// The graph of ways, and the size of the ledger that it was built at.
    ways: tokio::sync::Mutex<Option<(u64, Arc<Ways>)>>,
}

/// Everything an [`App`] is made of.
pub(crate) struct Parts {
    pub(crate) config: Config,
    pub(crate) engine: Engine,
    pub(crate) passkeys: Passkeys,
    pub(crate) address: Url,
    pub(crate) vault: Vault,
    pub(crate) signer: Arc<Signer>,
    pub(crate) installation: String,
}

impl App {
    pub(crate) fn new(parts: Parts) -> Self {
        let Parts { config, engine, passkeys, address, vault, signer, installation } = parts;
        let shared = Shared {
            config,
            engine,
            stopping: watch::channel(false).0,
            vault,
            signer,
            identity: Identity::new(),
            passkeys,
            address,
            routes: Mutex::default(),
            installation,
            heard: Mutex::default(),
            survey_turns: Semaphore::new(SURVEYED_TOGETHER),
            trusts: Mutex::default(),
            verified: AtomicBool::default(),
            authorities: AtomicU64::default(),
            ways: tokio::sync::Mutex::default(),
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

    pub(crate) fn vault(&self) -> &Vault {
        &self.shared.vault
    }

    pub(crate) fn signer(&self) -> &Signer {
        &self.shared.signer
    }

    pub(crate) fn identity(&self) -> &Identity {
        &self.shared.identity
    }

    /// The World after the last commit.
    pub(crate) fn world(&self) -> Snapshot {
        self.shared.engine.world()
    }

    /// The graph of who reaches what, as of now.
    pub(crate) async fn ways(&self) -> Arc<Ways> {
        let world = self.world();
        let mut kept = self.shared.ways.lock().await;
        if let Some((_, ways)) = kept.as_ref().filter(|(at, _)| *at == world.size()) {
            return Arc::clone(ways);
        }
        let ways = Arc::new(tokio::task::block_in_place(|| Ways::of(&world)));
        *kept = Some((world.size(), Arc::clone(&ways)));
        ways
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

    /// A target, ready to be called.
    pub(crate) async fn target(&self, scope: ScopeId, connector: &Connector) -> Result<Target, Failure> {
        let place = Place {
            connector,
            scope,
            installation: &self.shared.installation,
            programs: &self.config().described.programs,
        };
        if connector.takes_own_key() {
            let orders = authorities(self, Signs::Orders).await?;
            return Target::host(&place, orders).ok_or_else(|| Failure::target("it is no host"));
        }
        let sealed = self.store().sealed(Some(&owner_of(scope))).await?;
        let Some(sealed) = sealed.iter().find(|sealed| sealed.name == BROKER) else {
            return Err(Failure::target(
                "its password or key is not there; give it again with `tempestas targets set`",
            ));
        };
        let secret = self.vault().open_sealed(sealed)?;
        let secret = String::from_utf8_lossy(&secret).into_owned().into();
        Target::with_secret(&place, secret)
            .map_err(|error| Failure::target(error.to_string()))?
            .ok_or_else(|| Failure::target("it has no secret of its own"))
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

    /// Which turn of the authorities it is.
    pub(crate) fn authorities_turn(&self) -> u64 {
        self.shared.authorities.load(Ordering::Relaxed)
    }

    /// The authorities are others now.
    pub(crate) fn authorities_changed(&self) {
        self.shared.authorities.fetch_add(1, Ordering::Relaxed);
    }

    /// What a host was last told to trust.
    pub(crate) fn trusts(&self, scope: ScopeId) -> Option<Digest> {
        self.shared.trusts.lock().ok().and_then(|trusts| trusts.get(&scope).copied())
    }

    /// Notes what a host was told to trust.
    pub(crate) fn told_to_trust(&self, scope: ScopeId, trusted: Digest) {
        if let Ok(mut trusts) = self.shared.trusts.lock() {
            trusts.insert(scope, trusted);
        }
    }

    /// Forgets what was heard from a target, and what it was told: taken in again it may know nothing of that.
    pub(crate) fn forget(&self, scope: ScopeId) {
        if let Ok(mut trusts) = self.shared.trusts.lock() {
            trusts.remove(&scope);
        }
        if let Ok(mut heard) = self.shared.heard.lock() {
            heard.remove(&scope);
        }
    }

    /// What a keeper last heard.
    pub(crate) fn heard(&self, scope: ScopeId) -> Heard {
        self.shared.heard.lock().ok().and_then(|heard| heard.get(&scope).cloned()).unwrap_or_default()
    }

    /// A turn to survey, held until it is dropped.
    pub(crate) async fn survey_turn(&self) -> Option<SemaphorePermit<'_>> {
        self.shared.survey_turns.acquire().await.ok()
    }

    /// Notes that a survey began.
    pub(crate) fn survey_began(&self, scope: ScopeId) {
        if let Ok(mut heard) = self.shared.heard.lock() {
            heard.entry(scope).or_default().surveying = Some(Timestamp::now());
        }
    }

    /// Notes how a survey went, in plain words.
    pub(crate) fn survey_ended(&self, scope: ScopeId, says: String) {
        let at = Timestamp::now();
        if let Ok(mut heard) = self.shared.heard.lock() {
            let known = heard.entry(scope).or_default();
            let began = known.surveying.take().unwrap_or(at);
            known.surveyed = Some(LastSurvey { at, took_ms: at.duration_since(began).as_millis_f64(), says });
        }
    }

    /// Notes what a keeper heard.
    pub(crate) fn hear(&self, scope: ScopeId, trouble: Option<String>) {
        if let Ok(mut heard) = self.shared.heard.lock() {
            let known = heard.entry(scope).or_default();
            if trouble.is_none() {
                known.answered_at = Some(Timestamp::now());
                if known.trouble.is_some() {
                    tracing::info!(target = %scope, "a target answers again");
                }
            }
            known.trouble = trouble;
        }
    }
}

/// A signed-in caller.
pub(crate) fn caller(by: SubjectId, address: &str, proof: Option<Proof>) -> Caller {
    Caller { actor: Actor::Subject(by), proof, from: Some(Said::new(address)), door: Door::Api, keeps: None }
}

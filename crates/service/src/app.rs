//! What handlers and keepers share.

use std::{
    collections::BTreeMap,
    sync::{Arc, Mutex},
};

use jiff::Timestamp;
use tempestas_core::{Actor, Caller, Command, Connector, Door, Said, ScopeId, SubjectId, What, World, ledger::Signer};
use tempestas_store::Store;
use tempestas_targets::Target;
use tokio::sync::{RwLock, RwLockReadGuard, watch};

use crate::{
    config::Config,
    identity::Identity,
    problem::Failure,
    vault::Vault,
    writer::{Outcome, Writer},
};

/// What a keeper last heard from its target.
#[derive(Debug, Clone, Default)]
pub(crate) struct Heard {
    /// When it last answered.
    pub(crate) answered_at: Option<Timestamp>,
    /// What is in the way.
    pub(crate) trouble: Option<String>,
}

/// Shared by every handler and keeper.
#[derive(Clone)]
pub(crate) struct App {
    shared: Arc<Shared>,
}

struct Shared {
    config: Config,
    store: Arc<Store>,
    world: Arc<RwLock<World>>,
    writer: Writer,
    changes: watch::Receiver<u64>,
    vault: Vault,
    signer: Arc<Signer>,
    identity: Identity,
    installation: String,
    heard: Mutex<BTreeMap<ScopeId, Heard>>,
}

/// Everything an [`App`] is made of.
pub(crate) struct Parts {
    pub(crate) config: Config,
    pub(crate) store: Arc<Store>,
    pub(crate) world: Arc<RwLock<World>>,
    pub(crate) writer: Writer,
    pub(crate) changes: watch::Receiver<u64>,
    pub(crate) vault: Vault,
    pub(crate) signer: Arc<Signer>,
    pub(crate) installation: String,
}

impl App {
    pub(crate) fn new(parts: Parts) -> Self {
        let Parts { config, store, world, writer, changes, vault, signer, installation } = parts;
        let shared = Shared {
            config,
            store,
            world,
            writer,
            changes,
            vault,
            signer,
            identity: Identity::new(),
            installation,
            heard: Mutex::default(),
        };
        Self { shared: Arc::new(shared) }
    }

    pub(crate) fn config(&self) -> &Config {
        &self.shared.config
    }

    pub(crate) fn store(&self) -> &Store {
        &self.shared.store
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

    /// The World, to be read; held only for as long as a reply takes to put together.
    pub(crate) async fn world(&self) -> RwLockReadGuard<'_, World> {
        self.shared.world.read().await
    }

    /// A receiver that hears of every commit.
    pub(crate) fn changes(&self) -> watch::Receiver<u64> {
        self.shared.changes.clone()
    }

    /// Has a command decided for a caller.
    pub(crate) async fn submit(&self, caller: Caller, command: Command) -> Outcome {
        self.shared.writer.submit(caller, command).await
    }

    /// Has a keeper's report decided; what it refuses is a fault of ours, and logged.
    pub(crate) async fn report(&self, command: Command) {
        if let Err(refusal) = self.submit(Caller::keeper(), command).await {
            tracing::warn!(%refusal, "a keeper's report was refused");
        }
    }

    /// Notes an event that changes no row, by a subject at an address.
    pub(crate) async fn note(&self, by: SubjectId, address: &str, what: What) -> Outcome {
        self.submit(caller(by, address, None), Command::Note(what)).await
    }

    /// A target, ready to be called.
    pub(crate) async fn target(&self, scope: ScopeId, connector: &Connector) -> Result<Target, Failure> {
        let owner = format!("target:{}", scope.0);
        let sealed = self.store().sealed(Some(&owner)).await?;
        let Some(sealed) = sealed.iter().find(|sealed| sealed.name == "broker") else {
            return Err(Failure::target(
                "its password or key is not there; give it again with `tempestas targets set`",
            ));
        };
        let secret = self.vault().open_sealed(sealed)?;
        let secret = String::from_utf8_lossy(&secret).into_owned().into();
        Target::new(connector, secret, &self.shared.installation).map_err(|error| Failure::target(error.to_string()))
    }

    /// What a keeper last heard.
    pub(crate) fn heard(&self, scope: ScopeId) -> Heard {
        self.shared.heard.lock().ok().and_then(|heard| heard.get(&scope).cloned()).unwrap_or_default()
    }

    /// Notes what a keeper heard.
    pub(crate) fn hear(&self, scope: ScopeId, trouble: Option<String>) {
        if let Ok(mut heard) = self.shared.heard.lock() {
            let known = heard.entry(scope).or_default();
            if trouble.is_none() {
                known.answered_at = Some(Timestamp::now());
            }
            known.trouble = trouble;
        }
    }
}

/// A signed-in caller.
pub(crate) fn caller(by: SubjectId, address: &str, proven_at: Option<Timestamp>) -> Caller {
    Caller { actor: Actor::Subject(by), proven_at, from: Some(Said::new(address)), door: Door::Api }
}

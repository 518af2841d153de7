//! The handle: commands go in, snapshots come out.

use std::{collections::BTreeSet, sync::Arc};

use tempestas_core::{
    Caller, CallerRefusal, Command, Fact, LookedAt, Recall, Refusal, ScopeId, Topic, What, World, ledger::Signer,
};
use tempestas_store::{Loaded, Private, Store, StoreError};
use tokio::sync::{broadcast, mpsc, oneshot, watch};

use crate::{Clock, Committer, Snapshot, committer::Job, reckoning::Reckonings};

/// Commands that may wait for the writer before whoever sends another waits too.
const WAITING_MOST: usize = 1024;
/// Changes that a slow listener may fall behind before it is told that all lists changed.
const CHANGES_KEPT: usize = 256;

/// What one commit changed.
#[derive(Debug, Clone, Default)]
pub struct Change {
    /// Lists that look different now.
    pub topics: BTreeSet<Topic>,
    /// Targets on which there may be something else to do.
    pub targets: BTreeSet<ScopeId>,
    /// Number of facts after it.
    pub size: u64,
}

/// What a command did.
#[derive(Debug, Clone)]
pub struct Committed {
    /// What happened, in order; nothing where all was as wanted already.
    pub whats: Vec<What>,
    /// The World right after the commit.
    pub world: Snapshot,
}

/// What a command came to.
pub type Outcome = Result<Committed, Refusal>;

/// Makes what is written beside the facts of one command, once it is decided what happened.
pub type MakePrivate = Box<dyn FnOnce(&[Fact]) -> anyhow::Result<Vec<Private>> + Send>;

/// Hands commands to the one writer, and the World to everybody.
#[derive(Clone)]
pub struct Engine {
    jobs: mpsc::Sender<Job>,
    published: watch::Receiver<Snapshot>,
    // No sender, so that whoever listens hears when the writer is gone.
    changes: Arc<broadcast::Receiver<Change>>,
    store: Arc<Store>,
    reckonings: Reckonings,
}

impl Engine {
    /// The handle, and the writer that is to be run beside it.
    #[must_use]
    pub fn new(loaded: Loaded, signer: Arc<Signer>, clock: Clock) -> (Self, Committer) {
        let Loaded { store, world, tree } = loaded;
        let store = Arc::new(store);
        let (jobs, waiting) = mpsc::channel(WAITING_MOST);
        let (publish, published) = watch::channel(Snapshot::of(&world, tree.size()));
        let (change, changes) = broadcast::channel(CHANGES_KEPT);
        let committer = Committer::new(Arc::clone(&store), world, tree, signer, clock, (waiting, publish, change));
        (Self { jobs, published, changes: Arc::new(changes), store, reckonings: Reckonings::default() }, committer)
    }

    /// Has a command decided and made durable, for a caller who looked at what a change in place is about.
    ///
    /// # Errors
    /// The refusal; or that the service is stopping.
    pub async fn submit(&self, caller: Caller, looked_at: Option<LookedAt>, command: impl Into<Command>) -> Outcome {
        self.submit_with(caller, looked_at, command, Box::new(|_| Ok(Vec::new()))).await
    }

    /// The same, with secrets that are written in the same commit; `private` makes them from what happened.
    ///
    /// # Errors
    /// The refusal; or that the service is stopping, or that a secret could not be made: nothing has then changed.
    pub async fn submit_with(
        &self,
        caller: Caller,
        looked_at: Option<LookedAt>,
        command: impl Into<Command>,
        private: MakePrivate,
    ) -> Outcome {
        let (reply, outcome) = oneshot::channel();
        let stopping = || Refusal::from(CallerRefusal::Stopping);
        let command = command.into();
        self.jobs.send(Job { command, looked_at, caller, private, reply }).await.map_err(|_| stopping())?;
        outcome.await.map_err(|_| stopping())?
    }

    /// The World after the last commit.
    #[must_use]
    pub fn world(&self) -> Snapshot {
        self.published.borrow().clone()
    }

    /// A snapshot, and in it what is wanted, however long ago it was over.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn recall(&self, snapshot: &Snapshot, wanted: impl Into<Recall>) -> Result<Snapshot, StoreError> {
        let wanted = wanted.into().missing(snapshot);
        if wanted.is_empty() {
            return Ok(snapshot.clone());
        }
        let mut world = World::clone(snapshot);
        self.store.recall(&mut world, wanted).await?;
        Ok(Snapshot::of(&world, snapshot.size()))
    }

    /// What a long reckoning comes to, such as a rehearsal. It gives way to whoever answers and writes, and few go on at a time.
    ///
    /// # Errors
    /// When it panics, or the system has no thread for it.
    pub async fn reckon<T: Send + 'static>(&self, reckoning: impl FnOnce() -> T + Send + 'static) -> anyhow::Result<T> {
        self.reckonings.run(reckoning).await
    }

    /// Hears of every commit; one that is slow hears of the last.
    #[must_use]
    pub fn commits(&self) -> watch::Receiver<Snapshot> {
        self.published.clone()
    }

    /// Hears what each commit changed.
    #[must_use]
    pub fn changes(&self) -> broadcast::Receiver<Change> {
        self.changes.resubscribe()
    }

    pub(crate) fn shared_store(&self) -> Arc<Store> {
        Arc::clone(&self.store)
    }

    /// Where everything is written down.
    #[must_use]
    pub fn store(&self) -> &Store {
        &self.store
    }
}

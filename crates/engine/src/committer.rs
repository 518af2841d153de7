//! The one writer: decides commands one by one, commits those that waited together, publishes the World, then replies.

use std::{collections::BTreeSet, sync::Arc};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Caller, CallerRefusal, Command, Context, Decision, Digest, KEPT_FOR, LookedAt, Recall, Refusal, What, World,
    decide,
    ledger::{Signer, Tree},
    targets_of,
};
use tempestas_store::{Batch, Private, Store};
use tokio::sync::{broadcast, mpsc, oneshot, watch};

use crate::{
    Snapshot,
    engine::{Change, Committed, MakePrivate, Outcome},
    random,
    rates::Rates,
};

/// Most commands in one commit.
const BATCH_MOST: usize = 64;

/// How often what is over leaves memory.
const FORGET_EVERY: SignedDuration = SignedDuration::from_hours(1);

/// Where the present time comes from.
pub type Clock = Arc<dyn Fn() -> Timestamp + Send + Sync>;

/// A command, and who waits for what comes of it.
pub(crate) struct Job {
    pub(crate) command: Command,
    pub(crate) looked_at: Option<LookedAt>,
    pub(crate) caller: Caller,
    pub(crate) private: MakePrivate,
    pub(crate) reply: oneshot::Sender<Outcome>,
}

/// What the writer owns.
pub struct Committer {
    store: Arc<Store>,
    /// The World as far as it is decided; what is published follows the disk.
    world: World,
    tree: Tree,
    signer: Arc<Signer>,
    clock: Clock,
    jobs: mpsc::Receiver<Job>,
    publish: watch::Sender<Snapshot>,
    changes: broadcast::Sender<Change>,
    rates: Rates,
    /// When what is over is next looked through.
    forget_at: Timestamp,
    #[cfg(feature = "crash-points")]
    crash: crate::crash::Point,
}

impl Committer {
    pub(crate) fn new(
        store: Arc<Store>,
        world: World,
        tree: Tree,
        signer: Arc<Signer>,
        clock: Clock,
        (jobs, publish, changes): (mpsc::Receiver<Job>, watch::Sender<Snapshot>, broadcast::Sender<Change>),
    ) -> Self {
        Self {
            store,
            world,
            tree,
            signer,
            clock,
            jobs,
            publish,
            changes,
            rates: Rates::default(),
            forget_at: Timestamp::MIN,
            #[cfg(feature = "crash-points")]
            crash: crate::crash::Point::from_environment(),
        }
    }

    /// Runs until every handle is gone.
    ///
    /// # Errors
    /// When a commit fails. The process must then end: what is in memory is not what is on the disk.
    pub async fn run(mut self) -> anyhow::Result<()> {
        let mut waiting = Vec::with_capacity(BATCH_MOST);
        while self.jobs.recv_many(&mut waiting, BATCH_MOST).await > 0 {
            self.commit(waiting.drain(..)).await.context("a commit failed, so the service stops")?;
        }
        Ok(())
    }

    async fn commit(&mut self, jobs: impl Iterator<Item = Job>) -> anyhow::Result<()> {
        self.forget();
        let mut batch = Batch::default();
        let mut change = Change::default();
        let mut replies = Vec::new();
        for Job { command, looked_at, caller, private, reply } in jobs {
            let now = (self.clock)();
            let now = self.world.last_at.map_or(now, |last| last.max(now));
            let context = Context { now, caller, chance: random(), looked_at };
            self.recall(&command).await?;
            let (decision, kept, outcome) = self.decided(&command, &context, private);
            for fact in &decision.facts {
                self.world.apply(fact);
                change.topics.insert(fact.what.topic());
                change.targets.extend(targets_of(fact));
            }
            // Where a fact came from is said with the fact alone, which is read from the store.
            let from: BTreeSet<Digest> = decision.facts.iter().filter_map(|fact| fact.from).collect();
            for text in decision.texts.iter().filter(|text| !from.contains(&text.digest)) {
                self.world.know(text.digest, text.text.clone());
            }
            batch.add(decision, &mut self.tree)?;
            batch.add_private(kept);
            replies.push((reply, outcome));
        }
        if !batch.is_empty() {
            let size = self.tree.size();
            let checkpoint = self.signer.sign(size, self.tree.root(), self.world.counters.epoch);
            #[cfg(feature = "crash-points")]
            self.crash.before_commit();
            self.store.append(&batch, &checkpoint).await?;
            #[cfg(feature = "crash-points")]
            self.crash.after_commit();
            self.publish.send_replace(Snapshot::of(&self.world, size));
            // Nobody may be listening.
            let _ = self.changes.send(Change { size, ..change });
        }
        for (reply, outcome) in replies {
            let world = self.publish.borrow().clone();
            // A caller that went away needs no reply; what it did stands.
            let _ = reply.send(outcome.map(|whats| Committed { whats, world }));
        }
        Ok(())
    }

    /// Puts back what a command is about. It goes again with the next commit, so that nobody fills memory by asking.
    async fn recall(&mut self, command: &Command) -> anyhow::Result<()> {
        let wanted = Recall::of_command(command).missing(&self.world);
        if !wanted.is_empty() {
            self.store.recall(&mut self.world, wanted).await?;
            self.forget_at = Timestamp::MIN;
        }
        Ok(())
    }

    /// Lets go of what was over long since, every so often.
    fn forget(&mut self) {
        let now = (self.clock)();
        if now >= self.forget_at {
            self.world.forget(now.checked_sub(KEPT_FOR).unwrap_or(Timestamp::MIN));
            self.forget_at = now.checked_add(FORGET_EVERY).unwrap_or(Timestamp::MAX);
        }
    }

    /// What is written down of a command, what private is written beside it, and what it comes to: a refusal to somebody known is
    /// written down too.
    fn decided(
        &mut self,
        command: &Command,
        context: &Context,
        private: MakePrivate,
    ) -> (Decision, Vec<Private>, Result<Vec<What>, Refusal>) {
        let mut written = match self.rates.admit(command, context) {
            Err(refusal) => return (Decision::default(), Vec::new(), Err(refusal)),
            Ok(None) => return (Decision::default(), Vec::new(), Ok(Vec::new())),
            Ok(Some(dropped)) => dropped,
        };
        let decided = decide(&self.world, command, context).and_then(|decided| {
            let whats: Vec<What> = decided.facts.iter().map(|fact| fact.what.clone()).collect();
            let private =
                private(&decided.facts).map_err(|error| CallerRefusal::SecretNotKept { why: format!("{error:#}") })?;
            Ok((decided, private, whats))
        });
        match decided {
            Ok((decided, private, whats)) => {
                written.extend(decided);
                (written, private, Ok(whats))
            }
            Err(refusal) => {
                written.extend(self.rates.note_refusal(&self.world, command, context, &refusal));
                (written, Vec::new(), Err(refusal))
            }
        }
    }
}

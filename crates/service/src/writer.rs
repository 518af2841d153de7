//! The one writer: decides commands one by one, commits those that waited together, then replies.

use std::{
    collections::{BTreeSet, HashMap},
    sync::Arc,
};

use anyhow::Context as _;
use jiff::Timestamp;
use tempestas_core::{
    Caller, Command, Context, Decision, LookedAt, Refusal, SubjectId, Topic, What, World, decide,
    ledger::{SignedCheckpoint, Signer, Tree},
};
use tempestas_store::{Batch, Store};
use tokio::sync::{RwLock, broadcast, mpsc, oneshot, watch};

use crate::vault;

/// Most commands in one commit.
const BATCH_MOST: usize = 64;
/// Refusals of one caller that become facts within a minute; the rest is counted.
const REFUSALS_MOST: u32 = 30;
/// Most times that one person takes from the record within a minute.
const EXPORTS_MOST: u32 = 30;

/// Changes that a slow listener may fall behind before it is told that all lists changed.
const CHANGES_KEPT: usize = 256;

/// Where the present time comes from.
pub type Clock = Arc<dyn Fn() -> Timestamp + Send + Sync>;

/// Lists that one commit changed.
#[derive(Debug, Clone)]
pub(crate) struct Change {
    pub(crate) topics: BTreeSet<Topic>,
    /// Number of facts after it.
    pub(crate) seq: u64,
}

/// What a command came to.
pub(crate) type Outcome = Result<Vec<What>, Refusal>;

struct Job {
    command: Command,
    looked_at: Option<LookedAt>,
    caller: Caller,
    reply: oneshot::Sender<Outcome>,
}

/// Hands commands to the writer.
#[derive(Clone)]
pub(crate) struct Writer {
    jobs: mpsc::Sender<Job>,
}

impl Writer {
    /// Has a command decided and made durable.
    pub(crate) async fn submit(&self, caller: Caller, looked_at: Option<LookedAt>, command: Command) -> Outcome {
        let (reply, outcome) = oneshot::channel();
        let stopping = || Refusal::Conflict("the service is stopping; try again in a moment".to_owned());
        self.jobs.send(Job { command, looked_at, caller, reply }).await.map_err(|_| stopping())?;
        outcome.await.map_err(|_| stopping())?
    }
}

/// What the writer owns.
pub(crate) struct Scribe {
    store: Arc<Store>,
    world: Arc<RwLock<World>>,
    tree: Tree,
    signer: Arc<Signer>,
    jobs: mpsc::Receiver<Job>,
    changed: watch::Sender<u64>,
    changes: broadcast::Sender<Change>,
    clock: Clock,
    refusals: HashMap<SubjectId, Minute>,
    exports: HashMap<SubjectId, Minute>,
    #[cfg(feature = "crash-points")]
    crash: crash::Point,
}

/// What was counted of one caller within the present minute.
struct Minute {
    since: Timestamp,
    count: u32,
}

/// How many there are within the present minute, and were in the last one where this is the first.
struct Counted {
    count: u32,
    before: u32,
}

fn counted(minutes: &mut HashMap<SubjectId, Minute>, person: SubjectId, now: Timestamp) -> Counted {
    let minute = minutes.entry(person).or_insert(Minute { since: now, count: 0 });
    let mut before = 0;
    if now.duration_since(minute.since).as_secs() >= 60 {
        before = minute.count;
        *minute = Minute { since: now, count: 0 };
    }
    minute.count = minute.count.saturating_add(1);
    Counted { count: minute.count, before }
}

/// How others hear of commits: the number of facts, and which lists changed.
pub(crate) struct Heard {
    pub(crate) size: watch::Receiver<u64>,
    pub(crate) changes: broadcast::Sender<Change>,
}

/// Makes the writer and the handle to it.
pub(crate) fn writer(
    store: Arc<Store>,
    world: Arc<RwLock<World>>,
    tree: Tree,
    signer: Arc<Signer>,
    clock: Clock,
) -> (Writer, Scribe, Heard) {
    let (jobs, receiver) = mpsc::channel(1024);
    let (changed, size) = watch::channel(tree.size());
    let (changes, _) = broadcast::channel(CHANGES_KEPT);
    let scribe = Scribe {
        store,
        world,
        tree,
        signer,
        jobs: receiver,
        changed,
        changes: changes.clone(),
        clock,
        refusals: HashMap::new(),
        exports: HashMap::new(),
        #[cfg(feature = "crash-points")]
        crash: crash::Point::from_environment(),
    };
    (Writer { jobs }, scribe, Heard { size, changes })
}

impl Scribe {
    /// Runs until every handle is gone.
    ///
    /// # Errors
    /// When a commit fails. The process must then end: what is in memory is not what is on the disk.
    pub(crate) async fn run(mut self) -> anyhow::Result<()> {
        let mut waiting = Vec::with_capacity(BATCH_MOST);
        while self.jobs.recv_many(&mut waiting, BATCH_MOST).await > 0 {
            self.commit(waiting.drain(..)).await.context("a commit failed, so the service stops")?;
        }
        Ok(())
    }

    async fn commit(&mut self, jobs: impl Iterator<Item = Job>) -> anyhow::Result<()> {
        // Held until the commit is durable, so that nobody reads what could still be lost.
        let shared = Arc::clone(&self.world);
        let mut world = shared.write().await;
        let mut batch = Batch::default();
        let mut topics = BTreeSet::new();
        let mut replies = Vec::new();
        for job in jobs {
            let now = (self.clock)();
            let now = world.last_at.map_or(now, |last| last.max(now));
            let context = Context { now, caller: job.caller, chance: vault::random(), looked_at: job.looked_at };
            let (decision, outcome) = match self.admit(&job.command, &context) {
                Err(refusal) => (Decision::default(), Err(refusal)),
                Ok(None) => (Decision::default(), Ok(Vec::new())),
                Ok(Some(dropped)) => {
                    let mut decision = dropped;
                    let outcome = match decide(&world, &job.command, &context) {
                        Ok(decided) => {
                            let whats = decided.facts.iter().map(|fact| fact.what.clone()).collect();
                            decision.facts.extend(decided.facts);
                            decision.texts.extend(decided.texts);
                            Ok(whats)
                        }
                        Err(refusal) => {
                            let noted = self.note_refusal(&world, &job.command, &context, &refusal);
                            decision.facts.extend(noted.facts);
                            decision.texts.extend(noted.texts);
                            Err(refusal)
                        }
                    };
                    (decision, outcome)
                }
            };
            for fact in &decision.facts {
                world.apply(fact);
                topics.insert(fact.what.topic());
            }
            for text in &decision.texts {
                world.know(text.digest, text.text.clone());
            }
            batch.add(decision, &mut self.tree)?;
            replies.push((job.reply, outcome));
        }
        if !batch.is_empty() {
            let checkpoint = self.checkpoint(&world);
            #[cfg(feature = "crash-points")]
            self.crash.before_commit();
            self.store.append(&batch, &checkpoint).await?;
            #[cfg(feature = "crash-points")]
            self.crash.after_commit();
            self.changed.send_replace(self.tree.size());
            // Nobody may be listening.
            let _ = self.changes.send(Change { topics, seq: self.tree.size() });
        }
        drop(world);
        for (reply, outcome) in replies {
            // A caller that went away needs no reply; what it did stands.
            let _ = reply.send(outcome);
        }
        Ok(())
    }

    fn checkpoint(&self, world: &World) -> SignedCheckpoint {
        self.signer.sign(self.tree.size(), self.tree.root(), world.counters.epoch)
    }

    /// Whether a command that notes a refusal or a failed sign-in still fits into the rate of the person it is about;
    /// everything else does. What is taken away is noted each time, so it is refused beyond the rate.
    fn admit(&mut self, command: &Command, context: &Context) -> Result<Option<Decision>, Refusal> {
        let admitted = match (command, context.caller.subject()) {
            (Command::Note(What::Refused { .. }), Some(person)) => self.within_rate(person, context),
            (Command::Note(What::SignInFailed { subject }), None) => self.within_rate(*subject, context),
            (Command::Note(What::ProofFailed { subject }), Some(_)) => self.within_rate(*subject, context),
            // Nobody in particular, so all of them together.
            (Command::Note(What::NameUnknown {}), None) => self.within_rate(SubjectId(0), context),
            (Command::Note(What::Exported { .. }), Some(person)) => {
                if counted(&mut self.exports, person, context.now).count > EXPORTS_MOST {
                    return Err(Refusal::Limit(format!(
                        "you took from the record {EXPORTS_MOST} times within a minute, each of which is noted; wait for the next"
                    )));
                }
                Some(Decision::default())
            }
            _ => Some(Decision::default()),
        };
        Ok(admitted)
    }

    /// A fact for a refusal to a known caller, within a rate.
    fn note_refusal(&mut self, world: &World, command: &Command, context: &Context, refusal: &Refusal) -> Decision {
        let Some(person) = context.caller.subject() else { return Decision::default() };
        let Some(mut decision) = self.within_rate(person, context) else { return Decision::default() };
        let what = What::Refused {
            command: command.word().to_owned(),
            code: refusal.code().to_owned(),
            elevation: command.elevation(),
        };
        if let Ok(noted) = decide(world, &Command::Note(what), context) {
            decision.facts.extend(noted.facts);
            decision.texts.extend(noted.texts);
        }
        decision
    }

    /// None where the caller's refusals of this minute are enough; else, at the start of a new minute, a fact
    /// about those that were dropped before.
    fn within_rate(&mut self, person: SubjectId, context: &Context) -> Option<Decision> {
        let Counted { count, before } = counted(&mut self.refusals, person, context.now);
        let dropped = before.saturating_sub(REFUSALS_MOST);
        if count > REFUSALS_MOST {
            return None;
        }
        let mut decision = Decision::default();
        if dropped > 0 {
            let what = What::RefusalsDropped { subject: person, count: dropped };
            let world = World::default();
            if let Ok(noted) = decide(&world, &Command::Note(what), context) {
                decision = noted;
                // It carries no address of its own: the refusals that were kept do.
                decision.texts.clear();
                decision.facts.iter_mut().for_each(|fact| fact.from = None);
            }
        }
        Some(decision)
    }
}

#[cfg(feature = "crash-points")]
mod crash {
    //! Ends the process at the n-th commit, before or after it, as SIGKILL does: nothing is cleaned up.

    pub(super) struct Point {
        left: Option<u64>,
        after: bool,
    }

    impl Point {
        /// `TEMPESTAS_CRASH_AT=before:7` or `after:7`.
        pub(super) fn from_environment() -> Self {
            let set = std::env::var("TEMPESTAS_CRASH_AT").unwrap_or_default();
            let (when, at) = set.split_once(':').unwrap_or_default();
            Self { left: at.parse().ok(), after: when == "after" }
        }

        pub(super) fn before_commit(&mut self) {
            self.left = self.left.map(|left| left.saturating_sub(1));
            if self.left == Some(0) && !self.after {
                die();
            }
        }

        pub(super) fn after_commit(&self) {
            if self.left == Some(0) && self.after {
                die();
            }
        }
    }

    fn die() {
        let _ = rustix::process::kill_process(rustix::process::getpid(), rustix::process::Signal::KILL);
        std::process::abort();
    }
}

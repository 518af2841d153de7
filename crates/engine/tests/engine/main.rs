//! The engine alone: what is published, when, and who waits for whom.

#![expect(clippy::unwrap_used, clippy::indexing_slicing, reason = "a test says what it expects")]

mod feed;
mod past;

use std::{
    path::Path,
    sync::{
        Arc,
        atomic::{AtomicI64, Ordering},
    },
};

use jiff::Timestamp;
use sqlx::{ConnectOptions as _, SqliteConnection, sqlite::SqliteConnectOptions};
use tempestas_core::{
    Actor, Caller, CallerRefusal, Channel, Command, Fact, OperatorCommand, PeopleCommand, Proof, ProofMethod, Refusal,
    Said, SubjectId, SubjectKind, What, ledger::Signer,
};
use tempestas_engine::{Engine, Snapshot};
use tempestas_store::{Loaded, Private, Sealed, Store};
use tokio::task::JoinHandle;

/// An engine on a clock that stands where a test puts it.
struct Running {
    engine: Engine,
    committer: JoinHandle<anyhow::Result<()>>,
    now: Arc<AtomicI64>,
    mara: SubjectId,
}

const BEGAN: i64 = 1_767_600_000;

impl Running {
    async fn new(directory: &Path) -> Self {
        let now = Arc::new(AtomicI64::new(BEGAN));
        let (engine, committer) = Self::engine(Store::open(directory).await.unwrap(), &now);
        let found = OperatorCommand::Found { installation: "test".to_owned(), administrator: Said::new("mara") };
        let done = engine.submit(Caller::machine(), None, found).await.unwrap();
        let mara = done.world.subject_named("mara").unwrap().id;
        Self { engine, committer, now, mara }
    }

    /// One on this clock, of what was loaded.
    fn engine(loaded: Loaded, now: &Arc<AtomicI64>) -> (Engine, JoinHandle<anyhow::Result<()>>) {
        let signer = Arc::new(Signer::new("quillhaven.example/tempestas", &[7; 32]).unwrap());
        let clock = Arc::clone(now);
        let told = Arc::new(move || Timestamp::from_second(clock.load(Ordering::Relaxed)).unwrap());
        let (engine, committer) = Engine::new(loaded, signer, told);
        (engine, tokio::spawn(committer.run()))
    }

    fn at(&self, seconds: i64) {
        self.now.store(BEGAN + seconds, Ordering::Relaxed);
    }

    fn mara(&self) -> Caller {
        by(self.mara, self.now.load(Ordering::Relaxed))
    }

    async fn add(&self, name: &str) -> Result<Snapshot, Refusal> {
        let done = self.engine.submit(self.mara(), None, added(name)).await?;
        assert!(matches!(done.whats.as_slice(), [What::SubjectAdded { .. }]), "{:?}", done.whats);
        Ok(done.world)
    }
}

fn by(subject: SubjectId, now: i64) -> Caller {
    let proof = Some(Proof { at: Timestamp::from_second(now).unwrap(), method: ProofMethod::TotpCode });
    Caller { actor: Actor::Subject(subject), proof, from: None, channel: Channel::Api, keeps: None }
}

fn added(name: &str) -> Command {
    let about = Said::new(format!("somebody called {name}"));
    PeopleCommand::AddSubject { kind: SubjectKind::Person, name: Said::new(name), about, second_of: None }.into()
}

async fn looked_at_from_outside(directory: &Path) -> SqliteConnection {
    let file = SqliteConnectOptions::new().filename(directory.join("tempestas.sqlite")).read_only(true);
    file.connect().await.unwrap()
}

async fn written(database: &mut SqliteConnection) -> u64 {
    let facts: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM facts").fetch_one(database).await.unwrap();
    facts.unsigned_abs()
}

#[tokio::test]
async fn a_snapshot_stays_as_it_was_and_the_reply_knows_what_was_done() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let before = running.engine.world();
    let (size, people) = (before.size(), before.subjects.len());
    for n in 0..50 {
        let world = running.add(&format!("person{n}")).await.unwrap();
        assert_eq!(world.subject_named(&format!("person{n}")).unwrap().kind, SubjectKind::Person);
        assert!(running.engine.world().size() >= world.size(), "what was answered for is there to be read");
    }
    assert_eq!((before.size(), before.subjects.len()), (size, people));
    assert!(before.subject_named("person7").is_none());
    assert_eq!(running.engine.world().subjects.len(), people + 50);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nothing_is_read_that_is_not_on_the_disk_and_no_reader_holds_up_the_writer() {
    let directory = tempfile::tempdir().unwrap();
    let running = Arc::new(Running::new(directory.path()).await);
    // Kept all the while, as a long rehearsal keeps it.
    let kept = running.engine.world();
    let (engine, path) = (running.engine.clone(), directory.path().to_owned());
    let reader = tokio::spawn(async move {
        let mut database = looked_at_from_outside(&path).await;
        let mut commits = engine.commits();
        let mut looked = 0;
        while commits.changed().await.is_ok() {
            let published = commits.borrow_and_update().size();
            assert!(written(&mut database).await >= published, "{published} facts are shown, and not all are written");
            looked += 1;
            if published >= 101 {
                break;
            }
        }
        looked
    });
    let adding = (0..100).map(|n| {
        let running = Arc::clone(&running);
        tokio::spawn(async move { running.add(&format!("person{n}")).await.unwrap() })
    });
    for one in adding.collect::<Vec<_>>() {
        one.await.unwrap();
    }
    assert!(reader.await.unwrap() > 0);
    assert_eq!(kept.size(), 1);
}

#[tokio::test]
async fn time_never_runs_backwards_in_the_record() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    running.at(100);
    let later = running.add("oda").await.unwrap().last_at;
    running.at(40);
    assert_eq!(running.add("piet").await.unwrap().last_at, later, "the clock was put back");
    running.at(160);
    assert!(running.add("tomas").await.unwrap().last_at > later);
}

#[tokio::test]
async fn refusals_become_facts_within_a_rate_and_the_rest_is_counted() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let size = || running.engine.world().size();
    let before = size();
    for _ in 0..45 {
        assert!(running.add("mara").await.is_err(), "there is one of that name");
    }
    assert_eq!(size() - before, 30);
    running.at(61);
    assert!(running.add("mara").await.is_err());
    let mut database = looked_at_from_outside(directory.path()).await;
    let dropped: String =
        sqlx::query_scalar("SELECT CAST(body AS TEXT) FROM facts WHERE body LIKE '%refusals-dropped%'")
            .fetch_one(&mut database)
            .await
            .unwrap();
    assert!(dropped.contains(r#""count":15"#), "{dropped}");
}

#[tokio::test]
async fn a_record_is_taken_so_many_times_a_minute_and_no_more() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let take = async || {
        let note = Command::Note(tempestas_core::Note::Exported(tempestas_core::Export::Record));
        running.engine.submit(running.mara(), None, note).await
    };
    for _ in 0..30 {
        assert_eq!(take().await.unwrap().whats.len(), 1);
    }
    assert!(matches!(take().await, Err(Refusal::Caller(CallerRefusal::TookTooOften { .. }))));
    running.at(61);
    assert!(take().await.is_ok());
}

#[tokio::test]
async fn a_commit_that_fails_ends_the_writer_and_publishes_nothing() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let size = running.engine.world().size();
    let file = SqliteConnectOptions::new().filename(directory.path().join("tempestas.sqlite"));
    let mut foreign = file.connect().await.unwrap();
    sqlx::query("UPDATE texts SET text = 'maria'").execute(&mut foreign).await.unwrap();
    let said = running.add("oda").await.unwrap_err().to_string();
    assert!(said.contains("the service is stopping"), "{said}");
    let why = format!("{:#}", running.committer.await.unwrap().unwrap_err());
    assert!(why.contains("a commit failed"), "{why}");
    assert_eq!(running.engine.world().size(), size);
    assert!(running.engine.world().subject_named("oda").is_none(), "it was decided, and not written");
    let said = running.engine.submit(Caller::service(), None, Command::Tick).await.unwrap_err().to_string();
    assert!(said.contains("try again"), "{said}");
}

fn sealed(body: &[u8]) -> Private {
    let (owner, name, key_id) = ("house".to_owned(), "trial".to_owned(), "k1".to_owned());
    Private::Sealed(Sealed { owner, name, key_id, body: body.to_vec() })
}

#[tokio::test]
async fn a_secret_is_there_exactly_when_the_fact_is_that_needs_it() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let kept = async || running.engine.store().sealed(Some("house")).await.unwrap().into_iter().map(|one| one.body);
    let add = |name: &str| {
        running.engine.submit_with(running.mara(), None, added(name), Box::new(|_| Ok(vec![sealed(b"new")])))
    };
    assert!(add("mara").await.is_err(), "there is one of that name");
    assert_eq!(kept().await.count(), 0, "what was refused leaves nothing");
    let size = running.engine.world().size();
    let fails = Box::new(|_: &[Fact]| Err(anyhow::anyhow!("no key opens it")));
    let said = running.engine.submit_with(running.mara(), None, added("oda"), fails).await.unwrap_err().to_string();
    assert!(said.contains("no key opens it"), "{said}");
    assert!(running.engine.world().subject_named("oda").is_none(), "without its secret it did not happen");
    assert!(running.engine.world().size() > size, "but that it was tried is written down");
    // Whoever hears of the commit finds the secret.
    let mut commits = running.engine.commits();
    commits.mark_unchanged();
    let (done, found) = tokio::join!(add("oda"), async {
        commits.changed().await.unwrap();
        kept().await.collect::<Vec<_>>()
    });
    done.unwrap();
    assert_eq!(found, [b"new"]);
    // A system's new password changes nothing else.
    let alone = Box::new(|_: &[Fact]| Ok(vec![sealed(b"newer")]));
    let done = running.engine.submit_with(Caller::service(), None, Command::Tick, alone).await.unwrap();
    assert!(done.whats.is_empty(), "{:?}", done.whats);
    assert_eq!(kept().await.collect::<Vec<_>>(), [b"newer"]);
    let gone = Private::Unsealed { owner: "house".to_owned(), name: "trial".to_owned() };
    running.engine.submit_with(running.mara(), None, added("piet"), Box::new(|_| Ok(vec![gone]))).await.unwrap();
    assert_eq!(kept().await.count(), 0);
}

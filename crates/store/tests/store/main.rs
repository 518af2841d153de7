//! The store alone: what it finds, counts, and refuses to open.

#![expect(clippy::unwrap_used, reason = "a test says what it expects")]

mod passing;
mod past;
mod texts;
mod upcast;

use std::{path::Path, sync::Arc};

use jiff::{SignedDuration, Timestamp};
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_core::{
    Actor, Caller, Command, Context, Decision, DutyKind, ElevationId, EstateCommand, OperatorCommand, PeopleCommand,
    Proof, ProofMethod, Said, ScopeId, SubjectId, SubjectKind, World, decide,
    ledger::{Signer, Tree},
};
use tempestas_store::{Batch, Difference, Loaded, Private, Seen, SeenFacts, Slowing, Store, Wanted, check};

const BEGAN: i64 = 1_767_600_000;

/// A store with what some commands made, a minute apart.
struct Kept {
    store: Store,
    world: World,
    tree: Tree,
    said: u8,
}

impl Kept {
    async fn open(directory: &Path) -> Self {
        let Loaded { store, world, tree } = Store::open(directory).await.unwrap();
        Self { store, world, tree, said: 0 }
    }

    async fn does(&mut self, caller: Caller, command: Command) {
        self.said += 1;
        let now = Timestamp::from_second(BEGAN + 60 * i64::from(self.said)).unwrap();
        let decision =
            decide(&self.world, &command, &Context { now, caller, chance: [self.said; 32], looked_at: None }).unwrap();
        for fact in &decision.facts {
            self.world.apply(fact);
        }
        decision.texts.iter().for_each(|text| self.world.know(text.digest, text.text.clone()));
        self.append(decision).await;
    }

    async fn append(&mut self, decision: Decision) {
        let mut batch = Batch::default();
        batch.add(decision, &mut self.tree).unwrap();
        self.write(batch).await;
    }

    async fn keep_private(&mut self, private: Private) {
        let mut batch = Batch::default();
        batch.add_private(vec![private]);
        self.write(batch).await;
    }

    async fn write(&self, batch: Batch) {
        let signer = Signer::new("quillhaven.example/tempestas", &[7; 32]).unwrap();
        self.store.append(&batch, &signer.sign(self.tree.size(), self.tree.root(), 1)).await.unwrap();
    }

    /// Mara, who founds it, and three people whom she adds.
    async fn founded(directory: &Path) -> Self {
        let mut kept = Self::open(directory).await;
        let found = OperatorCommand::Found { installation: "test".to_owned(), administrator: Said::new("mara") };
        kept.does(Caller::machine(), found.into()).await;
        let mara = kept.id("mara");
        for name in ["tomas", "oda", "piet"] {
            let new = PeopleCommand::AddSubject {
                kind: SubjectKind::Person,
                name: Said::new(name),
                about: Said::new(format!("somebody called {name}")),
                second_of: None,
            };
            kept.does(by(mara), new.into()).await;
        }
        let (subject, scope) = (kept.id("oda"), kept.world.root.unwrap());
        kept.does(by(mara), PeopleCommand::GiveDuty { subject, kind: DutyKind::Auditor, scope }.into()).await;
        kept
    }

    fn id(&self, name: &str) -> SubjectId {
        self.world.subject_named(name).unwrap().id
    }

    /// The kinds of the facts that are found, newest first.
    async fn kinds(&self, wanted: Wanted) -> Vec<String> {
        let found = self.store.find_facts(&wanted, 100).await.unwrap();
        found.into_iter().map(|entry| entry.fact.what.kind().to_owned()).collect()
    }
}

fn by(who: SubjectId) -> Caller {
    let at = Timestamp::from_second(BEGAN + 86_400).unwrap();
    let proof = Some(Proof { at, method: ProofMethod::TotpCode });
    Caller { actor: Actor::Subject(who), proof, ..Caller::machine() }
}

/// Changes the file as somebody would who has the disk.
async fn change(directory: &Path, sql: &str) {
    let path = directory.join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(path).create_if_missing(false).connect().await.unwrap();
    sqlx::raw_sql(sqlx::AssertSqlSafe(sql.to_owned())).execute(&mut connection).await.unwrap();
}

#[tokio::test]
async fn facts_are_found_by_what_they_are_by_and_about_and_when() {
    let directory = tempfile::tempdir().unwrap();
    let kept = Kept::founded(directory.path()).await;
    let (mara, oda, tomas) = (kept.id("mara"), kept.id("oda"), kept.id("tomas"));
    let all = kept.kinds(Wanted::default()).await;
    assert_eq!(all.len() as u64, kept.tree.size());
    let who = |who| Wanted { who: Some(who), ..Wanted::default() };
    assert_eq!(kept.kinds(who(tomas)).await, ["subject-added"]);
    assert_eq!(kept.kinds(who(oda)).await, ["duty-given", "subject-added"], "newest first");
    let of_mara = kept.kinds(who(mara)).await.len();
    let duties = Wanted { kind: Some("duty-given".to_owned()), who: Some(oda), ..Wanted::default() };
    assert_eq!(kept.kinds(duties).await.len(), 1);
    let minute = |n: i64| Timestamp::from_second(BEGAN + 60 * n).ok();
    let between = Wanted { since: minute(2), until: minute(4), ..Wanted::default() };
    assert_eq!(kept.kinds(between).await, ["subject-added"; 3]);
    let none = Wanted { since: minute(6), ..Wanted::default() };
    assert_eq!(kept.kinds(none).await, Vec::<String>::new(), "nothing happened since");
    // A page goes on where the last one ended.
    let page = kept.store.find_facts(&who(mara), 2).await.unwrap();
    let rest = kept.kinds(Wanted { before: Some(page[1].seq), ..who(mara) }).await;
    assert_eq!(rest.len() + 2, of_mara);
}

#[tokio::test]
async fn who_sees_a_part_finds_what_they_did_and_what_is_about_their_scopes_and_elevations() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let (mara, oda, piet) = (kept.id("mara"), kept.id("oda"), kept.id("piet"));
    let root = kept.world.root.unwrap();
    for name in ["yard", "quay"] {
        kept.does(by(mara), EstateCommand::AddFolder { parent: root, name: name.to_owned() }.into()).await;
    }
    let of = |path: &str| kept.world.scope_at(path).unwrap().id;
    let (yard, quay) = (of("/yard"), of("/quay"));
    let seen = |person, scopes: &[ScopeId], active: &[ElevationId]| {
        let seen = Seen { person, scopes: scopes.to_vec() };
        Wanted { seen: Some(SeenFacts { seen, active: active.to_vec() }), ..Wanted::default() }
    };
    assert_eq!(kept.kinds(seen(oda, &[], &[])).await, Vec::<String>::new());
    assert_eq!(kept.kinds(seen(oda, &[yard], &[])).await, ["folder-added"]);
    assert_eq!(kept.kinds(seen(oda, &[yard, quay], &[])).await, ["folder-added"; 2]);
    assert_eq!(kept.kinds(seen(oda, &[root], &[])).await, ["duty-given"], "what is about the scope itself");
    let done = kept.kinds(seen(mara, &[], &[])).await;
    assert_eq!(done, kept.kinds(Wanted { who: Some(mara), ..Wanted::default() }).await, "what she did herself");
    // What is over is found by who may see it; what is not, by the numbers that are given.
    let ended = past::told_of(&mut kept, piet, oda, yard).await;
    let about = |found: Vec<String>| found.into_iter().filter(|kind| kind == "ended").count();
    for (wanted, finds) in [
        (seen(piet, &[], &[]), 1),
        (seen(oda, &[], &[]), 1),
        (seen(mara, &[], &[]), 0),
        (seen(mara, &[yard], &[]), 1),
        (seen(mara, &[quay], &[]), 0),
        (seen(mara, &[], &[ended]), 1),
        (seen(mara, &[quay], &[ElevationId(4711)]), 0),
    ] {
        assert_eq!(about(kept.kinds(wanted.clone()).await), finds, "{wanted:?}");
    }
    // A page goes on where the last one ended, whatever way each entry was found by.
    let all = kept.store.find_facts(&seen(mara, &[yard], &[]), 100).await.unwrap();
    let mut paged: Vec<u64> = Vec::new();
    loop {
        let wanted = Wanted { before: paged.last().copied(), ..seen(mara, &[yard], &[]) };
        let page = kept.store.find_facts(&wanted, 2).await.unwrap();
        paged.extend(page.iter().map(|entry| entry.seq));
        if page.is_empty() {
            break;
        }
    }
    assert_eq!(paged, all.iter().map(|entry| entry.seq).collect::<Vec<_>>());
}

#[tokio::test]
async fn what_an_earlier_edition_wrote_is_entered_and_what_is_hidden_is_found() {
    let directory = tempfile::tempdir().unwrap();
    drop(Kept::founded(directory.path()).await);
    assert_eq!(check(directory.path(), &[]).await.unwrap().differences, []);
    // A fact that the record would not find any more, and one that it would find as another's.
    change(directory.path(), "UPDATE entries SET subject = 4711 WHERE seq = 3; DELETE FROM entries WHERE seq = 2")
        .await;
    let report = check(directory.path(), &[]).await.unwrap();
    assert_eq!(report.differences, [Difference::Entry(2), Difference::Entry(3)]);
    change(directory.path(), "DELETE FROM entries").await;
    let kept = Kept::open(directory.path()).await;
    assert_eq!(kept.kinds(Wanted::default()).await.len() as u64, kept.tree.size());
    assert_eq!(check(directory.path(), &[]).await.unwrap().differences, []);
}

#[tokio::test]
async fn what_was_changed_lately_is_not_opened() {
    for (sql, says) in [
        ("UPDATE facts SET body = CAST(CAST(body AS TEXT) || ' ' AS BLOB) WHERE seq = 4", "fact 4 was changed"),
        ("UPDATE facts SET body = x'7b' WHERE seq = (SELECT MAX(seq) FROM facts)", "was changed"),
        ("DELETE FROM facts WHERE seq = (SELECT MAX(seq) FROM facts)", "the checkpoint covers"),
    ] {
        let directory = tempfile::tempdir().unwrap();
        drop(Kept::founded(directory.path()).await);
        change(directory.path(), sql).await;
        let refused = Store::open(directory.path()).await.err().unwrap().to_string();
        assert!(refused.contains(says) && refused.contains("tempestasd rebuild --check"), "{sql}: {refused}");
    }
}

#[tokio::test]
async fn however_many_tries_come_at_once_each_counts() {
    let directory = tempfile::tempdir().unwrap();
    let store = Arc::new(Kept::open(directory.path()).await.store);
    let slowing = Slowing { free: 5, most: 300 };
    let now = Timestamp::from_second(BEGAN).unwrap();
    let at_once = async |now: Timestamp| {
        let tries: Vec<_> = (0..200)
            .map(|_| {
                let store = Arc::clone(&store);
                tokio::spawn(async move { store.count_try("tomas", "10.0.0.7", now, slowing).await.unwrap() })
            })
            .collect();
        let mut let_on = 0;
        for one in tries {
            let_on += usize::from(one.await.unwrap().is_none());
        }
        let_on
    };
    assert_eq!(at_once(now).await, 5);
    let mut at = now;
    for waits in [1, 2, 4, 8, 16, 32, 64, 128, 256, 300, 300] {
        let until = store.count_try("tomas", "10.0.0.7", at, slowing).await.unwrap().unwrap();
        assert_eq!(until.duration_since(at), SignedDuration::from_secs(waits));
        at = until;
        assert_eq!(at_once(at).await, 1, "one more after each wait");
    }
    // Others are not slowed, and neither is whoever was right.
    assert_eq!(store.count_try("oda", "10.0.0.7", at, slowing).await.unwrap(), None);
    assert_eq!(store.count_try("tomas", "10.0.0.8", at, slowing).await.unwrap(), None);
    store.passed("tomas", "10.0.0.7").await.unwrap();
    assert_eq!(at_once(at).await, 5);
}

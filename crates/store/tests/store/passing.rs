//! What passes: in a file of its own, and resting on somebody's credentials by their name.

use std::path::Path;

use jiff::Timestamp;
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_core::{Digest, Proof, ProofMethod, SubjectId};
use tempestas_store::{Private, Proven, Sealed, SignInKind, Store, StoreError, is_disk_full};

use super::{BEGAN, Kept, change};

const TOMAS: SubjectId = SubjectId(7);
const ODA: SubjectId = SubjectId(8);

fn now() -> Timestamp {
    Timestamp::from_second(BEGAN).unwrap()
}

fn token(n: u8) -> Digest {
    Digest([n; 32])
}

/// Puts somebody's credentials in the place of those they had.
async fn enrol(kept: &mut Kept, person: SubjectId, password_hash: &str) {
    let totp = Sealed {
        owner: format!("person:{}", person.0),
        name: "totp".to_owned(),
        key_id: "k".to_owned(),
        body: vec![1],
    };
    let new = Private::Credentials { person, password_hash: password_hash.to_owned(), totp };
    kept.keep_private(new).await;
}

async fn signs_in(store: &Store, n: u8, proven: Proven) {
    store
        .begin_sign_in(token(n), proven, "10.0.0.7", now(), SignInKind::Token, Some(ProofMethod::Passkey))
        .await
        .unwrap();
}

async fn holds(store: &Store, n: u8) -> bool {
    store.sign_in(token(n)).await.unwrap().is_some()
}

#[tokio::test]
async fn a_sign_in_is_over_with_the_credentials_that_it_rests_on() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::open(directory.path()).await;
    enrol(&mut kept, TOMAS, "the first").await;
    enrol(&mut kept, ODA, "of oda").await;
    let before = Proven::by(TOMAS, "the first");
    signs_in(&kept.store, 1, before).await;
    signs_in(&kept.store, 2, Proven::by(ODA, "of oda")).await;
    assert!(holds(&kept.store, 1).await && holds(&kept.store, 2).await);
    let found = kept.store.sign_in(token(1)).await.unwrap().unwrap();
    assert_eq!(
        (found.proven(), found.kind, found.proof),
        (before, SignInKind::Token, Some(Proof { at: now(), method: ProofMethod::Passkey }))
    );

    enrol(&mut kept, TOMAS, "the second").await;
    assert!(!holds(&kept.store, 1).await && holds(&kept.store, 2).await);
    assert!(kept.store.sign_ins(TOMAS).await.unwrap().is_empty(), "nor is it listed");
    // Whoever gave the old password a moment before gets nothing by it, however late their sign-in begins.
    signs_in(&kept.store, 3, before).await;
    assert!(!holds(&kept.store, 3).await);
    signs_in(&kept.store, 4, Proven::by(TOMAS, "the second")).await;
    assert_eq!(kept.store.sign_ins(TOMAS).await.unwrap().len(), 1);
    assert_eq!(kept.store.end_sign_ins(ODA, None).await.unwrap(), 1);
    assert!(!holds(&kept.store, 2).await && holds(&kept.store, 4).await);
    signs_in(&kept.store, 5, Proven::by(SubjectId(99), "nobody's")).await;
    assert!(!holds(&kept.store, 5).await, "who has no credentials has no sign-in");
}

#[tokio::test]
async fn a_step_is_good_once_for_the_secret_that_it_is_a_step_of() {
    let directory = tempfile::tempdir().unwrap();
    let store = Kept::open(directory.path()).await.store;
    let uses = async |hash: &str, step| store.use_totp_step(Proven::by(TOMAS, hash), step).await.unwrap();
    assert!(uses("the first", 10).await);
    assert!(!uses("the first", 10).await && !uses("the first", 9).await);
    assert!(uses("the first", 11).await);
    assert!(uses("the second", 11).await, "of another secret");
    assert!(!uses("the second", 11).await);
}

#[tokio::test]
async fn a_proof_stands_until_the_next_and_says_how_it_was_given() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::open(directory.path()).await;
    enrol(&mut kept, TOMAS, "the first").await;
    signs_in(&kept.store, 1, Proven::by(TOMAS, "the first")).await;
    let proof = async || kept.store.sign_in(token(1)).await.unwrap().unwrap().proof;
    let id = kept.store.sign_in(token(1)).await.unwrap().unwrap().id;
    let began = Proof { at: now(), method: ProofMethod::Passkey };
    let later = now().checked_add(jiff::SignedDuration::from_mins(5)).unwrap();
    kept.store.use_sign_in(id, later, None).await.unwrap();
    assert_eq!(proof().await, Some(began), "a use proves nothing");
    kept.store.use_sign_in(id, later, Some(ProofMethod::TotpCode)).await.unwrap();
    assert_eq!(proof().await, Some(Proof { at: later, method: ProofMethod::TotpCode }));

    let device = Proven::by(TOMAS, "the first");
    kept.store.begin_sign_in(token(2), device, "10.0.0.7", now(), SignInKind::Device, None).await.unwrap();
    assert_eq!(kept.store.sign_in(token(2)).await.unwrap().unwrap().proof, None);
    change_passing(directory.path(), "UPDATE sign_ins SET proven_by = 'a wax seal' WHERE proven_by IS NOT NULL").await;
    assert_eq!(proof().await, None, "what is not known here proves nothing");
}

/// Changes the file of what passes from outside.
async fn change_passing(directory: &Path, sql: &str) {
    let path = directory.join("passing.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(path).connect().await.unwrap();
    sqlx::query(sqlx::AssertSqlSafe(sql)).execute(&mut connection).await.unwrap();
}

#[tokio::test]
async fn no_write_of_it_waits_for_the_ledger_and_none_of_it_is_in_a_backup() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::open(directory.path()).await;
    enrol(&mut kept, TOMAS, "the first").await;
    let ledger = directory.path().join("tempestas.sqlite");
    let mut held = SqliteConnectOptions::new().filename(ledger).connect().await.unwrap();
    sqlx::query("BEGIN IMMEDIATE").execute(&mut held).await.unwrap();
    signs_in(&kept.store, 1, Proven::by(TOMAS, "the first")).await;
    assert!(holds(&kept.store, 1).await, "while somebody else writes the ledger");
    sqlx::query("ROLLBACK").execute(&mut held).await.unwrap();
    drop(held);
    let copy = directory.path().join("copy");
    Store::backup(directory.path(), &copy).await.unwrap();
    drop(kept);
    let copied = Store::open(&copy).await.unwrap().store;
    assert!(!holds(&copied, 1).await);
    let again = Store::open(directory.path()).await.unwrap().store;
    assert!(holds(&again, 1).await, "and it is there after a start");
}

/// As the edition before kept it: in the ledger's file; and where a start was cut off, in the other as well.
async fn put_back(directory: &Path, cut_off: bool) {
    let first = include_str!("../../migrations/0001_first.sql").split_once("-- Passing").unwrap().1;
    let tables = first.split_once('\n').unwrap().1;
    let second = include_str!("../../migrations/0002_browsers.sql");
    let passing: Vec<&str> = second.split("\n\n").filter(|part| part.contains("Passing")).collect();
    let path = directory.join("passing.sqlite");
    let sql = format!(
        "DROP TABLE enrolments; {tables} {}; ALTER TABLE drafts ADD COLUMN looked_at TEXT;
         ATTACH '{}' AS passing;
         INSERT INTO sign_ins SELECT id, token, person, address, began_at, used_at, proven_at, kind FROM passing.sign_ins;
         INSERT INTO totp_steps SELECT person, step FROM passing.totp_steps;
         INSERT INTO throttles SELECT * FROM passing.throttles;
         DETACH passing",
        passing.join(" "),
        path.to_string_lossy()
    );
    change(directory, &sql).await;
    if cut_off {
        return;
    }
    for end in ["", "-wal", "-shm"] {
        let _ = std::fs::remove_file(directory.join(format!("passing.sqlite{end}")));
    }
}

#[tokio::test]
async fn what_an_earlier_edition_kept_beside_the_ledger_goes_on() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::open(directory.path()).await;
    enrol(&mut kept, TOMAS, "the first").await;
    let proven = Proven::by(TOMAS, "the first");
    signs_in(&kept.store, 1, proven).await;
    signs_in(&kept.store, 2, Proven::by(ODA, "never enrolled")).await;
    assert!(kept.store.use_totp_step(proven, 10).await.unwrap());
    let slowing = tempestas_store::Slowing { free: 1, most: 300 };
    for _ in 0..2 {
        kept.store.count_try("tomas", "10.0.0.7", now(), slowing).await.unwrap();
    }
    drop(kept);
    for cut_off in [false, true] {
        put_back(directory.path(), cut_off).await;
        let store = Store::open(directory.path()).await.unwrap().store;
        assert!(holds(&store, 1).await && !holds(&store, 2).await);
        assert!(store.sign_in(token(1)).await.unwrap().unwrap().proof.is_some(), "and so does a proof");
        assert!(!store.use_totp_step(proven, 10).await.unwrap(), "a step that was used stays used");
        let until = store.count_try("tomas", "10.0.0.7", now(), slowing).await.unwrap();
        assert!(until.is_some(), "who guessed waits on");
    }
}

#[tokio::test]
async fn a_disk_that_is_full_is_told_from_all_else_that_may_fail() {
    let mut memory = SqliteConnectOptions::new().filename(":memory:").connect().await.unwrap();
    for sql in ["CREATE TABLE kept (body BLOB)", "PRAGMA max_page_count = 4"] {
        sqlx::query(sql).execute(&mut memory).await.unwrap();
    }
    let mut failed = async |sql: &'static str| {
        let failed = sqlx::query(sql).execute(&mut memory).await.unwrap_err();
        StoreError::from(failed)
    };
    let full = failed("INSERT INTO kept VALUES (zeroblob(100000))").await;
    assert!(is_disk_full(&full), "{full:?}");
    let other = failed("INSERT INTO elsewhere VALUES (1)").await;
    assert!(!is_disk_full(&other), "{other:?}");
}

//! The feed: every fact of some kinds, in order, at least once, wherever a follower stops.

use std::path::Path;

use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_core::What;
use tempestas_engine::{Engine, Follower};
use tempestas_store::{Cursor, Entry};

use super::Running;

const PEOPLE: &[&str] = &["subject-added"];

/// What comes next, as numbers of facts.
async fn next(follower: &mut Follower) -> Vec<u64> {
    numbers(&follower.next().await.unwrap().unwrap())
}

fn numbers(entries: &[Entry]) -> Vec<u64> {
    assert!(entries.iter().all(|entry| matches!(entry.fact.what, What::SubjectAdded { .. })));
    entries.iter().map(|entry| entry.seq).collect()
}

/// An engine with some people; a follower from before them.
async fn with_people(directory: &Path, people: usize) -> (Running, Follower) {
    let running = Running::new(directory).await;
    let follower = running.engine.follow("test", PEOPLE).await.unwrap();
    add(&running, 0..people).await;
    (running, follower)
}

async fn add(running: &Running, people: std::ops::Range<usize>) {
    for n in people {
        running.add(&format!("person{n}")).await.unwrap();
    }
}

async fn again(engine: &Engine) -> Follower {
    engine.follow("test", PEOPLE).await.unwrap()
}

#[tokio::test]
async fn a_new_follower_hears_of_what_happens_from_then_on_in_order() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    add(&running, 0..3).await;
    let mut follower = again(&running.engine).await;
    let (engine, size) = (running.engine.clone(), running.engine.world().size());
    let heard = tokio::spawn(async move {
        let mut heard = Vec::new();
        while heard.len() < 20 {
            heard.extend(next(&mut follower).await);
        }
        heard
    });
    add(&running, 3..23).await;
    let heard = heard.await.unwrap();
    assert_eq!(heard, (size..size + 20).collect::<Vec<_>>());
    assert_eq!(engine.world().size(), size + 20);
}

#[tokio::test]
async fn what_was_not_dealt_with_comes_again_and_what_was_does_not() {
    let directory = tempfile::tempdir().unwrap();
    let (running, mut follower) = with_people(directory.path(), 4).await;
    let all = next(&mut follower).await;
    assert_eq!(all.len(), 4);
    drop(follower);
    let mut follower = again(&running.engine).await;
    assert_eq!(next(&mut follower).await, all, "it stopped before it had dealt with any");
    follower.dealt_with().await.unwrap();
    add(&running, 4..6).await;
    drop(follower);
    let mut follower = again(&running.engine).await;
    assert_eq!(next(&mut follower).await, [all[3] + 1, all[3] + 2]);
}

#[tokio::test]
async fn followers_go_on_each_by_themselves() {
    let directory = tempfile::tempdir().unwrap();
    let (running, mut follower) = with_people(directory.path(), 2).await;
    let mut other = running.engine.follow("other", PEOPLE).await.unwrap();
    next(&mut follower).await;
    follower.dealt_with().await.unwrap();
    add(&running, 2..3).await;
    let heard = next(&mut other).await;
    assert_eq!(heard.len(), 1, "it began after the first two");
    assert_eq!(next(&mut follower).await, heard);
}

#[tokio::test]
async fn facts_of_other_kinds_are_passed_over_and_never_waited_at_twice() {
    let directory = tempfile::tempdir().unwrap();
    let running = Running::new(directory.path()).await;
    let mut follower = running.engine.follow("test", &["terms-set"]).await.unwrap();
    add(&running, 0..5).await;
    let engine = running.engine.clone();
    let waiting = tokio::spawn(async move { follower.next().await.unwrap().is_none() });
    drop((running.engine, engine));
    running.committer.await.unwrap().unwrap();
    assert!(waiting.await.unwrap(), "it ends with the writer, and heard of nothing");
}

#[tokio::test]
async fn after_a_restore_it_goes_on_where_the_backup_ended() {
    let directory = tempfile::tempdir().unwrap();
    let (running, mut follower) = with_people(directory.path(), 6).await;
    let all = next(&mut follower).await;
    // As one that had come further in another epoch, whose last facts are gone.
    let store = running.engine.store();
    store.keep_cursor("test", Cursor { next: all[5] + 100, epoch: 7 }).await.unwrap();
    let mut follower = again(&running.engine).await;
    assert_eq!(next(&mut follower).await, all, "no epoch was begun here, so from the first fact on");
}

#[tokio::test]
async fn where_its_place_cannot_be_kept_it_goes_on_and_keeps_it_once_it_can() {
    let directory = tempfile::tempdir().unwrap();
    let (running, mut follower) = with_people(directory.path(), 2).await;
    let observed = SqliteConnectOptions::new().filename(directory.path().join("observed.sqlite"));
    let mut beside = observed.connect().await.unwrap();
    next(&mut follower).await;
    sqlx::query("ALTER TABLE cursors RENAME TO elsewhere").execute(&mut beside).await.unwrap();
    follower.dealt_with().await.unwrap_err();
    add(&running, 2..3).await;
    assert_eq!(next(&mut follower).await.len(), 1, "what it had is not handed out again");
    follower.dealt_with().await.unwrap_err();
    sqlx::query("ALTER TABLE elsewhere RENAME TO cursors").execute(&mut beside).await.unwrap();
    follower.dealt_with().await.unwrap();
    drop(follower);
    let mut follower = again(&running.engine).await;
    add(&running, 3..4).await;
    assert_eq!(next(&mut follower).await.len(), 1, "all before it was dealt with");
}

//! Private texts: where they stand, and that they are found wherever that is.

use std::path::Path;

use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_core::{Decision, ElevationId, End, Fact, Phase, Recall, Row, What};
use tempestas_store::{Store, check};

use super::{Kept, by, change, past::Told};

/// How many texts the present has, and the past.
async fn counted(directory: &Path) -> (i64, i64) {
    let path = directory.join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(path).read_only(true).connect().await.unwrap();
    let sql = "SELECT (SELECT COUNT(*) FROM texts), (SELECT COUNT(*) FROM past_texts)";
    sqlx::query_as(sql).fetch_one(&mut connection).await.unwrap()
}

fn fact(told: Told, what: What, put: Vec<Row>) -> Fact {
    let caller = by(told.asker);
    Fact {
        v: tempestas_core::FACT_VERSION,
        at: told.ended_at(),
        by: caller.actor,
        from: None,
        channel: caller.channel,
        what,
        put,
        cut: Vec::new(),
    }
}

#[tokio::test]
async fn what_an_ask_says_goes_to_the_past_with_it_and_is_found_there() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let (present, past) = counted(directory.path()).await;
    let (asker, approver, scope) = (kept.id("tomas"), kept.id("oda"), kept.world.root.unwrap());
    let told = Told { id: 1001, asker, approver, scope, asked: 0, opened: true };
    let id = ElevationId(told.id);
    let waits = |row| match row {
        Row::Elevation(it) => Some(Row::Elevation(tempestas_core::Elevation { phase: Phase::Waiting, ..it })),
        Row::Demand(it) => Some(Row::Demand(it)),
        _ => None,
    };
    let asked: Vec<Row> = told.rows().into_iter().filter_map(waits).collect();
    let what = What::Answered { elevation: id, verdict: tempestas_core::Verdict::Yes };
    kept.append(Decision { facts: vec![fact(told, what, asked)], texts: vec![told.reason()] }).await;
    assert_eq!(counted(directory.path()).await, (present + 1, past), "a row of the present names it");
    let what = What::Ended { elevation: id, end: End::GivenBack, leftovers: 0 };
    kept.append(Decision { facts: vec![fact(told, what, told.rows())], texts: Vec::new() }).await;
    assert_eq!(counted(directory.path()).await, (present, past + 1), "none does any more");
    let mut world = kept.world.clone();
    world.counters.next_elevation = 5000;
    kept.store.recall(&mut world, Recall::from(id)).await.unwrap();
    assert_eq!(world.text(told.reason().digest), "the reason of 1001");
    assert_eq!(check(directory.path(), &[]).await.unwrap().differences, Vec::new());
}

#[tokio::test]
async fn a_name_that_stands_among_the_past_is_found_and_brought_home() {
    let directory = tempfile::tempdir().unwrap();
    let kept = Kept::founded(directory.path()).await;
    let (present, past) = counted(directory.path()).await;
    drop(kept);
    change(directory.path(), "INSERT INTO past_texts SELECT * FROM texts; DELETE FROM texts").await;
    let opened = Store::open(directory.path()).await.unwrap();
    assert!(opened.world.subject_named("oda").is_some());
    drop(opened);
    assert_eq!(counted(directory.path()).await, (present, past));
    assert_eq!(check(directory.path(), &[]).await.unwrap().differences, Vec::new());
}

#[tokio::test]
async fn a_text_that_was_changed_is_named_and_one_that_was_forgotten_is_withheld() {
    let directory = tempfile::tempdir().unwrap();
    let kept = Kept::founded(directory.path()).await;
    let name = kept.world.subjects[&kept.id("oda")].name;
    drop(kept);
    for table in ["texts", "past_texts"] {
        change(directory.path(), &format!("INSERT OR REPLACE INTO {table} SELECT * FROM texts WHERE text = 'oda'"))
            .await;
        change(directory.path(), &format!("UPDATE {table} SET text = 'eve' WHERE text = 'oda'")).await;
        let report = check(directory.path(), &[]).await.unwrap();
        assert_eq!(report.differences, [tempestas_store::Difference::Text(name)], "in {table}");
        change(directory.path(), &format!("UPDATE {table} SET text = 'oda' WHERE text = 'eve'")).await;
    }
    change(directory.path(), "DELETE FROM texts WHERE text = 'oda'; DELETE FROM past_texts WHERE text = 'oda'").await;
    let opened = Store::open(directory.path()).await.unwrap();
    assert_eq!(opened.world.text(name), "(withheld)");
    drop(opened);
    assert_eq!(check(directory.path(), &[]).await.unwrap().differences, Vec::new());
}

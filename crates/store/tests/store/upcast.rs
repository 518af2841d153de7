//! A store as an earlier edition left it, of facts that it wrote, opened by this one.

use std::{collections::BTreeMap, path::Path};

use serde_json::Value;
use sqlx::{ConnectOptions as _, SqliteConnection, sqlite::SqliteConnectOptions};
use tempestas_core::{
    Fact, Row,
    ledger::{FactLine, Signer, Tree},
};
use tempestas_store::{Store, check};

use super::change;

/// What an earlier edition wrote: an export's facts, and each row as the last fact put it.
struct Earlier {
    form: u16,
    lines: Vec<FactLine>,
    rows: BTreeMap<(String, String), String>,
}

impl Earlier {
    fn of(form: u16, export: &str) -> Self {
        let lines: Vec<FactLine> = export.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        let mut rows = BTreeMap::new();
        for line in &lines {
            let fact: Value = serde_json::from_str(&line.fact).unwrap();
            let listed = |name: &str| fact.get(name).and_then(Value::as_array).cloned().unwrap_or_default();
            for key in listed("cut") {
                let word = |name: &str| key.get(name).and_then(Value::as_str).unwrap().to_owned();
                rows.remove(&(word("kind"), word("id")));
            }
            // Numbers of a version-1 row's key stand where today's do, in the first of what it is read as.
            let today = Fact::from_bytes(line.fact.as_bytes()).unwrap().put;
            let within = |row: &&Row| matches!(row, Row::Demand(_) | Row::Item(_) | Row::Member(_));
            let today = today.iter().filter(|row| form > 1 || !within(row));
            for (raw, row) in listed("put").into_iter().zip(today) {
                let key = row.key();
                rows.insert((key.kind.word().to_owned(), key.id), raw.to_string());
            }
        }
        Self { form, lines, rows }
    }

    /// Writes them where a store of this edition is, and nothing is in it.
    async fn write(&self, directory: &Path) {
        drop(Store::open(directory).await.unwrap());
        let path = directory.join("tempestas.sqlite");
        let mut connection = SqliteConnectOptions::new().filename(path).connect().await.unwrap();
        let mut tree = Tree::default();
        for (seq, line) in (0_i64..).zip(&self.lines) {
            let facts = "INSERT INTO facts (seq, body, leaf) VALUES (?1, ?2, ?3)";
            let facts = sqlx::query(facts).bind(seq).bind(line.fact.as_bytes());
            facts.bind(line.leaf.0.as_slice()).execute(&mut connection).await.unwrap();
            tree.push(line.leaf);
        }
        for ((kind, id), body) in &self.rows {
            let rows = sqlx::query("INSERT INTO rows (kind, id, body) VALUES (?1, ?2, ?3)");
            rows.bind(kind).bind(id).bind(body).execute(&mut connection).await.unwrap();
        }
        checkpointed(&mut connection, &tree).await;
        drop(connection);
        change(directory, "DROP TABLE texts; ALTER TABLE past_texts RENAME TO texts").await;
        change(directory, "DELETE FROM _sqlx_migrations WHERE version >= 8").await;
        if self.form == 1 {
            change(directory, "DROP TABLE past_demands; DELETE FROM _sqlx_migrations WHERE version >= 7").await;
            change(directory, "PRAGMA user_version = 0").await;
        } else {
            change(directory, &format!("PRAGMA user_version = {}", self.form)).await;
        }
    }
}

async fn checkpointed(connection: &mut SqliteConnection, tree: &Tree) {
    let signed = Signer::new("quillhaven.example/tempestas", &[7; 32]).unwrap().sign(tree.size(), tree.root(), 1);
    sqlx::query("INSERT INTO checkpoints (size, root, note) VALUES (?1, ?2, ?3)")
        .bind(i64::try_from(signed.checkpoint.size).unwrap())
        .bind(signed.checkpoint.root.0.as_slice())
        .bind(signed.note)
        .execute(connection)
        .await
        .unwrap();
}

#[tokio::test]
async fn where_no_whole_copy_can_be_made_nothing_is_changed_and_half_a_copy_is_no_backup() {
    let directory = tempfile::tempdir().unwrap();
    let first = Earlier::of(1, include_str!("../../../core/tests/rules/facts-v1.jsonl"));
    first.write(directory.path()).await;
    let (copy, half) = (directory.path().join("before-schema-9.sqlite"), directory.path().join("before-schema-9.half"));
    // As a disk might be on which nothing more can be written.
    std::fs::create_dir(&half).unwrap();
    assert!(Store::open(directory.path()).await.is_err());
    assert!(!copy.exists());
    assert_eq!(check(directory.path(), &[]).await.unwrap().facts, first.lines.len() as u64);
    let schema = async |path: &Path| -> (i64, i64) {
        let mut connection = SqliteConnectOptions::new().filename(path).read_only(true).connect().await.unwrap();
        let sql = "SELECT (SELECT MAX(version) FROM _sqlx_migrations), (SELECT COUNT(*) FROM facts)";
        sqlx::query_as(sql).fetch_one(&mut connection).await.unwrap()
    };
    let facts = i64::try_from(first.lines.len()).unwrap();
    assert_eq!(
        schema(&directory.path().join("tempestas.sqlite")).await,
        (6, facts),
        "it is as the first edition left it"
    );
    // What a full disk left of a copy is made anew.
    std::fs::remove_dir(&half).unwrap();
    std::fs::write(&half, "half").unwrap();
    drop(Store::open(directory.path()).await.unwrap());
    assert_eq!(schema(&copy).await, (6, facts));
    assert!(!half.exists());
}

#[tokio::test]
async fn a_backup_that_fails_half_way_leaves_nothing_that_passes_for_one() {
    let directory = tempfile::tempdir().unwrap();
    drop(Store::open(directory.path()).await.unwrap());
    let into = directory.path().join("backup");
    std::fs::rename(directory.path().join("observed.sqlite"), directory.path().join("elsewhere")).unwrap();
    assert!(Store::backup(directory.path(), &into).await.is_err());
    assert!(!into.exists());
    std::fs::rename(directory.path().join("elsewhere"), directory.path().join("observed.sqlite")).unwrap();
    Store::backup(directory.path(), &into).await.unwrap();
    assert!(into.join("tempestas.sqlite").exists() && into.join("observed.sqlite").exists());
    // One that was there before is nobody's to take away.
    assert!(Store::backup(directory.path(), &into).await.is_err());
    assert!(into.join("tempestas.sqlite").exists());
}

#[tokio::test]
async fn rows_of_an_earlier_edition_are_put_into_the_form_of_this_one_and_its_facts_explain_them() {
    for (form, export) in [
        (1, include_str!("../../../core/tests/rules/facts-v1.jsonl")),
        (1, include_str!("../../../core/tests/rules/foresight-v1.jsonl")),
        (1, include_str!("../../../core/tests/rules/kinds-v1.jsonl")),
        (2, include_str!("../../../core/tests/rules/facts-v2.jsonl")),
    ] {
        let directory = tempfile::tempdir().unwrap();
        let first = Earlier::of(form, export);
        first.write(directory.path()).await;
        let rows = async || {
            let report = check(directory.path(), &[]).await.unwrap();
            let of_rows = report.differences.iter().map(ToString::to_string).filter(|one| one.contains(" row "));
            (report.rows, of_rows.collect::<Vec<_>>())
        };
        let (before, differences) = rows().await;
        assert_eq!(differences, Vec::<String>::new(), "looked at as that edition left it");
        let opened = Store::open(directory.path()).await.unwrap();
        let mut world = tempestas_core::World::default();
        for line in &first.lines {
            world.apply(&Fact::from_bytes(line.fact.as_bytes()).unwrap());
        }
        assert!(opened.world.members.values().eq(world.members.values()));
        assert!(opened.world.items.values().eq(world.items.values()));
        assert!(opened.world.targets == world.targets && opened.world.standing == world.standing);
        drop(opened);
        assert_eq!(rows().await, (before, Vec::new()), "opened by this edition");
        // A second start has nothing to put into another form.
        drop(Store::open(directory.path()).await.unwrap());
        assert_eq!(rows().await, (before, Vec::new()));
    }
}

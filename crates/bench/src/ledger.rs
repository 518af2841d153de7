//! The ledger: rows appended, and a large export verified.

use std::{
    fs::File,
    io::{BufReader, BufWriter, Read as _, Write as _},
    time::Instant,
};

use sqlx::{ConnectOptions as _, Connection as _, sqlite::SqliteConnectOptions};
use tempestas_core::{
    Command, Note, decide,
    ledger::{EXPORT_FORM, FactLine, HeadLine, LEAVES_A_LINE, LeavesLine, Signer, Tree, leaf_hash},
};
use tempestas_store::{Batch, Loaded, Store};

use crate::{
    report::{Report, rate, seconds},
    world::{Big, somebody},
};

/// Facts appended, so many in each commit.
const APPENDED: usize = 50_000;
const TOGETHER: usize = 250;
/// Facts in the exported file.
const EXPORTED: u64 = 1_000_000;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let sample = sample().await?;
    append(report, &sample).await?;
    let directory = tempfile::tempdir()?;
    let file = directory.path().join("export.jsonl");
    let signer = Signer::new("quillhaven.example/tempestas", &[7; 32]).map_err(anyhow::Error::msg)?;
    let bytes = export(&file, &signer, &sample)?;
    verify(report, &file, &signer, bytes)
}

/// Facts of real lifecycles.
async fn sample() -> anyhow::Result<Vec<FactLine>> {
    let big = Big::build(40, 100, "http://127.0.0.1:9").await?;
    for n in 0..60 {
        big.lifecycle(n).await?;
    }
    let (setup, _kept) = big.close().await?;
    let Loaded { store, tree, .. } = Store::open(&setup.state()).await?;
    let lines = store.fact_lines(0, u32::try_from(tree.size())?).await?;
    Ok(lines.into_iter().rev().take(400).collect())
}

async fn append(report: &mut Report, sample: &[FactLine]) -> anyhow::Result<()> {
    let directory = tempfile::tempdir()?;
    let Loaded { store, mut world, mut tree } = Store::open(&directory.path().join("ours")).await?;
    let signer = Signer::new("quillhaven.example/tempestas", &[7; 32]).map_err(anyhow::Error::msg)?;
    let context =
        tempestas_core::Context { now: jiff::Timestamp::now(), caller: somebody(), chance: [7; 32], looked_at: None };
    let note = Command::Note(Note::SignedIn);
    let begun = Instant::now();
    for _ in 0..APPENDED / TOGETHER {
        let mut batch = Batch::default();
        for _ in 0..TOGETHER {
            let decision = decide(&world, &note, &context)?;
            decision.facts.iter().for_each(|fact| world.apply(fact));
            batch.add(decision, &mut tree)?;
        }
        store.append(&batch, &signer.sign(tree.size(), tree.root(), 1)).await?;
    }
    let ours = begun.elapsed();
    let bare = bare_insert(directory.path(), sample).await?;
    report.add(
        "facts appended, hashed, under a signed checkpoint, 250 in each commit",
        format!("{:.0}/s", rate(APPENDED, ours)),
        format!("{:.0}/s rows of the same table by multi-row insert", rate(APPENDED, bare)),
        "-",
    );
    Ok(())
}

async fn bare_insert(directory: &std::path::Path, sample: &[FactLine]) -> anyhow::Result<std::time::Duration> {
    let options = SqliteConnectOptions::new()
        .filename(directory.join("bare.sqlite"))
        .create_if_missing(true)
        .journal_mode(sqlx::sqlite::SqliteJournalMode::Wal)
        .synchronous(sqlx::sqlite::SqliteSynchronous::Full)
        .disable_statement_logging();
    let mut bare = options.connect().await?;
    sqlx::query("CREATE TABLE facts (seq INTEGER PRIMARY KEY, body BLOB NOT NULL, leaf BLOB NOT NULL) STRICT")
        .execute(&mut bare)
        .await?;
    // As long as the facts that were appended.
    let body = sample.iter().map(|line| line.fact.as_str()).min_by_key(|fact| fact.len()).unwrap_or_default();
    let values = vec!["(?, ?, ?)"; TOGETHER].join(", ");
    let insert = format!("INSERT INTO facts (seq, body, leaf) VALUES {values}");
    let begun = Instant::now();
    for round in 0..APPENDED / TOGETHER {
        let mut tx = bare.begin().await?;
        let mut query = sqlx::query(sqlx::AssertSqlSafe(insert.clone()));
        for n in 0..TOGETHER {
            query = query.bind(i64::try_from(round * TOGETHER + n)?).bind(body.as_bytes()).bind([0_u8; 32].as_slice());
        }
        query.execute(&mut *tx).await?;
        tx.commit().await?;
    }
    Ok(begun.elapsed())
}

/// Writes an export of real facts, over and over, under one checkpoint.
fn export(path: &std::path::Path, signer: &Signer, sample: &[FactLine]) -> anyhow::Result<u64> {
    let mut tree = Tree::default();
    let leaves: Vec<_> = sample.iter().map(|line| leaf_hash(line.fact.as_bytes())).collect();
    for leaf in leaves.iter().cycle().take(usize::try_from(EXPORTED)?) {
        tree.push(*leaf);
    }
    let checkpoint = signer.sign(tree.size(), tree.root(), 1).note;
    let mut file = BufWriter::with_capacity(1 << 20, File::create(path)?);
    writeln!(file, "{}", serde_json::to_string(&HeadLine { ledger: EXPORT_FORM, checkpoint })?)?;
    for (n, line) in (0..EXPORTED).zip(sample.iter().cycle()) {
        let leaf = leaf_hash(line.fact.as_bytes());
        writeln!(file, "{}", serde_json::to_string(&FactLine { n, leaf, fact: line.fact.clone() })?)?;
    }
    for leaves_from in (0..EXPORTED).step_by(LEAVES_A_LINE) {
        let many = LEAVES_A_LINE.min(usize::try_from(EXPORTED - leaves_from)?);
        let from = usize::try_from(leaves_from)? % leaves.len();
        let leaves = leaves.iter().cycle().skip(from).take(many).copied().collect();
        writeln!(file, "{}", serde_json::to_string(&LeavesLine { leaves_from, leaves })?)?;
    }
    file.flush()?;
    Ok(std::fs::metadata(path)?.len())
}

fn verify(report: &mut Report, path: &std::path::Path, signer: &Signer, bytes: u64) -> anyhow::Result<()> {
    let begun = Instant::now();
    let mut bare = ring::digest::Context::new(&ring::digest::SHA256);
    let mut file = File::open(path)?;
    let mut buffer = vec![0; 1 << 20];
    loop {
        let read = file.read(&mut buffer)?;
        if read == 0 {
            break;
        }
        bare.update(buffer.get(..read).unwrap_or_default());
    }
    std::hint::black_box(bare.finish());
    let hashing = begun.elapsed();
    let begun = Instant::now();
    let verdict =
        tempestas_client::verify(BufReader::with_capacity(1 << 20, File::open(path)?), &signer.verifier(), &[])?;
    anyhow::ensure!(verdict?.checkpoint.size == EXPORTED, "the export was not verified");
    let ours = begun.elapsed();
    report.add(
        &format!("an export of 1,000,000 facts ({} MB) verified", bytes / 1_000_000),
        format!("{}, {:.2} times the bare hash", seconds(ours), ours.as_secs_f64() / hashing.as_secs_f64()),
        format!("{} for SHA-256 of the same bytes", seconds(hashing)),
        "at most twice",
    );
    Ok(())
}

//! `rebuild --check`: replays the ledger and names every row that it doesn't explain.

use std::{collections::BTreeMap, fmt, path::Path};

use futures_util::TryStreamExt;
use sqlx::{Row as _, SqliteConnection};
use tempestas_core::{
    Digest, ElevationId, FACT_VERSION, Fact, Key, PrivateText, What, World,
    ledger::{BLOCK, Tree, leaf_hash},
};

use crate::{
    StoreError,
    entries::Line,
    ledger::row_body,
    open::{database, digest_of, has_table, observations, reader},
    past, texts, unsigned, upcast,
};

/// One thing that is not as the ledger says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Difference {
    /// A fact's bytes were changed.
    Fact(u64),
    /// A fact is missing.
    Missing(u64),
    /// A fact can't be read.
    Unreadable(u64, String),
    /// Facts at the end are missing.
    TailCut {
        /// How many are there.
        have: u64,
        /// How many a checkpoint covers.
        covers: u64,
    },
    /// The facts are not those under a checkpoint of this size.
    Rewritten(u64),
    /// A stored block's root is not that of its facts.
    Block(u64),
    /// A row is not what the facts make it; the fields that differ.
    Row(String, String, Vec<String>),
    /// A row that the facts make is not there.
    RowMissing(String, String),
    /// A row is there that no fact made.
    RowExtra(String, String),
    /// A private text doesn't give its digest.
    Text(Digest),
    /// A survey that a fact names is not there, or not as it was.
    Survey(Digest),
    /// The record would not find a fact by what it is by and about.
    Entry(u64),
    /// Lists would not find an elevation by who asked for it, where and when.
    Past(ElevationId),
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fact(n) => write!(f, "fact {n} was changed: its bytes do not give its leaf hash"),
            Self::Missing(n) => write!(f, "fact {n} is missing"),
            Self::Unreadable(n, why) => write!(f, "fact {n} can't be read: {why}"),
            Self::TailCut { have, covers } => {
                write!(f, "the tail was cut: {have} facts are there, a checkpoint covers {covers}")
            }
            Self::Rewritten(size) => write!(f, "the first {size} facts are not those under their checkpoint"),
            Self::Block(n) => write!(f, "the stored root of block {n} is not that of its facts"),
            Self::Row(kind, id, fields) => {
                write!(f, "the row {kind} {id} is not what the facts make it: {} differ", fields.join(", "))
            }
            Self::RowMissing(kind, id) => write!(f, "the row {kind} {id} is missing"),
            Self::RowExtra(kind, id) => write!(f, "the row {kind} {id} is there, and no fact made it"),
            Self::Text(digest) => write!(f, "the private text {digest} does not give its digest"),
            Self::Survey(digest) => write!(f, "the survey {digest} is missing or not as it was"),
            Self::Entry(n) => write!(f, "fact {n} is not entered as what it is, so the record would not find it"),
            Self::Past(id) => write!(f, "{id} is not entered as what it is, so lists would not find it"),
        }
    }
}

/// What a check found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Report {
    /// How many facts were replayed.
    pub facts: u64,
    /// How many rows they make.
    pub rows: u64,
    /// Present epoch.
    pub epoch: u32,
    /// Epochs begun by a restore: the fact that began each, its epoch, and how many facts the backup had.
    pub restores: Vec<(u64, u32, u64)>,
    /// What differs.
    pub differences: Vec<Difference>,
}

/// Replays the ledger in a state directory and compares. Reads only, and works beside a running service.
/// `seen` are sizes and roots of checkpoints kept elsewhere.
///
/// # Errors
/// When the database can't be read at all.
pub async fn check(directory: &Path, seen: &[(u64, Digest)]) -> Result<Report, StoreError> {
    let mut connection = reader(&database(directory)).await?;
    // One snapshot for all that follows, though the service goes on writing.
    sqlx::query("BEGIN").execute(&mut connection).await?;
    let mut report = Report::default();
    let mut checkpoints: Vec<(u64, Digest)> = seen.to_vec();
    for row in sqlx::query("SELECT size, root FROM checkpoints").fetch_all(&mut connection).await? {
        checkpoints.push((unsigned(row.try_get(0)?), digest_of(row.try_get(1)?)?));
    }
    checkpoints.sort_by_key(|(size, _)| *size);
    let (world, surveys) = replay(&mut connection, &mut report, &checkpoints).await?;
    if let Some((covers, _)) = checkpoints.last()
        && *covers > report.facts
    {
        report.differences.push(Difference::TailCut { have: report.facts, covers: *covers });
    }
    report.epoch = world.counters.epoch;
    compare_rows(&mut connection, &world, &mut report).await?;
    check_texts(&mut connection, &mut report).await?;
    check_surveys(directory, &surveys, &mut report).await?;
    check_entries(&mut connection, &mut report).await?;
    if upcast::form(&mut connection).await? > 0 {
        let misplaced = past::misplaced(&mut connection).await?;
        report.differences.extend(misplaced.into_iter().map(Difference::Past));
    }
    Ok(report)
}

async fn replay(
    connection: &mut SqliteConnection,
    report: &mut Report,
    checkpoints: &[(u64, Digest)],
) -> Result<(World, Vec<Digest>), StoreError> {
    let blocks: Vec<Vec<u8>> =
        sqlx::query_scalar("SELECT root FROM blocks ORDER BY number").fetch_all(&mut *connection).await?;
    let (mut world, mut tree, mut surveys) = (World::default(), Tree::default(), Vec::new());
    let mut checkpoints = checkpoints.iter().peekable();
    let mut rows = sqlx::query("SELECT seq, body, leaf FROM facts ORDER BY seq").fetch(&mut *connection);
    while let Some(row) = rows.try_next().await? {
        let (seq, body): (u64, Vec<u8>) = (unsigned(row.try_get(0)?), row.try_get(1)?);
        for missing in report.facts..seq {
            report.differences.push(Difference::Missing(missing));
        }
        report.facts = seq + 1;
        let leaf = leaf_hash(&body);
        if leaf != digest_of(row.try_get(2)?)? {
            report.differences.push(Difference::Fact(seq));
        }
        if let Some(root) = tree.push(leaf) {
            let number = tree.size() / BLOCK - 1;
            let stored = usize::try_from(number).ok().and_then(|at| blocks.get(at));
            if stored.is_none_or(|stored| *stored != root.0) {
                report.differences.push(Difference::Block(number));
            }
        }
        while let Some((size, root)) = checkpoints.next_if(|(size, _)| *size <= tree.size()) {
            if *size == tree.size() && *root != tree.root() {
                report.differences.push(Difference::Rewritten(*size));
            }
        }
        match Fact::from_bytes(&body) {
            Ok(fact) => {
                match &fact.what {
                    What::EpochBegun { epoch, restored_size, .. } => {
                        report.restores.push((seq, *epoch, *restored_size))
                    }
                    What::Surveyed { digest, .. }
                    | What::SurveyHeld { digest, .. }
                    | What::Imported { digest, .. }
                    | What::ImportHeld { digest, .. } => surveys.push(*digest),
                    _ => {}
                }
                world.apply(&fact);
            }
            Err(why) => report.differences.push(Difference::Unreadable(seq, why)),
        }
    }
    Ok((world, surveys))
}

async fn compare_rows(connection: &mut SqliteConnection, world: &World, report: &mut Report) -> Result<(), StoreError> {
    let mut made: BTreeMap<(String, String), String> = BTreeMap::new();
    if report.facts > 0 {
        for row in world.rows() {
            let Key { kind, id } = row.key();
            made.insert((kind.word().to_owned(), id), row_body(&row));
        }
    }
    report.rows = made.len() as u64;
    for (kind, id, body) in stored_rows(connection).await? {
        match made.remove(&(kind.clone(), id.clone())) {
            None => report.differences.push(Difference::RowExtra(kind, id)),
            Some(expected) if expected != body => {
                report.differences.push(Difference::Row(kind, id, differing(&expected, &body)));
            }
            Some(_) => {}
        }
    }
    // The counters' row is written with the first id handed out; a World without one has nothing to compare.
    report.differences.extend(made.into_keys().map(|(kind, id)| Difference::RowMissing(kind, id)));
    Ok(())
}

/// Kind, id and body of every row, in today's form whichever edition wrote it.
async fn stored_rows(connection: &mut SqliteConnection) -> Result<Vec<(String, String, String)>, StoreError> {
    let form = upcast::form(connection).await?;
    if form == u32::from(FACT_VERSION) {
        return Ok(sqlx::query_as(past::EVERY_ROW).fetch_all(connection).await?);
    }
    let apart = has_table(connection, "past_elevations").await?;
    let every = match (form, apart) {
        (1.., _) => past::EVERY_ROW,
        (0, true) => past::EVERY_ROW_BEFORE,
        (0, false) => "SELECT kind, id, body FROM rows",
    };
    let old: Vec<(String, String, String)> = sqlx::query_as(every).fetch_all(connection).await?;
    let in_form = old.into_iter().flat_map(|(kind, id, body)| match upcast::in_form(form, &body) {
        None => vec![(kind, id, body)],
        Some(rows) => rows
            .iter()
            .map(|row| {
                let Key { kind, id } = row.key();
                (kind.word().to_owned(), id, row_body(row))
            })
            .collect(),
    });
    Ok(in_form.collect())
}

/// Names of the fields in which two rows differ.
fn differing(expected: &str, found: &str) -> Vec<String> {
    let fields = |text: &str| -> serde_json::Map<String, serde_json::Value> {
        let value: serde_json::Value = serde_json::from_str(text).unwrap_or_default();
        let inner = value.as_object().and_then(|row| row.values().next()).and_then(|row| row.as_object());
        inner.cloned().unwrap_or_default()
    };
    let (expected, found) = (fields(expected), fields(found));
    let mut names: Vec<String> =
        expected.keys().chain(found.keys()).filter(|name| expected.get(*name) != found.get(*name)).cloned().collect();
    names.sort();
    names.dedup();
    if names.is_empty() {
        names.push("its form".to_owned());
    }
    names
}

async fn check_texts(connection: &mut SqliteConnection, report: &mut Report) -> Result<(), StoreError> {
    let apart = has_table(connection, "past_texts").await?;
    let every = if apart { texts::EVERY_TEXT } else { "SELECT digest, salt, text FROM texts" };
    for row in sqlx::query(every).fetch_all(&mut *connection).await? {
        let (digest, salt, text): (Digest, Vec<u8>, String) =
            (digest_of(row.try_get(0)?)?, row.try_get(1)?, row.try_get(2)?);
        let holds = <[u8; 16]>::try_from(salt).is_ok_and(|salt| PrivateText::digest(&text, &salt) == digest);
        if !holds {
            report.differences.push(Difference::Text(digest));
        }
    }
    Ok(())
}

async fn check_entries(connection: &mut SqliteConnection, report: &mut Report) -> Result<(), StoreError> {
    // An edition before this one entered less, or nothing.
    let entered: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM pragma_table_info('entries') WHERE name = 'scope'")
        .fetch_one(&mut *connection)
        .await?;
    if entered == 0 {
        return Ok(());
    }
    let mut rows = sqlx::query(
        "SELECT f.seq, f.body, e.at, e.kind, e.by, e.subject, e.elevation, e.scope FROM facts f LEFT JOIN entries e ON e.seq = f.seq ORDER BY f.seq",
    )
    .fetch(&mut *connection);
    while let Some(row) = rows.try_next().await? {
        let (seq, body): (u64, Vec<u8>) = (unsigned(row.try_get(0)?), row.try_get(1)?);
        // One that can't be read was named already.
        let Ok(fact) = Fact::from_bytes(&body) else { continue };
        if !Line::of(seq, &fact).is_entered(&row)? {
            report.differences.push(Difference::Entry(seq));
        }
    }
    Ok(())
}

async fn check_surveys(directory: &Path, surveys: &[Digest], report: &mut Report) -> Result<(), StoreError> {
    let path = observations(directory);
    if surveys.is_empty() || !path.exists() {
        report.differences.extend(surveys.iter().map(|digest| Difference::Survey(*digest)));
        return Ok(());
    }
    let mut connection = reader(&path).await?;
    for digest in surveys {
        let body: Option<String> = sqlx::query_scalar("SELECT body FROM surveys WHERE digest = ?1")
            .bind(digest.0.as_slice())
            .fetch_optional(&mut connection)
            .await?;
        if body.is_none_or(|body| Digest::of(&[body.as_bytes()]) != *digest) {
            report.differences.push(Difference::Survey(*digest));
        }
    }
    Ok(())
}

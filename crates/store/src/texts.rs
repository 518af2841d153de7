//! Private texts: those that a row of the present names in a table of their own, apart from the many that only the past does.
//!
//! Which table one stands in decides how soon it is found, never whether.

use std::collections::BTreeSet;

use sqlx::{Connection as _, QueryBuilder, Sqlite, SqliteConnection, SqliteExecutor};
use tempestas_core::{Digest, PrivateText};

use crate::StoreError;

/// Texts written by one statement.
const TOGETHER: usize = 200;

/// Where those stand that the present names.
const PRESENT: &str = "texts";
/// Where all others stand.
const PAST: &str = "past_texts";

/// Texts with their digests.
type Known = Vec<(Digest, String)>;

/// Writes texts down, those apart that no row `named` by the present needs.
pub(crate) async fn enter(
    into: &mut SqliteConnection,
    texts: &[PrivateText],
    named: &BTreeSet<Digest>,
) -> Result<(), sqlx::Error> {
    let (present, past): (Vec<_>, Vec<_>) = texts.iter().partition(|text| named.contains(&text.digest));
    for (table, texts) in [(PRESENT, present), (PAST, past)] {
        for some in texts.chunks(TOGETHER) {
            let mut insert =
                QueryBuilder::<Sqlite>::new(format!("INSERT OR REPLACE INTO {table} (digest, salt, text) "));
            insert.push_values(some, |mut row, text| {
                row.push_bind(text.digest.0.as_slice()).push_bind(text.salt.as_slice()).push_bind(text.text.as_str());
            });
            insert.build().execute(&mut *into).await?;
        }
    }
    Ok(())
}

/// Puts texts among those of the past.
pub(crate) async fn set_apart(into: &mut SqliteConnection, texts: &BTreeSet<Digest>) -> Result<(), StoreError> {
    between(into, texts, PRESENT, PAST).await
}

async fn between(
    connection: &mut SqliteConnection,
    texts: &BTreeSet<Digest>,
    from: &str,
    to: &str,
) -> Result<(), StoreError> {
    if texts.is_empty() {
        return Ok(());
    }
    let which = "WHERE digest IN (SELECT unhex(value) FROM json_each(?1))";
    for step in [
        format!("INSERT OR REPLACE INTO {to} (digest, salt, text) SELECT digest, salt, text FROM {from} {which}"),
        format!("DELETE FROM {from} {which}"),
    ] {
        sqlx::query(sqlx::AssertSqlSafe(step)).bind(digests(texts)?).execute(&mut *connection).await?;
    }
    Ok(())
}

/// The texts that the present names, each of which stands among these afterwards: an edition before this one knew one table for all.
pub(crate) async fn of_present(
    connection: &mut SqliteConnection,
    named: &BTreeSet<Digest>,
) -> Result<Known, StoreError> {
    let mut known = read(&mut *connection, named, &[PRESENT]).await?;
    let found: BTreeSet<Digest> = known.iter().map(|(digest, _)| *digest).collect();
    let elsewhere: BTreeSet<Digest> = named.difference(&found).copied().collect();
    // Nothing where all that is missing was forgotten.
    let stray = read(&mut *connection, &elsewhere, &[PAST]).await?;
    if !stray.is_empty() {
        // They are found where they are, too: a start on a disk that is full does not hang on this.
        let _ = brought_home(connection, &stray).await;
        known.extend(stray);
    }
    Ok(known)
}

async fn brought_home(connection: &mut SqliteConnection, stray: &Known) -> Result<(), StoreError> {
    let mut tx = connection.begin().await?;
    between(&mut tx, &stray.iter().map(|(digest, _)| *digest).collect(), PAST, PRESENT).await?;
    tx.commit().await?;
    Ok(())
}

/// Texts from wherever they stand, as far as they are known.
pub(crate) async fn wherever<'c>(
    from: impl SqliteExecutor<'c>,
    wanted: &BTreeSet<Digest>,
) -> Result<Known, StoreError> {
    read(from, wanted, &[PRESENT, PAST]).await
}

async fn read<'c>(
    from: impl SqliteExecutor<'c>,
    wanted: &BTreeSet<Digest>,
    tables: &[&str],
) -> Result<Known, StoreError> {
    if wanted.is_empty() {
        return Ok(Vec::new());
    }
    // Each table by its key: joined with both at once, SQLite would go through all of them.
    let each = tables.iter().map(|table| {
        format!("SELECT w.value, t.text FROM json_each(?1) w JOIN {table} t ON t.digest = unhex(w.value)")
    });
    let each = each.collect::<Vec<_>>().join(" UNION ALL ");
    // One large reply instead of many small ones: each costs as much as reading many rows.
    let read = format!("SELECT json_group_array(json_array(value, text)) FROM ({each})");
    let found: String = sqlx::query_scalar(sqlx::AssertSqlSafe(read)).bind(digests(wanted)?).fetch_one(from).await?;
    serde_json::from_str(&found).map_err(|error| StoreError::Ledger(format!("a text can't be read: {error}")))
}

/// Digests as SQL takes them.
fn digests(all: &BTreeSet<Digest>) -> Result<String, StoreError> {
    serde_json::to_string(all).map_err(|error| StoreError::Ledger(error.to_string()))
}

/// Every text, with its digest and salt; an edition before this one had one table of them.
pub(crate) const EVERY_TEXT: &str =
    "SELECT digest, salt, text FROM texts UNION ALL SELECT digest, salt, text FROM past_texts";

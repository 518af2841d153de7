//! Rows that an earlier edition wrote, put into the form of this one.

use serde_json::Value;
use sqlx::{Connection as _, SqliteConnection};
use tempestas_core::{FACT_VERSION, Row, row_of_version};

use crate::{StoreError, ledger::row_body, number};

/// Rows of the past that are put into another form at a time.
const TOGETHER: i64 = 500;

/// The version of the form that rows are kept in; 0 where the edition that wrote them had but one.
pub(crate) async fn form(connection: &mut SqliteConnection) -> Result<u32, sqlx::Error> {
    sqlx::query_scalar("PRAGMA user_version").fetch_one(connection).await
}

/// A row of some form, as today's rows; none where it can't be read, which whoever loads it names.
pub(crate) fn in_form(form: u32, body: &str) -> Option<Vec<Row>> {
    let old: Value = serde_json::from_str(body).ok()?;
    row_of_version(form, old).into_iter().map(|row| serde_json::from_value(row).ok()).collect()
}

/// Puts every row into today's form, all or none.
pub(crate) async fn rows(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let (found, known) = (form(connection).await?, u32::from(FACT_VERSION));
    if found == known {
        return Ok(());
    }
    if found > known {
        return Err(StoreError::Newer { found: found.into(), known: known.into() });
    }
    let mut tx = connection.begin().await?;
    let present: Vec<String> = sqlx::query_scalar("SELECT body FROM rows").fetch_all(&mut *tx).await?;
    for row in present.iter().filter_map(|body| in_form(found, body)).flatten() {
        let key = row.key();
        sqlx::query("INSERT OR REPLACE INTO rows (kind, id, body) VALUES (?1, ?2, ?3)")
            .bind(key.kind.word())
            .bind(key.id)
            .bind(row_body(&row))
            .execute(&mut *tx)
            .await?;
    }
    past(&mut tx, found, "past_elevations", "id").await?;
    past(&mut tx, found, "past_grants", "id").await?;
    past(&mut tx, found, "past_demands", "elevation").await?;
    sqlx::query(sqlx::AssertSqlSafe(format!("PRAGMA user_version = {known}"))).execute(&mut *tx).await?;
    tx.commit().await?;
    Ok(())
}

async fn past(connection: &mut SqliteConnection, form: u32, table: &str, id: &str) -> Result<(), StoreError> {
    let some = format!("SELECT {id}, body FROM {table} WHERE {id} > ?1 ORDER BY {id} LIMIT {TOGETHER}");
    let put = format!("UPDATE {table} SET body = ?2 WHERE {id} = ?1");
    let mut after = -1_i64;
    loop {
        let some: Vec<(i64, String)> =
            sqlx::query_as(sqlx::AssertSqlSafe(some.as_str())).bind(after).fetch_all(&mut *connection).await?;
        let Some((last, _)) = some.last() else { return Ok(()) };
        after = *last;
        for (id, row) in some
            .iter()
            .filter_map(|(id, body)| Some((*id, in_form(form, body)?)))
            .flat_map(|(id, rows)| rows.into_iter().map(move |row| (id, row)))
        {
            let (sql, id) = match &row {
                Row::Demand(demanded) => (
                    "INSERT OR REPLACE INTO past_demands (elevation, body) VALUES (?1, ?2)",
                    number(demanded.elevation.0),
                ),
                _ => (put.as_str(), id),
            };
            sqlx::query(sqlx::AssertSqlSafe(sql)).bind(id).bind(row_body(&row)).execute(&mut *connection).await?;
        }
    }
}

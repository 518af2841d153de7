//! Rows that an earlier edition wrote, put into the form of this one.

use serde_json::Value;
use sqlx::{Connection as _, QueryBuilder, Sqlite, SqliteConnection};
use tempestas_core::{FACT_VERSION, Row, row_of_version_1};

use crate::{StoreError, ledger::row_body};

/// Rows of the past that are put into another form at a time.
const TOGETHER: i64 = 500;

/// The version of the form that rows are kept in; 0 where the edition that wrote them had but one.
pub(crate) async fn form(connection: &mut SqliteConnection) -> Result<u32, sqlx::Error> {
    sqlx::query_scalar("PRAGMA user_version").fetch_one(connection).await
}

/// A row of the first form, as today's rows; as it is where it can't be read, for whoever names what is wrong with it.
pub(crate) fn row_bodies(body: &str) -> Vec<String> {
    let read = || -> Result<Vec<Row>, serde_json::Error> {
        let old: Value = serde_json::from_str(body)?;
        row_of_version_1(old).into_iter().map(serde_json::from_value).collect()
    };
    read().map_or_else(|_| vec![body.to_owned()], |rows| rows.iter().map(row_body).collect())
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
    present(&mut tx).await?;
    past(&mut tx).await?;
    sqlx::query(sqlx::AssertSqlSafe(format!("PRAGMA user_version = {known}"))).execute(&mut *tx).await?;
    tx.commit().await?;
    Ok(())
}

async fn present(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let old: Vec<String> = sqlx::query_scalar("SELECT body FROM rows").fetch_all(&mut *connection).await?;
    for body in old.iter().flat_map(|body| row_bodies(body)) {
        let Ok(row) = serde_json::from_str::<Row>(&body) else { continue };
        let key = row.key();
        sqlx::query("INSERT OR REPLACE INTO rows (kind, id, body) VALUES (?1, ?2, ?3)")
            .bind(key.kind.word())
            .bind(key.id)
            .bind(body)
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}

async fn past(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let mut after = -1_i64;
    loop {
        let some: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, body FROM past_elevations WHERE id > ?1 ORDER BY id LIMIT ?2")
                .bind(after)
                .bind(TOGETHER)
                .fetch_all(&mut *connection)
                .await?;
        let Some((last, _)) = some.last() else { break };
        after = *last;
        let mut demands = Vec::new();
        for (id, old) in &some {
            for body in row_bodies(old) {
                match serde_json::from_str(&body) {
                    Ok(Row::Demand(_)) => demands.push((*id, body)),
                    _ => put(connection, "past_elevations", *id, &body).await?,
                }
            }
        }
        if !demands.is_empty() {
            let mut insert = QueryBuilder::<Sqlite>::new("INSERT OR REPLACE INTO past_demands (elevation, body) ");
            insert.push_values(demands, |mut row, (id, body)| {
                row.push_bind(id).push_bind(body);
            });
            insert.build().execute(&mut *connection).await?;
        }
    }
    let grants: Vec<(i64, String)> =
        sqlx::query_as("SELECT id, body FROM past_grants").fetch_all(&mut *connection).await?;
    for (id, old) in &grants {
        for body in row_bodies(old) {
            put(connection, "past_grants", *id, &body).await?;
        }
    }
    Ok(())
}

async fn put(connection: &mut SqliteConnection, table: &str, id: i64, body: &str) -> Result<(), sqlx::Error> {
    let update = format!("UPDATE {table} SET body = ?2 WHERE id = ?1");
    sqlx::query(sqlx::AssertSqlSafe(update)).bind(id).bind(body).execute(connection).await?;
    Ok(())
}

//! The file of what passes: sign-ins, throttles, requests that come twice, programs that wait, drafts. None of it is in a backup,
//! and no write of it waits for the ledger's.

use std::path::Path;

use jiff::Timestamp;
use sqlx::{ConnectOptions as _, Connection as _, Row as _, SqliteConnection};

use crate::{
    StoreError, micros,
    open::{Beside, Store, has_table, options},
    schema,
    sealed::named,
};

/// Opens it; takes over what an earlier edition kept in the ledger's file.
pub(crate) async fn open(path: &Path, ledger: &mut SqliteConnection) -> Result<Beside, StoreError> {
    let mut write = options(path).connect().await?;
    schema::passing().run(&mut write).await?;
    take_over(path, ledger).await?;
    Ok(Beside::new(path, write).await?)
}

/// Tables that an earlier edition had there, with their columns.
const BEFORE: [(&str, &str); 6] = [
    ("throttles", "account, address, failures, until"),
    ("idempotency", "person, key, body, status, reply, at"),
    ("drafts", "id, person, method, path, body, drawn_at, status, reply, looked_at"),
    ("sign_ins", "id, token, person, kind, address, began_at, used_at, proven_at"),
    ("totp_steps", "person, step"),
    ("device_asks", "device, code, program, host, address, asked_at, expires, polled_at, person, refused"),
];

/// Those of them whose rows rest on somebody's credentials.
const RESTING: [&str; 2] = ["sign_ins", "totp_steps"];

async fn take_over(path: &Path, ledger: &mut SqliteConnection) -> Result<(), StoreError> {
    if !has_table(ledger, "sign_ins").await? {
        return Ok(());
    }
    sqlx::query("ATTACH ?1 AS passing").bind(path.to_string_lossy().into_owned()).execute(&mut *ledger).await?;
    for (table, columns) in BEFORE {
        let (under, nothing) = if RESTING.contains(&table) { (", under", ", x''") } else { ("", "") };
        let copy = format!(
            "INSERT OR IGNORE INTO passing.{table} ({columns}{under}) SELECT {columns}{nothing} FROM main.{table}"
        );
        sqlx::query(sqlx::AssertSqlSafe(copy)).execute(&mut *ledger).await?;
    }
    // How somebody had proven themselves was not known there: the least that it can have been.
    sqlx::query(
        "UPDATE passing.sign_ins SET proven_by = 'totp-code' WHERE proven_at IS NOT NULL AND proven_by IS NULL",
    )
    .execute(&mut *ledger)
    .await?;
    // There, what rested on others than the present credentials was dropped with them.
    let credentials = sqlx::query("SELECT person, password_hash FROM credentials").fetch_all(&mut *ledger).await?;
    for (table, known) in RESTING.iter().flat_map(|table| credentials.iter().map(move |known| (table, known))) {
        let (person, hash): (i64, String) = (known.try_get(0)?, known.try_get(1)?);
        let rest = format!("UPDATE passing.{table} SET under = ?2 WHERE person = ?1 AND under = x''");
        let rest = sqlx::query(sqlx::AssertSqlSafe(rest)).bind(person).bind(named(&hash).0.to_vec());
        rest.execute(&mut *ledger).await?;
    }
    // All of them or none: a start that is cut off begins with all of it again, and copies what isn't there yet.
    let mut together = ledger.begin().await?;
    for (table, _) in BEFORE {
        sqlx::query(sqlx::AssertSqlSafe(format!("DROP TABLE main.{table}"))).execute(&mut *together).await?;
    }
    together.commit().await?;
    sqlx::query("DETACH passing").execute(ledger).await?;
    Ok(())
}

impl Store {
    /// Drops what is of no use any more.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sweep(
        &self,
        idle_before: Timestamp,
        begun_before: Timestamp,
        keys_before: Timestamp,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let expired = sqlx::query("DELETE FROM enrolments WHERE expires < ?1").bind(micros(now));
        expired.execute(&mut *self.write.lock().await).await?;
        let mut write = self.passing.write.lock().await;
        for (sql, first, second) in [
            ("DELETE FROM sign_ins WHERE used_at < ?1 OR began_at < ?2", idle_before, begun_before),
            ("DELETE FROM idempotency WHERE at < ?1 AND ?2 = ?2", keys_before, now),
            ("DELETE FROM device_asks WHERE expires < ?1 AND ?2 = ?2", now, now),
            ("DELETE FROM drafts WHERE drawn_at < ?1 AND ?2 = ?2", keys_before, now),
            ("DELETE FROM throttles WHERE until < ?1 AND ?2 = ?2", begun_before, now),
        ] {
            sqlx::query(sql).bind(micros(first)).bind(micros(second)).execute(&mut *write).await?;
        }
        Ok(())
    }
}

//! Requests that programs drafted, for their person to confirm in the console.

use jiff::Timestamp;
use sqlx::{Row as _, sqlite::SqliteRow};
use tempestas_core::{Digest, LookedAt, SubjectId};

use crate::{StoreError, micros, number, open::Store, time, unsigned};

/// Status of a draft that is being carried out; it stays so where the service ended meanwhile, and is not repeated.
const CLAIMED: u16 = 1;

/// A request drafted by a device's sign-in.
#[derive(Debug, Clone)]
pub struct Draft {
    /// Its number.
    pub id: i64,
    /// Whose.
    pub person: SubjectId,
    /// HTTP method.
    pub method: String,
    /// Path.
    pub path: String,
    /// JSON body; empty where there is none.
    pub body: String,
    /// What its sender looked at, where it changes something in place.
    pub looked_at: Option<LookedAt>,
    /// When it was drafted.
    pub drawn_at: Timestamp,
    /// Status and body of the reply, once it was confirmed; status 0 where it was dropped.
    pub reply: Option<(u16, String)>,
}

fn draft(row: &SqliteRow) -> Result<Draft, sqlx::Error> {
    let status: Option<i64> = row.try_get("status")?;
    let reply: Option<String> = row.try_get("reply")?;
    let looked_at = match row.try_get::<Option<String>, _>("looked_at")?.as_deref() {
        None => None,
        Some("*") => Some(LookedAt::Nothing),
        Some(hex) => Some(LookedAt::This(Digest::from_hex(hex).map_err(|error| sqlx::Error::Decode(error.into()))?)),
    };
    Ok(Draft {
        looked_at,
        id: row.try_get("id")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        method: row.try_get("method")?,
        path: row.try_get("path")?,
        body: row.try_get("body")?,
        drawn_at: time(row.try_get("drawn_at")?),
        reply: status.map(|status| (u16::try_from(status).unwrap_or(500), reply.unwrap_or_default())),
    })
}

impl Store {
    /// Keeps a draft. Returns its number.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_draft(
        &self,
        person: SubjectId,
        method: &str,
        path: &str,
        body: &str,
        looked_at: Option<LookedAt>,
        now: Timestamp,
    ) -> Result<i64, StoreError> {
        let looked_at = looked_at.map(|looked_at| match looked_at {
            LookedAt::This(digest) => digest.to_string(),
            LookedAt::Nothing => "*".to_owned(),
        });
        let mut write = self.passing.write.lock().await;
        let keep =
            "INSERT INTO drafts (person, method, path, body, drawn_at, looked_at) VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
        let done = sqlx::query(keep)
            .bind(number(person.0))
            .bind(method)
            .bind(path)
            .bind(body)
            .bind(micros(now))
            .bind(looked_at)
            .execute(&mut *write)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// A person's drafts, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn drafts(&self, person: SubjectId) -> Result<Vec<Draft>, StoreError> {
        let rows = sqlx::query("SELECT * FROM drafts WHERE person = ?1 ORDER BY id DESC")
            .bind(number(person.0))
            .fetch_all(&self.passing.read)
            .await?;
        Ok(rows.iter().map(draft).collect::<Result<_, _>>()?)
    }

    /// Claims an open draft, so that it is carried out once however often it is confirmed at the same moment. False
    /// where it isn't open.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn claim_draft(&self, id: i64) -> Result<bool, StoreError> {
        self.settle_draft(id, CLAIMED, "").await
    }

    /// Ends a claim: with the reply, or open again where it was refused.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_claim(&self, id: i64, reply: Option<(u16, &str)>) -> Result<(), StoreError> {
        let mut write = self.passing.write.lock().await;
        sqlx::query("UPDATE drafts SET status = ?2, reply = ?3 WHERE id = ?1 AND status = ?4")
            .bind(id)
            .bind(reply.map(|(status, _)| i64::from(status)))
            .bind(reply.map(|(_, text)| text))
            .bind(i64::from(CLAIMED))
            .execute(&mut *write)
            .await?;
        Ok(())
    }

    /// Settles a draft with its reply, or with status 0 where it is dropped. False where that was done before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn settle_draft(&self, id: i64, status: u16, reply: &str) -> Result<bool, StoreError> {
        let mut write = self.passing.write.lock().await;
        let done = sqlx::query("UPDATE drafts SET status = ?2, reply = ?3 WHERE id = ?1 AND status IS NULL")
            .bind(id)
            .bind(i64::from(status))
            .bind(reply)
            .execute(&mut *write)
            .await?;
        Ok(done.rows_affected() == 1)
    }
}

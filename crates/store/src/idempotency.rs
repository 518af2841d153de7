//! Requests that come twice, and are carried out once.

use jiff::Timestamp;
use sqlx::Row as _;
use tempestas_core::{Digest, SubjectId};

use crate::{StoreError, micros, number, open::Store};

/// What an idempotency key stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Claim {
    /// Nobody used it before: go on, and settle it.
    New,
    /// It was used for the same; this was the reply.
    Done(u16, String),
    /// The same is being carried out at this moment.
    Busy,
    /// It was used for something else.
    Other,
}

impl Store {
    /// Claims an idempotency key for a request; `body` is a digest of method, path and body.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn claim(&self, person: SubjectId, key: &str, body: Digest, now: Timestamp) -> Result<Claim, StoreError> {
        let mut write = self.passing.write.lock().await;
        let claimed = sqlx::query("INSERT OR IGNORE INTO idempotency (person, key, body, at) VALUES (?1, ?2, ?3, ?4)")
            .bind(number(person.0))
            .bind(key)
            .bind(body.0.as_slice())
            .bind(micros(now))
            .execute(&mut *write)
            .await?;
        if claimed.rows_affected() == 1 {
            return Ok(Claim::New);
        }
        let row = sqlx::query("SELECT body, status, reply FROM idempotency WHERE person = ?1 AND key = ?2")
            .bind(number(person.0))
            .bind(key)
            .fetch_one(&mut *write)
            .await?;
        let (known, status, reply): (Vec<u8>, Option<i64>, Option<String>) =
            (row.try_get(0)?, row.try_get(1)?, row.try_get(2)?);
        Ok(match (known == body.0, status, reply) {
            (false, ..) => Claim::Other,
            (true, Some(status), Some(reply)) => Claim::Done(u16::try_from(status).unwrap_or(500), reply),
            (true, ..) => Claim::Busy,
        })
    }

    /// Settles a claimed key with its reply, or frees it where the request failed.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn settle_claim(
        &self,
        person: SubjectId,
        key: &str,
        reply: Option<(u16, &str)>,
    ) -> Result<(), StoreError> {
        let mut write = self.passing.write.lock().await;
        match reply {
            Some((status, body)) => {
                sqlx::query("UPDATE idempotency SET status = ?3, reply = ?4 WHERE person = ?1 AND key = ?2")
                    .bind(number(person.0))
                    .bind(key)
                    .bind(i64::from(status))
                    .bind(body)
                    .execute(&mut *write)
                    .await?
            }
            None => {
                sqlx::query("DELETE FROM idempotency WHERE person = ?1 AND key = ?2")
                    .bind(number(person.0))
                    .bind(key)
                    .execute(&mut *write)
                    .await?
            }
        };
        Ok(())
    }
}

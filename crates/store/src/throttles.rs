//! Guesses: how tries are slowed down, and what is good once.

use jiff::Timestamp;
use tempestas_core::{Digest, SubjectId};

use crate::{Proven, StoreError, micros, number, open::Store, time, unsigned};

/// How tries are slowed down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slowing {
    /// Failures that cost nothing.
    pub free: u32,
    /// Longest wait between two tries after that, in seconds; it begins with one and doubles.
    pub most: u32,
}

impl Store {
    /// Counts a try as a failure before it is looked at, so that however many come at once each of them counts; none where it
    /// may go on, else when the next may.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn count_try(
        &self,
        account: &str,
        address: &str,
        now: Timestamp,
        slowing: Slowing,
    ) -> Result<Option<Timestamp>, StoreError> {
        let mut write = self.passing.write.lock().await;
        let counted = sqlx::query(
            "INSERT INTO throttles (account, address, failures, until) VALUES (?1, ?2, 1, ?3)
             ON CONFLICT (account, address) DO UPDATE SET failures = failures + 1,
                 until = ?3 + CASE WHEN failures + 1 < ?4 THEN 0
                     ELSE min(1 << min(failures + 1 - ?4, 16), ?5) * 1000000 END
             WHERE until <= ?3",
        )
        .bind(account)
        .bind(address)
        .bind(micros(now))
        .bind(slowing.free)
        .bind(slowing.most)
        .execute(&mut *write)
        .await?;
        if counted.rows_affected() > 0 {
            return Ok(None);
        }
        let until: Option<i64> = sqlx::query_scalar("SELECT until FROM throttles WHERE account = ?1 AND address = ?2")
            .bind(account)
            .bind(address)
            .fetch_optional(&mut *write)
            .await?;
        Ok(until.map(time))
    }

    /// Takes the slowing off: the try was right.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn passed(&self, account: &str, address: &str) -> Result<(), StoreError> {
        let mut write = self.passing.write.lock().await;
        sqlx::query("DELETE FROM throttles WHERE account = ?1 AND address = ?2")
            .bind(account)
            .bind(address)
            .execute(&mut *write)
            .await?;
        Ok(())
    }

    /// Uses up a TOTP step of some credentials. False where it, or a later one, was used before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_totp_step(&self, proven: Proven, step: u64) -> Result<bool, StoreError> {
        let mut write = self.passing.write.lock().await;
        let done = sqlx::query("INSERT INTO totp_steps (person, step, under) VALUES (?1, ?2, ?3) ON CONFLICT (person) DO UPDATE SET step = ?2, under = ?3 WHERE step < ?2 OR under <> ?3")
            .bind(number(proven.person.0))
            .bind(number(step))
            .bind(proven.under.0.to_vec())
            .execute(&mut *write)
            .await?;
        Ok(done.rows_affected() == 1)
    }

    /// Uses up an enrolment secret; whose it was, where it was good at `now`.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_enrolment(&self, secret: Digest, now: Timestamp) -> Result<Option<SubjectId>, StoreError> {
        let mut write = self.write.lock().await;
        let person: Option<i64> =
            sqlx::query_scalar("DELETE FROM enrolments WHERE secret = ?1 AND expires > ?2 RETURNING person")
                .bind(secret.0.as_slice())
                .bind(micros(now))
                .fetch_optional(&mut *write)
                .await?;
        Ok(person.map(|person| SubjectId(unsigned(person))))
    }
}

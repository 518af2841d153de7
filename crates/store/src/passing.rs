//! What passes: sign-ins, throttles, the last TOTP step, enrolments, idempotency.

use jiff::Timestamp;
use sqlx::{Row as _, sqlite::SqliteRow};
use tempestas_core::{Digest, SubjectId};

use crate::{StoreError, micros, number, open::Store, time, unsigned};

/// A person's proven presence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SignIn {
    /// Its number.
    pub id: i64,
    /// Whose.
    pub person: SubjectId,
    /// From where.
    pub address: String,
    /// Since when.
    pub began_at: Timestamp,
    /// Last use.
    pub used_at: Timestamp,
    /// Last proof by a second factor.
    pub proven_at: Option<Timestamp>,
    /// What kind of presence it is.
    pub kind: SignInKind,
}

/// What kind of presence a sign-in is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SignInKind {
    /// A program that was given name, password and code.
    Token,
    /// The console, by cookie.
    Browser,
    /// A program let in by a code that its person typed into the console: it reads, and drafts.
    Device,
}

impl SignInKind {
    /// As the table keeps it.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Token => "token",
            Self::Browser => "browser",
            Self::Device => "device",
        }
    }
}

/// How tries are slowed down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slowing {
    /// Failures that cost nothing.
    pub free: u32,
    /// Longest wait between two tries after that, in seconds; it begins with one and doubles.
    pub most: u32,
}

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

fn sign_in(row: &SqliteRow) -> Result<SignIn, sqlx::Error> {
    Ok(SignIn {
        id: row.try_get("id")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        address: row.try_get("address")?,
        began_at: time(row.try_get("began_at")?),
        used_at: time(row.try_get("used_at")?),
        proven_at: row.try_get::<Option<i64>, _>("proven_at")?.map(time),
        kind: match row.try_get::<String, _>("kind")?.as_str() {
            "token" => SignInKind::Token,
            "browser" => SignInKind::Browser,
            // Whatever is not known may do the least.
            _ => SignInKind::Device,
        },
    })
}

impl Store {
    /// Begins a sign-in, proven at that moment; one of a device never is.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn begin_sign_in(
        &self,
        token: Digest,
        person: SubjectId,
        address: &str,
        now: Timestamp,
        kind: SignInKind,
    ) -> Result<i64, StoreError> {
        let mut write = self.write.lock().await;
        let done = sqlx::query("INSERT INTO sign_ins (token, person, address, began_at, used_at, proven_at, kind) VALUES (?1, ?2, ?3, ?4, ?4, ?5, ?6)")
            .bind(token.0.as_slice())
            .bind(number(person.0))
            .bind(address)
            .bind(micros(now))
            .bind((kind != SignInKind::Device).then(|| micros(now)))
            .bind(kind.word())
            .execute(&mut *write)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// The sign-in that a token stands for.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_in(&self, token: Digest) -> Result<Option<SignIn>, StoreError> {
        let row = sqlx::query("SELECT * FROM sign_ins WHERE token = ?1")
            .bind(token.0.as_slice())
            .fetch_optional(&self.read)
            .await?;
        Ok(row.as_ref().map(sign_in).transpose()?)
    }

    /// Notes that a sign-in was used, or proven anew.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_sign_in(&self, id: i64, now: Timestamp, proven: bool) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        sqlx::query(
            "UPDATE sign_ins SET used_at = ?2, proven_at = CASE WHEN ?3 THEN ?2 ELSE proven_at END WHERE id = ?1",
        )
        .bind(id)
        .bind(micros(now))
        .bind(proven)
        .execute(&mut *write)
        .await?;
        Ok(())
    }

    /// A person's sign-ins, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_ins(&self, person: SubjectId) -> Result<Vec<SignIn>, StoreError> {
        let rows = sqlx::query("SELECT * FROM sign_ins WHERE person = ?1 ORDER BY began_at DESC")
            .bind(number(person.0))
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(sign_in).collect::<Result<_, _>>()?)
    }

    /// Ends a person's sign-in, or all of them. Returns how many there were.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_sign_ins(&self, person: SubjectId, id: Option<i64>) -> Result<u64, StoreError> {
        let mut write = self.write.lock().await;
        let done = sqlx::query("DELETE FROM sign_ins WHERE person = ?1 AND (?2 IS NULL OR id = ?2)")
            .bind(number(person.0))
            .bind(id)
            .execute(&mut *write)
            .await?;
        Ok(done.rows_affected())
    }

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
        let mut write = self.write.lock().await;
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
        let mut write = self.write.lock().await;
        sqlx::query("DELETE FROM throttles WHERE account = ?1 AND address = ?2")
            .bind(account)
            .bind(address)
            .execute(&mut *write)
            .await?;
        Ok(())
    }

    /// Uses up a TOTP step. False where it, or a later one, was used before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_totp_step(&self, person: SubjectId, step: u64) -> Result<bool, StoreError> {
        let mut write = self.write.lock().await;
        let done = sqlx::query("INSERT INTO totp_steps (person, step) VALUES (?1, ?2) ON CONFLICT (person) DO UPDATE SET step = ?2 WHERE step < ?2")
            .bind(number(person.0))
            .bind(number(step))
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

    /// Claims an idempotency key for a request; `body` is a digest of method, path and body.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn claim(&self, person: SubjectId, key: &str, body: Digest, now: Timestamp) -> Result<Claim, StoreError> {
        let mut write = self.write.lock().await;
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
        let mut write = self.write.lock().await;
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
        let mut write = self.write.lock().await;
        for (sql, first, second) in [
            ("DELETE FROM sign_ins WHERE used_at < ?1 OR began_at < ?2", idle_before, begun_before),
            ("DELETE FROM idempotency WHERE at < ?1 AND ?2 = ?2", keys_before, now),
            ("DELETE FROM enrolments WHERE expires < ?1 AND ?2 = ?2", now, now),
            ("DELETE FROM device_asks WHERE expires < ?1 AND ?2 = ?2", now, now),
            ("DELETE FROM drafts WHERE drawn_at < ?1 AND ?2 = ?2", keys_before, now),
            ("DELETE FROM throttles WHERE until < ?1 AND ?2 = ?2", begun_before, now),
        ] {
            sqlx::query(sql).bind(micros(first)).bind(micros(second)).execute(&mut *write).await?;
        }
        Ok(())
    }
}

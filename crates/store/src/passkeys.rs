//! Passkeys: public keys and counters, so not sealed.

use jiff::Timestamp;
use sqlx::{Row as _, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::SubjectId;

use crate::{StoreError, micros, number, open::Store, time, unsigned};

/// A person's passkey.
#[derive(Debug, Clone)]
pub struct Passkey {
    /// Credential id.
    pub credential: Vec<u8>,
    /// Whose.
    pub person: SubjectId,
    /// As its person calls it.
    pub name: String,
    /// Public key and counters, as the WebAuthn library writes them.
    pub body: String,
    /// Since when.
    pub added_at: Timestamp,
    /// Last use.
    pub used_at: Option<Timestamp>,
}

impl Passkey {
    pub(crate) async fn write(&self, into: &mut SqliteConnection) -> Result<(), sqlx::Error> {
        sqlx::query(
            "INSERT OR IGNORE INTO passkeys (credential, person, name, body, added_at) VALUES (?1, ?2, ?3, ?4, ?5)",
        )
        .bind(&self.credential)
        .bind(number(self.person.0))
        .bind(&self.name)
        .bind(&self.body)
        .bind(micros(self.added_at))
        .execute(into)
        .await
        .map(drop)
    }
}

fn passkey(row: &SqliteRow) -> Result<Passkey, sqlx::Error> {
    Ok(Passkey {
        credential: row.try_get("credential")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        name: row.try_get("name")?,
        body: row.try_get("body")?,
        added_at: time(row.try_get("added_at")?),
        used_at: row.try_get::<Option<i64>, _>("used_at")?.map(time),
    })
}

impl Store {
    /// A person's passkeys, oldest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn passkeys(&self, person: SubjectId) -> Result<Vec<Passkey>, StoreError> {
        let rows = sqlx::query("SELECT * FROM passkeys WHERE person = ?1 ORDER BY added_at")
            .bind(number(person.0))
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(passkey).collect::<Result<_, _>>()?)
    }

    /// The passkey of a credential.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn passkey(&self, credential: &[u8]) -> Result<Option<Passkey>, StoreError> {
        let row = sqlx::query("SELECT * FROM passkeys WHERE credential = ?1")
            .bind(credential)
            .fetch_optional(&self.read)
            .await?;
        Ok(row.as_ref().map(passkey).transpose()?)
    }

    /// Notes a passkey's use, with the counters it came back with.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_passkey(&self, credential: &[u8], body: &str, now: Timestamp) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        sqlx::query("UPDATE passkeys SET body = ?2, used_at = ?3 WHERE credential = ?1")
            .bind(credential)
            .bind(body)
            .bind(micros(now))
            .execute(&mut *write)
            .await?;
        Ok(())
    }
}

//! Sealed secrets and password hashes, as bytes; the keys that open them are not here.

use sqlx::{Connection, Row as _, SqliteConnection};
use tempestas_core::{Digest, SubjectId};

use crate::{StoreError, number, open::Store};

/// A sealed secret.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sealed {
    /// Whose: `person:3`, `target:12`, `house`.
    pub owner: String,
    /// Which: `totp`, `broker`, `ledger`.
    pub name: String,
    /// The master key it is sealed under.
    pub key_id: String,
    /// Nonce, ciphertext and tag.
    pub body: Vec<u8>,
}

impl Sealed {
    pub(crate) async fn write(&self, into: &mut SqliteConnection) -> Result<(), sqlx::Error> {
        sqlx::query("INSERT OR REPLACE INTO sealed (owner, name, key_id, body) VALUES (?1, ?2, ?3, ?4)")
            .bind(&self.owner)
            .bind(&self.name)
            .bind(&self.key_id)
            .bind(&self.body)
            .execute(into)
            .await
            .map(drop)
    }
}

/// What names credentials: others have another salt, and so another hash.
pub(crate) fn named(password_hash: &str) -> Digest {
    Digest::of(&[password_hash.as_bytes()])
}

impl Store {
    /// Keeps sealed secrets that no fact needs yet, replacing those of the same owner and name, all or none.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_sealed(&self, all: &[Sealed]) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        let mut tx = write.begin().await?;
        for sealed in all {
            sealed.write(&mut tx).await?;
        }
        tx.commit().await?;
        Ok(())
    }

    /// All sealed secrets, or one owner's.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sealed(&self, owner: Option<&str>) -> Result<Vec<Sealed>, StoreError> {
        let rows = sqlx::query("SELECT owner, name, key_id, body FROM sealed WHERE ?1 IS NULL OR owner = ?1")
            .bind(owner)
            .fetch_all(&self.read)
            .await?;
        rows.into_iter()
            .map(|row| {
                Ok(Sealed {
                    owner: row.try_get(0)?,
                    name: row.try_get(1)?,
                    key_id: row.try_get(2)?,
                    body: row.try_get(3)?,
                })
            })
            .collect()
    }

    /// What names a person's present credentials.
    pub(crate) async fn present_credentials(&self, person: SubjectId) -> Result<Option<Digest>, StoreError> {
        Ok(self.password_hash(person).await?.as_deref().map(named))
    }

    /// A person's password hash.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn password_hash(&self, person: SubjectId) -> Result<Option<String>, StoreError> {
        Ok(sqlx::query_scalar("SELECT password_hash FROM credentials WHERE person = ?1")
            .bind(number(person.0))
            .fetch_optional(&self.read)
            .await?)
    }
}

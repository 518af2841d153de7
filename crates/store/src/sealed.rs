//! Sealed secrets and password hashes, as bytes; the keys that open them are not here.

use sqlx::{Connection, Row as _};
use tempestas_core::SubjectId;

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

impl Store {
    /// Keeps sealed secrets, replacing those of the same owner and name, all or none.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_sealed(&self, all: &[Sealed]) -> Result<(), StoreError> {
        self.change_sealed(all, &[]).await
    }

    /// The same, with others forgotten for good in the same step, each by owner and name: no state in between has both, or
    /// neither.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn change_sealed(&self, all: &[Sealed], forget: &[(&str, &str)]) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        let mut tx = write.begin().await?;
        for (owner, name) in forget {
            sqlx::query("DELETE FROM sealed WHERE owner = ?1 AND name = ?2")
                .bind(owner)
                .bind(name)
                .execute(&mut *tx)
                .await?;
        }
        for sealed in all {
            sqlx::query("INSERT OR REPLACE INTO sealed (owner, name, key_id, body) VALUES (?1, ?2, ?3, ?4)")
                .bind(&sealed.owner)
                .bind(&sealed.name)
                .bind(&sealed.key_id)
                .bind(&sealed.body)
                .execute(&mut *tx)
                .await?;
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

    /// Sets a person's password hash and sealed TOTP secret together, and forgets the last code's step.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn set_credentials(
        &self,
        person: SubjectId,
        password_hash: &str,
        totp: &Sealed,
    ) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        let mut tx = write.begin().await?;
        sqlx::query("INSERT OR REPLACE INTO credentials (person, password_hash) VALUES (?1, ?2)")
            .bind(number(person.0))
            .bind(password_hash)
            .execute(&mut *tx)
            .await?;
        sqlx::query("INSERT OR REPLACE INTO sealed (owner, name, key_id, body) VALUES (?1, ?2, ?3, ?4)")
            .bind(&totp.owner)
            .bind(&totp.name)
            .bind(&totp.key_id)
            .bind(&totp.body)
            .execute(&mut *tx)
            .await?;
        sqlx::query("DELETE FROM totp_steps WHERE person = ?1").bind(number(person.0)).execute(&mut *tx).await?;
        sqlx::query("DELETE FROM sign_ins WHERE person = ?1").bind(number(person.0)).execute(&mut *tx).await?;
        tx.commit().await?;
        Ok(())
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

//! Surveys, and readings of sources, kept as they came in a file of their own and named in facts by digest.

use jiff::Timestamp;
use serde::{Serialize, de::DeserializeOwned};
use tempestas_core::{Digest, Imported, ScopeId, Survey};

use crate::{StoreError, micros, number, open::Store};

impl Store {
    /// Keeps a survey as it came. Written before the fact that names it.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_survey(&self, target: ScopeId, at: Timestamp, survey: &Survey) -> Result<Digest, StoreError> {
        self.keep_observed(target, at, survey).await
    }

    async fn keep_observed<T: Serialize>(
        &self,
        target: ScopeId,
        at: Timestamp,
        what: &T,
    ) -> Result<Digest, StoreError> {
        let body = serde_json::to_string(what).map_err(|error| StoreError::Ledger(error.to_string()))?;
        let digest = Digest::of(&[body.as_bytes()]);
        let mut observed = self.observed.write.lock().await;
        sqlx::query("INSERT OR IGNORE INTO surveys (digest, target, at, body) VALUES (?1, ?2, ?3, ?4)")
            .bind(digest.0.as_slice())
            .bind(number(target.0))
            .bind(micros(at))
            .bind(body)
            .execute(&mut *observed)
            .await?;
        Ok(digest)
    }

    /// Keeps a reading of a source as it came. Written before the fact that names it.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_import(&self, target: ScopeId, at: Timestamp, read: &Imported) -> Result<Digest, StoreError> {
        self.keep_observed(target, at, read).await
    }

    /// A reading of a source by its digest.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn import(&self, digest: Digest) -> Result<Option<Imported>, StoreError> {
        self.observed(digest).await
    }

    /// A survey by its digest.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn survey(&self, digest: Digest) -> Result<Option<Survey>, StoreError> {
        self.observed(digest).await
    }

    async fn observed<T: DeserializeOwned>(&self, digest: Digest) -> Result<Option<T>, StoreError> {
        let body: Option<String> = sqlx::query_scalar("SELECT body FROM surveys WHERE digest = ?1")
            .bind(digest.0.as_slice())
            .fetch_optional(&self.observed.read)
            .await?;
        body.map(|body| serde_json::from_str(&body).map_err(|error| StoreError::Ledger(error.to_string()))).transpose()
    }
}

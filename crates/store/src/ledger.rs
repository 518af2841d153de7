//! Appending facts with the rows they touched, and reading them back.

use std::collections::BTreeMap;

use sqlx::{Connection, QueryBuilder, Row as _, Sqlite, sqlite::SqliteRow};
use tempestas_core::{
    Decision, Digest, Fact, Key, Row, digests_in,
    ledger::{BLOCK, FactLine, Hashes, SignedCheckpoint, Tree, leaf_hash},
};

use crate::{
    Private, StoreError,
    entries::{self, Line},
    number,
    open::{Store, digest_of},
    past, texts, unsigned,
};

/// Rows written by one statement: each statement costs as much as many rows do.
const TOGETHER: usize = 200;

/// Facts of several decisions, to be written in one durable commit.
#[derive(Default)]
pub struct Batch {
    facts: Vec<(u64, Vec<u8>, Digest)>,
    entries: Vec<Line>,
    blocks: Vec<(u64, Digest)>,
    rows: BTreeMap<Key, Option<Row>>,
    texts: Vec<tempestas_core::PrivateText>,
    private: Vec<Private>,
}

impl Batch {
    /// Adds a decision's facts at the end of the tree.
    ///
    /// # Errors
    /// When a fact can't be written as JSON.
    pub fn add(&mut self, decision: Decision, tree: &mut Tree) -> Result<(), serde_json::Error> {
        for fact in decision.facts {
            let bytes = fact.to_bytes()?;
            let leaf = leaf_hash(&bytes);
            self.entries.push(Line::of(tree.size(), &fact));
            self.facts.push((tree.size(), bytes, leaf));
            if let Some(root) = tree.push(leaf) {
                self.blocks.push((tree.size() / BLOCK - 1, root));
            }
            self.rows.extend(fact.cut.into_iter().map(|key| (key, None)));
            self.rows.extend(fact.put.into_iter().map(|row| (row.key(), Some(row))));
        }
        self.texts.extend(decision.texts);
        Ok(())
    }

    /// Adds what its last decision needs and no fact may carry.
    pub fn add_private(&mut self, private: Vec<Private>) {
        self.private.extend(private);
    }

    /// Whether there is nothing to write.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.facts.is_empty() && self.private.is_empty()
    }
}

/// A fact with its number.
#[derive(Debug, Clone)]
pub struct Entry {
    /// Its number, from 0.
    pub seq: u64,
    /// The fact.
    pub fact: Fact,
}

impl Entry {
    /// From a row of number and bytes.
    pub(crate) fn of(row: &SqliteRow) -> Result<Self, StoreError> {
        let body: Vec<u8> = row.try_get(1)?;
        Ok(Self { seq: unsigned(row.try_get(0)?), fact: Fact::from_bytes(&body).map_err(StoreError::Ledger)? })
    }
}

impl Store {
    /// Writes a batch and the checkpoint that covers it in one durable commit. Either all of it is there
    /// afterwards, or nothing: a fact without its rows would be a World that the ledger doesn't explain.
    ///
    /// # Errors
    /// When it can't be made durable, or something else wrote to the database; the process must then end.
    pub async fn append(&self, batch: &Batch, checkpoint: &SignedCheckpoint) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        self.ensure_alone(&mut write).await?;
        let mut tx = write.begin().await?;
        for some in batch.facts.chunks(TOGETHER) {
            let mut insert = QueryBuilder::<Sqlite>::new("INSERT INTO facts (seq, body, leaf) ");
            insert.push_values(some, |mut row, (seq, body, leaf)| {
                row.push_bind(number(*seq)).push_bind(body.as_slice()).push_bind(leaf.0.as_slice());
            });
            insert.build().execute(&mut *tx).await?;
        }
        entries::enter(&mut tx, &batch.entries).await?;
        for (block, root) in &batch.blocks {
            sqlx::query("INSERT INTO blocks (number, root) VALUES (?1, ?2)")
                .bind(number(*block))
                .bind(root.0.as_slice())
                .execute(&mut *tx)
                .await?;
        }
        let put = batch.rows.iter().filter_map(|(key, row)| Some((key, row.as_ref()?)));
        let (over, put): (Vec<_>, Vec<_>) = put.partition(|(_, row)| past::is_past(row));
        let put: Vec<_> = put.into_iter().map(|(key, row)| (key, row_body(row))).collect();
        let named = put.iter().flat_map(|(_, body)| digests_in(body)).collect();
        for some in put.chunks(TOGETHER) {
            let mut insert = QueryBuilder::<Sqlite>::new("INSERT OR REPLACE INTO rows (kind, id, body) ");
            insert.push_values(some, |mut values, (key, body)| {
                values.push_bind(key.kind.word()).push_bind(key.id.as_str()).push_bind(body);
            });
            insert.build().execute(&mut *tx).await?;
        }
        if !over.is_empty() {
            past::enter(&mut tx, &over.into_iter().map(|(_, row)| row).collect::<Vec<_>>()).await?;
        }
        for (key, _) in batch.rows.iter().filter(|(_, row)| row.is_none()) {
            sqlx::query("DELETE FROM rows WHERE kind = ?1 AND id = ?2")
                .bind(key.kind.word())
                .bind(&key.id)
                .execute(&mut *tx)
                .await?;
        }
        texts::enter(&mut tx, &batch.texts, &named).await?;
        for private in &batch.private {
            private.write(&mut tx).await?;
        }
        let size = number(checkpoint.checkpoint.size);
        sqlx::query("INSERT OR REPLACE INTO checkpoints (size, root, note) VALUES (?1, ?2, ?3)")
            .bind(size)
            .bind(checkpoint.checkpoint.root.0.as_slice())
            .bind(&checkpoint.note)
            .execute(&mut *tx)
            .await?;
        // The last one of each block stays, so that their number grows 256 times slower than the facts'.
        sqlx::query("DELETE FROM checkpoints WHERE size < ?1 AND size / 256 = ?1 / 256")
            .bind(size)
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(())
    }

    /// Up to `most` facts before `before`, newest first; from the newest where that is none.
    ///
    /// # Errors
    /// When the database fails or a fact can't be read.
    pub async fn facts_before(&self, before: Option<u64>, most: u32) -> Result<Vec<Entry>, StoreError> {
        let rows = sqlx::query("SELECT seq, body FROM facts WHERE seq < ?1 ORDER BY seq DESC LIMIT ?2")
            .bind(before.map_or(i64::MAX, number))
            .bind(most)
            .fetch_all(&self.read)
            .await?;
        rows.iter().map(Entry::of).collect()
    }

    /// Up to `most` facts from `from` on, with their exact bytes.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn fact_lines(&self, from: u64, most: u32) -> Result<Vec<FactLine>, StoreError> {
        let rows = sqlx::query("SELECT seq, body, leaf FROM facts WHERE seq >= ?1 ORDER BY seq LIMIT ?2")
            .bind(number(from))
            .bind(most)
            .fetch_all(&self.read)
            .await?;
        rows.into_iter()
            .map(|row| {
                let fact = String::from_utf8(row.try_get(1)?)
                    .map_err(|_| StoreError::Ledger("a fact is not UTF-8".to_owned()))?;
                Ok(FactLine { n: unsigned(row.try_get(0)?), leaf: digest_of(row.try_get(2)?)?, fact })
            })
            .collect()
    }

    /// The last checkpoint's note.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn last_checkpoint(&self) -> Result<Option<String>, StoreError> {
        Ok(sqlx::query_scalar("SELECT note FROM checkpoints ORDER BY size DESC LIMIT 1")
            .fetch_optional(&self.read)
            .await?)
    }

    /// The hashes that a consistency proof between two sizes needs.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn hashes(&self, old: u64, new: u64) -> Result<Hashes, StoreError> {
        let mut hashes = Hashes::default();
        for root in
            sqlx::query_scalar::<_, Vec<u8>>("SELECT root FROM blocks ORDER BY number").fetch_all(&self.read).await?
        {
            hashes.blocks.push(digest_of(root)?);
        }
        for block in [old / BLOCK, new / BLOCK] {
            hashes.leaves.insert(block, self.leaves(block * BLOCK, (block + 1) * BLOCK).await?);
        }
        Ok(hashes)
    }

    /// Leaf hashes of the facts from `from` on, before `to`.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn leaves(&self, from: u64, to: u64) -> Result<Vec<Digest>, StoreError> {
        sqlx::query_scalar::<_, Vec<u8>>("SELECT leaf FROM facts WHERE seq >= ?1 AND seq < ?2 ORDER BY seq")
            .bind(number(from))
            .bind(number(to))
            .fetch_all(&self.read)
            .await?
            .into_iter()
            .map(digest_of)
            .collect()
    }
}

/// A row's body as the store keeps it; one form only, so that it can be compared.
pub(crate) fn row_body(row: &Row) -> String {
    serde_json::to_string(row).unwrap_or_default()
}

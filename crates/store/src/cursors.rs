//! How far followers of the ledger have come. Beside what was observed, so that it is in a backup, and no commit waits for it.

use sqlx::{QueryBuilder, Row as _, Sqlite, SqliteConnection};

use crate::{StoreError, ledger::Entry, number, open::Store, unsigned};

/// Where a follower goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cursor {
    /// Number of the first fact that it has not dealt with.
    pub next: u64,
    /// The epoch in which that was said: a later one began with fewer facts.
    pub epoch: u32,
}

pub(crate) async fn prepare(observed: &mut SqliteConnection) -> Result<(), sqlx::Error> {
    sqlx::query(
        "CREATE TABLE IF NOT EXISTS cursors (name TEXT PRIMARY KEY, next INTEGER NOT NULL, epoch INTEGER NOT NULL) STRICT, WITHOUT ROWID",
    )
    .execute(observed)
    .await?;
    Ok(())
}

impl Store {
    /// Where the follower of a name goes on, if there was one.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn cursor(&self, name: &str) -> Result<Option<Cursor>, StoreError> {
        let row = sqlx::query("SELECT next, epoch FROM cursors WHERE name = ?1")
            .bind(name)
            .fetch_optional(&self.observed.read)
            .await?;
        let cursor = |row: sqlx::sqlite::SqliteRow| -> Result<Cursor, sqlx::Error> {
            Ok(Cursor { next: unsigned(row.try_get(0)?), epoch: row.try_get(1)? })
        };
        Ok(row.map(cursor).transpose()?)
    }

    /// Keeps where the follower of a name goes on, durably.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_cursor(&self, name: &str, cursor: Cursor) -> Result<(), StoreError> {
        let mut observed = self.observed.write.lock().await;
        sqlx::query("INSERT OR REPLACE INTO cursors (name, next, epoch) VALUES (?1, ?2, ?3)")
            .bind(name)
            .bind(number(cursor.next))
            .bind(cursor.epoch)
            .execute(&mut *observed)
            .await?;
        Ok(())
    }

    /// Number of the fact that began the present epoch; 0 where none was begun by a restore.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn epoch_began(&self) -> Result<u64, StoreError> {
        let seq: Option<i64> =
            sqlx::query_scalar("SELECT MAX(seq) FROM entries WHERE kind = 'epoch-begun'").fetch_one(&self.read).await?;
        Ok(seq.map_or(0, unsigned))
    }

    /// Up to `most` facts of some kinds from one number up to another, in their order.
    ///
    /// # Errors
    /// When the database fails or a fact can't be read.
    pub async fn facts_of_kinds(
        &self,
        kinds: &[&str],
        numbers: std::ops::Range<u64>,
        most: u32,
    ) -> Result<Vec<Entry>, StoreError> {
        let mut find = QueryBuilder::<Sqlite>::new(
            "SELECT f.seq, f.body FROM entries e JOIN facts f ON f.seq = e.seq WHERE e.seq >= ",
        );
        find.push_bind(number(numbers.start)).push(" AND e.seq < ").push_bind(number(numbers.end));
        let mut kinds_bound = find.push(" AND e.kind IN (").separated(", ");
        for kind in kinds {
            kinds_bound.push_bind(*kind);
        }
        find.push(") ORDER BY e.seq LIMIT ").push_bind(most);
        let rows = find.build().fetch_all(&self.read).await?;
        rows.iter().map(Entry::of).collect()
    }
}

//! What can go wrong with the store.

use std::{error::Error, path::PathBuf};

use thiserror::Error;

/// Why the store can't go on.
#[derive(Debug, Error)]
pub enum StoreError {
    /// SQLite failed.
    #[error("the database failed")]
    Sqlite(#[from] sqlx::Error),
    /// A migration failed.
    #[error("the database could not be brought up to date; the backup made before is beside it")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    /// A file failed.
    #[error("`{}` can't be used", path.display())]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// Another instance runs.
    #[error("another tempestasd works in `{}`; one directory serves one instance", .0.display())]
    Locked(PathBuf),
    /// A newer program wrote the database.
    #[error(
        "the database was written by a newer tempestasd (schema {found}, this program knows {known}); use that one"
    )]
    Newer {
        /// Version in the database.
        found: i64,
        /// Newest version known here.
        known: i64,
    },
    /// Somebody else wrote to the database while we had it open.
    #[error("something else wrote to the database; stopping before anything is lost, run `tempestasd rebuild --check`")]
    ForeignWriter,
    /// The ledger can't be right.
    #[error("the ledger is not as its last checkpoint says: {0}; run `tempestasd rebuild --check`")]
    Ledger(String),
    /// A row can't be read.
    #[error("the {kind} `{id}` in the database can't be read: {why}; run `tempestasd rebuild --check`")]
    Row {
        /// Kind of the row.
        kind: String,
        /// Its id.
        id: String,
        /// Why.
        why: String,
    },
}

/// SQLite's own code for a disk, or a quota, that leaves no room.
const FULL: &str = "13";

/// Whether what failed, or what made it fail, is that the disk is full.
#[must_use]
pub fn is_disk_full(error: &(dyn Error + 'static)) -> bool {
    let causes = std::iter::successors(Some(error), |error| (*error).source());
    causes.filter_map(|cause| cause.downcast_ref::<sqlx::Error>()).any(|cause| {
        let code = cause.as_database_error().and_then(|database| database.code());
        code.is_some_and(|code| code == FULL)
    })
}

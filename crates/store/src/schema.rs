//! The steps by which the store's files came to be as they are. A step that any edition took is never edited.

use sqlx::{
    SqlStr,
    migrate::{Migration, MigrationType, Migrator},
};

macro_rules! steps {
    ($directory:literal: $($number:literal $name:literal),+) => {
        [$((
            $number,
            $name,
            include_str!(concat!("../", $directory, "/000", $number, "_", $name, ".sql")),
        )),+]
    };
}

/// The ledger's file.
pub(crate) fn ledger() -> Migrator {
    migrator(
        steps!("migrations": 1 "first", 2 "browsers", 3 "entries", 4 "drafts", 5 "past", 6 "scopes", 7 "demands", 8 "past_texts",
            9 "days"),
    )
}

/// The file of what passes.
pub(crate) fn passing() -> Migrator {
    migrator(steps!("passing": 1 "first", 2 "proofs"))
}

fn migrator<const MANY: usize>(steps: [(i64, &'static str, &'static str); MANY]) -> Migrator {
    let step = |(number, name, sql): (i64, &'static str, &'static str)| {
        Migration::new(number, name.into(), MigrationType::Simple, SqlStr::from_static(sql), false)
    };
    Migrator::with_migrations(steps.into_iter().map(step).collect())
}

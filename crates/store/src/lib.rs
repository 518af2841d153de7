//! SQLite: facts with the rows they touched, private texts, sealed secrets, and what passes.
//!
//! One connection writes; nobody else writes SQL. Surveys are kept as they came in a second file, written
//! first and named in facts by digest. Every table belongs to one of four classes: `docs/architecture.md`.

mod activity;
mod check;
mod cursors;
mod devices;
mod drafts;
mod entries;
mod error;
mod idempotency;
mod ledger;
mod observed;
mod open;
mod passing;
mod passkeys;
mod past;
mod private;
mod schema;
mod sealed;
mod sign_ins;
mod texts;
mod throttles;
mod upcast;

pub use activity::{Recorded, Told};
pub use check::{Difference, Report, check};
pub use cursors::Cursor;
pub use devices::DeviceAsk;
pub use drafts::Draft;
pub use entries::{SeenFacts, Wanted};
pub use error::{StoreError, is_disk_full};
pub use idempotency::Claim;
pub use ledger::{Batch, Entry};
pub use open::{Loaded, Store, lock};
pub use passkeys::Passkey;
pub use past::{Days, Past, Seen};
pub use private::Private;
pub use sealed::Sealed;
pub use sign_ins::{Proven, SignIn, SignInKind};
pub use throttles::Slowing;

use jiff::Timestamp;

/// A time as rows hold it.
fn micros(at: Timestamp) -> i64 {
    at.as_microsecond()
}

/// A time from a row; the earliest one where the number is out of range.
fn time(micros: i64) -> Timestamp {
    Timestamp::from_microsecond(micros).unwrap_or(Timestamp::MIN)
}

/// A count or number as SQLite holds it.
fn number(value: u64) -> i64 {
    i64::try_from(value).unwrap_or(i64::MAX)
}

/// A number from SQLite that is never negative.
fn unsigned(value: i64) -> u64 {
    u64::try_from(value).unwrap_or(0)
}

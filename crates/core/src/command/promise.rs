//! What is done about promises.

use crate::Promise;

/// A command about a promise, by name.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum PromiseCommand {
    /// Sets one: a new one, or in the place of the one of that name.
    #[strum(serialize = "set-promise")]
    Set {
        /// It.
        promise: Promise,
    },
    /// Ends one.
    #[strum(serialize = "end-promise")]
    End {
        /// Its name.
        name: String,
    },
}

//! What is done about assurances.

use crate::Assurance;

/// A command about how sure one must be of people, by name.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum AssuranceCommand {
    /// Sets one: a new one, or in the place of the one of that name.
    #[strum(serialize = "set-assurance")]
    Set {
        /// It.
        assurance: Assurance,
    },
    /// Ends one that no rule wants.
    #[strum(serialize = "end-assurance")]
    End {
        /// Its name.
        name: String,
    },
}

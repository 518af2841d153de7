//! What is done about circumstances.

use crate::Circumstance;

/// A command about what other systems are asked, by name.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum CircumstanceCommand {
    /// Sets one: a new one, or in the place of the one of that name.
    #[strum(serialize = "set-circumstance")]
    Set {
        /// It.
        circumstance: Circumstance,
    },
    /// Ends one that no rule wants.
    #[strum(serialize = "end-circumstance")]
    End {
        /// Its name.
        name: String,
    },
}

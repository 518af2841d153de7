//! What is done about separations of duties.

use jiff::Timestamp;

use crate::{Said, Separation, SubjectId};

/// A command about rights that nobody has together, by name.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum SeparationCommand {
    /// Sets one: a new one, or in the place of the one of that name.
    #[strum(serialize = "set-separation")]
    Set {
        /// It.
        separation: Separation,
    },
    /// Ends one.
    #[strum(serialize = "end-separation")]
    End {
        /// Its name.
        name: String,
    },
    /// Puts up with what breaks one already, until a time; or no longer.
    #[strum(serialize = "tolerate-breach")]
    Tolerate {
        /// Its name.
        name: String,
        /// Whose breach; none where it is no one person's.
        who: Option<SubjectId>,
        /// Until when; none to end it.
        until: Option<Timestamp>,
        /// Why.
        reason: Said,
    },
}

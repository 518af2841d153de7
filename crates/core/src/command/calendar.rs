//! What is done about calendars.

use crate::Calendar;

/// A command about times in which nothing is held, by name.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum CalendarCommand {
    /// Sets one: a new one, or in the place of the one of that name.
    #[strum(serialize = "set-calendar")]
    Set {
        /// It.
        calendar: Calendar,
    },
    /// Ends one that no rule goes by.
    #[strum(serialize = "end-calendar")]
    End {
        /// Its name.
        name: String,
    },
}

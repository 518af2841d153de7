//! What is done about terms as files say them.

use crate::{Filed, FilingId};

/// A command about what files say.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum FilingCommand {
    /// Puts what files say in place, whole.
    #[strum(serialize = "put-files")]
    Put {
        /// What they say.
        filed: Filed,
    },
    /// Undoes what was put, whole.
    #[strum(serialize = "undo-filing")]
    Undo {
        /// Which.
        filing: FilingId,
    },
}

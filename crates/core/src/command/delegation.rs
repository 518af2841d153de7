//! What is done about answers that are delegated for an absence.

use jiff::Timestamp;

use crate::{DelegationId, Said, SubjectId};

/// A command about who answers in somebody's place.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum DelegationCommand {
    /// Has somebody answer in another's place for a while.
    #[strum(serialize = "delegate")]
    Give {
        /// Who is away.
        absent: SubjectId,
        /// Who answers.
        delegate: SubjectId,
        /// From when; at once where none.
        from: Option<Timestamp>,
        /// Until when.
        until: Timestamp,
        /// Why.
        reason: Option<Said>,
    },
    /// Ends that before its time.
    #[strum(serialize = "end-delegation")]
    End {
        /// Which.
        delegation: DelegationId,
    },
}

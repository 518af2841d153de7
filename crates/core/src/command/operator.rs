//! What is done on the machine that the service runs on.

use crate::{Digest, Said, SubjectId};

/// A command of whoever has a shell there.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum OperatorCommand {
    /// The first fact: the root of the estate and the first administrator.
    Found {
        /// What tells this installation from others.
        installation: String,
        /// The name that the first administrator signs in with.
        administrator: Said,
    },
    /// After a restore: a new epoch, in which references skip ahead and every target is searched.
    BeginEpoch {
        /// How many facts were restored.
        restored_size: u64,
        /// The root of their tree.
        restored_root: Digest,
    },
    /// Makes somebody administrator of everything again.
    Recover {
        /// Whom.
        subject: SubjectId,
    },
}

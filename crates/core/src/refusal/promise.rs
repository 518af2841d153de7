//! Why a promise is not set, and what one keeps from being changed.

use thiserror::Error;

use super::Class;

/// Why a promise is not set or ended, or what one keeps from being changed.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum PromiseRefusal {
    #[error(
        "that would break the promise `{promise}` ({says}): {example}; change less, or have an administrator of the house change the promise first"
    )]
    WouldBreak { promise: String, says: String, example: String },
    #[error("there is no role yet as in `{of}`; look at what is written, or have the system surveyed first")]
    NoSuchRole { of: String },
    #[error("that promises nothing: say of one at least, and of some time")]
    PromisesNothing,
    #[error("`{assurance}` only watches, and refuses nobody anything: it is made to hold first")]
    OnlyWatches { assurance: String },
    #[error("there are {most} promises already; end one that is not needed any more")]
    PromisesFull { most: usize },
}

impl PromiseRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::WouldBreak { .. } => Class::Conflict,
            Self::PromisesFull { .. } => Class::Limit,
            Self::NoSuchRole { .. } | Self::PromisesNothing | Self::OnlyWatches { .. } => Class::Invalid,
        }
    }
}

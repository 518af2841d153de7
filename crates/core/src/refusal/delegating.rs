//! Why answers are not delegated.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{
    DelegationId,
    time::{Seconds, moment},
};

/// Why somebody's answers are not delegated. Names stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum DelegationRefusal {
    #[error(
        "answers are delegated by whoever will be away, or by an administrator of everything who proved themselves"
    )]
    NotYoursToDelegate,
    #[error("{name} is suspended, or no person; choose another")]
    ToNobody { name: String },
    #[error("nobody answers in their own place; name somebody else")]
    ToSelf,
    #[error("the absence would end before it begins, or is over already; give a later end: `--until`")]
    EmptyAbsence,
    #[error("answers are delegated for {most} at most; give an earlier end: `--until`")]
    TooLongAway { most: Seconds },
    #[error("{delegate} answers until {} already ({other}); end that first: `tempestas delegate end {other}`", moment(*until))]
    AwayAlready { other: DelegationId, delegate: String, until: Timestamp },
    #[error("{most} absences are ahead already; end one first: `tempestas delegate end`")]
    TooManyAhead { most: usize },
}

impl DelegationRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::NotYoursToDelegate => Class::NotAllowed,
            Self::ToNobody { .. } | Self::ToSelf | Self::EmptyAbsence | Self::TooLongAway { .. } => Class::Invalid,
            Self::AwayAlready { .. } => Class::Conflict,
            Self::TooManyAhead { .. } => Class::Limit,
        }
    }
}

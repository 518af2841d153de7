//! Why somebody may not go on with an elevation, or end it.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{ElevationId, Phase, time::moment};

/// Why an elevation is not begun, taken back, given back, revoked or shown.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum HoldRefusal {
    #[error("only its asker withdraws an ask; an approver can answer no")]
    NotAsker,
    #[error("only its holder begins an elevation")]
    NotHolder,
    #[error("only its holder gives an elevation back; an approver or administrator can revoke it")]
    NotYoursToGiveBack,
    #[error("only its holder may fetch the login of an elevation")]
    NotYourLogin,
    #[error("only an approver of {id} or an administrator of its scope may revoke it")]
    NotYoursToRevoke { id: ElevationId },
    #[error(
        "{id} is {phase} and can't be withdrawn any more{}",
        if matches!(phase, Phase::Ended(_)) { "" } else { "; `tempestas give-back` ends it" }
    )]
    PastWithdrawing { id: ElevationId, phase: Phase },
    #[error("{id} is {phase}, not ready to begin")]
    NotReady { id: ElevationId, phase: Phase },
    #[error(
        "{id} is ready, but its terms don't let it be held at present; {}",
        opens.map_or_else(|| "they don't come round in a month".to_owned(), |at| format!("they begin at {}", moment(at)))
    )]
    OutsideHours { id: ElevationId, opens: Option<Timestamp> },
    #[error("{id} is {phase}; a login is to be had while it is live")]
    NotLive { id: ElevationId, phase: Phase },
    #[error("{id} is {phase} already")]
    EndedAlready { id: ElevationId, phase: Phase },
    #[error("a word is needed, which the holder will read: `--reason`")]
    NoWord,
}

impl HoldRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::NotAsker
            | Self::NotHolder
            | Self::NotYoursToGiveBack
            | Self::NotYourLogin
            | Self::NotYoursToRevoke { .. } => Class::NotAllowed,
            Self::PastWithdrawing { .. }
            | Self::NotReady { .. }
            | Self::OutsideHours { .. }
            | Self::NotLive { .. }
            | Self::EndedAlready { .. } => Class::Conflict,
            Self::NoWord => Class::Invalid,
        }
    }
}

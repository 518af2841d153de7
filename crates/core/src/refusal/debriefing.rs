//! Why a debrief is not signed off.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{ElevationId, time::moment};

/// Why what was done under an elevation is not signed off, or not by this person.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum DebriefRefusal {
    #[error("nobody has to look at what was done under {id}: its terms want no debrief, or it isn't over yet")]
    NothingToDebrief { id: ElevationId },
    #[error("{id} was yours: somebody else looks at what you did")]
    OwnDebrief { id: ElevationId },
    #[error("{id} was signed off at {} already", moment(*at))]
    DebriefedAlready { id: ElevationId, at: Timestamp },
    #[error("you were not asked to look at {id}; `tempestas debriefs` lists what waits for you")]
    NotYourDebrief { id: ElevationId },
    #[error(
        "you may not sign {id} off (any more): the terms don't name you for it now, or its holder had a part in your standing within a day"
    )]
    NoLongerYourDebrief { id: ElevationId },
    #[error("say what was not in order with {id}: `--reason`")]
    NotInOrderWithoutWord { id: ElevationId },
}

impl DebriefRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OwnDebrief { .. } | Self::NotYourDebrief { .. } | Self::NoLongerYourDebrief { .. } => {
                Class::NotAllowed
            }
            Self::NothingToDebrief { .. } | Self::DebriefedAlready { .. } => Class::Conflict,
            Self::NotInOrderWithoutWord { .. } => Class::Invalid,
        }
    }
}

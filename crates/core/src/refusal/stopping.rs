//! Why a stop is not ordered, or not lifted.

use thiserror::Error;

use super::Class;
use crate::{StopId, time::Seconds};

/// Why a stop is not ordered, or not lifted. Names of people and places stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum StopRefusal {
    #[error("only an administrator of {scope} may stop {reach}; `tempestas me` shows your duties")]
    NotYoursToStop { scope: String, reach: String },
    #[error("{name} is not a person")]
    NoPerson { name: String },
    #[error("a stop needs a word, which those it reaches will read: `--reason`")]
    StopWithoutWord,
    #[error("{reach} is stopped already, by {stop}")]
    StoppedAlready { reach: String, stop: StopId },
    #[error("nobody lifts the stop that holds themselves; two other administrators can")]
    OwnStop,
    #[error(
        "{who} had a hand in your duties or sign-in within a day, itself or through others, so you don't lift the stop that holds them"
    )]
    OwesThem { who: String },
    #[error("lifting {stop} takes two, and you were the first; another administrator must say so too, within {within}")]
    OneVoice { stop: StopId, within: Seconds },
    #[error(
        "{first} and you are not two voices: within a day one of you had a hand in the other's duties or sign-in, itself or through others"
    )]
    NotTwoVoices { first: String },
}

impl StopRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::NotYoursToStop { .. } | Self::OwnStop | Self::OwesThem { .. } | Self::NotTwoVoices { .. } => {
                Class::NotAllowed
            }
            Self::NoPerson { .. } | Self::StopWithoutWord => Class::Invalid,
            Self::StoppedAlready { .. } | Self::OneVoice { .. } => Class::Conflict,
        }
    }
}

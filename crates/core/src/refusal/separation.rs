//! Why a separation is not set, and what one keeps from somebody.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{
    separation::people,
    time::{Seconds, moment},
};

/// Why a separation is not set, ended or put up with, or what one keeps from somebody.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum SeparationRefusal {
    #[error(
        "`{separation}` keeps {right} from {who}, who {other}; that one goes first, or an administrator of the house tolerates it until a date, once it is so (`tempestas separations tolerate`)"
    )]
    KeptApart { separation: String, who: String, right: String, other: String },
    #[error(
        "`{separation}` lets nobody have more than {most} of {of}, and with {right} it would be {together} of {who}'s; another goes first"
    )]
    TooMuch { separation: String, who: String, right: String, of: String, most: u16, together: usize },
    #[error(
        "`{separation}` lets {} at most have one like {right}, and as many do; somebody else's goes first",
        people(usize::from(*most))
    )]
    TooManyHolders { separation: String, right: String, most: u16 },
    #[error(
        "`{separation}` lets {} at most hold one like {right} at one time, and as many hold theirs all the time; turn to an administrator there",
        people(usize::from(*most))
    )]
    NoRoom { separation: String, right: String, most: u16 },
    #[error(
        "`{separation}` would be broken once {who} held {right} all the time again; what else they have of it goes first"
    )]
    NotBack { separation: String, who: String, right: String },
    #[error("there is no right yet of `{of}`; look at what is written, or have the system surveyed first")]
    NoSuchRight { of: String },
    #[error("nobody at all would have any: where that is meant, end who may ask for it instead")]
    NobodyAtAll,
    #[error("say how many people at least or at most; of any number there is nothing to see to")]
    AnyNumber,
    #[error("{} at least are more than {most} at most", people(usize::from(*least)))]
    LeastOverMost { least: u16, most: u16 },
    #[error("how many people hold something at one time can be bounded above alone; count those who may ask for it")]
    LeastOfHeld,
    #[error("there are {most} separations already; end one that is not needed any more")]
    SeparationsFull { most: usize },
    #[error("{who} breaks nothing of `{separation}` at present; `tempestas separations` lists what does")]
    NothingToTolerate { separation: String, who: String },
    #[error("nobody says of themselves that it is tolerated; another administrator does, or doesn't")]
    OwnBreach,
    #[error("say why it is tolerated: `--reason`")]
    TolerateWithoutWord,
    #[error("{} is not a time until which it can be tolerated; name one within {within}", moment(*until))]
    TolerateUntil { until: Timestamp, within: Seconds },
}

impl SeparationRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::KeptApart { .. }
            | Self::TooMuch { .. }
            | Self::TooManyHolders { .. }
            | Self::NoRoom { .. }
            | Self::NotBack { .. } => Class::Conflict,
            Self::OwnBreach => Class::NotAllowed,
            Self::NothingToTolerate { .. } => Class::Conflict,
            Self::SeparationsFull { .. } => Class::Limit,
            Self::NoSuchRight { .. }
            | Self::NobodyAtAll
            | Self::AnyNumber
            | Self::LeastOverMost { .. }
            | Self::LeastOfHeld
            | Self::TolerateWithoutWord
            | Self::TolerateUntil { .. } => Class::Invalid,
        }
    }
}

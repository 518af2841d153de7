//! Why somebody may not go on with what they hold.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{
    ElevationId, Phase,
    time::{Seconds, moment},
};

/// Why an elevation is not extended, or its grace not to be had.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum ExtendRefusal {
    #[error("only its holder goes on with an elevation")]
    NotHolderToExtend,
    #[error("{id} is {phase}; only what is live and not at its end can go on: ask anew")]
    NotLive { id: ElevationId, phase: Phase },
    #[error("its system can't move the end of {right} while it is in force; ask anew before it ends")]
    EndIsFixed { right: String },
    #[error("no end moves until an administrator has looked at this machine's clock")]
    ClockHeld,
    #[error("{id} is to go on until {} already; wait until that is settled", moment(*until))]
    UnderWay { id: ElevationId, until: Timestamp },
    #[error(
        "{}; ask anew before it ends",
        if *times == 0 { format!("the terms let nobody extend {id}") }
        else { format!("{id} was extended {times} times, as often as the terms allow") }
    )]
    TimesUsed { id: ElevationId, times: u16 },
    #[error(
        "{id} can't go on beyond {}: the terms or your eligibility allow no later end; ask anew before it ends",
        moment(*latest)
    )]
    NoRoom { id: ElevationId, latest: Timestamp },
    #[error("you asked {most} times to go on with {id}, which is the most; ask anew before it ends")]
    AskedTooOften { id: ElevationId, most: usize },
    #[error("an extension by nothing; ask for at least a second")]
    ByNothing,
    #[error("{more} is too much: the terms let {id} go on for {longest} at a time")]
    TooMuch { id: ElevationId, more: Seconds, longest: Seconds },
    #[error("{id} can go on for {left} more at most, until {}: that is the longest the terms or your eligibility allow", moment(*latest))]
    TooLate { id: ElevationId, latest: Timestamp, left: Seconds },
    #[error("the terms give no grace for {right}; `tempestas extend` asks to go on")]
    NoGrace { right: String },
    #[error("the grace of {id} was taken already; `tempestas extend` asks to go on")]
    GraceTaken { id: ElevationId },
}

impl ExtendRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::NotHolderToExtend => Class::NotAllowed,
            Self::NotLive { .. }
            | Self::EndIsFixed { .. }
            | Self::ClockHeld
            | Self::UnderWay { .. }
            | Self::TimesUsed { .. }
            | Self::NoRoom { .. }
            | Self::NoGrace { .. }
            | Self::GraceTaken { .. } => Class::Conflict,
            Self::AskedTooOften { .. } => Class::Limit,
            Self::ByNothing | Self::TooMuch { .. } | Self::TooLate { .. } => Class::Invalid,
        }
    }
}

//! Why an answer is refused.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{
    ElevationId, Phase,
    time::{Seconds, moment},
};

/// Why somebody may not answer an ask, or not so.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum AnswerRefusal {
    #[error("nobody answers their own ask")]
    OwnAsk,
    #[error("you are not among those who may answer {id}; they were named when it was asked")]
    NotNamed { id: ElevationId },
    #[error(
        "you may not answer {id}: you are no longer named for it, or its asker made you an approver or set your sign-in within the last day"
    )]
    NoLongerNamed { id: ElevationId },
    #[error("{id} doesn't wait for an answer any more: it is {phase}")]
    NotWaiting { id: ElevationId, phase: Phase },
    #[error("this is not what you were shown any more: {id} is not the ask you looked at; look again and decide anew")]
    AskChanged { id: ElevationId },
    #[error("{id} needs no answer")]
    NothingAsked { id: ElevationId },
    #[error("{id} ran out at {}", moment(*at))]
    RanOut { id: ElevationId, at: Timestamp },
    #[error("you have answered {id} already")]
    AnsweredAlready { id: ElevationId },
    #[error("you answered {id} in stage {stage}; each stage wants somebody else's answer")]
    AnsweredInStage { id: ElevationId, stage: usize },
    #[error(
        "with your yes in this stage of {id} too few would be left for those that follow; leave it to the others who may answer now"
    )]
    NeededLater { id: ElevationId },
    #[error(
        "the start of {id} was agreed to in the stage before; say yes to it as it is, or no with the time that would do"
    )]
    StartAgreed { id: ElevationId },
    #[error("a no needs a reason, which the asker will read")]
    NoWithoutReason,
    #[error("a no leaves nothing; say yes to less, or no")]
    NoToLess,
    #[error("{duration} is not less than the {asked} that {id} asks for; a yes can only be to less")]
    NotShorter { id: ElevationId, duration: Seconds, asked: Seconds },
    #[error("what would go on with {id} can only be made shorter; its place and its start stand")]
    OnlyShorter { id: ElevationId },
    #[error("{scope} does not lie below {asked}; a yes can only be to less")]
    NotNarrower { scope: String, asked: String },
}

impl AnswerRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OwnAsk | Self::NotNamed { .. } | Self::NoLongerNamed { .. } => Class::NotAllowed,
            Self::AskChanged { .. } => Class::Changed,
            Self::NotWaiting { .. }
            | Self::NothingAsked { .. }
            | Self::RanOut { .. }
            | Self::AnsweredAlready { .. }
            | Self::AnsweredInStage { .. }
            | Self::NeededLater { .. } => Class::Conflict,
            Self::NoWithoutReason
            | Self::NoToLess
            | Self::NotShorter { .. }
            | Self::OnlyShorter { .. }
            | Self::StartAgreed { .. }
            | Self::NotNarrower { .. } => Class::Invalid,
        }
    }
}

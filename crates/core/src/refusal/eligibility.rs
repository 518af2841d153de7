//! Why nobody is made eligible, or stands in for another.

use jiff::Timestamp;
use thiserror::Error;

use super::{Class, in_stage};
use crate::{
    AppointmentId, EligibilityId,
    time::{Seconds, moment},
};

/// Why an eligibility is not given, changed or covered. Names of people and rights stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum EligibilityRefusal {
    #[error("{id} is suspended already")]
    PausedAlready { id: EligibilityId },
    #[error("{id} is not suspended")]
    NotPaused { id: EligibilityId },
    #[error("a reason is needed, which whoever resumes it will read: `--reason`")]
    PauseWithoutReason,
    #[error(
        "nobody resumes an eligibility of their own, nor of somebody whose standing they had a hand in within a day; another administrator can"
    )]
    OwnResumption,
    #[error("{right} may be asked for already; `tempestas eligible` lists it, and until when")]
    EligibleAlready { right: String },
    #[error("{id} has no end, so there is nothing to renew")]
    NothingToRenew { id: EligibilityId },
    #[error("{id} ended at {}; ask an administrator to make you eligible anew", moment(*at))]
    PastRenewing { id: EligibilityId, at: Timestamp },
    #[error("that is the window it has already; give another start or end")]
    SameWindow,
    #[error("the eligibility would end before it begins, or is over already; give a later end")]
    EmptyWindow,
    #[error("the terms let nobody be eligible for {right} for longer than {longest}; give an end by then: `--until`")]
    LastsTooLong { right: String, longest: Seconds },
    #[error("{name} is not a person; only people stand in")]
    CoverByNobody { name: String },
    #[error("nobody stands in for themselves")]
    CoverOfSelf,
    #[error("{name} is suspended; choose another")]
    CoverSuspended { name: String },
    #[error("cover is arranged by whoever will be absent, or by an administrator of all that they may ask for")]
    NotYoursToCover,
    #[error("there is nothing to cover: {absent} may ask for nothing then that {stand_in} may not ask for already")]
    NothingToCover { absent: String, stand_in: String },
    #[error("{other} waits for an answer to that already; take it back first")]
    WishedAlready { other: AppointmentId },
    #[error("{most} wishes of yours wait already; take one back first")]
    TooManyWishes { most: usize },
    #[error("a reason of at least {at_least} letters is required to make somebody eligible for that: `--reason`")]
    WishWithoutReason { at_least: u16 },
    #[error(
        "{yes} yes are needed for that{}, and only {free} of those who may say it are free to (whoever wishes it, whoever would be made eligible, and whoever they made an approver within a day don't count)",
        in_stage(*stage)
    )]
    TooFewToAppoint { stage: usize, yes: u16, free: usize },
    #[error(
        "{humans} different people are needed for the stages of that, since nobody answers in two of them, and those who are free to are too few for that; ask an administrator to name more approvers"
    )]
    TooFewTogetherToAppoint { humans: usize },
    #[error("{id} doesn't wait for an answer any more: it is {state}")]
    WishNotWaiting { id: AppointmentId, state: &'static str },
    #[error("this is not what you were shown any more: {id} is not what you looked at; look again and decide anew")]
    WishChanged { id: AppointmentId },
    #[error("you may not answer {id}: only whoever was named when it was wished may, and nobody who profits by it")]
    NotYourWish { id: AppointmentId },
    #[error("{id} ran out at {}", moment(*at))]
    WishRanOut { id: AppointmentId, at: Timestamp },
    #[error("you have answered {id} already")]
    WishAnswered { id: AppointmentId },
    #[error("you answered {id} in stage {stage}; each stage wants somebody else's answer")]
    WishAnsweredInStage { id: AppointmentId, stage: usize },
    #[error("a no needs a reason, which whoever wished it will read")]
    WishRefusedWithoutReason,
    #[error("only those it is about, or an administrator, end it")]
    NotYoursToEnd,
    #[error("{id} is made; end what it made: `tempestas eligible end {made}`")]
    MadeAlready { id: AppointmentId, made: String },
    #[error("{id} is {state} already")]
    WishOver { id: AppointmentId, state: &'static str },
}

impl EligibilityRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OwnResumption | Self::NotYoursToCover | Self::NotYourWish { .. } | Self::NotYoursToEnd => {
                Class::NotAllowed
            }
            Self::TooManyWishes { .. } => Class::Limit,
            Self::WishChanged { .. } => Class::Changed,
            Self::PauseWithoutReason
            | Self::SameWindow
            | Self::EmptyWindow
            | Self::LastsTooLong { .. }
            | Self::CoverByNobody { .. }
            | Self::CoverOfSelf
            | Self::WishWithoutReason { .. }
            | Self::WishRefusedWithoutReason => Class::Invalid,
            Self::EligibleAlready { .. }
            | Self::PausedAlready { .. }
            | Self::NotPaused { .. }
            | Self::NothingToRenew { .. }
            | Self::PastRenewing { .. }
            | Self::CoverSuspended { .. }
            | Self::NothingToCover { .. }
            | Self::WishedAlready { .. }
            | Self::TooFewToAppoint { .. }
            | Self::TooFewTogetherToAppoint { .. }
            | Self::WishAnsweredInStage { .. }
            | Self::WishNotWaiting { .. }
            | Self::WishRanOut { .. }
            | Self::WishAnswered { .. }
            | Self::MadeAlready { .. }
            | Self::WishOver { .. } => Class::Conflict,
        }
    }
}

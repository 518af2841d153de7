//! Why standing rights are not converted, put back, or left.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{ConversionId, DriftId, StandingId, TermsId, time::moment};

/// Why standing rights are not converted or put back. Names of accounts, rights and places stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum ConversionRefusal {
    #[error("nothing was chosen; name standing rights by their reference, as `tempestas standing` lists them")]
    NothingChosen,
    #[error(
        "this is not what you were shown any more: who holds what on the targets has changed since the preview; look again and decide anew"
    )]
    PlanChanged,
    #[error("{standing} is part of {other} already, which is not over")]
    ConvertedAlready { standing: StandingId, other: ConversionId },
    #[error("{standing} ({right}) is held by `{account}` only through {through}; {instead}")]
    HeldThrough { standing: StandingId, right: String, account: String, through: String, instead: &'static str },
    #[error(
        "{standing} belongs to `{account}`, the account Tempestas itself works with there; without it nothing could be given or taken"
    )]
    OurOwnAccount { standing: StandingId, account: String },
    #[error(
        "{standing} belongs to `{account}`, an emergency holder that {target} has sealed; take it out of the choice"
    )]
    Sealed { standing: StandingId, account: String, target: String },
    #[error(
        "nobody is known to own the account `{account}` on {target}; say whose it is first: `tempestas people account NAME {target} {account}`"
    )]
    NobodysAccount { account: String, target: String },
    #[error(
        "this would leave {left} of the emergency holders on {scope}, and at least {least} must stay; take a critical right out of the choice, or state a smaller number for that target"
    )]
    TooFewHolders { scope: String, left: usize, least: u32 },
    #[error(
        "{standing} would make {who} eligible for {right} on your word alone, and the terms demand a yes for that; another administrator converts it, or have them made eligible first"
    )]
    OwnGain { standing: StandingId, who: String, right: String },
    #[error(
        "{who} would hold {right} again on your word alone, and the terms demand a yes of others to elevate to it; another administrator does this"
    )]
    OwnReturn { who: String, right: String },
    #[error(
        "{right} may not be held all the time by {who}: {terms} says so; make them eligible for it, or have that rule say otherwise first"
    )]
    NeverStanding { who: String, right: String, terms: TermsId },
    #[error("the eligibilities would be over already; give a later end")]
    OverAlready,
    #[error("{stray} is to be in the pilot, but is not among what was chosen")]
    StrayPilot { stray: StandingId },
    #[error("a wave of 0 rights would never end; give at least 1")]
    EmptyWave,
    #[error("the share at which it stops is in percent: at most 100")]
    BadPercent,
    #[error("it can be kept undoable for 1 to 366 days")]
    BadUndoDays,
    #[error("a conversion's name has 1 to 80 letters")]
    BadConversionName,
    #[error("{id} was undone at {}", moment(*at))]
    Undone { id: ConversionId, at: Timestamp },
    #[error("every wave of {id} has begun already")]
    NoWaveLeft { id: ConversionId },
    #[error("the wave of {id} that began last is not read back whole yet; wait for it, or undo {id}")]
    WaveNotWhole { id: ConversionId },
    #[error(
        "{id} could be undone until {}; what is still missing can be put back by hand on its target",
        moment(*until)
    )]
    PastUndoing { id: ConversionId, until: Timestamp },
    #[error("{id} puts back what somebody had changed on the target; convert the right instead")]
    PutsBack { id: ConversionId },
    #[error(
        "what {id} took away is on systems that are looked after no more; take them in again first, or put it back there by hand"
    )]
    TargetsGone { id: ConversionId },
    #[error("{drift} was decided already; `tempestas drift list --all` shows how")]
    DriftDecided { drift: DriftId },
    #[error("{drift} is about a right of your own; another administrator decides it")]
    OwnDrift { drift: DriftId },
    #[error("a reason is needed, which whoever looks later will read: `--reason`")]
    DriftWithoutReason,
    #[error("it can be ignored until a time to come, at most a year ahead")]
    BadIgnoring,
    #[error("this right is held only through {through}; put that back instead")]
    DriftThrough { through: String },
    #[error(
        "a host puts back only what was taken there through Tempestas; put it back on the host by hand, or adopt that it is gone"
    )]
    NotTakenByUs,
    #[error("it belongs to the account that Tempestas itself works with there")]
    DriftOfOurs,
}

impl ConversionRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::PlanChanged => Class::Changed,
            Self::OwnGain { .. } | Self::OwnReturn { .. } | Self::OwnDrift { .. } => Class::NotAllowed,
            Self::NeverStanding { .. } => Class::Conflict,
            Self::NothingChosen
            | Self::OverAlready
            | Self::StrayPilot { .. }
            | Self::EmptyWave
            | Self::BadPercent
            | Self::BadUndoDays
            | Self::BadConversionName
            | Self::DriftWithoutReason
            | Self::BadIgnoring => Class::Invalid,
            Self::ConvertedAlready { .. }
            | Self::HeldThrough { .. }
            | Self::OurOwnAccount { .. }
            | Self::Sealed { .. }
            | Self::NobodysAccount { .. }
            | Self::TooFewHolders { .. }
            | Self::Undone { .. }
            | Self::NoWaveLeft { .. }
            | Self::WaveNotWhole { .. }
            | Self::PastUndoing { .. }
            | Self::PutsBack { .. }
            | Self::TargetsGone { .. }
            | Self::DriftDecided { .. }
            | Self::DriftThrough { .. }
            | Self::NotTakenByUs
            | Self::DriftOfOurs => Class::Conflict,
        }
    }
}

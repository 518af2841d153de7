//! Why something is not done about the estate: folders, targets, surveys, alarms, the installation itself.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{
    ConversionId,
    time::{Seconds, moment},
};

/// Why something is not done about the estate. Paths and names stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum EstateRefusal {
    #[error("only PostgreSQL knows both a login for the one grant and people's own; others have one way")]
    OneWayOnly,
    #[error("a target has at most {most} labels")]
    TooManyLabels { most: usize },
    #[error(
        "`{name}={value}` can't be a label: a name has 1 to 40 of a-z, 0-9, `-`, `_` and `.`, a value 1 to 80 letters"
    )]
    BadLabel { name: String, value: String },
    #[error("`{text}` is no label; write it like stage=production")]
    NoLabel { text: String },
    #[error("say why, for whoever reads the record: `--reason`")]
    EndWithoutReason,
    #[error("not over yet there: {}; end that first", open.join(", "))]
    OpenThere { open: Vec<String> },
    #[error("{conversion} still changes rights there; wait until it is read back, or undo it")]
    ChangingThere { conversion: ConversionId },
    #[error("people come from it; say first that nobody does any more: `tempestas people source end`")]
    SourceOfPeople,
    #[error("a target can't run on itself, not even through others")]
    RunsOnItself,
    #[error("{scope} is a target or a part of one; put folders and targets into folders")]
    NoFolder { scope: String },
    #[error("the estate is at most {most} folders deep")]
    EstateTooDeep { most: usize },
    #[error("{parent} has a `{name}` already")]
    ThereAlready { parent: String, name: String },
    #[error("/{path} is a folder; a right is held on a target or a part of one")]
    RightOnFolder { path: String },
    #[error("`{text}` is not a right; write it as ROLE@/PATH, like `berth_reader@/harbour/databases/berths`")]
    NoRight { text: String },
    #[error(
        "`{text}` says no rights; write them as ROLE@/PATH, as weight:critical@/PATH (so heavy, or heavier), or as /PATH for all there"
    )]
    NoRightSet { text: String },
    #[error("this is not what you were shown any more: another survey was taken since; look again and decide anew")]
    SurveyedAgain,
    #[error("this alarm settles by itself once its cause is gone: {about}")]
    SettlesByItself { about: String },
    #[error(
        "{target} saw nobody use `{account}` since it was tried last, or not within a week: sign in with it there, as one would in need; its use is an alarm, and then say that it was its trial"
    )]
    SealUnused { account: String, target: String },
    #[error("the next trial can't be at {}: it lies ahead, within {within}", moment(*next))]
    TrialDate { next: Timestamp, within: Seconds },
    #[error("this is about you; another administrator settles it")]
    OwnAlarm,
    #[error("this installation is founded already")]
    FoundedAlready,
    #[error("nothing was founded here yet; start `tempestasd` once")]
    NotFounded,
}

impl EstateRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OwnAlarm => Class::NotAllowed,
            Self::TooManyLabels { .. } | Self::EstateTooDeep { .. } => Class::Limit,
            Self::SurveyedAgain => Class::Changed,
            Self::OneWayOnly
            | Self::BadLabel { .. }
            | Self::NoLabel { .. }
            | Self::EndWithoutReason
            | Self::RunsOnItself
            | Self::NoFolder { .. }
            | Self::RightOnFolder { .. }
            | Self::TrialDate { .. }
            | Self::NoRight { .. }
            | Self::NoRightSet { .. } => Class::Invalid,
            Self::OpenThere { .. }
            | Self::ChangingThere { .. }
            | Self::SourceOfPeople
            | Self::ThereAlready { .. }
            | Self::SettlesByItself { .. }
            | Self::SealUnused { .. }
            | Self::FoundedAlready
            | Self::NotFounded => Class::Conflict,
        }
    }
}

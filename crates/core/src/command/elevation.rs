//! What is done about elevations.

use crate::{Brings, Digest, ElevationId, Finding, Less, Right, Said, Seconds, StartChoice, Verdict};

/// A command about an elevation.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum ElevationCommand {
    /// Asks for one.
    Ask(Ask),
    /// Answers an ask.
    Answer(AnswerInput),
    /// Takes an ask back.
    Withdraw {
        /// Which.
        elevation: ElevationId,
    },
    /// Begins one that is ready.
    Begin {
        /// Which.
        elevation: ElevationId,
    },
    /// Asks to go on with one's own beyond its end.
    Extend(Extend),
    /// Takes the grace that the terms give at the end of one's own.
    TakeGrace {
        /// Of which.
        elevation: ElevationId,
    },
    /// Ends one's own before its time.
    GiveBack {
        /// Which.
        elevation: ElevationId,
    },
    /// Ends somebody's before its time.
    Revoke {
        /// Which.
        elevation: ElevationId,
        /// What its holder will read.
        word: Said,
    },
    /// Looks at what was done under one that is over.
    Debrief(DebriefInput),
    /// The holder is about to be shown a login.
    ShowLogin {
        /// Of which.
        elevation: ElevationId,
    },
}

/// An ask, as it comes in.
#[derive(Debug, Clone, PartialEq)]
pub struct Ask {
    /// What is asked for.
    pub right: Right,
    /// For how long; the usual where none.
    pub duration: Option<Seconds>,
    /// When it is to start; where none, the only way that the terms leave.
    pub start: Option<StartChoice>,
    /// Whether the asker breaks the glass for it.
    pub glass: bool,
    /// What the asker brings.
    pub brings: Brings,
    /// Digest of the demand that was looked at.
    pub shown: Digest,
}

/// An ask to go on, as it comes in.
#[derive(Debug, Clone, PartialEq)]
pub struct Extend {
    /// With which elevation.
    pub elevation: ElevationId,
    /// For how much longer; the usual where none.
    pub more: Option<Seconds>,
    /// What the asker brings.
    pub brings: Brings,
    /// Digest of the demand that was looked at.
    pub shown: Digest,
}

/// An answer, as it comes in.
#[derive(Debug, Clone, PartialEq)]
pub struct AnswerInput {
    /// The ask.
    pub elevation: ElevationId,
    /// Yes or no.
    pub verdict: Verdict,
    /// With a yes: to less than was asked for.
    pub less: Option<Less>,
    /// Why.
    pub reason: Option<Said>,
    /// Digest of the ask that was looked at.
    pub shown: Digest,
}

/// What somebody found who looked at what was done, as it comes in.
#[derive(Debug, Clone, PartialEq)]
pub struct DebriefInput {
    /// Under which elevation.
    pub elevation: ElevationId,
    /// What.
    pub finding: Finding,
    /// What they say of it.
    pub word: Option<Said>,
}

impl ElevationCommand {
    /// The elevation it is about; none where it asks for one.
    #[must_use]
    pub const fn elevation(&self) -> Option<ElevationId> {
        match self {
            Self::Ask(_) => None,
            Self::Answer(answer) => Some(answer.elevation),
            Self::Extend(ask) => Some(ask.elevation),
            Self::Debrief(input) => Some(input.elevation),
            Self::Withdraw { elevation }
            | Self::Begin { elevation }
            | Self::TakeGrace { elevation }
            | Self::GiveBack { elevation }
            | Self::Revoke { elevation, .. }
            | Self::ShowLogin { elevation } => Some(*elevation),
        }
    }
}

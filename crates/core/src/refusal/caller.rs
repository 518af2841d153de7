//! Why a caller may not do something, whatever it is about.

use thiserror::Error;

use super::Class;

/// What a caller lacks.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum CallerRefusal {
    #[error("only an administrator of {scope} may do this; `tempestas me` shows your duties")]
    NotAdministrator { scope: String },
    #[error("this needs a sign-in")]
    NotSignedIn,
    #[error("only a person who signed in may do this")]
    NotPerson,
    #[error("your account is suspended; speak to an administrator")]
    YouAreSuspended,
    #[error("this is taken only from {networks} ({assurance}), and you come from {from}; do it from there")]
    FromElsewhere { assurance: String, networks: String, from: String },
    #[error("this is noted of somebody who signed in, and by them alone")]
    NotOfYou,
    #[error("a failed sign-in is noted of somebody who proved nothing")]
    NotStranger,
    #[error("this is done only on the machine that the service runs on")]
    NotTheMachine,
    #[error("only the service itself says what time it is, and how it is")]
    NotTheService,
    #[error("a keeper only reports what it saw")]
    KeeperOnlyReports,
    #[error("a keeper raises alarms of its own target alone")]
    AnothersAlarm,
    #[error("only the service's own keepers report what targets show")]
    NotKeeper,
    #[error("a keeper reports on its own target alone")]
    AnothersTarget,
    #[error("nothing was chosen")]
    OfNothing,
    #[error("{what} was changed since you looked at it; look again and decide anew")]
    Stale { what: String },
    #[error("the service is stopping; try again in a moment")]
    Stopping,
    #[error("a secret of it could not be kept: {why}")]
    SecretNotKept { why: String },
    #[error("you took from the record {most} times within a minute, each of which is noted; wait for the next")]
    TookTooOften { most: u32 },
}

impl CallerRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OfNothing => Class::Invalid,
            Self::Stale { .. } => Class::Stale,
            Self::Stopping | Self::SecretNotKept { .. } => Class::Conflict,
            Self::TookTooOften { .. } => Class::Limit,
            _ => Class::NotAllowed,
        }
    }
}

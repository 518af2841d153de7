//! Refusals: what was wrong, with the value, and what to do next.

use jiff::Timestamp;
use thiserror::Error;

use crate::time::{Seconds, moment};

/// Why a command was not carried out. Each reads as one sentence that helps.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Refusal {
    /// The caller may not do this.
    #[error("{0}")]
    NotAllowed(String),
    /// What was named isn't there, or isn't in the caller's sight.
    #[error("there is no {what} `{name}` that you can see; {remedy}")]
    Unknown {
        /// The kind of thing.
        what: &'static str,
        /// As the caller wrote it.
        name: String,
        /// Where to look.
        remedy: String,
    },
    /// A value can't be used.
    #[error("{0}")]
    Invalid(String),
    /// The present state doesn't allow it.
    #[error("{0}")]
    Conflict(String),
    /// What the caller looked at has changed since.
    #[error("this is not what you were shown any more: {0}; look again and decide anew")]
    Changed(String),
    /// What is to be changed in place is not what the caller looked at.
    #[error("{0} was changed since you looked at it; look again and decide anew")]
    Stale(String),
    /// A limit was reached.
    #[error("{0}")]
    Limit(String),
    /// A fresher proof of the person is needed.
    #[error(
        "this needs a passkey or TOTP code proven within the last {max_age}; {}",
        last.map_or_else(|| "none was given in this sign-in".to_owned(), |at| format!("the last was at {}", moment(at)))
    )]
    StepUp {
        /// How old the proof may be.
        max_age: Seconds,
        /// When the last one was given.
        last: Option<Timestamp>,
    },
}

impl Refusal {
    /// A word for programs.
    #[must_use]
    pub const fn code(&self) -> &'static str {
        match self {
            Self::NotAllowed(_) => "not-allowed",
            Self::Unknown { .. } => "unknown",
            Self::Invalid(_) => "invalid",
            Self::Conflict(_) => "conflict",
            Self::Changed(_) => "changed",
            Self::Stale(_) => "stale",
            Self::Limit(_) => "limit",
            Self::StepUp { .. } => "step-up",
        }
    }

    pub(crate) fn invalid(text: impl Into<String>) -> Self {
        Self::Invalid(text.into())
    }

    pub(crate) fn conflict(text: impl Into<String>) -> Self {
        Self::Conflict(text.into())
    }

    pub(crate) fn not_allowed(text: impl Into<String>) -> Self {
        Self::NotAllowed(text.into())
    }

    pub(crate) fn unknown(what: &'static str, name: impl ToString, remedy: &str) -> Self {
        Self::Unknown { what, name: name.to_string(), remedy: remedy.to_owned() }
    }
}

//! What can go wrong between client and service.

use std::fmt;

use tempestas_api::{Drafted, Problem};
use tempestas_core::ProofMethod;

/// Why a call came to nothing.
#[derive(Debug)]
pub enum ClientError {
    /// The service said no, and what to do.
    Refused(Box<Problem>),
    /// The sign-in only drafts: nothing was done yet, and its person confirms it in the console.
    Drafted(Drafted),
    /// The service could not be reached, or the answer broke off.
    Unreachable(String),
    /// The service's answer can't be read.
    Unreadable(String),
}

impl ClientError {
    /// The refusal's word for programs, where it is one.
    #[must_use]
    pub fn code(&self) -> Option<&str> {
        match self {
            Self::Refused(problem) => Some(&problem.code),
            Self::Drafted(_) | Self::Unreachable(_) | Self::Unreadable(_) => None,
        }
    }

    /// Whether a code of an authenticator is accepted, where a fresher proof is wanted.
    #[must_use]
    pub fn is_mended_by_a_code(&self) -> bool {
        let accepts = match self {
            Self::Refused(problem) if problem.code == "step-up" => &problem.accepts,
            _ => return false,
        };
        accepts.is_empty() || accepts.contains(&ProofMethod::TotpCode)
    }

    /// Which of the causes behind that word it is, where the service tells.
    #[must_use]
    pub fn cause(&self) -> Option<&str> {
        match self {
            Self::Refused(problem) => problem.cause.as_deref(),
            Self::Drafted(_) | Self::Unreachable(_) | Self::Unreadable(_) => None,
        }
    }
}

impl fmt::Display for ClientError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Refused(problem) => f.write_str(&problem.detail),
            Self::Drafted(drafted) => f.write_str(&drafted.says),
            Self::Unreachable(what) => {
                write!(f, "the service can't be reached: {what}; is `tempestasd` running there?")
            }
            Self::Unreadable(what) => {
                write!(f, "the service's answer can't be read: {what}; are client and service of one version?")
            }
        }
    }
}

impl std::error::Error for ClientError {}

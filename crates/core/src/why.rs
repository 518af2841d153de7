//! Why a survey was held, or an ask sent back: told by kind in facts, and in words where it is read.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Why a survey waits for a person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum HeldBecause {
    /// The target answered only in part.
    InPart,
    /// It answered with no standing right at all.
    NoneLeft {
        /// How many were known.
        known: u32,
    },
    /// So many would be gone.
    Vanishing {
        /// How many.
        vanishing: u32,
        /// Of how many.
        known: u32,
    },
    /// In words, as facts had it before they had kinds.
    #[serde(untagged)]
    Said(String),
}

impl fmt::Display for HeldBecause {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::InPart => f.write_str("the target answered only in part"),
            Self::NoneLeft { known } => write!(f, "it answered with no standing right at all, and {known} were known"),
            Self::Vanishing { vanishing, known } => write!(f, "{vanishing} of {known} standing rights would be gone"),
            Self::Said(words) => f.write_str(words),
        }
    }
}

/// Why what was answered isn't enough any more.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum SentBackBecause {
    /// The role permits something else.
    OtherPermits,
    /// It would be put on another account.
    OtherAccount,
    /// The terms want more yes, or of others.
    MoreYes {
        /// How many.
        yes: u16,
        /// In which stage, the first being 1.
        stage: u32,
    },
    /// In words, as facts had it before they had kinds.
    #[serde(untagged)]
    Said(String),
}

impl fmt::Display for SentBackBecause {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::OtherPermits => f.write_str("the role permits something else than when it was asked for"),
            Self::OtherAccount => f.write_str("it would be put on another account than when it was asked for"),
            Self::MoreYes { yes, stage: 1 } => write!(f, "the terms now want {yes} yes from those who may answer"),
            Self::MoreYes { yes, stage } => {
                write!(f, "the terms now want {yes} yes in stage {stage} from those who may answer")
            }
            Self::Said(words) => f.write_str(words),
        }
    }
}

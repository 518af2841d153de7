//! Why files are not put in place, or what was is not undone.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{ClauseKind, FilingId, moment};

/// Why files are not put in place, or what was is not undone.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum FilingRefusal {
    #[error(
        "the rule `{name}` is about a place that is not within {within}; take it out, or compare and put a wider place"
    )]
    ClauseOutside { name: String, within: String },
    #[error("the {kind} `{name}` is the whole house's; take it out, or compare and put everything, within `/`")]
    ClauseOfTheHouse { kind: ClauseKind, name: String },
    #[error("files have a rule `{name}` elsewhere; call this one otherwise")]
    ClauseNameTaken { name: String },
    #[error("everything stands as the files say; there is nothing to put")]
    NothingToPut,
    #[error("{id} was undone already, by {by}")]
    FilingUndoneAlready { id: FilingId, by: FilingId },
    #[error("{id} could be undone until {}; put files as they were before instead", moment(*until))]
    FilingTooOld { id: FilingId, until: Timestamp },
    #[error(
        "{id} is not undone, since this was changed after it: {}; undo what came after first, or put files as they are to be",
        listed(changed)
    )]
    ChangedSinceFiled { id: FilingId, changed: Vec<String> },
}

/// The first few names, and how many more.
fn listed(names: &[String]) -> String {
    let mut shown: Vec<String> = names.iter().take(5).map(|name| format!("`{name}`")).collect();
    if names.len() > shown.len() {
        shown.push(format!("{} more", names.len() - shown.len()));
    }
    shown.join(", ")
}

impl FilingRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::ClauseOutside { .. } | Self::ClauseOfTheHouse { .. } | Self::ClauseNameTaken { .. } => Class::Invalid,
            Self::NothingToPut | Self::FilingUndoneAlready { .. } => Class::Conflict,
            Self::FilingTooOld { .. } | Self::ChangedSinceFiled { .. } => Class::Conflict,
        }
    }
}

//! Filings: rules of terms, and what goes with them, put in place from files: compared first, put as one, and undone as one.

mod clause;
mod named;
mod plan;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

pub use clause::{Clause, ClauseKind};
pub use named::{FileMark, InFiles, named_clauses};
pub use plan::{Amendment, Fault, Filed, FilingPlan, faults, filing_plan, plan_to_undo};

use crate::{Digest, FilingId, Key, ScopeId, Seconds, SubjectId, later};

/// How long a filing can be undone.
pub(crate) const UNDONE_FOR: Seconds = Seconds::hours(24 * 30);

/// What was put in place from files at one time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Filing {
    /// Its id.
    pub id: FilingId,
    /// All of it is about this place, and below.
    pub within: ScopeId,
    /// Who put it; none where the machine's operator did.
    pub by: Option<SubjectId>,
    /// When.
    pub at: Timestamp,
    /// The filing that it undoes, where it does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub undoes: Option<FilingId>,
    /// The filing by which it was undone, where it was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub undone_by: Option<FilingId>,
    /// What it changed.
    pub changes: Vec<Refiled>,
}

/// One clause that a filing changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Refiled {
    /// What it is found by.
    pub key: Key,
    /// What files call it since.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<InFiles>,
    /// What they called it before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub known_as: Option<InFiles>,
    /// As it stood; none of one that was made.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<Clause>,
    /// Of what it says since; none of one that ended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<Digest>,
}

impl Filing {
    /// Until when it can be undone.
    #[must_use]
    pub fn undo_until(&self) -> Timestamp {
        later(self.at, UNDONE_FOR)
    }
}

impl Refiled {
    /// Its name in files, since or before.
    #[must_use]
    pub fn called(&self) -> &str {
        self.name.as_ref().or(self.known_as.as_ref()).map_or("", |known| &known.name)
    }
}

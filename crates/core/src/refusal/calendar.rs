//! Why a calendar is not set.

use thiserror::Error;

use super::{Class, terms::named_rules};
use crate::TermsId;

/// Why a calendar is not set or ended.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum CalendarRefusal {
    #[error("a calendar without an entry closes nothing; give it one, or end it")]
    Empty,
    #[error("a calendar may have {most} entries at most; leave out what is over, or make two of it")]
    TooManyEntries { most: usize },
    #[error("what an entry is called is a text of one line of 1 to {most} letters")]
    BadEntryName { most: usize },
    #[error("`{what}` would end before it begins; let it end after that")]
    Backwards { what: String },
    #[error("there are {most} calendars already; end one that no rule goes by any more")]
    CalendarsFull { most: usize },
    #[error("rules go by `{name}` ({}); have them go by another first, or by none", named_rules(rules))]
    WantedBy { name: String, rules: Vec<TermsId> },
}

impl CalendarRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::Empty | Self::BadEntryName { .. } | Self::Backwards { .. } => Class::Invalid,
            Self::TooManyEntries { .. } | Self::CalendarsFull { .. } => Class::Limit,
            Self::WantedBy { .. } => Class::Conflict,
        }
    }
}

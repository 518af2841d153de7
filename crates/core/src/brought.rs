//! What an asker brings beside a proof of themselves: out of which purposes, why, and what it is for elsewhere.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{Digest, Said};

/// What an asker brings, as it comes in. An empty text is none.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Brings {
    /// Which of the purposes that the terms list.
    pub purpose: Option<Said>,
    /// Why, in the asker's own words.
    pub reason: Option<Said>,
    /// The ticket it is for.
    pub ticket: Option<Said>,
    /// Further references, by the names that the terms give them.
    pub references: BTreeMap<String, Said>,
}

impl Brings {
    /// With a reason alone.
    #[must_use]
    pub fn reason(reason: impl AsRef<str>) -> Self {
        Self { reason: Some(Said::new(reason)), ..Self::default() }
    }
}

/// What an asker brought, as it is kept with the ask: the texts themselves can be forgotten.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Brought {
    /// Purpose.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub purpose: Option<Digest>,
    /// Why.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<Digest>,
    /// Ticket.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ticket: Option<Digest>,
    /// Further references.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub references: BTreeMap<String, Digest>,
}

impl Brought {
    /// All its texts.
    pub fn texts(&self) -> impl Iterator<Item = Digest> {
        [self.purpose, self.reason, self.ticket].into_iter().flatten().chain(self.references.values().copied())
    }
}

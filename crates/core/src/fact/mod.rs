//! Facts: what happened, with the rows as they stood after. Fat, versioned, and naming people by id.

mod kinds;
mod upcast;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use {kinds::What, upcast::row_of_version};

use crate::{Actor, Channel, ElevationId, Key, Row, ScopeId, SubjectId, text::Digest};

/// The version that new facts are written in. Old ones are never edited; each has one upcast to this.
pub const FACT_VERSION: u16 = 3;

/// One thing that happened.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Fact {
    /// Version of this form.
    pub v: u16,
    /// When; never earlier than the fact before.
    pub at: Timestamp,
    /// Who.
    pub by: Actor,
    /// Network address, as a salted digest.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub from: Option<Digest>,
    /// The way it came in.
    #[serde(rename = "door")]
    pub channel: Channel,
    /// What happened.
    pub what: What,
    /// Rows as they stand after.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub put: Vec<Row>,
    /// Rows that are gone after.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub cut: Vec<Key>,
}

impl Fact {
    /// The exact bytes that the ledger hashes.
    ///
    /// # Errors
    /// When a row can't be written as JSON, which no row in use does.
    pub fn to_bytes(&self) -> Result<Vec<u8>, serde_json::Error> {
        serde_json::to_vec(self)
    }

    /// Reads a fact, of this version or an older one.
    ///
    /// # Errors
    /// Says what can't be read, or that a newer program wrote it.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, String> {
        #[derive(Deserialize)]
        struct Version {
            v: u16,
        }
        let Version { v } = serde_json::from_slice(bytes).map_err(|error| error.to_string())?;
        match v {
            FACT_VERSION => serde_json::from_slice(bytes).map_err(|error| error.to_string()),
            _ => {
                let old = serde_json::from_slice(bytes).map_err(|error| error.to_string())?;
                serde_json::from_value(upcast::fact(old)?).map_err(|error| error.to_string())
            }
        }
    }
}

/// What somebody took away as a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Export {
    /// The record as CSV, as far as they see it.
    Record,
    /// The whole ledger.
    Ledger,
    /// One entry with its proof.
    Proof,
}

/// A list that facts change. Live messages carry nothing more of a fact than this.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Topic {
    /// Asks, answers, grants.
    Elevations,
    /// Standing rights and conversions.
    Standing,
    /// People, groups, duties, eligibilities.
    People,
    /// Scopes, targets, surveys.
    Estate,
    /// Rules of terms.
    Terms,
    /// Alarms.
    Alarms,
    /// Stops.
    Stops,
    /// Nothing but the record itself.
    Record,
}

/// What a fact concerns, for filters and for Sight.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct About {
    /// An elevation.
    pub elevation: Option<ElevationId>,
    /// A subject.
    pub subject: Option<SubjectId>,
    /// A scope.
    pub scope: Option<ScopeId>,
}

impl What {
    /// The kind as a word, as filters take it.
    #[must_use]
    pub fn kind(&self) -> &'static str {
        self.into()
    }
}

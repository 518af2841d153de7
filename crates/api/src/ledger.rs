//! The record of everything that happened.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Sentence, What};

/// Which entries.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LedgerFilter {
    /// Only entries before this number; to page backwards.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<u64>,
    /// How many; 100 where it is left out, 1000 at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(min = 1, max = 1000))]
    pub most: Option<usize>,
    /// Only of this kind, like `asked`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<String>,
    /// Only by, or about, this person, group or program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// Only about this elevation.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub elevation: Option<String>,
    /// Only from then on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Timestamp>,
    /// Only up to then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<Timestamp>,
}

/// One entry.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LedgerEntry {
    /// Its number, from 0.
    pub n: u64,
    /// When.
    pub at: Timestamp,
    /// Who: a name, `the service`, `the machine`, or `somebody not signed in`.
    pub who: String,
    /// From where; withheld where it was forgotten.
    pub from: Option<String>,
    /// What happened, in plain words.
    pub says: String,
    /// The same in parts, for whoever shows it by their own clock and leads on to what it names.
    pub words: Sentence,
    /// What happened, for programs.
    pub what: What,
}

/// Entries, newest first.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LedgerReply {
    /// The entries.
    pub entries: Vec<LedgerEntry>,
    /// Give this as `before` for older ones; none where these were the last.
    pub before: Option<u64>,
}

/// Proof that one entry stands in the ledger under a signed checkpoint.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EntryProof {
    /// The entry's number.
    pub n: u64,
    /// Its exact bytes, as hashed.
    pub fact: String,
    /// Leaf hash (RFC 9162, 2.1.1).
    pub leaf: Digest,
    /// Proof of inclusion (RFC 9162, 2.1.3).
    pub proof: Vec<Digest>,
    /// Size of the tree that it is proven in.
    pub size: u64,
    /// Root of that tree.
    pub root: Digest,
    /// The signed note that vouches for that root.
    pub checkpoint: String,
    /// The public key that the note is signed with, as one line.
    pub public_key: String,
}

/// A checkpoint to be held against.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SinceQuery {
    /// Size of the checkpoint that the caller saw last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<u64>,
}

/// The present checkpoint, and the proof that it goes on from an earlier one.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct CheckpointReply {
    /// A signed note.
    pub checkpoint: String,
    /// The public key, as one line.
    pub public_key: String,
    /// Proof of consistency (RFC 9162, 2.1.4); empty where none was asked for.
    pub proof: Vec<Digest>,
}

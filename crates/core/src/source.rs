//! Sources: where people and groups come from, and what one reading of it found.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Digest, ScopeId, SubjectId};

/// Which entries of a directory are people and groups, and which attribute means what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Mapping {
    /// Where people are, as a distinguished name.
    pub people: String,
    /// Where groups are; none where they are not imported.
    #[serde(default)]
    pub groups: Option<String>,
    /// The attribute that people sign in by.
    #[serde(default = "uid")]
    pub name: String,
    /// The attribute with the full name.
    #[serde(default = "cn")]
    pub about: String,
    /// The attribute that names the manager, by distinguished name; none where there is none.
    #[serde(default)]
    pub manager: Option<String>,
}

fn uid() -> String {
    "uid".to_owned()
}

fn cn() -> String {
    "cn".to_owned()
}

/// A target that people and groups come from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// The target.
    pub target: ScopeId,
    /// What means what there.
    pub mapping: Mapping,
    /// Digest of the last reading that was taken in.
    pub taken: Option<Digest>,
    /// When that was.
    pub taken_at: Option<Timestamp>,
    /// A reading that would change too much, waiting for a person.
    pub held: Option<Digest>,
    /// Entries that could not be taken in: their name is another's here, or can't be one.
    pub unusable: u32,
}

/// That an entry of a source is a subject here.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Link {
    /// The source.
    pub target: ScopeId,
    /// The entry's own unchanging key there (entryUUID, RFC 4530).
    pub key: String,
    /// Who it is.
    pub subject: SubjectId,
}

/// One reading of a source.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Imported {
    /// Whether everything was read. A part changes nobody.
    pub complete: bool,
    /// People.
    pub people: Vec<PersonFound>,
    /// Groups.
    pub groups: Vec<GroupFound>,
}

/// A person as found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PersonFound {
    /// The entry's unchanging key.
    pub key: String,
    /// Name to sign in by.
    pub name: String,
    /// Full name.
    pub about: String,
    /// The account on the target itself.
    pub account: String,
    /// Key of the manager's entry.
    pub manager: Option<String>,
}

/// A group as found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct GroupFound {
    /// The entry's unchanging key.
    pub key: String,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub about: String,
    /// Keys of the people in it, through whatever groups.
    pub members: Vec<String>,
}

//! Circumstances: what another system is asked, by name.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::Digest;

/// What another system is asked, and what it has to say.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CircumstanceBody {
    /// The address that is asked: `https://…`, or `http://…` on this machine. A part of its path may be the name of a reference in
    /// braces, `{visit}` or `{ticket}`: the one that an asker brings.
    pub address: String,
    /// Where in the answer it stands, as a JSON pointer (RFC 6901); the whole answer where it is empty.
    #[serde(default)]
    pub pointer: String,
    /// What stands there while it holds: a text, a number or a truth value, as a text.
    pub is: String,
    /// A token that it is asked with, as a bearer; none to go on with the one there is, at the same address. It is never shown.
    #[serde(default)]
    pub secret: Option<String>,
}

/// Without the secret.
impl std::fmt::Debug for CircumstanceBody {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let Self { address, pointer, is, secret: _ } = self;
        f.debug_struct("CircumstanceBody").field("address", address).field("pointer", pointer).field("is", is).finish()
    }
}

/// One circumstance.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct CircumstanceView {
    /// Its name, by which rules want it.
    pub name: String,
    /// It in words.
    pub says: String,
    /// The address that is asked.
    pub address: String,
    /// Where in the answer it stands.
    pub pointer: String,
    /// What stands there while it holds.
    pub is: String,
    /// Whether it holds at present, where it is about no reference and was asked.
    pub holds: Option<bool>,
    /// Since when that is known.
    pub since: Option<Timestamp>,
    /// Why it could not be asked last, where it couldn't.
    pub trouble: Option<String>,
    /// Rules that want it, of those that the caller sees.
    pub wanted_by: Vec<String>,
    /// Who set it last.
    pub set_by: Option<String>,
    /// When.
    pub set_at: Option<Timestamp>,
    /// What a change of it names in `If-Match`.
    pub digest: Digest,
}

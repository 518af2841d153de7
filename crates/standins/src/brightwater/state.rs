//! What Brightwater holds, and what it allows.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::behaviour::Behaviour;

/// What kind of identity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum IdentityKind {
    /// A human being of the house.
    Person,
    /// A program of the house.
    Program,
    /// A program of the cloud's provider.
    Provider,
    /// Somebody from outside.
    Outsider,
}

/// Someone or something that may be posted.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Identity {
    /// Unique name.
    pub name: String,
    /// What it is.
    pub kind: IdentityKind,
    /// What it proves itself with when it calls.
    pub key: String,
    /// Last call.
    pub last_seen: Option<Timestamp>,
}

/// A named set of permissions, each `verb thing`.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Role {
    /// Unique name.
    pub name: String,
    /// What it lets one do, in plain words.
    pub says: String,
    /// The permissions.
    pub permissions: Vec<String>,
}

/// Puts an identity in a role at a basin and below.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Posting {
    /// Unique key, chosen by whoever made it.
    pub key: String,
    /// Who.
    pub identity: String,
    /// As what.
    pub role: String,
    /// Where, and below; empty for everywhere.
    pub basin: Vec<String>,
    /// Since when.
    pub since: Timestamp,
    /// Its end, which the cloud enforces.
    pub ends: Option<Timestamp>,
    /// Free text.
    #[serde(default)]
    pub note: String,
    /// Who made it.
    pub made_by: String,
    /// Last use.
    pub last_used: Option<Timestamp>,
}

/// Carries what its identity was allowed when it was minted, until its own end.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Token {
    /// Public id.
    pub id: String,
    /// What is shown to the cloud.
    pub secret: String,
    /// Whose.
    pub identity: String,
    /// When it was minted.
    pub minted: Timestamp,
    /// Its end.
    pub ends: Timestamp,
    /// Keys of the postings it was minted under.
    pub under: Vec<String>,
    /// What it allows: role and basin.
    pub allows: Vec<(String, Vec<String>)>,
    /// Withdrawn before its end.
    #[serde(default)]
    pub withdrawn: bool,
}

/// A piece of code that runs by itself, as an identity that it was given.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Function {
    /// Unique name.
    pub name: String,
    /// Where it lives.
    pub basin: Vec<String>,
    /// Whom it runs as.
    pub runs_as: String,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub since: Timestamp,
}

/// One use of one permission.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Activity {
    /// When.
    pub at: Timestamp,
    /// By whom.
    pub identity: String,
    /// `verb thing`.
    pub permission: String,
    /// Where.
    pub basin: Vec<String>,
    /// Whether it was allowed.
    pub allowed: bool,
}

/// Entries of the trail that are kept.
const TRAIL_MOST: usize = 10_000;

/// The whole cloud.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Cloud {
    /// Paths of all basins.
    pub basins: Vec<Vec<String>>,
    /// Roles by name.
    pub roles: BTreeMap<String, Role>,
    /// Identities by name.
    pub identities: BTreeMap<String, Identity>,
    /// Postings by key.
    pub postings: BTreeMap<String, Posting>,
    /// Keys that may never be used again.
    #[serde(default)]
    pub used_up: BTreeSet<String>,
    /// Highest order seen for each key.
    #[serde(default)]
    pub orders: BTreeMap<String, i64>,
    /// Tokens by secret.
    #[serde(default)]
    pub tokens: BTreeMap<String, Token>,
    /// Functions by name.
    #[serde(default)]
    pub functions: BTreeMap<String, Function>,
    /// What was done and tried, oldest first.
    #[serde(default)]
    pub trail: VecDeque<Activity>,
    /// How it misbehaves.
    #[serde(default)]
    pub behaviour: Behaviour,
}

impl Cloud {
    /// Its own time.
    #[must_use]
    pub fn now(&self) -> Timestamp {
        self.behaviour.now()
    }

    /// The identity that a key proves.
    #[must_use]
    pub fn identity_by_key(&self, key: &str) -> Option<&Identity> {
        self.identities.values().find(|identity| identity.key == key)
    }

    /// Notes a use in the trail.
    pub fn note(&mut self, identity: &str, verb: &str, thing: &str, basin: &[String], allowed: bool) {
        let permission = format!("{verb} {thing}");
        let activity =
            Activity { at: self.now(), identity: identity.to_owned(), permission, basin: basin.to_vec(), allowed };
        self.trail.push_back(activity);
        while self.trail.len() > TRAIL_MOST {
            self.trail.pop_front();
        }
    }

    /// What an identity is allowed at this moment, by posting.
    pub fn in_force(&self, identity: &str) -> impl Iterator<Item = &Posting> {
        let now = self.now();
        self.postings
            .values()
            .filter(move |posting| posting.identity == identity && posting.ends.is_none_or(|ends| ends > now))
    }

    /// Whether a role permits `verb thing`.
    #[must_use]
    pub fn permits(&self, role: &str, verb: &str, thing: &str) -> bool {
        self.roles.get(role).is_some_and(|role| {
            role.permissions
                .iter()
                .any(|permission| permission == "do everything" || *permission == format!("{verb} {thing}"))
        })
    }

    /// Whether an identity may do `verb thing` at a basin by its own postings; notes the use.
    pub fn may(&mut self, identity: &str, verb: &str, thing: &str, basin: &[String]) -> bool {
        let now = self.now();
        let by = self
            .in_force(identity)
            .find(|posting| basin.starts_with(&posting.basin) && self.permits(&posting.role, verb, thing))
            .map(|posting| posting.key.clone());
        if let Some(posting) = by.as_ref().and_then(|key| self.postings.get_mut(key)) {
            posting.last_used = Some(now);
        }
        by.is_some()
    }

    /// Whether a token allows `verb thing` at a basin.
    #[must_use]
    pub fn token_may(&self, token: &Token, verb: &str, thing: &str, basin: &[String]) -> bool {
        !token.withdrawn
            && token.ends > self.now()
            && token.allows.iter().any(|(role, at)| basin.starts_with(at) && self.permits(role, verb, thing))
    }
}

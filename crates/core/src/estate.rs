//! The estate: scopes, targets, roles, rights, accounts, duties, eligibilities.

use std::{collections::BTreeMap, fmt};

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    AppointmentId, DutyId, EligibilityId, RoleId, ScopeId, SubjectId, Trial,
    text::{Digest, Words},
    time::Seconds,
};

/// What a scope is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ScopeKind {
    /// Only groups what is below it.
    Folder,
    /// A real system with a connector.
    Target,
    /// A part of a target.
    Part,
    /// What was a target, and is looked after no more. It stays, since the record names it.
    Gone,
}

/// A node of the estate.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Scope {
    /// Its id.
    pub id: ScopeId,
    /// Its parent; none for the root alone.
    pub parent: Option<ScopeId>,
    /// Its name within the parent.
    pub name: String,
    /// What it is.
    pub kind: ScopeKind,
}

/// How a target is reached. Its secret is kept apart, sealed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum Connector {
    /// A PostgreSQL cluster.
    Postgres {
        /// Host name or address.
        host: String,
        /// TCP port.
        port: u16,
        /// The broker's login role.
        user: String,
        /// The database that holds the broker's own schema.
        database: String,
        /// Whether grants are put on people's own logins, instead of on a login for the one grant.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        own_login: bool,
    },
    /// The simulated cloud Brightwater.
    Brightwater {
        /// Base address, `http://…`.
        url: String,
    },
    /// The simulated cloud Fathom.
    Fathom {
        /// Base address, `http://…`.
        url: String,
    },
    /// A directory served over LDAP.
    Ldap {
        /// `ldap://HOST:PORT` on loopback, `ldaps://HOST:PORT` elsewhere.
        url: String,
        /// Whom we sign in as, as a distinguished name.
        user: String,
        /// Where people and groups are, as a distinguished name.
        base: String,
        /// Where what is made for grants lies, as a distinguished name.
        grants: String,
        /// How often the server sweeps entries whose time is over, in seconds.
        sweep: u32,
    },
    /// A kind of system that an administrator described.
    Described {
        /// The description, as `docs/described.md` has it; it holds no secret.
        form: String,
    },
    /// A Linux host.
    Linux {
        /// Host name or address.
        host: String,
        /// TCP port of sshd.
        port: u16,
        /// The account that orders come through.
        user: String,
        /// The host's own public key, as `/etc/ssh/ssh_host_ed25519_key.pub` has it.
        host_key: String,
    },
}

impl Connector {
    /// Whether a right there is put on the person's own account, so that a mapping is needed.
    #[must_use]
    pub const fn uses_own_account(&self) -> bool {
        matches!(
            self,
            Self::Postgres { own_login: true, .. }
                | Self::Brightwater { .. }
                | Self::Fathom { .. }
                | Self::Linux { .. }
                | Self::Ldap { .. }
                | Self::Described { .. }
        )
    }

    /// Whether it tells of each use by which account, beyond what anybody there could write, and a use is over once it is told.
    /// On a host a use is a program that may go on.
    #[must_use]
    pub const fn tells_of_uses(&self) -> bool {
        matches!(self, Self::Brightwater { .. } | Self::Fathom { .. })
    }

    /// Whether it is signed in to with a key of one's own, which is certified for each grant.
    #[must_use]
    pub const fn takes_own_key(&self) -> bool {
        matches!(self, Self::Linux { .. })
    }

    /// The kind, as a word.
    #[must_use]
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Postgres { .. } => "PostgreSQL",
            Self::Brightwater { .. } => "Brightwater",
            Self::Fathom { .. } => "Fathom",
            Self::Linux { .. } => "Linux",
            Self::Ldap { .. } => "LDAP",
            Self::Described { .. } => "described",
        }
    }
}

/// A target's settings and what is known of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Target {
    /// The scope that it is.
    pub scope: ScopeId,
    /// How it is reached.
    pub connector: Connector,
    /// The least number of accounts that keep a critical right there through any conversion.
    pub emergency_least: u32,
    /// How long a taking-away may be late before it is an alarm.
    pub alarm_after: Seconds,
    /// Our own account there, once a survey named it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broker: Option<Digest>,
    /// Digest of the last survey taken in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub surveyed: Option<Digest>,
    /// When that was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub surveyed_at: Option<Timestamp>,
    /// A survey that would change too much, waiting for a person.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub held: Option<Digest>,
    /// After a restore nothing is given here until the target was searched for our marks.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub to_search: bool,
    /// Marked things found there that no wanted grant explains, by unguessable name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub strays: Vec<String>,
    /// The target that it runs on, as an administrator said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub runs_on: Option<ScopeId>,
    /// What administrators say of it. Rules of terms go by these.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub labels: BTreeMap<String, String>,
    /// What it says of itself. A target may lie: rules that go by these only tighten.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub attributes: BTreeMap<String, String>,
    /// Accounts that it says are sealed: emergency holders. They lose nothing, and any use of them is an alarm.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sealed: Vec<Digest>,
    /// When each of those is tried.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub trials: Vec<Trial>,
}

impl Target {
    /// What administrators set of it, as they looked at it before they change it.
    #[must_use]
    pub fn digest(&self) -> Digest {
        let Self { scope, connector, emergency_least, alarm_after, runs_on, labels, .. } = self;
        Digest::of_json(&(scope, connector, emergency_least, alarm_after, runs_on, labels))
    }

    /// Whether it has all of these labels and attributes.
    #[must_use]
    pub fn has(&self, labels: &BTreeMap<String, String>, attributes: &BTreeMap<String, String>) -> bool {
        let all =
            |wanted: &BTreeMap<String, String>, there| wanted.iter().all(|(name, value)| is_said(there, name, value));
        all(labels, &self.labels) && all(attributes, &self.attributes)
    }
}

/// Whether labels or attributes say this under that name. A value wanted with a `*` at its end is one that begins so.
#[must_use]
pub fn is_said(there: &BTreeMap<String, String>, name: &str, value: &str) -> bool {
    there.get(name).is_some_and(|there| match value.strip_suffix('*') {
        Some(beginning) => there.starts_with(beginning),
        None => there == value,
    })
}

/// How much harm a role can do.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema, strum::EnumString,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum Weight {
    /// Daily work.
    Ordinary,
    /// Reads or changes what others depend on.
    Privileged,
    /// Can do everything, or undo its own end.
    Critical,
}

impl fmt::Display for Weight {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Ordinary => "ordinary",
            Self::Privileged => "privileged",
            Self::Critical => "critical",
        })
    }
}

/// How a right ends on its target.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Lapse {
    /// Whether the target ends it by itself, with nothing of ours alive.
    pub by_itself: bool,
    /// How exactly, in seconds.
    pub within: Seconds,
    /// Whether the holder could undo that end while it lasts.
    pub holder_can_undo: bool,
    /// Whether a grant's end can be moved while it is in force.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub movable: bool,
    /// In one plain sentence.
    pub says: String,
}

/// A named set of permissions that a target offers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Role {
    /// Its id.
    pub id: RoleId,
    /// The target that offers it.
    pub target: ScopeId,
    /// Its name there.
    pub name: Words,
    /// What it lets one do, in plain words.
    pub says: Words,
    /// How much harm it can do.
    pub weight: Weight,
    /// Digest of what it permits; a change is a role that grew or shrank.
    pub permits: Digest,
    /// How a grant of it ends.
    pub lapse: Lapse,
    /// Whether the target still offers it.
    pub gone: bool,
}

/// A role at a scope.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
pub struct Right {
    /// The role.
    pub role: RoleId,
    /// Where.
    pub scope: ScopeId,
}

/// How a subject appears on a target.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Account {
    /// Who.
    pub subject: SubjectId,
    /// Where.
    pub target: ScopeId,
    /// The account's name there.
    pub name: Digest,
    /// Who said so; none where a directory did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_at: Option<Timestamp>,
}

impl Account {
    /// The whole of it, as somebody looked at it before they change it.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}

/// A duty within Tempestas.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum DutyKind {
    /// Runs the scope: surveys, conversions, terms, people (at the root).
    Administrator,
    /// Sees everything there, changes nothing.
    Auditor,
    /// Answers for it where terms ask the owners; sees everything there, changes nothing.
    Owner,
}

/// Who has which duty, where.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Duty {
    /// Its id.
    pub id: DutyId,
    /// Who.
    pub subject: SubjectId,
    /// Which.
    pub kind: DutyKind,
    /// Where, and below.
    pub scope: ScopeId,
}

/// That a subject may ask for a right.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Eligibility {
    /// Its id.
    pub id: EligibilityId,
    /// Who may ask.
    pub subject: SubjectId,
    /// For what.
    pub right: Right,
    /// From when.
    pub from: Timestamp,
    /// Until when, where it ends.
    pub until: Option<Timestamp>,
    /// The appointment that made it, or changed it last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<AppointmentId>,
    /// Set while it is suspended: nothing may be asked for by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub paused: Option<Pause>,
}

impl Eligibility {
    /// The whole of it, as somebody looked at it before they change it.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }

    /// Whether it holds at `now`.
    #[must_use]
    pub fn holds(&self, now: Timestamp) -> bool {
        self.from <= now && self.lasts_beyond(now)
    }

    /// Whether it holds at `now`, or comes to.
    pub(crate) fn lasts_beyond(&self, now: Timestamp) -> bool {
        self.paused.is_none() && self.until.is_none_or(|until| now < until)
    }
}

/// Who suspended an eligibility or a rule, and why. It stays as it is, and is resumed without being made anew.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Pause {
    /// Who; none where the machine did.
    pub by: Option<SubjectId>,
    /// When.
    pub at: Timestamp,
    /// Why.
    pub reason: Digest,
}

//! What is said between Tempestas and a host: one request, one reply, each one line of JSON.

use std::collections::BTreeMap;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// The version that this side speaks.
pub const VERSION: u32 = 3;
/// The oldest version that is still served.
pub const OLDEST: u32 = 1;
/// Most bytes of a request.
pub const REQUEST_MOST: u64 = 64 * 1024;
/// Most bytes of a reply.
pub const REPLY_MOST: u64 = 16 * 1024 * 1024;
/// An order older than this many seconds, or as far in the future, is refused.
pub const ORDER_AGE_MOST: i64 = 60;

/// What a host is asked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Request {
    /// The version that the asker speaks.
    pub version: u32,
    /// The installation that asks; part of every mark.
    pub installation: String,
    /// The target that it means; a host that is another refuses.
    pub target: String,
    /// When it was ordered, by the asker's clock.
    pub ordered_at: Timestamp,
    /// What to do.
    pub order: Order,
}

/// What to do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Order {
    /// Tell the clock, and what is missing for the host to be looked after.
    Check,
    /// Read every standing right.
    Survey,
    /// Tell what was done as another account, and who signed in, since a time.
    Activity {
        /// Since when.
        from: Timestamp,
    },
    /// Put a grant in force, with its end.
    Give {
        /// Which.
        grant: Grant,
    },
    /// Move the end of a grant that is in force to a later one, and read it back with that. Since version 3.
    Prolong {
        /// Which, with its later end.
        grant: Grant,
    },
    /// Take a grant away for good, with what runs under it.
    Take {
        /// Which.
        grant: Grant,
    },
    /// Read a grant back.
    Holds {
        /// Which.
        grant: Grant,
    },
    /// Look for what was kept past the end of a grant.
    Leftovers {
        /// Which.
        grant: Grant,
    },
    /// Everything that bears our mark.
    Marked,
    /// Whether a standing right is there.
    HoldsStanding {
        /// Which.
        standing: Standing,
    },
    /// Take a standing right away: that line or member, and nothing else.
    TakeStanding {
        /// Which.
        standing: Standing,
    },
    /// Put a standing right back as it was.
    RestoreStanding {
        /// Which.
        standing: Standing,
    },
    /// Say what would have to change where a right is written, changing nothing. Since version 2.
    Patch {
        /// Which.
        standing: Standing,
    },
    /// Trust exactly these authorities, and hold these certificates void. Since version 2.
    Trust {
        /// Which.
        trusted: Trusted,
    },
}

impl Order {
    /// The oldest version that knows it, which is the one it is sent as: an older program on a host then serves all it can.
    #[must_use]
    pub const fn since(&self) -> u32 {
        match self {
            Self::Prolong { .. } => 3,
            Self::Trust { .. } | Self::Patch { .. } => 2,
            _ => 1,
        }
    }
}

/// Whom a host lets in by certificate.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Trusted {
    /// Authorities for people, as lines of `TrustedUserCAKeys`.
    pub people: Vec<String>,
    /// Authorities for the account that orders come through.
    pub orders: Vec<String>,
    /// Numbers of people's certificates that are void before their end.
    pub revoked: Vec<u64>,
}

/// A grant, as an order names it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Grant {
    /// Its number.
    pub number: u64,
    /// Grows with every try.
    pub attempt: i64,
    /// Its unguessable name.
    pub name: String,
    /// The account that gets it.
    pub account: String,
    /// The role, as the survey named it.
    pub role: String,
    /// When it was ordered.
    pub opened_at: Timestamp,
    /// Its end.
    pub until: Timestamp,
}

/// A standing right, as an order names it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Standing {
    /// Who holds it.
    pub account: String,
    /// The role, as the survey named it.
    pub role: String,
    /// The host's own name for the line or membership.
    pub handle: String,
}

/// What a host answers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reply {
    /// The version that the host speaks.
    pub version: u32,
    /// The host's own clock.
    pub clock: Timestamp,
    /// What came of it.
    pub outcome: Outcome,
}

/// What came of an order.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// It was done.
    Done,
    /// What is missing, each with what to do; nothing where all is well.
    Checked(Vec<String>),
    /// Whether it is there.
    There(bool),
    /// What a survey read.
    Surveyed(Box<Found>),
    /// What was done, as older programs on hosts tell it.
    Activity(Vec<Done>),
    /// What was done.
    Log(Log),
    /// What was kept past an end.
    Leftovers(Vec<Leftover>),
    /// Numbers and names of the grants that the host keeps.
    Marked(Vec<(u64, String)>),
    /// What would have to change, as a unified diff; nothing where no file of text gives the right.
    Patch(Option<String>),
    /// The host ended this grant already.
    Late,
    /// It was not done, and why; it names no account and no secret.
    Refused(String),
}

/// Something that was done, from the host's own log.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Done {
    /// When.
    pub at: Timestamp,
    /// By which account.
    pub account: String,
    /// Roles of that account that allow it.
    pub roles: Vec<String>,
    /// What: `sign in`, or `run` and the program, without arguments.
    pub what: String,
    /// Whether the system itself says who wrote that down. Else it is a claim: any account could have made it.
    #[serde(default)]
    pub attested: bool,
}

/// What was read of a host's own log.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Log {
    /// What was done, in order of time; the earliest, where there is more than fits, but whatever concerns a sealed account.
    pub done: Vec<Done>,
    /// Bytes of it that were not read, because there were too many: something may be hidden in them.
    pub unread: u64,
}

/// What a survey read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Found {
    /// Whether everything was read.
    pub complete: bool,
    /// Our own account there.
    pub broker: String,
    /// Roles that the host offers or that somebody holds.
    pub roles: Vec<Role>,
    /// Accounts that a person or program may use.
    pub accounts: Vec<Account>,
    /// Rights held all the time.
    pub rights: Vec<Held>,
    /// Whether something on the host ends grants also after a restart of it.
    pub keeps_time: bool,
    /// Whether it can move the end of what it gave.
    #[serde(default)]
    pub moves_ends: bool,
    /// What it says of itself.
    #[serde(default)]
    pub attributes: BTreeMap<String, String>,
    /// Accounts that root sealed: emergency holders.
    #[serde(default)]
    pub sealed: Vec<String>,
}

/// A role on a host.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Role {
    /// Its name: `root`, `run:NAME`, `group:NAME` or `sudo:DIGEST`.
    pub name: String,
    /// What it lets one do.
    pub says: String,
    /// Whether whoever holds it can become root.
    pub becomes_root: bool,
    /// Whether it is known to reach further than daily work.
    pub privileged: bool,
    /// Whether the host's bounds let it be given for a time.
    pub offered: bool,
    /// What it permits, for comparing.
    pub permits: Vec<String>,
}

/// An account.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Account {
    /// Its name.
    pub name: String,
    /// When it last signed in, where the host knows.
    pub last_used: Option<Timestamp>,
}

/// A right that is held.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Held {
    /// Who holds it.
    pub account: String,
    /// The role.
    pub role: String,
    /// How it came to be, what the account itself is in first; empty where it is held directly.
    pub chain: Vec<String>,
    /// The host's own name for it, where it can be taken away by itself.
    pub handle: Option<String>,
    /// When what gives it was last written.
    pub since: Option<Timestamp>,
}

/// Power kept past an end.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leftover {
    /// What and where.
    pub what: String,
    /// When it came to be, where the host knows.
    pub when: Option<Timestamp>,
    /// Whether the host ended it.
    pub ended: bool,
    /// Whether somebody must see to it at once.
    #[serde(default)]
    pub alarming: bool,
}

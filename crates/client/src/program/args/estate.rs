//! Verbs about people and targets.

use std::path::PathBuf;

use clap::Subcommand;
use jiff::Timestamp;
use tempestas_core::{DutyKind, Seconds, SubjectKind, label_from};

use super::{GroupArgs, span};

#[derive(Subcommand)]
pub(crate) enum SourceVerb {
    /// List them.
    List,
    /// Have people and groups come from a directory, and read it.
    Set {
        /// Path of the target.
        path: String,
        /// Where people are, as a distinguished name.
        #[arg(long)]
        people: String,
        /// Where groups are; left out, none are imported.
        #[arg(long)]
        groups: Option<String>,
        /// The attribute that people sign in by.
        #[arg(long, default_value = "uid")]
        name: String,
        /// The attribute with the full name.
        #[arg(long, default_value = "cn")]
        about: String,
        /// The attribute that names the manager.
        #[arg(long)]
        manager: Option<String>,
    },
    /// Read one now.
    Read {
        /// Path of the target.
        path: String,
    },
    /// Take in a reading that was held because too many would be gone.
    Accept {
        /// Path of the target.
        path: String,
    },
    /// Have nobody come from it any more; whoever came stays.
    End {
        /// Path of the target.
        path: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum PeopleVerb {
    /// List them.
    List,
    /// Add a person, group or program.
    Add {
        /// Name.
        name: String,
        /// Full name, or what it is for.
        #[arg(long)]
        about: String,
        /// What it is.
        #[arg(long, default_value = "person", value_parser = kind)]
        kind: SubjectKind,
        /// The same human's first sign-in, where this is a second.
        #[arg(long)]
        second_of: Option<String>,
    },
    /// Issue a one-time enrolment secret.
    Enrolment {
        /// For whom.
        name: String,
    },
    /// Suspend somebody, and end what they hold.
    Suspend {
        /// Whom.
        name: String,
    },
    /// Resume somebody.
    Resume {
        /// Whom.
        name: String,
    },
    /// Say which account on a target is theirs.
    Account {
        /// Whose.
        name: String,
        /// Path of the target.
        target: String,
        /// The account's name there.
        account: String,
    },
    /// Say who somebody's manager is, for terms that ask them.
    Manager {
        /// Whose.
        name: String,
        /// Who.
        #[arg(required_unless_present = "none")]
        manager: Option<String>,
        /// Nobody.
        #[arg(long, conflicts_with = "manager")]
        none: bool,
    },
    /// Where people and groups come from: list, set, read, accept, end.
    Source {
        #[command(subcommand)]
        verb: SourceVerb,
    },
    /// Put somebody into a group.
    Join {
        /// The group.
        group: String,
        /// Person, group or program.
        member: String,
    },
    /// Take somebody out of a group.
    Leave {
        /// The group.
        group: String,
        /// Person, group or program.
        member: String,
    },
    /// List duties within Tempestas.
    Duties,
    /// Give a duty.
    Duty {
        /// Person or group.
        name: String,
        /// administrator, auditor or owner.
        #[arg(value_parser = duty)]
        duty: DutyKind,
        /// Path of the scope.
        scope: String,
    },
    /// End a duty.
    EndDuty {
        /// Its id.
        id: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum EnrolVerb {
    /// A PostgreSQL cluster. Its broker's password is read from a file.
    Postgres {
        /// Path, like /harbour/databases/berths.
        path: String,
        /// Host.
        #[arg(long)]
        host: String,
        /// Port.
        #[arg(long, default_value_t = 5432)]
        port: u16,
        /// The broker's login role.
        #[arg(long)]
        user: String,
        /// The database for the broker's own schema.
        #[arg(long)]
        database: String,
        /// Put grants on people's own logins, instead of on a login for the one grant.
        #[arg(long)]
        own_login: bool,
        /// File with the password.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// A Brightwater cloud. Its broker's key is read from a file.
    Brightwater {
        /// Path, like /analytics/brightwater.
        path: String,
        /// Address.
        #[arg(long)]
        url: String,
        /// File with the key.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// A Linux host, over SSH: says what power that is and why, and prints what the host's root has to place.
    Linux {
        /// Path, like /harbour/cranes/crane-1.
        path: String,
        /// Host.
        #[arg(long)]
        host: String,
        /// Port of sshd.
        #[arg(long, default_value_t = 22)]
        port: u16,
        /// The account that orders will come through.
        #[arg(long, default_value = "tempestas")]
        user: String,
        /// File with the host's own public key: a copy of its /etc/ssh/ssh_host_ed25519_key.pub.
        #[arg(long, value_name = "FILE")]
        host_key_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
        /// Wait until nothing is missing on the host, saying meanwhile what is.
        #[arg(long)]
        wait: bool,
    },
    /// A house in Fathom. Its broker's key is read from a file.
    Fathom {
        /// Path, like /terminal/fathom.
        path: String,
        /// Address.
        #[arg(long)]
        url: String,
        /// File with the key.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// A kind of system that a file describes. Its password or key is read from another.
    Described {
        /// Path, like /harbour/gates/controllers.
        path: String,
        /// File with the description.
        #[arg(long, value_name = "FILE")]
        form: PathBuf,
        /// File with the password or key.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// A directory, over LDAP. Our account's password is read from a file.
    Ldap {
        /// Path, like /customs/directory.
        path: String,
        /// Address: ldaps://HOST:PORT, or ldap://HOST:PORT on this machine.
        #[arg(long)]
        url: String,
        /// Our account there, as a distinguished name.
        #[arg(long)]
        user: String,
        /// Where people and groups are, as a distinguished name.
        #[arg(long)]
        base: String,
        /// Where grants are put; `ou=grants` below the base otherwise.
        #[arg(long)]
        grants: Option<String>,
        /// How often the server sweeps entries whose time is over (dds-interval), like 5s.
        #[arg(long, value_parser = span, default_value = "5s")]
        sweep: Seconds,
        /// File with the password.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 0)]
        emergency_least: u32,
    },
}

#[derive(Subcommand)]
pub(crate) enum TargetsVerb {
    /// List them.
    List {
        #[command(flatten)]
        group: GroupArgs,
    },
    /// Add a folder.
    AddFolder {
        /// Path, like /harbour/databases.
        path: String,
    },
    /// Take a system in, to be looked after.
    Enrol {
        #[command(subcommand)]
        kind: EnrolVerb,
    },
    /// Print what a host is given to be looked after: a script for its root, to be read first.
    Enrolment {
        /// Path.
        path: String,
        /// The script that takes all of it away again.
        #[arg(long)]
        undo: bool,
    },
    /// Look whether a target can be looked after, and what is missing.
    Check {
        /// Path.
        path: String,
    },
    /// Look after a target no more; what is on it stays as it is. For a host, prints what takes ours off it again.
    LetGo {
        /// Path.
        path: String,
        /// Why.
        #[arg(long)]
        reason: String,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
    },
    /// Survey a target now.
    Survey {
        /// Path.
        path: String,
    },
    /// Sealed emergency holders, and by when each is to be tried; or that one was.
    Seals {
        /// Path; everywhere where it is left out.
        path: Option<String>,
        /// Its last use was its trial.
        #[arg(long, value_name = "ACCOUNT", requires = "path")]
        tried: Option<String>,
        /// By when it is to be tried again, like 2027-03-01T12:00Z; in 90 days where it is left out.
        #[arg(long, requires = "tried")]
        next: Option<Timestamp>,
    },
    /// Take in a survey that was held.
    Accept {
        /// Path.
        path: String,
    },
    /// The SSH certificate authorities and which hosts trust them; or one pair following another.
    Authorities {
        /// The step: `announce` a next pair to hosts, `switch` to it, `finish` with the past one.
        #[arg(value_parser = ["announce", "switch", "finish"])]
        step: Option<String>,
        /// Go on though some hosts were not told; they have to be enrolled anew.
        #[arg(long, requires = "step")]
        leave_behind: bool,
    },
    /// Change settings.
    Set {
        /// Path.
        path: String,
        /// Least number of accounts that keep a critical right.
        #[arg(long)]
        emergency_least: Option<u32>,
        /// How long a taking-away may be late before it is an alarm, like 1m.
        #[arg(long, value_parser = span)]
        alarm_after: Option<Seconds>,
        /// File with a new password or key of the broker.
        #[arg(long)]
        secret_file: Option<PathBuf>,
        /// Path of the target that it runs on, so that ways through it are known; empty for none.
        #[arg(long)]
        runs_on: Option<String>,
        /// For PostgreSQL: put grants on people's own logins (true), or on a login for the one grant (false).
        #[arg(long)]
        own_login: Option<bool>,
        /// What you say of it, like stage=production, in place of what was said; may be given several times, empty for
        /// nothing.
        #[arg(long = "label", value_parser = label)]
        labels: Vec<(String, String)>,
    },
}

impl TargetsVerb {
    /// All of them.
    pub(crate) const fn list() -> Self {
        Self::List { group: GroupArgs { label: None, says: None } }
    }
}

fn label(text: &str) -> Result<(String, String), String> {
    if text.is_empty() {
        return Ok((String::new(), String::new()));
    }
    let (name, value) = label_from(text).map_err(|refusal| refusal.to_string())?;
    Ok((name.to_owned(), value.to_owned()))
}

fn word<T: serde::de::DeserializeOwned>(text: &str, known: &str) -> Result<T, String> {
    serde_json::from_value(serde_json::Value::String(text.to_owned())).map_err(|_| format!("one of {known}"))
}

fn kind(text: &str) -> Result<SubjectKind, String> {
    word(text, "person, group, program")
}

fn duty(text: &str) -> Result<DutyKind, String> {
    word(text, "administrator, auditor, owner")
}

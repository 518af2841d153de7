//! What the host's own root allows, whoever orders it: `/etc/tempestas/host.toml`.

use std::{collections::BTreeMap, os::unix::fs::MetadataExt as _, path::Path};

use jiff::{SignedDuration, Timestamp};
use serde::Deserialize;

use super::{Failed, accounts::Account};
use crate::protocol::Grant;

/// Below this uid are the accounts of the system itself.
const FIRST_PERSON: u32 = 1000;

/// The bounds of a host. Nothing beyond them is done, even for a stolen certificate authority.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Bounds {
    /// The installation that may order.
    pub(crate) installation: String,
    /// The name of this host in certificates.
    pub(crate) target: String,
    /// The account that orders come through.
    pub(crate) service: String,
    /// Longest time of a grant.
    pub(crate) longest: SignedDuration,
    /// Whether `root`, all commands, may be given.
    #[serde(default)]
    pub(crate) all_commands: bool,
    /// Groups whose membership may be given.
    #[serde(default)]
    pub(crate) groups: Vec<String>,
    /// Lists of commands that may be given, by name, each as sudoers takes it.
    #[serde(default)]
    pub(crate) commands: BTreeMap<String, Vec<String>>,
    /// Accounts that get nothing and lose nothing: the sealed emergency holders.
    #[serde(default)]
    pub(crate) sealed: Vec<String>,
    /// What the host says of itself, besides its system.
    #[serde(default)]
    pub(crate) attributes: BTreeMap<String, String>,
    /// How long after its taking a standing right may be put back.
    #[serde(default = "ninety_days")]
    pub(crate) undo_within: SignedDuration,
    /// Whether orders may change which authorities are trusted here.
    #[serde(default = "yes")]
    pub(crate) follow_authorities: bool,
}

const fn ninety_days() -> SignedDuration {
    SignedDuration::from_hours(90 * 24)
}

const fn yes() -> bool {
    true
}

impl Bounds {
    /// Reads the file; refuses one that others than root could have written.
    pub(crate) fn read(path: &Path, owner: u32) -> Result<Self, Failed> {
        let says = path.display();
        let meta = std::fs::symlink_metadata(path).map_err(|error| Failed(format!("{says} can't be read: {error}")))?;
        if !meta.is_file() || meta.uid() != owner || meta.mode() & 0o022 != 0 {
            return Err(Failed(format!("{says} must be a file of root that nobody else may write")));
        }
        let text = std::fs::read_to_string(path).map_err(|error| Failed(format!("{says} can't be read: {error}")))?;
        let bounds: Self =
            toml::from_str(&text).map_err(|error| Failed(format!("{says} is not as it should be: {error}")))?;
        for (name, commands) in &bounds.commands {
            if !is_word(name) || commands.is_empty() || !commands.iter().all(|command| is_command(command)) {
                return Err(Failed(format!(
                    "{says}: `{name}` must be a word, with commands that begin with `/` and hold no line break"
                )));
            }
        }
        Ok(bounds)
    }

    /// Whether a grant is within the bounds, for this account, at this moment.
    pub(crate) fn allow(&self, grant: &Grant, account: &Account, now: Timestamp) -> Result<(), Failed> {
        let refused = |why: String| Err(Failed(why));
        self.may_be_given(account)?;
        if grant.until <= now {
            return refused("its end is past".to_owned());
        }
        if grant.until.duration_since(now) > self.longest {
            return refused(format!("it is longer than the {:#} that host.toml allows", self.longest));
        }
        if self.offers(&grant.role) {
            Ok(())
        } else {
            refused("host.toml doesn't allow the role to be given".to_owned())
        }
    }

    /// Whether anything at all may be given to an account.
    pub(crate) fn may_be_given(&self, account: &Account) -> Result<(), Failed> {
        if account.uid == 0 || account.uid < FIRST_PERSON || account.name == self.service {
            return Err(Failed("the account is root's, the system's or the service's own".to_owned()));
        }
        if self.sealed.contains(&account.name) {
            return Err(Failed("the account is sealed in host.toml".to_owned()));
        }
        Ok(())
    }

    /// Whether a role may be given here.
    pub(crate) fn offers(&self, role: &str) -> bool {
        match role.split_once(':') {
            None => role == "root" && self.all_commands,
            Some(("run", name)) => self.commands.contains_key(name),
            Some(("group", name)) => self.groups.iter().any(|known| known == name),
            Some(_) => false,
        }
    }

    /// The commands of a role, as sudoers takes them; none where it is no role of commands.
    pub(crate) fn commands_of(&self, role: &str) -> Option<String> {
        match role.split_once(':') {
            None if role == "root" => Some("ALL".to_owned()),
            Some(("run", name)) => self.commands.get(name).map(|commands| commands.join(", ")),
            _ => None,
        }
    }
}

/// A name of ours: what can stand in a file name and in sudoers with nothing to escape.
pub(crate) fn is_word(text: &str) -> bool {
    (1..=64).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
}

fn is_command(text: &str) -> bool {
    text.starts_with('/') && !text.contains(['\n', '\r', '\0', ',', '#', '\\'])
}

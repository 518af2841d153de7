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
        self.allow_length(now, grant.until)?;
        if self.offers(&grant.role) {
            Ok(())
        } else {
            refused("host.toml doesn't allow the role to be given".to_owned())
        }
    }

    /// Refuses a grant that would last longer than is allowed here, however often its end was moved.
    pub(crate) fn allow_length(&self, from: Timestamp, until: Timestamp) -> Result<(), Failed> {
        if until.duration_since(from) > self.longest {
            return Err(Failed(format!("it is longer than the {:#} that host.toml allows", self.longest)));
        }
        Ok(())
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

#[cfg(test)]
mod tests {
    use super::*;

    const BOUNDS: &str = r#"
installation = "pier"
target = "t7-pier"
service = "tempestas"
longest = "8h"
groups = ["adm"]
sealed = ["warden"]
[commands]
restart = ["/usr/bin/systemctl restart berthd", "/usr/bin/systemctl status berthd"]
"#;

    fn bounds(more: &str) -> Bounds {
        toml::from_str(&format!("{more}{BOUNDS}")).expect("bounds")
    }

    fn account(name: &str, uid: u32) -> Account {
        Account { name: name.to_owned(), uid, gid: uid, home: format!("/home/{name}"), shell: "/bin/bash".to_owned() }
    }

    fn grant(role: &str, lasts: SignedDuration) -> Grant {
        Grant {
            number: 7,
            attempt: 1,
            name: "tpabc".to_owned(),
            account: "tomas".to_owned(),
            role: role.to_owned(),
            opened_at: now(),
            until: now() + lasts,
        }
    }

    fn now() -> Timestamp {
        "2026-11-20T12:00:00Z".parse().expect("a time")
    }

    #[test]
    fn a_role_is_given_only_where_the_file_names_it() {
        let (bounds, all) = (bounds(""), bounds("all_commands = true\n"));
        for (role, named, with_all) in [
            ("root", false, true),
            ("run:restart", true, true),
            ("run:anything", false, false),
            ("group:adm", true, true),
            ("group:sudo", false, false),
            ("as:oda", false, false),
            ("", false, false),
        ] {
            assert_eq!((bounds.offers(role), all.offers(role)), (named, with_all), "{role:?}");
            let allowed = bounds.allow(&grant(role, SignedDuration::from_hours(1)), &account("tomas", 1001), now());
            assert_eq!(allowed.is_ok(), named, "{role:?}");
        }
    }

    #[test]
    fn the_commands_of_a_role_are_those_of_the_file() {
        let bounds = bounds("");
        assert_eq!(bounds.commands_of("root").as_deref(), Some("ALL"));
        let restart = "/usr/bin/systemctl restart berthd, /usr/bin/systemctl status berthd";
        assert_eq!(bounds.commands_of("run:restart").as_deref(), Some(restart));
        assert_eq!((bounds.commands_of("run:other"), bounds.commands_of("group:adm")), (None, None));
    }

    #[test]
    fn nothing_is_given_to_root_the_system_the_service_or_who_is_sealed() {
        let bounds = bounds("");
        for (name, uid, may) in [
            ("tomas", 1001, true),
            ("root", 0, false),
            ("toor", 0, false),
            ("www-data", 33, false),
            ("tempestas", 1002, false),
            ("warden", 1003, false),
        ] {
            assert_eq!(bounds.may_be_given(&account(name, uid)).is_ok(), may, "{name}");
        }
    }

    #[test]
    fn a_grant_ends_in_time_to_come_and_no_later_than_the_file_says() {
        let bounds = bounds("");
        let lasting = |seconds| {
            let grant = grant("group:adm", SignedDuration::from_secs(seconds));
            bounds.allow(&grant, &account("tomas", 1001), now()).is_ok()
        };
        assert_eq!([-1, 0, 1, 8 * 3600, 8 * 3600 + 1].map(lasting), [false, false, true, true, false]);
    }

    #[test]
    fn what_stands_in_sudoers_is_a_word_or_one_command() {
        for (text, word, command) in [
            ("restart-1", true, false),
            ("", false, false),
            ("a b", false, false),
            ("a:b", false, false),
            ("/bin/true", false, true),
            ("/bin/true -x y", false, true),
            ("bin/true", false, false),
            ("/bin/true, ALL", false, false),
            ("/bin/true\nALL", false, false),
            ("/bin/true \\", false, false),
            ("/bin/true # not", false, false),
            ("/bin/\0", false, false),
        ] {
            assert_eq!((is_word(text), is_command(text)), (word, command), "{text:?}");
        }
        assert!(is_word(&"a".repeat(64)) && !is_word(&"a".repeat(65)));
    }
}

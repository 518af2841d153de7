//! Accounts and groups of the host.

use std::process::Command;

use super::{Failed, Host};

/// An account, as `passwd(5)` has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Account {
    pub(crate) name: String,
    pub(crate) uid: u32,
    pub(crate) gid: u32,
    pub(crate) home: String,
    pub(crate) shell: String,
}

impl Account {
    fn parse(line: &str) -> Option<Self> {
        let mut fields = line.split(':');
        let (name, _, uid, gid, _, home, shell) = (
            fields.next()?,
            fields.next()?,
            fields.next()?,
            fields.next()?,
            fields.next()?,
            fields.next()?,
            fields.next()?,
        );
        Some(Self {
            name: name.to_owned(),
            uid: uid.parse().ok()?,
            gid: gid.parse().ok()?,
            home: home.to_owned(),
            shell: shell.to_owned(),
        })
    }

    /// Whether somebody could sign in with it.
    pub(crate) fn signs_in(&self) -> bool {
        !self.shell.ends_with("/nologin") && !self.shell.ends_with("/false") && !self.shell.ends_with("/sync")
    }
}

/// A group, as `group(5)` has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Group {
    pub(crate) name: String,
    pub(crate) gid: u32,
    pub(crate) members: Vec<String>,
}

impl Group {
    fn parse(line: &str) -> Option<Self> {
        let mut fields = line.split(':');
        let (name, _, gid, members) = (fields.next()?, fields.next()?, fields.next()?, fields.next()?);
        Some(Self {
            name: name.to_owned(),
            gid: gid.parse().ok()?,
            members: members.split(',').filter(|name| !name.is_empty()).map(str::to_owned).collect(),
        })
    }
}

impl Host {
    pub(crate) fn accounts(&self) -> Result<Vec<Account>, Failed> {
        Ok(self.text(&self.at("/etc/passwd"))?.lines().filter_map(Account::parse).collect())
    }

    pub(crate) fn groups(&self) -> Result<Vec<Group>, Failed> {
        Ok(self.text(&self.at("/etc/group"))?.lines().filter_map(Group::parse).collect())
    }

    /// One account by name; where the files don't have it, whatever directory the host asks may.
    pub(crate) fn account(&self, name: &str) -> Result<Option<Account>, Failed> {
        if let Some(known) = self.accounts()?.into_iter().find(|account| account.name == name) {
            return Ok(Some(known));
        }
        if !self.is_real() || !is_login(name) {
            return Ok(None);
        }
        let output = Command::new("getent").args(["passwd", "--", name]).output();
        let text = output.map(|output| String::from_utf8_lossy(&output.stdout).into_owned()).unwrap_or_default();
        Ok(text.lines().find_map(Account::parse).filter(|account| account.name == name))
    }
}

/// What may be handed to a program as the name of an account.
pub(crate) fn is_login(name: &str) -> bool {
    (1..=64).contains(&name.len())
        && !name.starts_with('-')
        && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"._-@".contains(&byte))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_read_as_passwd_and_group_have_them() {
        let tomas = Account::parse("tomas:x:1001:1002:Tomas Reyes,,,:/home/tomas:/bin/bash").expect("an account");
        assert_eq!((tomas.name.as_str(), tomas.uid, tomas.gid), ("tomas", 1001, 1002));
        assert_eq!((tomas.home.as_str(), tomas.shell.as_str()), ("/home/tomas", "/bin/bash"));
        for broken in
            ["", "tomas", "tomas:x:1001:1002::/home/tomas", "tomas:x:-1:0::/:/bin/sh", "tomas:x::0::/:/bin/sh"]
        {
            assert_eq!(Account::parse(broken), None, "{broken:?}");
        }
        let adm = Group::parse("adm:x:4:tomas,,oda").expect("a group");
        assert_eq!((adm.gid, adm.members), (4, vec!["tomas".to_owned(), "oda".to_owned()]));
        assert_eq!(Group::parse("empty:x:5:").map(|group| group.members), Some(Vec::new()));
        assert_eq!(Group::parse("adm:x:four:tomas"), None);
    }

    #[test]
    fn a_shell_that_lets_nobody_in_is_no_way_to_sign_in() {
        for (shell, signs_in) in [
            ("/bin/bash", true),
            ("", true),
            ("/usr/sbin/nologin", false),
            ("/bin/false", false),
            ("/bin/sync", false),
            ("/opt/falsework", true),
        ] {
            let line = format!("a:x:1001:1001::/home/a:{shell}");
            assert_eq!(Account::parse(&line).map(|one| one.signs_in()), Some(signs_in), "{shell:?}");
        }
    }

    #[test]
    fn no_name_is_handed_on_that_a_program_would_take_for_something_else() {
        for (name, is) in [
            ("tomas.reyes", true),
            ("reyes@port", true),
            ("t_reyes-2", true),
            ("-rf", false),
            ("--help", false),
            ("a b", false),
            ("a;b", false),
            ("a\nb", false),
            ("", false),
        ] {
            assert_eq!(is_login(name), is, "{name:?}");
        }
    }
}

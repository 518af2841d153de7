//! Ways to root that no rule spells out: commands that open a shell, files of the system that others may write, one
//! account's key in another's `authorized_keys`.

use std::{
    collections::{BTreeMap, BTreeSet},
    os::unix::fs::MetadataExt as _,
    path::Path,
};

use super::{
    Failed, Host,
    accounts::{Account, Group},
};
use crate::protocol::{Held, Role};

/// Programs that run whatever their user types, whatever they were started with.
const SHELLS: [&str; 38] = [
    "sh", "bash", "dash", "zsh", "ksh", "csh", "tcsh", "fish", "busybox", "su", "sudo", "sudoedit", "vi", "vim",
    "view", "nvim", "nano", "emacs", "ed", "ex", "less", "more", "man", "pg", "perl", "python", "python3", "ruby",
    "lua", "node", "gdb", "screen", "tmux", "script", "visudo", "vipw", "ftp", "sftp",
];
/// Programs that run, or write, whatever their arguments say: where those are free, as good as a shell.
const FREE: [&str; 52] = [
    "awk",
    "gawk",
    "mawk",
    "find",
    "xargs",
    "env",
    "nice",
    "nohup",
    "timeout",
    "setsid",
    "stdbuf",
    "time",
    "watch",
    "tar",
    "zip",
    "cpio",
    "rsync",
    "scp",
    "ssh",
    "cp",
    "mv",
    "ln",
    "install",
    "dd",
    "tee",
    "sed",
    "chmod",
    "chown",
    "chgrp",
    "setfacl",
    "setcap",
    "mount",
    "crontab",
    "at",
    "systemctl",
    "systemd-run",
    "service",
    "docker",
    "podman",
    "lxc",
    "kubectl",
    "apt",
    "apt-get",
    "dpkg",
    "rpm",
    "yum",
    "dnf",
    "git",
    "make",
    "useradd",
    "usermod",
    "passwd",
];
/// What is root's, because whoever may write it becomes root.
const ROOTS_OWN: [&str; 17] = [
    "/etc/passwd",
    "/etc/shadow",
    "/etc/group",
    "/etc/sudoers",
    "/etc/sudoers.d",
    "/etc/crontab",
    "/etc/cron.d",
    "/etc/cron.daily",
    "/var/spool/cron/crontabs",
    "/etc/systemd/system",
    "/etc/pam.d",
    "/etc/ssh",
    "/etc/profile.d",
    "/etc/ld.so.conf.d",
    "/root",
    "/root/.ssh",
    "/etc/tempestas",
];

impl Host {
    /// Why a list of commands, run as root, is as good as root; nothing where we know of no reason.
    pub(crate) fn escapes(&self, commands: &[String]) -> Option<String> {
        commands.iter().filter(|command| !command.starts_with('!')).find_map(|command| {
            let (program, arguments) = command.split_once(' ').unwrap_or((command, ""));
            let name = program.rsplit('/').next().unwrap_or_default();
            // Without arguments in the rule any are allowed; two quotes mean none.
            let is_free = arguments.trim().is_empty() || arguments.contains(['*', '?', '[', '^']);
            if SHELLS.contains(&name) {
                return Some(format!("{program} runs whatever is typed into it"));
            }
            if is_free && arguments.trim() != "\"\"" && FREE.contains(&name) {
                return Some(format!("{program} does whatever its arguments say, and those are free"));
            }
            let who = self.others_write(Path::new(program))?;
            Some(format!("{program} may be replaced by {who}"))
        })
    }

    /// Who but root may write a file, or put another in its place.
    fn others_write(&self, path: &Path) -> Option<String> {
        [Some(path), path.parent()].into_iter().flatten().find_map(|path| {
            let meta = std::fs::metadata(self.at(&path.to_string_lossy())).ok()?;
            let everybody = meta.mode() & 0o002 != 0 && meta.mode() & 0o1000 == 0;
            match (everybody, meta.uid(), meta.gid(), meta.mode() & 0o020 != 0) {
                (true, ..) => Some("everybody".to_owned()),
                (_, uid, ..) if uid != self.owner() => Some(format!("uid {uid}")),
                (_, _, gid, true) if gid != self.owner() => Some(format!("members of group {gid}")),
                _ => None,
            }
        })
    }

    /// The uid and gid that root's files have: root's, but for tests.
    fn owner(&self) -> u32 {
        if self.is_real() { 0 } else { rustix::process::geteuid().as_raw() }
    }

    /// Who may write what makes root of whoever writes it.
    pub(crate) fn writers(&self, accounts: &[Account], groups: &[Group]) -> Vec<Held> {
        let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for path in ROOTS_OWN {
            let Ok(meta) = std::fs::metadata(self.at(path)) else { continue };
            let mut writers: BTreeSet<String> = BTreeSet::new();
            let mut why = format!("may write {path}");
            if meta.mode() & 0o002 != 0 {
                writers
                    .extend(accounts.iter().filter(|account| account.signs_in()).map(|account| account.name.clone()));
            }
            // Some of them belong to a group of their own, which has no members.
            if meta.mode() & 0o020 != 0
                && let Some(group) = groups.iter().find(|group| group.gid == meta.gid() && meta.gid() != self.owner())
            {
                writers.extend(group.members.iter().cloned());
                writers.extend(accounts.iter().filter(|one| one.gid == group.gid).map(|one| one.name.clone()));
                why = format!("%{} {why}", group.name);
            }
            if meta.uid() != self.owner() {
                writers.extend(accounts.iter().filter(|one| one.uid == meta.uid()).map(|one| one.name.clone()));
            }
            for name in writers {
                found.entry(name).or_default().push(why.clone());
            }
        }
        let root = |name: &String| accounts.iter().any(|one| one.name == *name && one.uid == 0);
        let held = |(account, chain): (String, Vec<String>)| Held {
            account,
            role: "root".to_owned(),
            // One is enough to be root by; the survey says which first.
            chain: chain.into_iter().take(1).collect(),
            handle: None,
            since: None,
        };
        found.into_iter().filter(|(name, _)| !root(name)).map(held).collect()
    }

    /// Whose keys open another account: root's, or one of `powerful`, which hold something here.
    pub(crate) fn crossing_keys(
        &self,
        accounts: &[Account],
        powerful: &BTreeSet<String>,
    ) -> Result<(Vec<Held>, Vec<Role>), Failed> {
        let mut opens: BTreeMap<String, Vec<(&Account, String)>> = BTreeMap::new();
        for account in accounts.iter().filter(|one| one.uid == 0 || powerful.contains(&one.name)) {
            for key in self.keys_of(account)? {
                if let Some(blob) = key.blob() {
                    opens.entry(blob.to_owned()).or_default().push((account, key.name.clone()));
                }
            }
        }
        let (mut rights, mut roles) = (Vec::new(), Vec::new());
        for owner in accounts.iter().filter(|one| one.uid != 0) {
            for blob in self.own_keys(owner)? {
                for (opened, key) in opens.get(&blob).into_iter().flatten() {
                    // Accounts may share a home, and so its keys.
                    if opened.name == owner.name || opened.home == owner.home {
                        continue;
                    }
                    let role = if opened.uid == 0 { "root".to_owned() } else { format!("as:{}", opened.name) };
                    let chain = vec![format!("its {key} in authorized_keys of {}", opened.name)];
                    if opened.uid != 0 {
                        roles.push(Role {
                            name: role.clone(),
                            says: format!("signs in as {} with a key of its own", opened.name),
                            becomes_root: false,
                            privileged: true,
                            offered: false,
                            permits: vec![role.clone()],
                        });
                    }
                    rights.push(Held { account: owner.name.clone(), role, chain, handle: None, since: None });
                }
            }
        }
        rights.sort_by(|a, b| (&a.account, &a.role).cmp(&(&b.account, &b.role)));
        rights.dedup_by(|a, b| (&a.account, &a.role) == (&b.account, &b.role));
        Ok((rights, roles))
    }

    /// Keys that an account has the other half of: its public key files, and those that sign in as it.
    fn own_keys(&self, account: &Account) -> Result<BTreeSet<String>, Failed> {
        let mut keys: BTreeSet<String> =
            self.keys_of(account)?.iter().filter_map(|key| key.blob().map(str::to_owned)).collect();
        let Ok(entries) = std::fs::read_dir(self.at(&account.home).join(".ssh")) else { return Ok(keys) };
        for path in entries.flatten().map(|entry| entry.path()) {
            if path.extension().is_some_and(|end| end == "pub")
                && let Ok(text) = self.text(&path)
            {
                keys.extend(text.split_whitespace().find(|word| word.starts_with("AAAA")).map(str::to_owned));
            }
        }
        Ok(keys)
    }
}

#[cfg(test)]
mod tests {
    use std::{fs, os::unix::fs::PermissionsExt as _};

    use super::{super::testing::host, *};

    const KEY: &str = "AAAAC3NzaC1lZDI1NTE5AAAAIF7kTQ3KwqAxv9QWcqf6C3wKkq9zv0m4c1q0v0Qm3h3k";

    fn account(name: &str, uid: u32) -> Account {
        let home = if uid == 0 { "/root".to_owned() } else { format!("/home/{name}") };
        Account { name: name.to_owned(), uid, gid: 50_000 + uid, home, shell: "/bin/bash".to_owned() }
    }

    fn held(rights: &[Held]) -> Vec<(&str, &str, Vec<&str>)> {
        rights
            .iter()
            .map(|one| (one.account.as_str(), one.role.as_str(), one.chain.iter().map(String::as_str).collect()))
            .collect()
    }

    #[test]
    fn a_list_of_commands_is_as_good_as_root_where_one_of_them_runs_or_writes_anything() {
        let (_root, host) = host(&[("usr/bin/cat", "", 0o755), ("opt/tool", "", 0o777), ("usr/bin/less", "", 0o755)]);
        let why =
            |commands: &[&str]| host.escapes(&commands.iter().map(|command| (*command).to_owned()).collect::<Vec<_>>());
        for (commands, says) in [
            (vec!["/usr/bin/cat /var/log/syslog"], None),
            (vec!["/usr/bin/less /var/log/syslog"], Some("/usr/bin/less runs whatever is typed into it")),
            (vec!["/usr/bin/find"], Some("/usr/bin/find does whatever its arguments say, and those are free")),
            (
                vec!["/usr/bin/find /srv -name *"],
                Some("/usr/bin/find does whatever its arguments say, and those are free"),
            ),
            (vec!["/usr/bin/systemctl restart berthd"], None),
            (vec!["/usr/bin/find \"\""], None),
            (vec!["!/bin/bash"], None),
            (vec!["/usr/bin/cat", "/bin/bash"], Some("/bin/bash runs whatever is typed into it")),
            (vec!["/opt/tool --status"], Some("/opt/tool may be replaced by everybody")),
        ] {
            assert_eq!(why(&commands).as_deref(), says, "{commands:?}");
        }
    }

    #[test]
    fn a_program_in_a_directory_that_others_write_may_be_replaced_unless_the_directory_keeps_names() {
        let (root, host) = host(&[("opt/bin/tool", "", 0o755)]);
        let mode =
            |mode| fs::set_permissions(root.path().join("opt/bin"), fs::Permissions::from_mode(mode)).expect("a mode");
        let why = || host.escapes(&["/opt/bin/tool".to_owned()]);
        mode(0o755);
        assert_eq!(why(), None);
        mode(0o777);
        assert_eq!(why().as_deref(), Some("/opt/bin/tool may be replaced by everybody"));
        mode(0o1777);
        assert_eq!(why(), None, "as /tmp is");
    }

    #[test]
    fn whoever_may_write_what_is_roots_is_root_and_is_told_once() {
        let (_root, host) = host(&[("etc/passwd", "", 0o666), ("etc/crontab", "", 0o602), ("etc/group", "", 0o644)]);
        let mut locked = account("print", 1003);
        locked.shell = "/usr/sbin/nologin".to_owned();
        let accounts = [account("root", 0), account("tomas", 1001), locked];
        let found = host.writers(&accounts, &[]);
        assert_eq!(held(&found), [("tomas", "root", vec!["may write /etc/passwd"])]);
    }

    #[test]
    fn a_key_of_ones_own_in_anothers_file_is_that_accounts_power() {
        let opens = format!("ssh-ed25519 {KEY} tomas at the pier\n");
        let (_root, host) = host(&[
            ("root/.ssh/authorized_keys", &opens, 0o600),
            ("home/berth/.ssh/authorized_keys", &opens, 0o600),
            ("home/oda/.ssh/authorized_keys", &opens, 0o600),
            ("home/tomas/.ssh/id_ed25519.pub", &opens, 0o644),
        ]);
        let accounts = [account("root", 0), account("berth", 1002), account("tomas", 1001), account("oda", 1003)];
        let powerful = BTreeSet::from(["berth".to_owned()]);
        let (rights, roles) = host.crossing_keys(&accounts, &powerful).expect("keys");
        let tomas: Vec<_> = rights.iter().filter(|one| one.account == "tomas").map(|one| one.role.as_str()).collect();
        assert_eq!(tomas, ["as:berth", "root"], "oda holds nothing, so her file opens nothing of note");
        assert!(roles.iter().all(|role| role.name == "as:berth" && role.privileged && !role.becomes_root));
    }

    #[test]
    fn accounts_that_share_a_home_share_its_keys_and_nothing_crosses() {
        let opens = format!("ssh-ed25519 {KEY} both\n");
        let (_root, host) = host(&[("home/berth/.ssh/authorized_keys", &opens, 0o600)]);
        let mut night = account("night", 1004);
        night.home = "/home/berth".to_owned();
        let powerful = BTreeSet::from(["berth".to_owned()]);
        let (rights, _) = host.crossing_keys(&[account("berth", 1002), night], &powerful).expect("keys");
        assert_eq!(held(&rights), []);
    }
}

//! Who holds power on the host all the time: sudo's rules, groups that reach far, uid 0, keys of root.

use std::{collections::BTreeMap, os::unix::fs::MetadataExt as _, path::Path};

use jiff::Timestamp;

use super::{
    Failed, Host,
    accounts::{Account, Group},
    sudoers::{Line, Named, Rule},
    timers,
};
use crate::protocol::{self, Found, Held, Role};

/// Groups whose members reach further than daily work, whether they can become root by it, and how.
const GROUPS: [(&str, bool, &str); 12] = [
    ("root", false, "writes what belongs to root's group"),
    ("sudo", true, "uses sudo, as the distribution sets it up"),
    ("wheel", true, "uses sudo, as the distribution sets it up"),
    ("admin", true, "uses sudo, as the distribution sets it up"),
    ("docker", true, "starts containers, and so becomes root"),
    ("lxd", true, "starts containers, and so becomes root"),
    ("libvirt", true, "starts virtual machines, and so becomes root"),
    ("disk", true, "reads and writes the disks themselves, past every permission"),
    ("shadow", true, "reads the hashes of all passwords"),
    ("kmem", true, "reads the kernel's memory"),
    ("adm", false, "reads the system's logs"),
    ("systemd-journal", false, "reads the system's logs"),
];

/// Bytes of one account's entry in `/var/log/lastlog`: time, terminal, host.
const LASTLOG: u64 = 4 + 32 + 256;

impl Host {
    pub(crate) fn survey(&self) -> Result<Found, Failed> {
        let accounts = self.accounts()?;
        let mut groups = self.groups()?;
        // A membership that came with a grant is no standing right.
        for kept in self.kept().iter().filter(|kept| kept.joined) {
            for group in groups.iter_mut().filter(|group| kept.group() == Some(&group.name)) {
                group.members.retain(|name| *name != kept.grant.account);
            }
        }
        let rules = self.rules()?;
        let mut roles = BTreeMap::new();
        for role in self.offered() {
            roles.insert(role.name.clone(), role);
        }
        let mut rights = Vec::new();
        for rule in rules.iter().filter(|rule| !self.is_ours(&rule.line)) {
            let role = self.role_of(rule);
            rights.extend(self.holders(rule, &role.name, &accounts, &groups));
            roles.entry(role.name.clone()).or_insert(role);
        }
        self.memberships(&accounts, &groups, &mut roles, &mut rights);
        self.roots(&accounts, &mut roles, &mut rights)?;
        rights.extend(self.writers(&accounts, &groups));
        let powerful = rights.iter().map(|held| held.account.clone()).collect();
        let (crossing, opened) = self.crossing_keys(&accounts, &powerful)?;
        rights.extend(crossing);
        if rights.iter().any(|held| held.role == "root") {
            roles.entry("root".to_owned()).or_insert_with(|| self.everything());
        }
        roles.extend(opened.into_iter().map(|role| (role.name.clone(), role)));
        Ok(Found {
            complete: true,
            broker: self.bounds.service.clone(),
            roles: roles.into_values().collect(),
            accounts: accounts
                .iter()
                .filter(|account| account.signs_in())
                .map(|account| protocol::Account { name: account.name.clone(), last_used: self.last_used(account.uid) })
                .collect(),
            rights,
            keeps_time: timers::survives_restart(),
            moves_ends: true,
            attributes: self.attributes(),
            sealed: self
                .bounds
                .sealed
                .iter()
                .filter(|name| accounts.iter().any(|one| one.name == **name))
                .cloned()
                .collect(),
        })
    }

    /// What the host says of itself: its system, and what host.toml adds.
    fn attributes(&self) -> BTreeMap<String, String> {
        let mut said = self.bounds.attributes.clone();
        let release = self.text(&self.at("/etc/os-release")).unwrap_or_default();
        let of = |name: &str| {
            release
                .lines()
                .find_map(|line| line.strip_prefix(name)?.strip_prefix('='))
                .map(|value| value.trim_matches('"').to_owned())
        };
        if let Some(system) = of("ID") {
            let version = of("VERSION_ID").map_or_else(String::new, |version| format!(" {version}"));
            said.insert("system".to_owned(), format!("{system}{version}"));
        }
        said
    }

    /// Roles that the bounds let be given.
    fn offered(&self) -> Vec<Role> {
        let mut offered = Vec::new();
        if self.bounds.all_commands {
            offered.push(self.everything());
        }
        for (name, commands) in &self.bounds.commands {
            offered.push(self.listed(name, commands.clone()));
        }
        offered.extend(self.bounds.groups.iter().map(|name| self.membership_role(name)));
        offered
    }

    /// A list of commands that the bounds name.
    fn listed(&self, name: &str, commands: Vec<String>) -> Role {
        let escape = self.escapes(&commands);
        let more = escape.as_ref().map_or_else(String::new, |why| format!("; as good as root, for {why}"));
        Role {
            name: format!("run:{name}"),
            says: format!("runs as root: {}{more}", commands.join(", ")),
            becomes_root: escape.is_some(),
            privileged: true,
            offered: true,
            permits: commands,
        }
    }

    fn everything(&self) -> Role {
        Role {
            name: "root".to_owned(),
            says: "runs every command as root, by sudo".to_owned(),
            becomes_root: true,
            privileged: true,
            offered: self.bounds.offers("root"),
            permits: vec!["ALL".to_owned()],
        }
    }

    fn membership_role(&self, group: &str) -> Role {
        let known = GROUPS.iter().find(|(name, ..)| *name == group);
        let name = format!("group:{group}");
        Role {
            says: known.map_or_else(|| format!("is a member of the group {group}"), |(.., says)| (*says).to_owned()),
            becomes_root: known.is_some_and(|(_, root, _)| *root),
            privileged: known.is_some(),
            offered: self.bounds.offers(&name),
            permits: vec![name.clone()],
            name,
        }
    }

    /// What a rule allows, as a role: all, a list of the bounds, or a list of its own.
    pub(crate) fn role_of(&self, rule: &Rule) -> Role {
        if rule.as_root && rule.commands.iter().any(|command| command == "ALL") {
            return self.everything();
        }
        let mut commands = rule.commands.clone();
        commands.sort();
        for (name, known) in self.bounds.commands.iter().filter(|_| rule.as_root) {
            let mut known = known.clone();
            known.sort();
            if known == commands {
                return self.listed(name, commands);
            }
        }
        let escape = self.escapes(&commands).filter(|_| rule.as_root);
        let whom = if rule.as_root { "root" } else { "another account" };
        let digest = ring::digest::digest(&ring::digest::SHA256, format!("{whom} {}", commands.join(",")).as_bytes());
        let digest: String = digest.as_ref().iter().take(4).map(|byte| format!("{byte:02x}")).collect();
        Role {
            name: format!("sudo:{digest}"),
            says: match &escape {
                Some(why) => format!("runs as {whom}: {}; as good as root, for {why}", commands.join(", ")),
                None => format!("runs as {whom}: {}", commands.join(", ")),
            },
            becomes_root: escape.is_some(),
            privileged: true,
            offered: false,
            permits: commands,
        }
    }

    fn is_ours(&self, line: &Line) -> bool {
        line.file.file_name().is_some_and(|name| name.to_string_lossy().starts_with("tempestas-"))
    }

    pub(super) fn shown(&self, file: &Path) -> String {
        Path::new("/").join(file.strip_prefix(&self.root).unwrap_or(file)).display().to_string()
    }

    /// Who has a rule, and how they come by it. A later exception takes out what came before it.
    fn holders(&self, rule: &Rule, role: &str, accounts: &[Account], groups: &[Group]) -> Vec<Held> {
        let file = self.shown(&rule.line.file);
        let since = std::fs::metadata(&rule.line.file).ok().and_then(|meta| Timestamp::from_second(meta.mtime()).ok());
        let mut held: BTreeMap<String, (Vec<String>, Option<String>)> = BTreeMap::new();
        for (named, excepted) in &rule.who {
            // What is root by its uid gets nothing more by sudo.
            let is_root = |name: &str| accounts.iter().any(|account| account.name == name && account.uid == 0);
            let meant = self.meant(rule, named, &file, accounts, groups);
            for (account, chain, handle) in meant.into_iter().filter(|(name, ..)| !is_root(name)) {
                if *excepted {
                    held.remove(&account);
                } else if held.get(&account).is_none_or(|(known, _)| !known.is_empty()) {
                    held.insert(account, (chain, handle));
                }
            }
        }
        held.into_iter()
            .map(|(account, (chain, handle))| Held { account, role: role.to_owned(), chain, handle, since })
            .collect()
    }

    fn meant(
        &self,
        rule: &Rule,
        named: &Named,
        file: &str,
        accounts: &[Account],
        groups: &[Group],
    ) -> Vec<(String, Vec<String>, Option<String>)> {
        let direct = |name: &str, as_written: &str| {
            if rule.line.users().contains(&as_written) {
                (name.to_owned(), Vec::new(), Some(format!("sudoers:{}", rule.line.digest())))
            } else {
                let handle = Some(format!("sudoers:{}", rule.line.digest()));
                (name.to_owned(), vec![format!("an alias in {file}")], handle)
            }
        };
        let by_group = |group: &Group| {
            let chain = vec![format!("%{} in {file}", group.name)];
            let primary = accounts.iter().filter(|account| account.gid == group.gid).map(|account| &account.name);
            group.members.iter().chain(primary).map(|name| (name.clone(), chain.clone(), None)).collect::<Vec<_>>()
        };
        match named {
            Named::User(name) => vec![direct(name, name)],
            Named::Uid(uid) => {
                let name = accounts.iter().find(|account| account.uid == *uid).map(|account| account.name.clone());
                vec![direct(&name.unwrap_or_else(|| format!("#{uid}")), &format!("#{uid}"))]
            }
            Named::Group(name) => groups.iter().find(|group| group.name == *name).map(by_group).unwrap_or_default(),
            Named::Gid(gid) => groups.iter().find(|group| group.gid == *gid).map(by_group).unwrap_or_default(),
            Named::Netgroup(name) => vec![(format!("+{name}"), vec![format!("a netgroup in {file}")], None)],
            Named::Everybody => accounts
                .iter()
                .filter(|account| account.signs_in())
                .map(|account| (account.name.clone(), vec![format!("everybody, by {file}")], None))
                .collect(),
        }
    }

    fn memberships(
        &self,
        accounts: &[Account],
        groups: &[Group],
        roles: &mut BTreeMap<String, Role>,
        rights: &mut Vec<Held>,
    ) {
        for group in groups {
            let offered = self.bounds.groups.contains(&group.name);
            if !offered && !GROUPS.iter().any(|(name, ..)| *name == group.name) {
                continue;
            }
            let role = self.membership_role(&group.name);
            for name in &group.members {
                let (account, role) = (name.clone(), role.name.clone());
                let handle = Some(format!("member:{}", group.name));
                rights.push(Held { account, role, chain: Vec::new(), handle, since: None });
            }
            for account in accounts.iter().filter(|account| account.gid == group.gid && account.uid != 0) {
                let (chain, role) = (vec!["primary group in /etc/passwd".to_owned()], role.name.clone());
                rights.push(Held { account: account.name.clone(), role, chain, handle: None, since: None });
            }
            roles.entry(role.name.clone()).or_insert(role);
        }
    }

    /// Accounts that are root, and keys that sign in as one.
    fn roots(
        &self,
        accounts: &[Account],
        roles: &mut BTreeMap<String, Role>,
        rights: &mut Vec<Held>,
    ) -> Result<(), Failed> {
        let mut keys: BTreeMap<String, (String, Vec<&str>)> = BTreeMap::new();
        for account in accounts.iter().filter(|account| account.uid == 0) {
            let role = roles.entry("root".to_owned()).or_insert_with(|| self.everything()).name.clone();
            let chain = vec!["uid 0 in /etc/passwd".to_owned()];
            rights.push(Held { account: account.name.clone(), role: role.clone(), chain, handle: None, since: None });
            for key in self.keys_of(account)? {
                keys.entry(key.digest).or_insert((key.name, Vec::new())).1.push(&account.name);
            }
        }
        // Accounts may share a home, and so a key.
        for (digest, (name, opens)) in keys {
            let chain = vec![format!("authorized_keys of {}", opens.join(" and "))];
            rights.push(Held {
                account: name,
                role: "root".to_owned(),
                chain,
                handle: Some(format!("key:{digest}")),
                since: None,
            });
        }
        Ok(())
    }

    fn last_used(&self, uid: u32) -> Option<Timestamp> {
        use std::os::unix::fs::FileExt as _;
        let path = self.at("/var/log/lastlog");
        let file = std::fs::metadata(&path)
            .ok()
            .filter(std::fs::Metadata::is_file)
            .map(|_| std::fs::File::open(&path))?
            .ok()?;
        let mut seconds = [0; 4];
        file.read_exact_at(&mut seconds, u64::from(uid) * LASTLOG).ok()?;
        let seconds = u32::from_le_bytes(seconds);
        Timestamp::from_second(i64::from(seconds)).ok().filter(|_| seconds != 0)
    }

    /// What is missing for the host to be looked after, each with what to do.
    pub(crate) fn check(&self) -> Vec<String> {
        let mut missing = Vec::new();
        for program in ["sudo", "visudo", "cvtsudoers", "gpasswd", "getent"] {
            if !["/usr/bin", "/usr/sbin", "/bin", "/sbin"].iter().any(|path| self.at(path).join(program).exists()) {
                missing.push(format!("the program `{program}` is not there: install the package that has it"));
            }
        }
        if let Err(failed) = self.rules() {
            missing.push(failed.to_string());
        }
        if timers::systemd_runs() && !timers::survives_restart() {
            missing.push(
                "the timer tempestas-host-sweep is not there: place it, so that ends survive a restart".to_owned(),
            );
        }
        missing
    }
}

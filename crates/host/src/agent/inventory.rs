//! Where power can be kept past an end: an inventory before a grant, and what differs after it.

use std::{
    collections::BTreeMap,
    os::unix::{ffi::OsStrExt as _, fs::MetadataExt as _},
    path::{Path, PathBuf},
};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::{Failed, Host, grants::replace};
use crate::protocol::{Grant, Leftover};

/// Files and directories by which somebody comes back, and what each is for.
const WATCHED: [(&str, &str); 27] = [
    ("/etc/passwd", "accounts"),
    ("/etc/group", "groups"),
    ("/etc/shadow", "passwords"),
    ("/etc/gshadow", "passwords of groups"),
    ("/etc/sudoers", "sudo rules"),
    ("/etc/sudoers.d", "sudo rules"),
    ("/etc/sudo.conf", "settings of sudo"),
    ("/etc/ssh", "sign-in by SSH"),
    ("/root/.ssh", "keys of root"),
    ("/root/.profile", "what root's shell runs"),
    ("/root/.bashrc", "what root's shell runs"),
    ("/etc/profile.d", "what every shell runs"),
    ("/etc/pam.d", "how people are let in"),
    ("/etc/security", "how people are let in"),
    ("/etc/ld.so.preload", "what every program loads"),
    ("/etc/ld.so.conf.d", "what every program loads"),
    ("/etc/crontab", "jobs"),
    ("/etc/cron.d", "jobs"),
    ("/etc/cron.hourly", "jobs"),
    ("/etc/cron.daily", "jobs"),
    ("/etc/cron.weekly", "jobs"),
    ("/var/spool/cron", "jobs"),
    ("/etc/systemd", "services and timers"),
    ("/run/systemd/transient", "services and timers made on the spot"),
    ("/var/lib/systemd/linger", "services that outlive a sign-in"),
    ("/etc/tempestas", "our own bounds"),
    ("/usr/local", "programs placed by hand"),
];

/// Where programs lie that could be made to run as root.
const PROGRAMS: [&str; 9] = ["/bin", "/sbin", "/usr", "/opt", "/home", "/tmp", "/var", "/srv", "/root"];
/// Most files looked at for that; beyond, the inventory says that it is not whole.
const FILES_MOST: usize = 400_000;
/// Largest file that is read whole.
const READ_MOST: u64 = 1024 * 1024;
const SETUID_OR_SETGID: u32 = 0o6000;

/// What a file was.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Entry {
    purpose: String,
    digest: String,
    mode: u32,
    uid: u32,
    changed: i64,
}

type Inventory = BTreeMap<PathBuf, Entry>;

impl Host {
    /// Notes what there is before a grant.
    pub(crate) fn note_before(&self, grant: &Grant) -> Result<(), Failed> {
        let inventory = self.inventory()?;
        let text = serde_json::to_vec(&inventory).map_err(|error| Failed(error.to_string()))?;
        let path = self.before_at(&grant.name);
        path.parent().map_or(Ok(()), std::fs::create_dir_all)?;
        replace(&path, &text, 0o600)
    }

    fn inventory(&self) -> Result<Inventory, Failed> {
        let mut found = Inventory::new();
        for (path, purpose) in WATCHED {
            self.note(&mut found, &self.at(path), purpose)?;
        }
        for account in self.accounts()?.iter().filter(|account| account.uid >= 1000 && account.signs_in()) {
            let ssh = self.at(&account.home).join(".ssh");
            self.note(&mut found, &ssh, "keys of an account")?;
        }
        let mut looked_at = 0;
        for directory in PROGRAMS {
            self.note_raised(&mut found, &self.at(directory), &mut looked_at);
        }
        Ok(found)
    }

    fn note(&self, found: &mut Inventory, path: &Path, purpose: &str) -> Result<(), Failed> {
        let Ok(meta) = std::fs::symlink_metadata(path) else { return Ok(()) };
        if meta.is_dir() {
            for entry in std::fs::read_dir(path)? {
                let path = entry?.path();
                // Drop-ins of ours come and go with their grants, and are read back by name.
                if !path.file_name().is_some_and(|name| name.as_bytes().starts_with(b"tempestas-")) {
                    self.note(found, &path, purpose)?;
                }
            }
            return Ok(());
        }
        let content = if meta.is_symlink() {
            std::fs::read_link(path)?.as_os_str().as_bytes().to_vec()
        } else if meta.is_file() && meta.len() <= READ_MOST {
            std::fs::read(path).unwrap_or_default()
        } else {
            // A pipe would keep us waiting; of what is large, size and time tell enough.
            format!("{} {} {}", meta.mode(), meta.len(), meta.mtime()).into_bytes()
        };
        self.enter(found, path, purpose, &meta, &content);
        Ok(())
    }

    fn enter(&self, found: &mut Inventory, path: &Path, purpose: &str, meta: &std::fs::Metadata, content: &[u8]) {
        let digest = ring::digest::digest(&ring::digest::SHA256, content);
        let digest = digest.as_ref().iter().map(|byte| format!("{byte:02x}")).collect();
        let shown = Path::new("/").join(path.strip_prefix(&self.root).unwrap_or(path));
        let (mode, uid, changed) = (meta.mode(), meta.uid(), meta.ctime());
        found.entry(shown).or_insert(Entry { purpose: purpose.to_owned(), digest, mode, uid, changed });
    }

    /// Files that run as another than who runs them, by mode or by capabilities.
    fn note_raised(&self, found: &mut Inventory, directory: &Path, looked_at: &mut usize) {
        let Ok(entries) = std::fs::read_dir(directory) else { return };
        for entry in entries.flatten() {
            *looked_at += 1;
            if *looked_at > FILES_MOST {
                return;
            }
            let Ok(meta) = entry.metadata() else { continue };
            let path = entry.path();
            if meta.is_dir() {
                self.note_raised(found, &path, looked_at);
            } else if meta.is_file() {
                let raised = meta.mode() & SETUID_OR_SETGID != 0 && meta.mode() & 0o111 != 0;
                // Reads the value's length alone.
                let able = rustix::fs::lgetxattr(&path, "security.capability", [0_u8; 0].as_mut_slice()).is_ok();
                if raised || able {
                    let size = meta.len().to_le_bytes();
                    self.enter(found, &path, "programs that run as another", &meta, &size);
                }
            }
        }
    }

    /// What is there now and was not before a grant, and what still runs.
    pub(crate) fn leftovers(&self, grant: &Grant) -> Result<Vec<Leftover>, Failed> {
        let path = self.before_at(&grant.name);
        let Ok(text) = std::fs::read(&path) else {
            return Ok(Vec::new());
        };
        let before: Inventory = serde_json::from_slice(&text).map_err(|error| Failed(error.to_string()))?;
        let now = self.inventory()?;
        let mut found: Vec<Leftover> = Vec::new();
        for (path, entry) in &now {
            let change = match before.get(path) {
                None => "new",
                Some(old) if old.digest != entry.digest => "changed",
                Some(old) if (old.mode, old.uid) != (entry.mode, entry.uid) => "of another mode or owner",
                Some(_) => continue,
            };
            found.push(Leftover {
                what: format!("{} ({}) is {change}", path.display(), entry.purpose),
                when: Timestamp::from_second(entry.changed).ok(),
                ended: false,
            });
        }
        for (path, entry) in before.iter().filter(|(path, _)| !now.contains_key(*path)) {
            found.push(Leftover {
                what: format!("{} ({}) is gone", path.display(), entry.purpose),
                when: None,
                ended: false,
            });
        }
        if grant.role == "root" {
            found.push(Leftover {
                what: "trust in this host ended with the grant: all commands were allowed, and what was done with them can't all be seen from the host itself"
                    .to_owned(),
                when: None,
                ended: false,
            });
        }
        Ok(found)
    }
}

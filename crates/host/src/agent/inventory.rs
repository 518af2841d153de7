//! Where power can be kept past an end: an inventory before a grant, and what differs after it.

use std::{
    collections::{BTreeMap, BTreeSet},
    fs::Metadata,
    os::unix::{ffi::OsStrExt as _, fs::MetadataExt as _},
    path::{Path, PathBuf},
    time::{Duration, Instant},
};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::{
    Failed, Host,
    ending::since,
    grants::{Kept, replace},
    processes, turn,
};
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

/// Most entries below the `.ssh` of one account; whoever has more can fill no inventory with it.
const KEYS_MOST: usize = 2_000;
/// Most bytes read of them.
const KEY_BYTES_MOST: u64 = 8 * 1024 * 1024;
/// Most entries of one watched place. They are root's, so this is far more than any host has.
const WATCHED_MOST: usize = 200_000;
/// Most bytes read of one.
const WATCHED_BYTES_MOST: u64 = 4 * 1024 * 1024 * 1024;
/// Most files of one account that are looked at for programs that run as another. Root's have no limit but the time.
const OWNED_MOST: usize = 100_000;
/// Longest that an inventory takes.
const TIME_MOST: Duration = Duration::from_secs(20);
/// Largest file that is read whole.
const READ_MOST: u64 = 1024 * 1024;
const SETUID_OR_SETGID: u32 = 0o6000;

/// File systems without files that anybody could place.
const WITHOUT_FILES: [&str; 20] = [
    "autofs",
    "binfmt_misc",
    "bpf",
    "cgroup",
    "cgroup2",
    "configfs",
    "debugfs",
    "devpts",
    "efivarfs",
    "fusectl",
    "hugetlbfs",
    "mqueue",
    "nsfs",
    "proc",
    "pstore",
    "rpc_pipefs",
    "securityfs",
    "selinuxfs",
    "sysfs",
    "tracefs",
];
/// File systems that lie elsewhere, by how their names begin.
const ELSEWHERE: [&str; 8] = ["nfs", "cifs", "smb", "9p", "ceph", "glusterfs", "fuse.", "afs"];

/// Processes that are named one by one; the rest is a number.
const NAMED_MOST: usize = 20;

/// What a file was.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Entry {
    purpose: String,
    digest: String,
    mode: u32,
    uid: u32,
    changed: i64,
}

/// What there is.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Inventory {
    files: BTreeMap<PathBuf, Entry>,
    /// What could not be looked at, each with why.
    not_whole: BTreeSet<String>,
}

/// How much may still be looked at.
struct Budget {
    until: Instant,
    entries: usize,
    bytes: u64,
}

impl Budget {
    /// Whether one more entry fits.
    fn takes(&mut self, bytes: u64) -> bool {
        let fits = self.entries > 0 && self.bytes >= bytes && Instant::now() < self.until;
        if fits {
            self.entries -= 1;
            self.bytes -= bytes;
        }
        fits
    }
}

/// A search of the whole host for programs that run as another.
struct Search {
    until: Instant,
    /// How many files of each account but root were looked at.
    owned: BTreeMap<u32, usize>,
    mounts: BTreeMap<PathBuf, String>,
}

impl Host {
    /// Notes what there is before a grant.
    pub(crate) fn note_before(&self, grant: &Grant) -> Result<(), Failed> {
        let inventory = self.inventory();
        let text = serde_json::to_vec(&inventory).map_err(|error| Failed(error.to_string()))?;
        let path = self.before_at(&grant.name);
        path.parent().map_or(Ok(()), std::fs::create_dir_all)?;
        replace(&path, &text, 0o600)
    }

    /// Never fails: what can't be looked at is named in it.
    fn inventory(&self) -> Inventory {
        let mut found = Inventory::default();
        let until = Instant::now() + TIME_MOST;
        for (path, purpose) in WATCHED {
            let mut budget = Budget { until, entries: WATCHED_MOST, bytes: WATCHED_BYTES_MOST };
            if !self.note(&mut found, &self.at(path), purpose, &mut budget) {
                found.not_whole.insert(format!("{path}: more than an inventory takes"));
            }
        }
        let accounts = self.accounts().unwrap_or_else(|failed| {
            found.not_whole.insert(failed.to_string());
            Vec::new()
        });
        for account in accounts.iter().filter(|account| account.uid >= 1000 && account.signs_in()) {
            let mut budget = Budget { until, entries: KEYS_MOST, bytes: KEY_BYTES_MOST };
            let ssh = self.at(&account.home).join(".ssh");
            if !self.note(&mut found, &ssh, "keys of an account", &mut budget) {
                found.not_whole.insert(format!("{}/.ssh: more in it than keys of an account", account.home));
            }
        }
        let mounts = if self.is_real() { turn::mounts() } else { Vec::new() };
        let mounts = mounts.into_iter().map(|mount| (mount.at, mount.kind)).collect();
        let mut search = Search { until, owned: BTreeMap::new(), mounts };
        self.note_raised(&mut found, &self.root, &mut search);
        found
    }

    /// Notes a file, or all below a directory; false where that was too much.
    fn note(&self, found: &mut Inventory, path: &Path, purpose: &str, budget: &mut Budget) -> bool {
        let Ok(meta) = std::fs::symlink_metadata(path) else { return true };
        if meta.is_dir() {
            let Ok(entries) = std::fs::read_dir(path) else {
                found.not_whole.insert(format!("{}: can't be read", self.shown(path)));
                return true;
            };
            // Drop-ins of ours come and go with their grants, and are read back by name.
            return entries
                .flatten()
                .map(|entry| entry.path())
                .filter(|path| !path.file_name().is_some_and(|name| name.as_bytes().starts_with(b"tempestas-")))
                .all(|path| self.note(found, &path, purpose, budget));
        }
        let is_read = meta.is_file() && meta.len() <= READ_MOST;
        if !budget.takes(if is_read { meta.len() } else { 0 }) {
            return false;
        }
        let content = if meta.is_symlink() {
            std::fs::read_link(path).map(|to| to.as_os_str().as_bytes().to_vec()).unwrap_or_default()
        } else if is_read {
            std::fs::read(path).unwrap_or_default()
        } else {
            // A pipe would keep us waiting; of what is large, size and time tell enough.
            format!("{} {} {}", meta.mode(), meta.len(), meta.mtime()).into_bytes()
        };
        self.enter(found, path, purpose, &meta, &content);
        true
    }

    fn enter(&self, found: &mut Inventory, path: &Path, purpose: &str, meta: &Metadata, content: &[u8]) {
        let digest = ring::digest::digest(&ring::digest::SHA256, content);
        let digest = digest.as_ref().iter().map(|byte| format!("{byte:02x}")).collect();
        let (mode, uid, changed) = (meta.mode(), meta.uid(), meta.ctime());
        let entry = Entry { purpose: purpose.to_owned(), digest, mode, uid, changed };
        found.files.entry(PathBuf::from(self.shown(path))).or_insert(entry);
    }

    /// Files that run as another than who runs them, by mode or by capabilities, wherever they lie. Whoever fills the host
    /// with files of their own hides only those.
    fn note_raised(&self, found: &mut Inventory, directory: &Path, search: &mut Search) {
        let Ok(entries) = std::fs::read_dir(directory) else { return };
        for entry in entries.flatten() {
            if Instant::now() >= search.until {
                found.not_whole.insert(format!("{}: looking at every file took too long", self.shown(directory)));
                return;
            }
            let Ok(meta) = entry.metadata() else { continue };
            let path = entry.path();
            if meta.uid() != 0 {
                let owned = search.owned.entry(meta.uid()).or_default();
                *owned += 1;
                if *owned > OWNED_MOST {
                    found.not_whole.insert(format!("files of uid {}: more than {OWNED_MOST}", meta.uid()));
                    continue;
                }
            }
            if meta.is_dir() {
                match search.mounts.get(&path).map(String::as_str) {
                    Some(kind) if WITHOUT_FILES.contains(&kind) => {}
                    Some(kind) if ELSEWHERE.iter().any(|elsewhere| kind.starts_with(elsewhere)) => {
                        found.not_whole.insert(format!("{}: lies elsewhere ({kind})", self.shown(&path)));
                    }
                    _ => self.note_raised(found, &path, search),
                }
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

    /// What is there now and was not before a grant, what still runs, and what was in the way of the end. Whatever can't
    /// be told is said; nothing keeps the rest from being told.
    pub(crate) fn leftovers(&self, grant: &Grant) -> Result<Vec<Leftover>, Failed> {
        let mut found = Vec::new();
        let mut tell = |what: String, when: Option<Timestamp>, alarming: bool| {
            found.push(Leftover { what, when, ended: false, alarming });
        };
        let ended = self.ended(&grant.name).unwrap_or_default();
        let given_at = ended.kept.as_ref().map_or(grant.opened_at, |kept| kept.given_at);
        let said = self.said_since(given_at);
        let was_given = ended.kept.is_some() || self.before_at(&grant.name).exists();
        if !was_given {
            return Ok(Vec::new());
        }
        if grant.role == "root" {
            let trust = "trust in this host ended with the grant: all commands were allowed, and what was done with them can't all be seen from the host itself";
            tell(trust.to_owned(), None, false);
        }
        for said in said {
            tell(said, None, true);
        }
        if let Some(kept) = &ended.kept {
            for what in self.running(kept, grant.role == "root") {
                tell(what, None, false);
            }
        }
        let path = self.before_at(&grant.name);
        let is_file = std::fs::symlink_metadata(&path).is_ok_and(|meta| meta.is_file());
        let text = if is_file { std::fs::read(&path).unwrap_or_default() } else { Vec::new() };
        let Ok(before) = serde_json::from_slice::<Inventory>(&text) else {
            let gone = "the inventory from before the grant is gone, or can't be read: what was left can't be told from what was there";
            tell(gone.to_owned(), None, true);
            return Ok(found);
        };
        let now = self.inventory();
        for said in before.not_whole.union(&now.not_whole) {
            tell(format!("what may be left can't all be told. {said}"), None, false);
        }
        for (path, entry) in &now.files {
            let change = match before.files.get(path) {
                None => "new",
                Some(old) if old.digest != entry.digest => "changed",
                Some(old) if (old.mode, old.uid) != (entry.mode, entry.uid) => "of another mode or owner",
                Some(_) => continue,
            };
            let when = Timestamp::from_second(entry.changed).ok();
            tell(format!("{} ({}) is {change}", path.display(), entry.purpose), when, false);
        }
        // Of what was not looked at again nobody knows whether it is gone.
        let gone = before.files.iter().filter(|(path, _)| now.not_whole.is_empty() && !now.files.contains_key(*path));
        for (path, entry) in gone {
            tell(format!("{} ({}) is gone", path.display(), entry.purpose), None, false);
        }
        Ok(found)
    }

    /// What goes on that began under a grant, or of which nobody can say whose it is.
    fn running(&self, kept: &Kept, as_root: bool) -> Vec<String> {
        if !self.is_real() {
            return Vec::new();
        }
        let (Ok(all), Ok(since)) = (processes::all(), since(kept)) else {
            return vec!["what still runs can't be looked at".to_owned()];
        };
        let own = i32::try_from(std::process::id()).unwrap_or_default();
        let theirs = processes::of_holder(&all, kept.uid, since, own);
        let left = theirs.left.iter().map(|one| {
            format!(
                "the process {} ({}) of somebody else's sign-in was started from what ended, and goes on",
                one.pid, one.command
            )
        });
        let younger = theirs.younger.iter().filter(|_| as_root).map(|one| {
            format!(
                "the process {} ({}) runs as root and is younger than the grant; who started it isn't known",
                one.pid, one.command
            )
        });
        let mut said: Vec<String> = left.chain(younger).collect();
        let more = said.len().saturating_sub(NAMED_MOST);
        said.truncate(NAMED_MOST);
        if more > 0 {
            said.push(format!("{more} further processes that are younger than the grant"));
        }
        said
    }
}

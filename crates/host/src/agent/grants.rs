//! Grants that the host keeps: written down before they have any effect, so that their end is never forgotten.

use std::{
    fs::{File, Permissions},
    io::Write as _,
    os::unix::fs::PermissionsExt as _,
    path::{Path, PathBuf},
    process::Command,
    time::Duration,
};

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use serde::{Deserialize, Serialize, de::DeserializeOwned};

use super::{
    Failed, Host, STATE,
    accounts::{Account, is_login},
    bounds::is_word,
    processes::{boot_id, uptime},
    timers,
};
use crate::protocol::{Grant, Outcome};

/// How long ended grants are remembered.
const REMEMBERED: Duration = Duration::from_secs(90 * 86_400);

/// A grant on this host.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub(crate) struct Kept {
    pub(crate) grant: Grant,
    pub(crate) uid: u32,
    pub(crate) given_at: Timestamp,
    /// How long the host had run when it was given, and in which run: a clock that is set back moves no end.
    pub(crate) uptime: SignedDuration,
    pub(crate) boot: String,
    /// Whether a membership came with it that was not there before.
    pub(crate) joined: bool,
}

/// What is kept of grants here.
#[derive(Default)]
pub(crate) struct Records {
    pub(crate) kept: Vec<Kept>,
    /// Names of records that nobody can read any more.
    pub(crate) damaged: Vec<String>,
}

/// What is remembered of a grant that ended. Of one that never came to be, nothing.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct Ended {
    pub(crate) kept: Option<Kept>,
    /// How long the host had run by then, and in which run.
    pub(crate) uptime: SignedDuration,
    pub(crate) boot: Option<String>,
}

impl Kept {
    pub(crate) fn is_due(&self, now: Timestamp, boot: &str, uptime: SignedDuration) -> bool {
        let length = self.grant.until.duration_since(self.given_at);
        now >= self.grant.until || (boot == self.boot && uptime - self.uptime >= length)
    }

    /// The group that it makes its account a member of, where it is that kind of grant.
    pub(crate) fn group(&self) -> Option<&str> {
        self.grant.role.strip_prefix("group:")
    }
}

/// Writes a file whole or not at all, and durably.
pub(crate) fn replace(path: &Path, text: &[u8], mode: u32) -> Result<(), Failed> {
    let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    // Its own, also where another of these runs without its turn.
    let beside = path.with_file_name(format!(".{name}.{}.new", std::process::id()));
    let mut file = File::create(&beside)?;
    file.set_permissions(Permissions::from_mode(mode))?;
    file.write_all(text)?;
    file.sync_all()?;
    std::fs::rename(&beside, path)?;
    if let Some(directory) = path.parent() {
        File::open(directory)?.sync_all()?;
    }
    Ok(())
}

/// Runs a program of the host; its words are kept out of the error, for they may name accounts.
pub(crate) fn run_program(program: &str, arguments: &[&str]) -> Result<(), Failed> {
    let output = Command::new(program)
        .args(arguments)
        .env_clear()
        .env("PATH", "/usr/sbin:/usr/bin:/sbin:/bin")
        .env("LC_ALL", "C")
        .output()
        .map_err(|error| Failed(format!("`{program}` can't be run: {error}")))?;
    if output.status.success() { Ok(()) } else { Err(Failed(format!("`{program}` failed ({})", output.status))) }
}

fn checked(grant: &Grant) -> Result<(), Failed> {
    if !is_word(&grant.name) {
        return Err(Failed("the name of the grant is not of letters and digits".to_owned()));
    }
    if !is_login(&grant.account) {
        return Err(Failed("the account's name is not one".to_owned()));
    }
    let role = grant.role.split_once(':').map_or(grant.role.as_str(), |(_, name)| name);
    if !is_login(role) {
        return Err(Failed("the role's name is not one".to_owned()));
    }
    Ok(())
}

/// The end of a grant as sudo obeys it.
fn ends(grant: &Grant) -> String {
    format!("NOTAFTER={}", grant.until.to_zoned(TimeZone::UTC).strftime("%Y%m%d%H%M%SZ"))
}

impl Host {
    fn kept_at(&self, name: &str) -> PathBuf {
        self.at(STATE).join("grants").join(name)
    }

    fn ended_at(&self, name: &str) -> PathBuf {
        self.at(STATE).join("ended").join(name)
    }

    pub(crate) fn before_at(&self, name: &str) -> PathBuf {
        self.at(STATE).join("before").join(name)
    }

    pub(crate) fn drop_in(&self, name: &str) -> PathBuf {
        self.at("/etc/sudoers.d").join(format!("tempestas-{name}"))
    }

    /// What is kept here, and what is kept and can't be read.
    pub(crate) fn records(&self) -> Records {
        let mut records = Records::default();
        let Ok(files) = std::fs::read_dir(self.at(STATE).join("grants")) else { return records };
        for file in files.flatten() {
            let name = file.file_name().to_string_lossy().into_owned();
            if !is_word(&name) {
                continue;
            }
            match self.read_json::<Kept>(&file.path()) {
                Ok(kept) if kept.grant.name == name && checked(&kept.grant).is_ok() => records.kept.push(kept),
                _ => records.damaged.push(name),
            }
        }
        records
    }

    /// Every grant that is kept here and can be read.
    pub(crate) fn kept(&self) -> Vec<Kept> {
        self.records().kept
    }

    /// What is remembered of a grant that ended here.
    pub(crate) fn ended(&self, name: &str) -> Option<Ended> {
        let path = self.ended_at(name);
        path.exists().then(|| self.read_json(&path).unwrap_or_default())
    }

    fn read_json<T: DeserializeOwned>(&self, path: &Path) -> Result<T, Failed> {
        serde_json::from_str(&self.text(path)?)
            .map_err(|error| Failed(format!("{} can't be read: {error}", path.display())))
    }

    pub(crate) fn keep(&self, kept: &Kept) -> Result<(), Failed> {
        let text = serde_json::to_vec(kept).map_err(|error| Failed(error.to_string()))?;
        let path = self.kept_at(&kept.grant.name);
        self.state_directories()?;
        replace(&path, &text, 0o600)
    }

    fn state_directories(&self) -> Result<(), Failed> {
        for name in ["grants", "ended", "before", "taken"] {
            std::fs::create_dir_all(self.at(STATE).join(name))?;
        }
        Ok(())
    }

    /// From here on a late order to give it is refused.
    pub(crate) fn bury(&self, name: &str, kept: Option<&Kept>) -> Result<(), Failed> {
        self.state_directories()?;
        self.forget_old();
        let ended = Ended { kept: kept.cloned(), uptime: uptime()?, boot: boot_id().ok() };
        let text = serde_json::to_vec(&ended).map_err(|error| Failed(error.to_string()))?;
        replace(&self.ended_at(name), &text, 0o600)?;
        self.remove(&self.kept_at(name))
    }

    /// Forgets grants that ended so long ago that no order for them can be under way, nor anybody ask what they left.
    fn forget_old(&self) {
        for name in ["ended", "before"] {
            let Ok(files) = std::fs::read_dir(self.at(STATE).join(name)) else { continue };
            for file in files.flatten() {
                let age = file.metadata().and_then(|meta| meta.modified()).ok().and_then(|at| at.elapsed().ok());
                if age.is_some_and(|age| age > REMEMBERED) {
                    let _ = std::fs::remove_file(file.path());
                }
            }
        }
    }

    /// Looks at what there is before a grant, once it is sure that it may be given.
    pub(crate) fn prepare(&self, grant: &Grant) -> Result<(), Failed> {
        self.allowed(grant)?;
        let known = self.kept().iter().any(|kept| kept.grant.name == grant.name);
        if !known && self.ended(&grant.name).is_none() { self.note_before(grant) } else { Ok(()) }
    }

    /// The account of a grant that is within the bounds.
    fn allowed(&self, grant: &Grant) -> Result<Account, Failed> {
        checked(grant)?;
        let account =
            self.account(&grant.account)?.ok_or_else(|| Failed("the account is not on the host".to_owned()))?;
        self.bounds.allow(grant, &account, Timestamp::now())?;
        Ok(account)
    }

    pub(crate) fn give(&self, grant: &Grant) -> Result<Outcome, Failed> {
        let account = self.allowed(grant)?;
        if self.ended(&grant.name).is_some() {
            return Ok(Outcome::Late);
        }
        let known: Option<Kept> = self.kept().into_iter().find(|kept| kept.grant.name == grant.name);
        if let Some(known) = &known {
            // What it is for stays as it was first ordered: the record of the first is what ends it.
            let known = &known.grant;
            if (&known.account, &known.role, known.number, known.until)
                != (&grant.account, &grant.role, grant.number, grant.until)
            {
                return Err(Failed("a grant of that name is kept here for something else".to_owned()));
            }
            if known.attempt >= grant.attempt {
                return Ok(Outcome::Late);
            }
        }
        let now = Timestamp::now();
        let joined = known.as_ref().is_some_and(|known| known.joined) || self.would_join(grant, &account)?;
        let (uptime, boot) = (uptime()?, boot_id()?);
        // Tried again, it began when it was first given.
        let first = known.filter(|known| known.boot == boot);
        let (given_at, uptime) = first.map_or((now, uptime), |known| (known.given_at, known.uptime));
        let kept = Kept { grant: grant.clone(), uid: account.uid, given_at, uptime, boot, joined };
        // First what ends it, then what gives it: a break in between leaves nothing without an end.
        self.keep(&kept)?;
        if self.is_real() {
            timers::set(&kept)?;
        }
        match kept.group() {
            Some(group) if joined => run_program("gpasswd", &["-a", &account.name, group])?,
            Some(_) => {}
            None => self.write_drop_in(&kept)?,
        }
        Ok(Outcome::Done)
    }

    /// Moves the end of a grant that is in force; whether it is there with that, as read back.
    pub(crate) fn prolong(&self, grant: &Grant) -> Result<Outcome, Failed> {
        self.allowed(grant)?;
        let known = self.kept().into_iter().find(|kept| kept.grant.name == grant.name);
        // What was never given, or has ended, is not brought back by this.
        let Some(known) = known.filter(|known| known.grant.attempt < grant.attempt) else { return Ok(Outcome::Late) };
        let now = &known.grant;
        if (&now.account, &now.role, now.number) != (&grant.account, &grant.role, grant.number) {
            return Err(Failed("a grant of that name is kept here for something else".to_owned()));
        }
        if grant.until < now.until {
            return Ok(Outcome::Late);
        }
        self.bounds.allow_length(known.given_at, grant.until)?;
        let kept = Kept { grant: grant.clone(), ..known };
        // First what ends it then: until the record says so, what ended it before ends it.
        if self.is_real() {
            timers::set(&kept)?;
        }
        self.keep(&kept)?;
        if kept.group().is_none() {
            self.write_drop_in(&kept)?;
        }
        Ok(Outcome::There(self.holds(grant)? && self.ends_at(grant)?))
    }

    /// Whether everything that ends a grant here says its end.
    fn ends_at(&self, grant: &Grant) -> Result<bool, Failed> {
        let kept = self.kept().into_iter().find(|kept| kept.grant.name == grant.name);
        let Some(kept) = kept.filter(|kept| kept.grant.until == grant.until) else { return Ok(false) };
        Ok(kept.group().is_some() || self.text(&self.drop_in(&grant.name))?.contains(&ends(grant)))
    }

    fn would_join(&self, grant: &Grant, account: &Account) -> Result<bool, Failed> {
        let Some(name) = grant.role.strip_prefix("group:") else { return Ok(false) };
        let group = self.groups()?.into_iter().find(|group| group.name == name);
        let group = group.ok_or_else(|| Failed("the group is not on the host".to_owned()))?;
        Ok(account.gid != group.gid && !group.members.contains(&account.name))
    }

    /// A drop-in that sudo itself stops obeying at the end; rounded down, as the end of the grant is.
    fn write_drop_in(&self, kept: &Kept) -> Result<(), Failed> {
        let grant = &kept.grant;
        let commands = self.bounds.commands_of(&grant.role).ok_or_else(|| Failed("the role is unknown".to_owned()))?;
        let ends = ends(grant);
        let whom = if grant.role == "root" { "ALL:ALL" } else { "root" };
        let text = format!(
            "# tempestas/{}/g{}: made by tempestas-host, and ends by itself\n#{} ALL=({whom}) {ends} NOPASSWD: {commands}\n",
            self.bounds.installation, grant.number, kept.uid
        );
        let path = self.drop_in(&grant.name);
        let unread = path.with_file_name(format!(".tempestas-{}.checked", grant.name));
        replace(&unread, text.as_bytes(), 0o440)?;
        if self.is_real()
            && let Err(failed) = run_program("visudo", &["-c", "-q", "-f", &unread.to_string_lossy()])
        {
            std::fs::remove_file(&unread)?;
            return Err(failed);
        }
        std::fs::rename(&unread, &path)?;
        Ok(())
    }

    pub(crate) fn holds(&self, grant: &Grant) -> Result<bool, Failed> {
        if let Some(ended) = self.ended(&grant.name) {
            return Ok(self.drop_in(&grant.name).symlink_metadata().is_ok() || self.still_runs(&ended)?);
        }
        let Some(kept) = self.kept().into_iter().find(|kept| kept.grant.name == grant.name) else { return Ok(false) };
        let there = match kept.group() {
            Some(group) => self
                .groups()?
                .iter()
                .any(|known| known.name == group && (known.members.contains(&grant.account) || !kept.joined)),
            None => self.drop_in(&grant.name).exists(),
        };
        let same = (&kept.grant.account, &kept.grant.role) == (&grant.account, &grant.role);
        Ok(there && same && kept.grant.until <= grant.until)
    }

    pub(crate) fn marked(&self) -> Result<Vec<(u64, String)>, Failed> {
        let mut marked: Vec<(u64, String)> =
            self.kept().into_iter().map(|kept| (kept.grant.number, kept.grant.name)).collect();
        // A drop-in of ours that no record explains; its number is unknown.
        for file in std::fs::read_dir(self.at("/etc/sudoers.d"))? {
            let name = file?.file_name().to_string_lossy().into_owned();
            if let Some(name) = name.strip_prefix("tempestas-")
                && !marked.iter().any(|(_, known)| known == name)
            {
                marked.push((0, name.to_owned()));
            }
        }
        Ok(marked)
    }

    /// Ends whatever is due. One that can't be ended keeps no other from ending.
    pub(crate) fn sweep(&self) -> Result<(), Failed> {
        let Records { kept, damaged } = self.records();
        if kept.is_empty() && damaged.is_empty() {
            return Ok(());
        }
        let (now, boot, uptime) = (Timestamp::now(), boot_id()?, uptime()?);
        let ended: Vec<Result<(), Failed>> = kept
            .iter()
            .filter(|one| one.is_due(now, &boot, uptime))
            .map(|one| self.end(one))
            .chain(damaged.iter().map(|name| self.end_damaged(name)))
            .collect();
        ended.into_iter().collect()
    }
}

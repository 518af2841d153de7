//! What runs on the host, and whose it is, from `/proc`.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::Path,
};

use jiff::SignedDuration;
use rustix::process::{Pid, Signal, kill_process};

use super::Failed;

/// Ticks of `/proc/PID/stat` in a second; fixed in the kernel's interface.
const TICKS: i64 = 100;
/// No login or audit session.
const NONE: u32 = u32::MAX;

/// A process.
#[derive(Debug, Clone)]
pub(crate) struct Process {
    pub(crate) pid: i32,
    pub(crate) parent: i32,
    /// Real, effective, saved and file-system uid.
    pub(crate) uids: Vec<u32>,
    /// Who signed in, however they called themselves since.
    pub(crate) login: Option<u32>,
    /// The session that the sign-in opened.
    pub(crate) session: Option<u32>,
    /// Who called sudo, as its environment says; a holder can hide this.
    pub(crate) sudo: Option<u32>,
    /// Whose slice of systemd's it runs in; only root can leave it.
    pub(crate) slice: Option<u32>,
    /// How long the host had run when it started.
    pub(crate) started: SignedDuration,
}

/// How long the host has run.
pub(crate) fn uptime() -> Result<SignedDuration, Failed> {
    let text = std::fs::read_to_string("/proc/uptime")?;
    let seconds: Option<f64> = text.split_whitespace().next().and_then(|word| word.parse().ok());
    seconds.map(SignedDuration::from_secs_f64).ok_or_else(|| Failed("/proc/uptime can't be read".to_owned()))
}

/// Which run of the host this is.
pub(crate) fn boot_id() -> Result<String, Failed> {
    Ok(std::fs::read_to_string("/proc/sys/kernel/random/boot_id")?.trim().to_owned())
}

/// Everything that runs and can be read; what ends while it is read is left out.
pub(crate) fn all() -> Result<Vec<Process>, Failed> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir("/proc")? {
        let entry = entry?;
        if let Ok(pid) = entry.file_name().to_string_lossy().parse()
            && let Some(process) = read(pid, &entry.path())
        {
            found.push(process);
        }
    }
    Ok(found)
}

fn read(pid: i32, at: &Path) -> Option<Process> {
    let stat = std::fs::read_to_string(at.join("stat")).ok()?;
    // The command stands in parentheses and may hold anything, also parentheses.
    let (_, after) = stat.rsplit_once(')')?;
    let fields: Vec<&str> = after.split_whitespace().collect();
    // One that has ended and waits to be read out does nothing any more.
    if matches!(*fields.first()?, "Z" | "X") {
        return None;
    }
    let parent = fields.get(1)?.parse().ok()?;
    let ticks: i64 = fields.get(19)?.parse().ok()?;
    let status = std::fs::read_to_string(at.join("status")).ok()?;
    let uids = status.lines().find_map(|line| line.strip_prefix("Uid:"))?;
    let number = |name: &str| {
        let text = std::fs::read_to_string(at.join(name)).ok()?;
        text.trim().parse::<u32>().ok().filter(|number| *number != NONE)
    };
    let environment = std::fs::read(at.join("environ")).unwrap_or_default();
    let sudo = environment
        .split(|byte| *byte == 0)
        .find_map(|entry| std::str::from_utf8(entry).ok()?.strip_prefix("SUDO_UID=")?.parse().ok());
    Some(Process {
        pid,
        parent,
        uids: uids.split_whitespace().filter_map(|uid| uid.parse().ok()).collect(),
        login: number("loginuid"),
        session: number("sessionid"),
        sudo,
        slice: std::fs::read_to_string(at.join("cgroup")).ok().and_then(|text| slice_of(&text)),
        started: SignedDuration::from_millis(ticks * 1000 / TICKS),
    })
}

/// Whose `user-UID.slice` a process runs in, as `/proc/PID/cgroup` says.
fn slice_of(cgroup: &str) -> Option<u32> {
    cgroup.lines().find_map(|line| line.split_once("/user-")?.1.split_once(".slice")?.0.parse().ok())
}

/// The processes of a holder that were started since: by uid, by who signed in, by the sessions of those, by
/// whose slice of systemd's they run in, by who called sudo, and whatever they started in turn.
pub(crate) fn of_holder(all: &[Process], uid: u32, since: SignedDuration, own: i32) -> Vec<&Process> {
    let parents: BTreeMap<i32, i32> = all.iter().map(|process| (process.pid, process.parent)).collect();
    let ours: BTreeSet<i32> = std::iter::successors(Some(own), |pid| parents.get(pid).copied()).collect();
    let is_theirs = |process: &Process| {
        process.uids.contains(&uid) || [process.login, process.sudo, process.slice].contains(&Some(uid))
    };
    let sessions: BTreeSet<u32> =
        all.iter().filter(|process| is_theirs(process)).filter_map(|process| process.session).collect();
    let mut theirs: BTreeSet<i32> = all
        .iter()
        .filter(|process| is_theirs(process) || process.session.is_some_and(|session| sessions.contains(&session)))
        .map(|process| process.pid)
        .collect();
    loop {
        let more: Vec<i32> = all
            .iter()
            .filter(|process| !theirs.contains(&process.pid) && theirs.contains(&process.parent))
            .map(|process| process.pid)
            .collect();
        if more.is_empty() {
            break;
        }
        theirs.extend(more);
    }
    // A tick of grace: start times are cut to a hundredth of a second.
    let since = since - SignedDuration::from_millis(20);
    all.iter()
        .filter(|process| theirs.contains(&process.pid) && !ours.contains(&process.pid) && process.pid > 1)
        .filter(|process| process.started >= since)
        .collect()
}

/// Kills processes; one that has ended meanwhile is no failure.
pub(crate) fn kill(processes: &[&Process]) {
    for pid in processes.iter().filter_map(|process| Pid::from_raw(process.pid)) {
        let _ = kill_process(pid, Signal::KILL);
    }
}

#[cfg(test)]
mod tests {
    use super::slice_of;

    #[test]
    fn whose_slice_it_is_stands_in_either_form_of_the_file() {
        for (text, uid) in [
            ("0::/user.slice/user-1001.slice/session-3.scope\n", Some(1001)),
            ("2:cpu:/\n1:name=systemd:/user.slice/user-1001.slice/user@1001.service/app.slice\n0::/\n", Some(1001)),
            ("0::/system.slice/cron.service\n", None),
            ("0::/user-extra/x\n", None),
        ] {
            assert_eq!(slice_of(text), uid, "{text}");
        }
    }
}

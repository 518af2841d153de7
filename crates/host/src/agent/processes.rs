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
/// The kernel's own threads are its children.
const KTHREADD: i32 = 2;
/// No login or audit session.
const NONE: u32 = u32::MAX;

/// A process.
#[derive(Debug, Clone)]
pub(crate) struct Process {
    pub(crate) pid: i32,
    /// What it calls itself; may be anything.
    pub(crate) command: String,
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
    let (before, after) = stat.rsplit_once(')')?;
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
        command: before.split_once('(').map(|(_, name)| name.to_owned()).unwrap_or_default(),
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

/// What was started under a grant.
pub(crate) struct Theirs<'p> {
    /// To be ended.
    pub(crate) ended: Vec<&'p Process>,
    /// Sessions of others that what is ended had started: they go on, and are shown.
    pub(crate) left: Vec<&'p Process>,
    /// What runs as root, is younger than the grant, and nobody else's sign-in explains.
    pub(crate) younger: Vec<&'p Process>,
}

/// The processes of a holder that were started since: by uid, by who signed in, by the sessions of those, by whose slice
/// of systemd's they run in, by who called sudo, and whatever they started in turn. A sign-in of somebody else ends that:
/// a daemon that was restarted under a grant goes with it, and the sessions that it opened for others don't.
///
/// `own` is this process. It is spared with those that brought it the order, as far as none of them is the holder's.
pub(crate) fn of_holder(all: &[Process], uid: u32, since: SignedDuration, own: i32) -> Theirs<'_> {
    let by_pid: BTreeMap<i32, &Process> = all.iter().map(|process| (process.pid, process)).collect();
    let sessions: BTreeSet<u32> =
        all.iter().filter(|process| process.login == Some(uid)).filter_map(|process| process.session).collect();
    let is_directly = |process: &Process| {
        process.uids.contains(&uid)
            || [process.login, process.sudo, process.slice].contains(&Some(uid))
            || process.session.is_some_and(|session| sessions.contains(&session))
    };
    let above = |process: &Process| by_pid.get(&process.parent).copied();
    let spared: BTreeSet<i32> =
        std::iter::successors(by_pid.get(&own).and_then(|process| above(process)), |process| above(process))
            .take_while(|process| !is_directly(process))
            .map(|process| process.pid)
            .chain([own])
            .collect();
    let is_of_another = |process: &Process| {
        let parents = above(process).and_then(|parent| parent.login);
        process.slice.is_some_and(|slice| slice != uid)
            || process.login.is_some_and(|login| login != uid && parents != Some(login))
    };
    let mut theirs: BTreeSet<i32> =
        all.iter().filter(|process| is_directly(process)).map(|process| process.pid).collect();
    let mut left = BTreeSet::new();
    loop {
        let below: Vec<&Process> = all
            .iter()
            .filter(|process| theirs.contains(&process.parent))
            .filter(|process| !theirs.contains(&process.pid) && !left.contains(&process.pid))
            .collect();
        if below.is_empty() {
            break;
        }
        let (others, more): (Vec<_>, Vec<_>) = below.into_iter().partition(|process| is_of_another(process));
        left.extend(others.iter().map(|process| process.pid));
        theirs.extend(more.iter().map(|process| process.pid));
    }
    // A tick of grace: start times are cut to a hundredth of a second.
    let since = since - SignedDuration::from_millis(20);
    let started = |process: &&Process| {
        process.started >= since && process.pid > 1 && !spared.contains(&process.pid) && process.parent != KTHREADD
    };
    let is_unexplained =
        |process: &&Process| process.uids.contains(&0) && process.login.is_none_or(|login| login == 0 || login == uid);
    Theirs {
        ended: all.iter().filter(started).filter(|process| theirs.contains(&process.pid)).collect(),
        left: all.iter().filter(started).filter(|process| left.contains(&process.pid)).collect(),
        younger: all
            .iter()
            .filter(started)
            .filter(|process| !theirs.contains(&process.pid) && !left.contains(&process.pid))
            .filter(is_unexplained)
            .collect(),
    }
}

/// Kills processes; one that has ended meanwhile is no failure. All of them are stopped first, so that none starts another
/// while the others die.
pub(crate) fn kill(processes: &[&Process]) {
    for signal in [Signal::STOP, Signal::KILL] {
        for pid in processes.iter().filter_map(|process| Pid::from_raw(process.pid)) {
            let _ = kill_process(pid, signal);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A process of root's, started a second after the grant.
    fn process(pid: i32, parent: i32) -> Process {
        Process {
            pid,
            command: String::new(),
            parent,
            uids: vec![0; 4],
            login: None,
            session: None,
            sudo: None,
            slice: None,
            started: SignedDuration::from_secs(101),
        }
    }

    fn ended(all: &[Process], own: i32) -> Vec<i32> {
        let found = of_holder(all, 1001, SignedDuration::from_secs(100), own);
        found.ended.iter().map(|process| process.pid).collect()
    }

    #[test]
    fn who_runs_our_program_in_a_loop_is_not_spared_as_its_caller() {
        // sshd, the holder's shell, sudo, a loop of root's, our program.
        let holders = |pid, parent| Process { login: Some(1001), session: Some(7), ..process(pid, parent) };
        let all = [process(10, 1), holders(11, 10), holders(12, 11), holders(13, 12)];
        assert_eq!(ended(&all, 13), [11, 12]);
        // The same, as the service account has it carried out: all of them are spared.
        let ours = |pid, parent| Process { login: Some(995), session: Some(8), ..process(pid, parent) };
        let all = [process(10, 1), ours(21, 10), ours(22, 21), ours(23, 22)];
        assert_eq!(ended(&all, 23), Vec::<i32>::new());
    }

    #[test]
    fn a_daemon_restarted_under_a_grant_ends_and_the_sessions_that_it_opened_for_others_do_not() {
        let daemon = Process { login: Some(1001), session: Some(7), slice: Some(1001), ..process(30, 1) };
        let others = Process { login: Some(1002), session: Some(9), slice: Some(1002), ..process(31, 30) };
        let shell = Process { uids: vec![1002; 4], ..Process { pid: 32, parent: 31, ..others.clone() } };
        // What the holder lets run under another's name stays in their own slice.
        let disguised = Process { login: Some(1002), session: Some(7), slice: Some(1001), ..process(33, 1) };
        let all = [daemon, others, shell, disguised];
        let found = of_holder(&all, 1001, SignedDuration::from_secs(100), 1);
        assert_eq!(found.ended.iter().map(|process| process.pid).collect::<Vec<_>>(), [30, 33]);
        assert_eq!(found.left.iter().map(|process| process.pid).collect::<Vec<_>>(), [31]);
    }

    #[test]
    fn what_clears_its_environment_is_found_by_descent_and_what_was_there_before_stays() {
        let sudo = Process { sudo: Some(1001), ..process(40, 1) };
        let older = Process { login: Some(1001), started: SignedDuration::from_secs(99), ..process(42, 1) };
        let all = [sudo, process(41, 40), older, process(43, 1)];
        let found = of_holder(&all, 1001, SignedDuration::from_secs(100), 1);
        assert_eq!(found.ended.iter().map(|process| process.pid).collect::<Vec<_>>(), [40, 41]);
        // Root's, younger, and nobody knows whose.
        assert_eq!(found.younger.iter().map(|process| process.pid).collect::<Vec<_>>(), [43]);
    }

    #[test]
    fn the_session_of_somebody_who_only_became_the_account_is_not_ended() {
        let theirs = Process { uids: vec![1002; 4], login: Some(1002), session: Some(9), ..process(50, 1) };
        let became = Process { uids: vec![1001; 4], login: Some(1002), session: Some(9), ..process(51, 50) };
        assert_eq!(ended(&[theirs, became], 1), [51]);
    }

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

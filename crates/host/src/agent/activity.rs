//! What was done as root and who signed in, from the lines that sudo (as JSON), sshd, su and login leave in the log.
//!
//! Where there is a journal it says which program wrote a line, and nobody can forge that: such lines are attested. Any local
//! account can write lines like them into a file of syslog's: what is read there is a claim.

use std::{
    collections::BTreeMap,
    fs::File,
    io::{self, BufRead as _, BufReader, Read, Seek as _, SeekFrom},
    path::Path,
    process::{Command, Stdio},
};

use jiff::Timestamp;
use serde::Deserialize;

use super::{Failed, Host};
use crate::protocol::{Done, Held, Log, Role};

/// The log and the one before it, older first.
const LOGS: [&str; 2] = ["/var/log/auth.log.1", "/var/log/auth.log"];
/// How much of a log is read at once; more than anybody writes in the half minute between two looks.
const READ_MOST: u64 = 1024 * 1024 * 1024;
/// Longest line that can be one of those looked for.
const LINE_MOST: u64 = 64 * 1024;
/// How much is told at once.
const TOLD_MOST: usize = 50_000;

#[derive(Deserialize)]
struct Event {
    sudo: Kind,
}

#[derive(Deserialize)]
struct Kind {
    accept: Option<Accept>,
}

#[derive(Deserialize)]
struct Accept {
    server_time: Time,
    submituser: String,
    runuser: Option<String>,
    command: String,
}

#[derive(Deserialize)]
struct Time {
    seconds: i64,
    nanoseconds: i32,
}

/// What one account may do by sudo, by role.
type Allowed = BTreeMap<String, Vec<Role>>;

impl Host {
    pub(crate) fn activity(&self, from: Timestamp) -> Result<Log, Failed> {
        let found = self.survey()?;
        let roles: BTreeMap<&str, &Role> = found.roles.iter().map(|role| (role.name.as_str(), role)).collect();
        let mut allowed = Allowed::new();
        for Held { account, role, .. } in &found.rights {
            if let Some(role) = roles.get(role.as_str()) {
                allowed.entry(account.clone()).or_default().push((*role).clone());
            }
        }
        let mut log = Log::default();
        let mut take = |line: &str, attested: bool| {
            let done = read(line, &allowed).or_else(|| self.seal_broken(line));
            if let Some(done) = done.filter(|done| done.at >= from) {
                log.done.push(Done { attested, ..done });
            }
        };
        log.unread = match self.journal(from)? {
            Some(journal) => lines(journal, READ_MOST, |line| take(line, true))?,
            None => {
                let mut unread = 0;
                for path in LOGS {
                    let Some((log, size)) = since(&self.at(path), from) else { continue };
                    let read = log.take(READ_MOST);
                    unread += lines(read, READ_MOST, |line| take(line, false))? + size.saturating_sub(READ_MOST);
                }
                unread
            }
        };
        // What concerns the sealed is told whatever else there is.
        log.done.sort_by_key(|one| (!self.bounds.sealed.contains(&one.account), one.at));
        let sealed = log.done.iter().filter(|one| self.bounds.sealed.contains(&one.account)).count();
        log.done.truncate(TOLD_MOST.max(sealed));
        log.done.sort_by_key(|one| one.at);
        Ok(log)
    }

    /// A session of a sealed emergency holder that came by neither sudo nor sshd: at the machine itself, or from another
    /// account.
    fn seal_broken(&self, line: &str) -> Option<Done> {
        let done = opened(line)?;
        self.bounds.sealed.contains(&done.account).then_some(done)
    }

    /// Lines of the journal that sudo, sshd, su and login themselves wrote, by what the kernel says of the writer; none where
    /// there is no journal.
    fn journal(&self, from: Timestamp) -> Result<Option<impl Read>, Failed> {
        if !self.is_real() || !Path::new("/run/systemd/journal").is_dir() {
            return Ok(None);
        }
        let since = format!("--since=@{}", from.as_second().max(0));
        let child = Command::new("journalctl")
            .args(["--quiet", "--no-pager", "--output=short-iso", &since])
            .args([
                "_EXE=/usr/bin/sudo",
                "+",
                "_EXE=/usr/sbin/sshd",
                "+",
                "_EXE=/usr/bin/su",
                "+",
                "_EXE=/usr/bin/login",
            ])
            .env_clear()
            .env("PATH", "/usr/bin:/bin")
            .env("TZ", "UTC")
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .map_err(|error| Failed(format!("`journalctl` can't be run: {error}")))?;
        Ok(child.stdout)
    }
}

/// Hands on each line of a log; how many bytes were too many.
fn lines(log: impl Read, most: u64, mut take: impl FnMut(&str)) -> Result<u64, Failed> {
    let mut log = BufReader::with_capacity(256 * 1024, log);
    let (mut left, mut line) = (most, Vec::new());
    while left > 0 {
        line.clear();
        let length = (&mut log).take(left.min(LINE_MOST)).read_until(b'\n', &mut line)? as u64;
        if length == 0 {
            return Ok(0);
        }
        left -= length;
        if let Ok(text) = std::str::from_utf8(&line) {
            take(text.trim_end());
        }
    }
    Ok(io::copy(&mut log.take(LINE_MOST), &mut io::sink())?)
}

/// A log from the first line that is as young as `from`, found by halving, for its lines are in order of time; and how much
/// that is; what is written meanwhile belongs to the next time. None where there is none, or something else than a file is in
/// its place.
fn since(path: &Path, from: Timestamp) -> Option<(io::Take<File>, u64)> {
    let meta = std::fs::metadata(path).ok().filter(std::fs::Metadata::is_file)?;
    if Timestamp::try_from(meta.modified().ok()?).ok()? < from {
        return None;
    }
    let size = meta.len();
    let mut file = File::open(path).ok()?;
    let (mut low, mut high) = (0, size);
    while high - low > LINE_MOST {
        let middle = low + (high - low) / 2;
        match first_time(&mut file, middle)? {
            Some(at) if at < from => low = middle,
            // What bears no time decides nothing, so more is read.
            _ => high = middle,
        }
    }
    file.seek(SeekFrom::Start(low)).ok()?;
    Some((file.take(size - low), size - low))
}

/// The time of the first whole line from here on that has one.
fn first_time(file: &mut File, from: u64) -> Option<Option<Timestamp>> {
    file.seek(SeekFrom::Start(from)).ok()?;
    let mut bytes = Vec::new();
    file.take(LINE_MOST).read_to_end(&mut bytes).ok()?;
    let text = String::from_utf8_lossy(&bytes);
    Some(text.lines().skip(1).find_map(|line| line.split(' ').next()?.parse().ok()))
}

fn read(line: &str, allowed: &Allowed) -> Option<Done> {
    if let Some((_, json)) = line.split_once("@cee:") {
        let Event { sudo: Kind { accept } } = serde_json::from_str(json).ok()?;
        let accept = accept?;
        return Some(Done {
            at: Timestamp::new(accept.server_time.seconds, accept.server_time.nanoseconds).ok()?,
            roles: roles_for(allowed, &accept),
            account: accept.submituser,
            what: format!("run {}", accept.command),
            attested: false,
        });
    }
    let (head, rest) = line.split_once(": Accepted ")?;
    let mut words = head.split_whitespace();
    let at = words.next()?.parse().ok()?;
    words.last().filter(|tag| tag.starts_with("sshd"))?;
    let account = rest.split_once(" for ")?.1.split_whitespace().next()?.to_owned();
    let is_root = allowed.get(&account).is_some_and(|held| held.iter().any(|role| role.name == "root"));
    let roles = if account == "root" && is_root { vec!["root".to_owned()] } else { Vec::new() };
    Some(Done { at, account, roles, what: "sign in".to_owned(), attested: false })
}

/// A session as PAM's line for `login` and `su` has it.
fn opened(line: &str) -> Option<Done> {
    let (head, rest) = line.split_once(": pam_unix(")?;
    let (service, rest) = rest.split_once(":session): session opened for user ")?;
    let what = match service {
        "login" => "sign in",
        "su" | "su-l" => "switch user",
        _ => return None,
    };
    let mut words = head.split_whitespace();
    let at = words.next()?.parse().ok()?;
    words.last().filter(|tag| tag.starts_with("login") || tag.starts_with("su"))?;
    let account = rest.split(['(', ' ']).next()?.to_owned();
    Some(Done { at, account, roles: Vec::new(), what: what.to_owned(), attested: false })
}

/// The roles that allow a command: all commands, or a list with that program in it.
fn roles_for(allowed: &Allowed, accept: &Accept) -> Vec<String> {
    let as_root = accept.runuser.as_deref().is_none_or(|user| user == "root");
    let allows = |permit: &String| {
        (permit == "ALL" && as_root) || permit.split_whitespace().next() == Some(accept.command.as_str())
    };
    let held = allowed.get(&accept.submituser).into_iter().flatten();
    // A group that sudo speaks of is what gives its members everything.
    let by_group = |role: &Role| as_root && ["group:sudo", "group:wheel", "group:admin"].contains(&role.name.as_str());
    let mut names: Vec<String> =
        held.filter(|role| role.permits.iter().any(allows) || by_group(role)).map(|role| role.name.clone()).collect();
    names.sort();
    names.dedup();
    names
}

#[cfg(test)]
mod tests {
    use super::*;

    const SUDO: &str = r#"2026-11-23T02:15:00.1+00:00 crane-1 sudo: @cee:{"sudo":{"accept":{"uuid":"1","server_time":{"seconds":1795400100,"nanoseconds":5,"iso8601":"x","localtime":"y"},"submit_time":{"seconds":1},"submituser":"jweir","command":"/usr/sbin/reboot","runuser":"root","runcwd":"/"}}}"#;

    fn allowed() -> Allowed {
        let role = |name: &str, permits: &str| Role {
            name: name.to_owned(),
            says: String::new(),
            becomes_root: false,
            privileged: true,
            offered: true,
            permits: vec![permits.to_owned()],
        };
        let held = vec![role("run:boot", "/usr/sbin/reboot"), role("root", "ALL"), role("run:tail", "/usr/bin/tail x")];
        Allowed::from([("jweir".to_owned(), held)])
    }

    #[test]
    fn a_line_of_sudo_and_one_of_sshd_are_read_and_nothing_else_is() {
        let done = read(SUDO, &allowed()).unwrap();
        assert_eq!((done.account.as_str(), done.what.as_str()), ("jweir", "run /usr/sbin/reboot"));
        assert_eq!(done.roles, ["root", "run:boot"]);
        assert_eq!(done.at.as_second(), 1_795_400_100);
        let sshd =
            "2026-11-23T02:15:00.1+00:00 crane-1 sshd[71]: Accepted publickey for tomas from 10.0.0.1 port 2 ssh2: x";
        let done = read(sshd, &allowed()).unwrap();
        assert_eq!((done.account.as_str(), done.what.as_str(), done.roles.len()), ("tomas", "sign in", 0));
        assert!(read(&sshd.replace(".1+00:00", "+0000"), &allowed()).is_some(), "as the journal writes times");
        for other in [
            "2026-11-23T02:15:00.1+00:00 crane-1 login[1]: Accepted publickey for tomas from 10.0.0.1 port 2 ssh2",
            "crane-1 sshd[71]: Accepted publickey for tomas",
            &SUDO.replace("\"accept\"", "\"reject\""),
            "@cee:{\"sudo\":",
            "",
        ] {
            assert_eq!(read(other, &allowed()), None, "{other}");
        }
    }

    #[test]
    fn megabytes_of_noise_hide_no_line_and_only_what_is_young_enough_is_read() {
        use std::io::Write as _;
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("auth.log");
        let mut file = File::create(&path).unwrap();
        let line = |minute: u32| {
            format!(
                "2026-11-23T02:{minute:02}:00.1+00:00 crane-1 sshd[71]: Accepted publickey for pier-seal from x port 2 ssh2\n"
            )
        };
        let noise = |minute: u32| {
            format!("2026-11-23T02:{minute:02}:30.1+00:00 crane-1 logger: {}\n", "x".repeat(200)).repeat(40_000)
        };
        for minute in 0..6 {
            file.write_all(line(minute).as_bytes()).unwrap();
            file.write_all(noise(minute).as_bytes()).unwrap();
        }
        file.write_all(b"no time at all\n\xff\xfe\n").unwrap();
        file.write_all(line(6).as_bytes()).unwrap();
        let from = "2026-11-23T02:03:59Z".parse().unwrap();
        let (log, size) = since(&path, from).unwrap();
        let (mut found, mut looked_at) = (Vec::new(), 0);
        let unread = lines(log, size, |line| {
            looked_at += 1;
            found.extend(read(line, &allowed()).map(|done| done.at).filter(|at| *at >= from));
        });
        assert_eq!((unread.unwrap(), found.len()), (0, 3), "{found:?}");
        assert!(looked_at < 140_000, "all of it was read: {looked_at} lines");
        // What comes in while it is read is read the next time, and is none that was missed.
        let (log, size) = since(&path, from).unwrap();
        let mut more = Some(noise(7));
        let unread = lines(log, size, |_| {
            more.take().into_iter().for_each(|more| file.write_all(more.as_bytes()).unwrap());
        });
        assert_eq!(unread.unwrap(), 0);
        // More than is read at once is told.
        let (log, _) = since(&path, from).unwrap();
        assert!(lines(log, 1000, |_| {}).unwrap() > 0);
    }

    #[test]
    fn a_session_at_the_machine_or_from_another_account_is_read() {
        let line = |tag: &str, service: &str| {
            format!(
                "2026-11-23T02:15:00.1+00:00 crane-1 {tag}[71]: pam_unix({service}:session): session opened for user pier-seal(uid=1006) by (uid=0)"
            )
        };
        for (tag, service, what) in
            [("login", "login", "sign in"), ("su", "su", "switch user"), ("su", "su-l", "switch user")]
        {
            let done = opened(&line(tag, service)).unwrap();
            assert_eq!((done.account.as_str(), done.what.as_str()), ("pier-seal", what));
        }
        for other in
            [line("CRON", "cron"), line("logger", "su"), line("su", "su").replace("opened", "closed"), String::new()]
        {
            assert_eq!(opened(&other), None, "{other}");
        }
    }
}

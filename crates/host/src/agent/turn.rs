//! One at a time, and nothing in the way. Whoever was root on the host may have taken our lock, mounted something over our
//! files, or made them unchangeable: none of that keeps an end waiting, and all of it is said afterwards.

use std::{
    fs::{File, OpenOptions},
    io::{ErrorKind, Write as _},
    os::unix::fs::{OpenOptionsExt as _, PermissionsExt as _},
    path::{Path, PathBuf},
    time::{Duration, Instant},
};

use jiff::Timestamp;
use rustix::{
    fs::{FlockOperation, IFlags, OFlags},
    mount::UnmountFlags,
};

use super::{Failed, Host, STATE};

/// Longest that an end waits for its turn. Nothing of ours holds the lock as long; after it the lock is broken.
const END_WAITS: Duration = Duration::from_secs(1);
/// Longest that any other order waits.
const ORDER_WAITS: Duration = Duration::from_secs(10);
/// How often a lock is tried.
const TRIED_EVERY: Duration = Duration::from_millis(20);
/// Most bytes kept of what was said; then it begins anew.
const SAID_MOST: u64 = 256 * 1024;
/// Most mounts of one over another that are taken off.
const MOUNTS_MOST: usize = 64;

impl Host {
    /// Something that an administrator has to be told with the leftovers of whatever grant was live then.
    pub(crate) fn say(&self, what: &str) {
        eprintln!("tempestas-host: {what}");
        let path = self.said_at();
        let fits = std::fs::symlink_metadata(&path).map_or(true, |meta| meta.is_file() && meta.len() < SAID_MOST);
        if !fits {
            remove(&path);
        }
        let line = format!("{} {}\n", Timestamp::now(), what.replace('\n', " "));
        let file = OpenOptions::new().append(true).create(true).custom_flags(careful()).open(&path);
        let written = file.and_then(|mut file| file.write_all(line.as_bytes()));
        if let Err(error) = written {
            eprintln!("tempestas-host: that can't be kept for later: {error}");
        }
    }

    fn said_at(&self) -> PathBuf {
        self.at(STATE).join("said")
    }

    /// What was said since, each once.
    pub(crate) fn said_since(&self, since: Timestamp) -> Vec<String> {
        let text = self.text(&self.said_at()).unwrap_or_default();
        let mut said: Vec<String> = text
            .lines()
            .filter_map(|line| line.split_once(' '))
            .filter(|(at, _)| at.parse::<Timestamp>().is_ok_and(|at| at >= since))
            .map(|(_, what)| what.to_owned())
            .collect();
        said.sort();
        said.dedup();
        said
    }

    /// A turn for what gives or changes; held until it is dropped.
    pub(crate) fn turn(&self) -> Result<File, Failed> {
        self.lock_within(ORDER_WAITS)?.ok_or_else(|| {
            Failed("other orders are being carried out for too long; look at what runs there".to_owned())
        })
    }

    /// A turn for what ends. Where somebody keeps the lock it goes ahead without, and the next ones have a fresh one.
    pub(crate) fn turn_to_end(&self) -> Option<File> {
        self.clear_mounts();
        match self.lock_within(END_WAITS) {
            Ok(Some(lock)) => Some(lock),
            outcome => {
                let why = outcome.err().map_or_else(|| "somebody kept it".to_owned(), |failed| failed.to_string());
                self.say(&format!("the lock that keeps orders apart was broken, for ends wait for nobody: {why}"));
                remove(&self.at(STATE).join("lock"));
                self.lock_within(END_WAITS).ok().flatten()
            }
        }
    }

    fn lock_within(&self, most: Duration) -> Result<Option<File>, Failed> {
        let state = self.at(STATE);
        std::fs::create_dir_all(&state)?;
        std::fs::set_permissions(&state, std::fs::Permissions::from_mode(0o700))?;
        let path = state.join("lock");
        if std::fs::symlink_metadata(&path).is_ok_and(|meta| !meta.is_file()) {
            remove(&path);
        }
        // Never waits for whoever would read a pipe in its place.
        let lock = OpenOptions::new().write(true).create(true).truncate(false).custom_flags(careful()).open(&path)?;
        let until = Instant::now() + most;
        while let Err(error) = rustix::fs::flock(&lock, FlockOperation::NonBlockingLockExclusive) {
            if error != rustix::io::Errno::WOULDBLOCK {
                return Err(std::io::Error::from(error).into());
            }
            if Instant::now() >= until {
                return Ok(None);
            }
            std::thread::sleep(TRIED_EVERY);
        }
        Ok(Some(lock))
    }

    /// Takes off whatever was mounted over what is ours.
    fn clear_mounts(&self) {
        if !self.is_real() {
            return;
        }
        for _ in 0..MOUNTS_MOST {
            let over = mounts()
                .into_iter()
                .rev()
                .map(|mount| mount.at)
                .find(|at| [STATE, "/etc/tempestas", "/etc/sudoers.d"].iter().any(|ours| at.starts_with(ours)));
            let Some(over) = over else { return };
            self.say(&format!("something was mounted over {}, and is taken off", over.display()));
            if let Err(error) = rustix::mount::unmount(&over, UnmountFlags::DETACH) {
                self.say(&format!("it can't be taken off: {error}"));
                return;
            }
        }
    }

    /// Removes a file of ours, also one that was made unchangeable.
    pub(crate) fn remove(&self, path: &Path) -> Result<(), Failed> {
        let gone = |outcome: std::io::Result<()>| match outcome {
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
            other => other,
        };
        if gone(std::fs::remove_file(path)).is_ok() {
            return Ok(());
        }
        self.say(&format!("{} could not be removed at once; somebody held on to it", path.display()));
        for one in [Some(path), path.parent()].into_iter().flatten() {
            make_changeable(one);
        }
        if std::fs::symlink_metadata(path).is_ok_and(|meta| meta.is_dir()) {
            return Ok(gone(std::fs::remove_dir_all(path))?);
        }
        Ok(gone(std::fs::remove_file(path))?)
    }
}

/// Follows no link, and waits for nobody who would read a pipe.
fn careful() -> i32 {
    i32::try_from((OFlags::NOFOLLOW | OFlags::NONBLOCK).bits()).unwrap_or_default()
}

fn make_changeable(path: &Path) {
    let Ok(file) = OpenOptions::new().read(true).custom_flags(careful()).open(path) else { return };
    if let Ok(flags) = rustix::fs::ioctl_getflags(&file) {
        let _ = rustix::fs::ioctl_setflags(&file, flags - (IFlags::IMMUTABLE | IFlags::APPEND));
    }
}

/// Whatever it is, without following it.
fn remove(path: &Path) {
    make_changeable(path);
    if std::fs::remove_file(path).is_err() {
        let _ = std::fs::remove_dir_all(path);
    }
}

/// A file system in its place.
pub(crate) struct Mount {
    pub(crate) at: PathBuf,
    pub(crate) kind: String,
}

/// What is mounted where, in order; a later one hides an earlier.
pub(crate) fn mounts() -> Vec<Mount> {
    let text = std::fs::read_to_string("/proc/self/mountinfo").unwrap_or_default();
    text.lines().filter_map(mount).collect()
}

/// One line of `/proc/self/mountinfo`, see `proc_pid_mountinfo(5)`.
fn mount(line: &str) -> Option<Mount> {
    let (place, kind) = line.split_once(" - ")?;
    let at = place.split(' ').nth(4)?;
    let mut path = String::new();
    let mut rest = at;
    // Blanks and the like are written in octal.
    while let Some((before, after)) = rest.split_once('\\') {
        path.push_str(before);
        let code = after.get(..3).and_then(|code| u8::from_str_radix(code, 8).ok())?;
        path.push(char::from(code));
        rest = after.get(3..)?;
    }
    path.push_str(rest);
    Some(Mount { at: PathBuf::from(path), kind: kind.split(' ').next()?.to_owned() })
}

#[cfg(test)]
mod tests {
    use super::mount;

    #[test]
    fn a_line_of_mountinfo_says_where_and_what() {
        for (line, at, kind) in [
            ("36 35 98:0 / /var/lib rw,noatime master:1 - ext3 /dev/root rw", "/var/lib", "ext3"),
            ("36 35 0:20 / /srv/a\\040b rw - tmpfs none rw", "/srv/a b", "tmpfs"),
            ("36 35 0:20 / /a\\134b rw shared:2 master:1 - fuse.sshfs x rw", "/a\\b", "fuse.sshfs"),
        ] {
            let read = mount(line).map(|mount| (mount.at.display().to_string(), mount.kind));
            assert_eq!(read, Some((at.to_owned(), kind.to_owned())), "{line}");
        }
        assert!(mount("36 35 0:20 / /srv").is_none());
    }
}

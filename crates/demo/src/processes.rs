//! Child processes that end with whoever started them.

use std::{
    io::{BufRead as _, BufReader},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context as _, bail};
use rustix::process::{Pid, Signal, kill_process};

/// How long a program may take to say that it listens.
const START: Duration = Duration::from_secs(30);
/// How long a program may take to end when asked.
const STOP: Duration = Duration::from_secs(15);

/// A program of ours, beside the one that runs: all are built into one directory.
///
/// # Errors
/// When it was not built.
pub fn program(name: &str) -> anyhow::Result<PathBuf> {
    let own = std::env::current_exe()?;
    own.ancestors()
        .skip(1)
        .take(3)
        .map(|directory| directory.join(name))
        .find(|path| path.is_file())
        .with_context(|| format!("{name} is not built; run `cargo build --workspace` first"))
}

/// A running program. Asked to end when dropped, and killed where it doesn't.
pub struct Running {
    name: String,
    child: Child,
    /// The address it said it listens on.
    pub address: String,
}

impl Running {
    /// Starts a program and waits until it prints `… listens on ADDRESS`. Its log goes to a file.
    ///
    /// # Errors
    /// When it ends, or says nothing in time; the log's last lines are in the error.
    pub fn start(name: &str, arguments: &[&str], environment: &[(&str, &str)], log: &Path) -> anyhow::Result<Self> {
        let file = std::fs::File::options().create(true).append(true).open(log)?;
        let mut child = Command::new(program(name)?)
            .args(arguments)
            .envs(environment.iter().copied())
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(file)
            .spawn()
            .with_context(|| format!("{name} can't be started"))?;
        let output = child.stdout.take().context("the output is piped")?;
        let (said, hears) = std::sync::mpsc::channel();
        std::thread::spawn(move || {
            for line in BufReader::new(output).lines().map_while(Result::ok) {
                if let Some((_, address)) = line.split_once(" listens on ") {
                    let _ = said.send(address.trim().to_owned());
                }
            }
        });
        match hears.recv_timeout(START) {
            Ok(address) => Ok(Self { name: name.to_owned(), child, address }),
            Err(_) => {
                let _ = child.kill();
                let _ = child.wait();
                bail!("{name} did not start; its log ends:\n{}", tail(log))
            }
        }
    }

    /// Its process id.
    #[must_use]
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// Whether it still runs.
    pub fn is_running(&mut self) -> bool {
        matches!(self.child.try_wait(), Ok(None))
    }

    /// Ends it at once, as SIGKILL does: nothing is cleaned up.
    pub fn kill(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }

    /// Asks it to end, and waits until it has.
    ///
    /// # Errors
    /// When it had to be killed, or ended badly.
    pub fn stop(&mut self) -> anyhow::Result<()> {
        if let Some(pid) = i32::try_from(self.child.id()).ok().and_then(Pid::from_raw) {
            let _ = kill_process(pid, Signal::TERM);
        }
        let until = Instant::now() + STOP;
        while Instant::now() < until {
            if let Some(status) = self.child.try_wait()? {
                if status.success() {
                    return Ok(());
                }
                bail!("{} ended with {status}", self.name);
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        self.kill();
        bail!("{} did not end within {} s and was killed", self.name, STOP.as_secs())
    }

    /// Waits until it ends by itself.
    ///
    /// # Errors
    /// When it goes on.
    pub fn wait_for_end(&mut self, limit: Duration) -> anyhow::Result<()> {
        let until = Instant::now() + limit;
        while Instant::now() < until {
            if self.child.try_wait()?.is_some() {
                return Ok(());
            }
            std::thread::sleep(Duration::from_millis(5));
        }
        bail!("{} goes on", self.name)
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        if self.is_running() {
            let _ = self.stop();
        }
    }
}

/// The last lines of a log.
#[must_use]
pub fn tail(log: &Path) -> String {
    let text = std::fs::read_to_string(log).unwrap_or_default();
    let lines: Vec<&str> = text.lines().collect();
    lines.iter().skip(lines.len().saturating_sub(12)).map(|line| format!("  {line}\n")).collect()
}

//! Ends the process at the n-th commit, before or after it, as SIGKILL does: nothing is cleaned up.

pub(crate) struct Point {
    left: Option<u64>,
    after: bool,
}

impl Point {
    /// `TEMPESTAS_CRASH_AT=before:7` or `after:7`.
    pub(crate) fn from_environment() -> Self {
        let set = std::env::var("TEMPESTAS_CRASH_AT").unwrap_or_default();
        let (when, at) = set.split_once(':').unwrap_or_default();
        Self { left: at.parse().ok(), after: when == "after" }
    }

    pub(crate) fn before_commit(&mut self) {
        self.left = self.left.map(|left| left.saturating_sub(1));
        if self.left == Some(0) && !self.after {
            die();
        }
    }

    pub(crate) fn after_commit(&self) {
        if self.left == Some(0) && self.after {
            die();
        }
    }
}

fn die() {
    let _ = rustix::process::kill_process(rustix::process::getpid(), rustix::process::Signal::KILL);
    std::process::abort();
}

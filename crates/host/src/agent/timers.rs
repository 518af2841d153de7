//! What on the host ends a grant with nothing of ours elsewhere: a timer of systemd where it runs, else a process
//! of ours that waits.

use std::{
    os::unix::process::CommandExt as _,
    path::Path,
    process::{Command, Stdio},
};

use jiff::tz::TimeZone;

use super::{
    Failed,
    grants::{Kept, run_program},
};

/// Where the program lies on a host.
pub(crate) const PROGRAM: &str = "/usr/local/libexec/tempestas-host";
/// The timer, placed when the host is enrolled, that looks every twenty seconds and after a restart of the host.
const SWEEP: &str = "/etc/systemd/system/tempestas-host-sweep.timer";

pub(crate) fn systemd_runs() -> bool {
    Path::new("/run/systemd/system").is_dir()
}

/// Whether grants end also after a restart of the host.
pub(crate) fn survives_restart() -> bool {
    systemd_runs() && Path::new(SWEEP).exists()
}

/// Sets what ends a grant. Setting it twice does no harm: the end finds nothing left to do.
pub(crate) fn set(kept: &Kept) -> Result<(), Failed> {
    if systemd_runs() {
        let at = kept.grant.until.to_zoned(TimeZone::UTC).strftime("%Y-%m-%d %H:%M:%S UTC").to_string();
        let unit = format!("--unit=tempestas-end-{}-{}", kept.grant.name, kept.grant.attempt);
        let calendar = format!("--on-calendar={at}");
        // By how long the host has run, too: a clock that is set back moves no end.
        let left = kept.grant.until.duration_since(jiff::Timestamp::now()).as_secs().max(0) + 1;
        let active = format!("--on-active={left}s");
        return run_program(
            "systemd-run",
            &["--quiet", "--collect", &unit, &calendar, &active, "--timer-property=AccuracySec=1s", PROGRAM, "sweep"],
        );
    }
    // In a process group of its own, so that it outlives the sign-in that brought the order.
    let own = std::env::current_exe()?;
    Command::new(own)
        .args(["wait", &kept.grant.name])
        .env_clear()
        .current_dir("/")
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .process_group(0)
        .spawn()
        .map_err(|error| Failed(format!("what would end it can't be started: {error}")))?;
    Ok(())
}

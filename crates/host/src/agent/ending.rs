//! The end of a grant, which is four things: no new sudo, no new sign-in, nothing left running, no membership.

use jiff::SignedDuration;

use super::{
    Failed, Host,
    grants::{Kept, run_program},
    processes::{all, boot_id, kill, of_holder},
};
use crate::protocol::{Grant, Outcome};

/// How often what runs is looked for again, since it may start more while it is being ended.
const ROUNDS: usize = 20;

impl Host {
    pub(crate) fn take(&self, grant: &Grant) -> Result<Outcome, Failed> {
        match self.kept()?.into_iter().find(|kept| kept.grant.name == grant.name) {
            Some(kept) => self.end(&kept)?,
            None => {
                // A drop-in without a record, or nothing at all: a name that never was must never come to be.
                if super::bounds::is_word(&grant.name) {
                    let _ = std::fs::remove_file(self.drop_in(&grant.name));
                    self.bury(&grant.name)?;
                }
            }
        }
        Ok(Outcome::Done)
    }

    /// Ends a grant. Each step may be repeated; the record goes last.
    pub(crate) fn end(&self, kept: &Kept) -> Result<(), Failed> {
        match std::fs::remove_file(self.drop_in(&kept.grant.name)) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(error.into()),
            _ => {}
        }
        let others: Vec<Kept> = self
            .kept()?
            .into_iter()
            .filter(|other| other.grant.name != kept.grant.name && other.uid == kept.uid)
            .collect();
        if let Some(group) = kept.group().filter(|_| kept.joined) {
            match others.iter().find(|other| other.group() == Some(group)) {
                // The membership goes on for another grant, and ends with that.
                Some(heir) => self.keep(&Kept { joined: true, ..heir.clone() })?,
                None => self.leave(&kept.grant.account, group)?,
            }
        }
        // Where another grant of the account covers what this one could do, it covers what was started too.
        let covered = others.iter().any(|other| other.grant.role == "root" || other.grant.role == kept.grant.role);
        if self.is_real() && !covered {
            end_processes(kept)?;
        }
        self.bury(&kept.grant.name)
    }

    fn leave(&self, account: &str, group: &str) -> Result<(), Failed> {
        let member =
            self.groups()?.iter().any(|known| known.name == group && known.members.iter().any(|m| m == account));
        if member { run_program("gpasswd", &["-d", account, group]) } else { Ok(()) }
    }
}

/// Ends what was started under a grant, and what that starts meanwhile.
fn end_processes(kept: &Kept) -> Result<(), Failed> {
    let own = i32::try_from(std::process::id()).unwrap_or_default();
    let since = if boot_id()? == kept.boot { kept.uptime } else { SignedDuration::ZERO };
    for _ in 0..ROUNDS {
        let running = all()?;
        let theirs = of_holder(&running, kept.uid, since, own);
        if theirs.is_empty() {
            return Ok(());
        }
        kill(&theirs);
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    Err(Failed("something that was started under it can't be ended".to_owned()))
}

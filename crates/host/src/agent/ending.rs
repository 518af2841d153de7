//! The end of a grant, which is four things: nothing left running, no new sudo, no new sign-in, no membership.

use jiff::{SignedDuration, Timestamp};

use super::{
    Failed, Host,
    accounts::is_login,
    bounds::is_word,
    grants::{Ended, Kept, run_program},
    processes::{all, boot_id, kill, of_holder, uptime},
};
use crate::protocol::{Grant, Outcome};

/// How often what runs is looked for again, since it may start more while it is being ended.
const ROUNDS: usize = 20;
/// Files that programs which change groups leave behind when they are killed, or that somebody placed.
const GROUP_LOCKS: [&str; 4] = ["/etc/group.lock", "/etc/gshadow.lock", "/etc/passwd.lock", "/etc/shadow.lock"];

impl Host {
    pub(crate) fn take(&self, grant: &Grant) -> Result<Outcome, Failed> {
        match self.records().kept.into_iter().find(|kept| kept.grant.name == grant.name) {
            Some(kept) => self.end(&kept)?,
            // A name that never was must never come to be.
            None if is_word(&grant.name) => self.end_without_record(grant)?,
            None => {}
        }
        Ok(Outcome::Done)
    }

    /// Ends what no record tells of: it was never given, ended before, or somebody did away with the record.
    fn end_without_record(&self, grant: &Grant) -> Result<(), Failed> {
        let was_given = self.drop_in(&grant.name).symlink_metadata().is_ok() || self.before_at(&grant.name).exists();
        if was_given && self.ended(&grant.name).is_none() {
            self.say("the host's own record of this grant was gone before its end");
            if let Some(kept) = self.supposed(grant)? {
                return self.end(&kept);
            }
        }
        self.remove(&self.drop_in(&grant.name))?;
        if self.ended(&grant.name).is_none() { self.bury(&grant.name, None) } else { Ok(()) }
    }

    /// The record as it must have been. Whether a membership came with it isn't known, so that is left and said.
    fn supposed(&self, grant: &Grant) -> Result<Option<Kept>, Failed> {
        let Some(account) = self.account(&grant.account)?.filter(|account| self.bounds.may_be_given(account).is_ok())
        else {
            return Ok(None);
        };
        let now = Timestamp::now();
        let given_at = grant.opened_at.max(now - self.bounds.longest).min(now);
        if grant.role.starts_with("group:") {
            self.say(&format!("whether `{}` came with it isn't known; look at the account's groups", grant.role));
        }
        Ok(Some(Kept {
            grant: grant.clone(),
            uid: account.uid,
            given_at,
            uptime: uptime()? - now.duration_since(given_at),
            boot: boot_id()?,
            joined: false,
        }))
    }

    /// Ends a grant. What runs under it ends first, and again once nothing more can be started; no step waits for
    /// another to go well, each may be repeated, and the record goes last.
    pub(crate) fn end(&self, kept: &Kept) -> Result<(), Failed> {
        let others: Vec<Kept> = self
            .records()
            .kept
            .into_iter()
            .filter(|other| other.grant.name != kept.grant.name && other.uid == kept.uid)
            .collect();
        // Where another grant of the account covers what this one could do, it covers what was started too.
        let covered = others.iter().any(|other| other.grant.role == "root" || other.grant.role == kept.grant.role);
        let ends_processes = || if self.is_real() && !covered { end_processes(kept) } else { Ok(()) };
        let first = ends_processes();
        let rule = self.remove(&self.drop_in(&kept.grant.name));
        let membership = self.end_membership(kept, &others);
        let again = ends_processes();
        // The first look may have missed what the second one found; not the other way round.
        drop(first);
        rule.and(membership).and(again)?;
        self.bury(&kept.grant.name, Some(kept))
    }

    fn end_membership(&self, kept: &Kept, others: &[Kept]) -> Result<(), Failed> {
        let Some(group) = kept.group().filter(|_| kept.joined) else { return Ok(()) };
        match others.iter().find(|other| other.group() == Some(group)) {
            // The membership goes on for another grant, and ends with that.
            Some(heir) => self.keep(&Kept { joined: true, ..heir.clone() }),
            None => self.leave(&kept.grant.account, group),
        }
    }

    /// Ends what a record says that can't be read: somebody changed it, so it is as good as due. Whose it was stands in
    /// the rule of sudo, where there is one; Tempestas knows the rest.
    pub(crate) fn end_damaged(&self, name: &str) -> Result<(), Failed> {
        self.say("the host's own record of this grant could not be read, and it was ended for that");
        let rule = self.drop_in(name);
        let uid = self.text(&rule).ok().and_then(|text| {
            text.lines().find_map(|line| line.strip_prefix('#')?.split(' ').next()?.parse::<u32>().ok())
        });
        self.remove(&rule)?;
        if let Some(uid) = uid.filter(|_| self.is_real()) {
            let since = uptime()? - self.bounds.longest;
            end_processes_of(uid, since.max(SignedDuration::ZERO))?;
        }
        self.bury(name, None)
    }

    fn leave(&self, account: &str, group: &str) -> Result<(), Failed> {
        let member =
            self.groups()?.iter().any(|known| known.name == group && known.members.iter().any(|m| m == account));
        if !member || !is_login(account) {
            return Ok(());
        }
        run_program("gpasswd", &["-d", account, group]).or_else(|_| {
            for lock in GROUP_LOCKS {
                if self.at(lock).symlink_metadata().is_ok() {
                    self.say(&format!("{lock} kept a membership from ending, and is removed"));
                    self.remove(&self.at(lock))?;
                }
            }
            run_program("gpasswd", &["-d", account, group])
        })
    }

    /// Whether something that was started under a grant before it ended still runs.
    pub(crate) fn still_runs(&self, ended: &Ended) -> Result<bool, Failed> {
        let Some(kept) = ended.kept.as_ref().filter(|_| self.is_real() && boot_id().ok() == ended.boot) else {
            return Ok(false);
        };
        let covered = self.records().kept.iter().any(|other| other.uid == kept.uid);
        let running = all()?;
        let theirs = of_holder(&running, kept.uid, since(kept)?, own());
        Ok(!covered && theirs.ended.iter().any(|process| process.started <= ended.uptime))
    }
}

fn own() -> i32 {
    i32::try_from(std::process::id()).unwrap_or_default()
}

/// How long the host had run when a grant was given.
pub(crate) fn since(kept: &Kept) -> Result<SignedDuration, Failed> {
    Ok(if boot_id()? == kept.boot { kept.uptime } else { SignedDuration::ZERO })
}

/// Ends what was started under a grant, and what that starts meanwhile.
fn end_processes(kept: &Kept) -> Result<(), Failed> {
    end_processes_of(kept.uid, since(kept)?)
}

fn end_processes_of(uid: u32, since: SignedDuration) -> Result<(), Failed> {
    for _ in 0..ROUNDS {
        let running = all()?;
        let theirs = of_holder(&running, uid, since, own()).ended;
        if theirs.is_empty() {
            return Ok(());
        }
        kill(&theirs);
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    Err(Failed("something that was started under it can't be ended".to_owned()))
}

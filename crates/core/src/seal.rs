//! Sealed emergency holders, which work when Tempestas doesn't: each is tried by a date, for nobody knows else that it would.

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{AlarmKind, EstateRefusal, Refusal, ScopeId, Seconds, SubjectId, Target, World, later, text::Digest};

/// How long after one is first seen it is to be tried.
pub(crate) const FIRST_WITHIN: Seconds = Seconds::hours(24 * 30);
/// How long after it was tried it is to be tried again, where nobody says when.
pub(crate) const AGAIN_WITHIN: Seconds = Seconds::hours(24 * 90);
/// How long at most.
const LATEST: Seconds = Seconds::hours(24 * 366);
/// How long ago a use may be that was a trial.
const USED_WITHIN: Seconds = Seconds::hours(24 * 7);

/// When a sealed emergency holder is tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Trial {
    /// The account.
    pub account: Digest,
    /// By when it is to be tried next.
    pub due: Timestamp,
    /// Who said last that it was, and when.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tried: Option<Tried>,
}

/// That a sealed emergency holder was tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tried {
    /// Who says so.
    pub by: Option<SubjectId>,
    /// When it was used for that, as the log of its system has it.
    pub at: Timestamp,
}

impl Target {
    /// The trial of an account that it has sealed.
    pub(crate) fn trial_of(&self, world: &World, account: &str) -> Option<&Trial> {
        self.trials.iter().find(|trial| world.is_text(trial.account, account))
    }

    /// Trials of the accounts that are sealed: what is known of each, and for each that is new a date.
    pub(crate) fn trials_of(&self, sealed: &[Digest], now: Timestamp) -> Vec<Trial> {
        let known = |account| self.trials.iter().find(|trial| trial.account == account).copied();
        let new = |account| Trial { account, due: later(now, FIRST_WITHIN), tried: None };
        sealed.iter().map(|account| known(*account).unwrap_or_else(|| new(*account))).collect()
    }

    /// When the first of them is due.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        self.trials.iter().map(|trial| trial.due).min()
    }
}

/// When an account was used that is said to have been tried: lately, and after the last time, as the log of its system has it. Where
/// any account there could have written that line, it is whoever says that it was the trial who vouches for it.
///
/// # Errors
/// Refuses where no such use was seen.
pub(crate) fn used_for_trial(
    world: &World,
    target: ScopeId,
    trial: &Trial,
    now: Timestamp,
) -> Result<Timestamp, Refusal> {
    let account = world.text(trial.account);
    let since = trial.tried.map_or(Timestamp::MIN, |tried| tried.at);
    let used = world.alarms.values().filter_map(|alarm| match alarm.about {
        AlarmKind::SealedUsed { target: there, account: used, at, claimed: _ } => {
            let is_it = there == target && world.is_text(used, &account) && at > since;
            (is_it && later(at, USED_WITHIN) >= now).then_some(at)
        }
        _ => None,
    });
    let last = used.max();
    last.ok_or_else(|| EstateRefusal::SealUnused { account, target: world.path(target) }.into())
}

/// By when it is to be tried again.
///
/// # Errors
/// Refuses what is past, or too far off.
pub(crate) fn tried_again_by(next: Option<Timestamp>, now: Timestamp) -> Result<Timestamp, Refusal> {
    match next {
        None => Ok(later(now, AGAIN_WITHIN)),
        Some(next) if next > now && next <= later(now, LATEST) => Ok(next),
        Some(next) => Err(EstateRefusal::TrialDate { next, within: LATEST }.into()),
    }
}

//! What keepers heard of their targets, and told them: what is not written down, since it is known anew soon after a start.

use std::{
    collections::{BTreeMap, HashMap},
    sync::{
        Arc, Mutex,
        atomic::{AtomicU64, Ordering},
    },
};

use jiff::Timestamp;
use tempestas_api::LastSurvey;
use tempestas_core::{Digest, ScopeId};
use tokio::sync::{OwnedMutexGuard, Semaphore, SemaphorePermit};

/// How many targets are surveyed at a time.
const SURVEYED_TOGETHER: usize = 16;

/// What a keeper last heard from its target.
#[derive(Debug, Clone, Default)]
pub(crate) struct TargetStatus {
    /// When it last answered.
    pub(crate) answered_at: Option<Timestamp>,
    /// What is in the way.
    pub(crate) trouble: Option<String>,
    /// Since when it is being surveyed.
    pub(crate) surveying: Option<Timestamp>,
    /// How the last survey went.
    pub(crate) surveyed: Option<LastSurvey>,
}

/// The status of every target, shared by those who ask and those who tell.
#[derive(Clone)]
pub(crate) struct Statuses(Arc<Shared>);

struct Shared {
    heard: Mutex<BTreeMap<ScopeId, TargetStatus>>,
    /// Turns for surveys.
    survey_turns: Semaphore,
    /// Of each target one survey at a time: what one read first must not be taken in last.
    surveying: Mutex<HashMap<ScopeId, Arc<tokio::sync::Mutex<()>>>>,
    /// What each host was last told to trust, as a digest.
    trusts: Mutex<HashMap<ScopeId, Digest>>,
    /// Grows when the authorities change, so that connections are made anew.
    authorities: AtomicU64,
}

impl Default for Statuses {
    fn default() -> Self {
        Self(Arc::new(Shared {
            heard: Mutex::default(),
            survey_turns: Semaphore::new(SURVEYED_TOGETHER),
            surveying: Mutex::default(),
            trusts: Mutex::default(),
            authorities: AtomicU64::default(),
        }))
    }
}

impl Statuses {
    /// What was last heard of a target.
    pub(crate) fn of(&self, scope: ScopeId) -> TargetStatus {
        self.0.heard.lock().ok().and_then(|heard| heard.get(&scope).cloned()).unwrap_or_default()
    }

    /// Notes what a keeper heard.
    pub(crate) fn hear(&self, scope: ScopeId, trouble: Option<String>) {
        self.change(scope, |known| {
            if trouble.is_none() {
                known.answered_at = Some(Timestamp::now());
                if known.trouble.is_some() {
                    tracing::info!(target = %scope, "a target answers again");
                }
            }
            known.trouble = trouble;
        });
    }

    /// A turn to survey a target, held until it is dropped. Whoever waits for another survey of the same one holds up no other.
    pub(crate) async fn survey_turn(&self, scope: ScopeId) -> Option<(OwnedMutexGuard<()>, SemaphorePermit<'_>)> {
        let alone = Arc::clone(self.0.surveying.lock().ok()?.entry(scope).or_default());
        let alone = alone.lock_owned().await;
        Some((alone, self.0.survey_turns.acquire().await.ok()?))
    }

    /// Notes that a survey began.
    pub(crate) fn survey_began(&self, scope: ScopeId) {
        self.change(scope, |known| known.surveying = Some(Timestamp::now()));
    }

    /// Notes how a survey went, in plain words.
    pub(crate) fn survey_ended(&self, scope: ScopeId, says: String) {
        let at = Timestamp::now();
        self.change(scope, |known| {
            let began = known.surveying.take().unwrap_or(at);
            known.surveyed = Some(LastSurvey { at, took_ms: at.duration_since(began).as_millis_f64(), says });
        });
    }

    /// Forgets what was heard from a target, and what it was told: taken in again it may know nothing of that.
    pub(crate) fn forget(&self, scope: ScopeId) {
        if let Ok(mut trusts) = self.0.trusts.lock() {
            trusts.remove(&scope);
        }
        if let Ok(mut heard) = self.0.heard.lock() {
            heard.remove(&scope);
        }
    }

    /// What a host was last told to trust.
    pub(crate) fn trusts(&self, scope: ScopeId) -> Option<Digest> {
        self.0.trusts.lock().ok().and_then(|trusts| trusts.get(&scope).copied())
    }

    /// Notes what a host was told to trust.
    pub(crate) fn told_to_trust(&self, scope: ScopeId, trusted: Digest) {
        if let Ok(mut trusts) = self.0.trusts.lock() {
            trusts.insert(scope, trusted);
        }
    }

    /// Which turn of the authorities it is.
    pub(crate) fn authorities_turn(&self) -> u64 {
        self.0.authorities.load(Ordering::Relaxed)
    }

    /// The authorities are others now.
    pub(crate) fn authorities_changed(&self) {
        self.0.authorities.fetch_add(1, Ordering::Relaxed);
    }

    fn change(&self, scope: ScopeId, how: impl FnOnce(&mut TargetStatus)) {
        if let Ok(mut heard) = self.0.heard.lock() {
            how(heard.entry(scope).or_default());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const PIER: ScopeId = ScopeId(7);

    #[test]
    fn trouble_stands_until_a_target_answers_and_its_last_answer_is_known_beside_it() {
        let statuses = Statuses::default();
        assert!(statuses.of(PIER).answered_at.is_none());
        statuses.hear(PIER, None);
        let answered = statuses.of(PIER).answered_at;
        assert!(answered.is_some());
        statuses.hear(PIER, Some("no connection".to_owned()));
        let known = statuses.of(PIER);
        assert_eq!((known.trouble.as_deref(), known.answered_at), (Some("no connection"), answered));
        statuses.hear(PIER, None);
        assert_eq!(statuses.of(PIER).trouble, None);
    }

    #[test]
    fn a_survey_that_ends_says_how_it_went_and_how_long_it_took() {
        let statuses = Statuses::default();
        statuses.survey_began(PIER);
        assert!(statuses.of(PIER).surveying.is_some());
        statuses.survey_ended(PIER, "3 new".to_owned());
        let known = statuses.of(PIER);
        assert_eq!(known.surveying, None);
        assert!(known.surveyed.is_some_and(|last| last.says == "3 new" && last.took_ms >= 0.0));
    }

    #[test]
    fn what_a_host_was_told_is_forgotten_with_it_and_of_no_other() {
        let statuses = Statuses::default();
        let (one, other) = (Digest([1; 32]), ScopeId(8));
        statuses.told_to_trust(PIER, one);
        statuses.told_to_trust(other, one);
        statuses.hear(PIER, None);
        statuses.forget(PIER);
        assert_eq!((statuses.trusts(PIER), statuses.trusts(other)), (None, Some(one)));
        assert!(statuses.of(PIER).answered_at.is_none());
    }

    #[tokio::test]
    async fn no_more_are_surveyed_together_than_have_a_turn() {
        let statuses = Statuses::default();
        let mut turns = Vec::new();
        for n in 0..SURVEYED_TOGETHER {
            turns.push(statuses.survey_turn(ScopeId(n as u64)).await);
        }
        assert_eq!(statuses.0.survey_turns.available_permits(), 0);
        drop(turns.pop());
        assert!(statuses.survey_turn(ScopeId(99)).await.is_some());
        // Of one that is being surveyed no other survey begins, and it takes up no turn while it waits.
        let waiting = statuses.survey_turn(ScopeId(0));
        tokio::pin!(waiting);
        assert!(futures_util::poll!(&mut waiting).is_pending());
        assert_eq!(statuses.0.survey_turns.available_permits(), 1);
        drop(turns.remove(0));
        assert!(waiting.await.is_some());
    }
}

//! Long reckonings, such as a rehearsal: each on a thread of its own that gives way to whoever answers and writes.

use std::{sync::Arc, thread};

use anyhow::Context as _;
use tokio::sync::{Semaphore, oneshot};

/// How many go on at a time. One more waits, however many give up waiting.
const TURNS: usize = 2;
/// How far they give way, as `nice(2)` counts: on a busy core they get a tenth of it.
const GIVES_WAY: i32 = 10;

/// The turns of those that go on.
#[derive(Clone)]
pub(crate) struct Reckonings(Arc<Semaphore>);

impl Default for Reckonings {
    fn default() -> Self {
        Self(Arc::new(Semaphore::new(TURNS)))
    }
}

impl Reckonings {
    /// What it comes to; an error where it panicked or no thread could be had.
    pub(crate) async fn run<T: Send + 'static>(
        &self,
        reckoning: impl FnOnce() -> T + Send + 'static,
    ) -> anyhow::Result<T> {
        let turn = Arc::clone(&self.0).acquire_owned().await?;
        let (done, result) = oneshot::channel();
        let work = move || {
            // The turn is over when the work is, also where nobody waits for it any more.
            let _turn = turn;
            // Of this thread alone, on Linux. Where it isn't let, it works as fast as the others.
            let _ = rustix::process::nice(GIVES_WAY);
            let _ = done.send(reckoning());
        };
        thread::Builder::new().name("reckoning".to_owned()).spawn(work).context("no thread to reckon on")?;
        result.await.context("a reckoning broke off")
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;

    use super::*;

    fn niceness() -> i32 {
        rustix::process::getpriority_process(None).unwrap()
    }

    #[tokio::test]
    async fn a_reckoning_gives_way_and_nobody_else_does() {
        let reckonings = Reckonings::default();
        let before = niceness();
        assert_eq!(reckonings.run(niceness).await.unwrap(), (before + GIVES_WAY).min(19));
        assert_eq!(niceness(), before);
    }

    #[tokio::test]
    async fn one_that_panics_is_an_error_and_its_turn_is_free_again() {
        let reckonings = Reckonings::default();
        for _ in 0..=TURNS {
            let broke = reckonings.run(|| assert!(niceness() > 99, "never")).await.unwrap_err();
            assert!(broke.to_string().contains("broke off"), "{broke}");
        }
        assert_eq!(reckonings.run(|| 7).await.unwrap(), 7);
    }

    #[tokio::test]
    async fn whoever_gives_up_waiting_frees_no_turn_that_is_still_used() {
        let reckonings = Reckonings::default();
        let mut held = Vec::new();
        for _ in 0..TURNS {
            let (begun, has_begun) = oneshot::channel();
            let (end, ended) = mpsc::channel::<()>();
            let running = reckonings.run(move || {
                begun.send(()).ok();
                ended.recv().ok();
            });
            tokio::select! {
                _ = running => unreachable!("it waits for its end"),
                begun = has_begun => begun.unwrap(),
            }
            held.push(end);
        }
        assert_eq!(reckonings.0.available_permits(), 0, "they go on though nobody waits");
        drop(held);
        assert_eq!(reckonings.run(|| 7).await.unwrap(), 7);
    }
}

//! The feed: facts in their order, for whoever follows the ledger rather than asks for its state.

use std::sync::Arc;

use tempestas_store::{Cursor, Entry, Store, StoreError};
use tokio::sync::watch;

use crate::{Engine, Snapshot};

/// Facts handed out at a time.
const TOGETHER: u32 = 500;

/// Follows the ledger under a name: each fact of its kinds comes to it at least once, in order, whatever is restarted.
pub struct Follower {
    name: &'static str,
    kinds: &'static [&'static str],
    /// Number of the first fact that was not handed out.
    next: u64,
    /// Of what was handed out, the number that is kept where it goes on.
    kept: u64,
    store: Arc<Store>,
    commits: watch::Receiver<Snapshot>,
}

impl Engine {
    /// Follows facts of some kinds, from where the follower of that name was; a new one from now on.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn follow(&self, name: &'static str, kinds: &'static [&'static str]) -> Result<Follower, StoreError> {
        let (store, commits) = (self.shared_store(), self.commits());
        let (size, epoch) = {
            let world = commits.borrow();
            (world.size(), world.counters.epoch)
        };
        let next = match store.cursor(name).await? {
            None => size,
            Some(cursor) if cursor.epoch == epoch => cursor.next,
            // Facts that it had dealt with may be gone, with others in their place.
            Some(cursor) => cursor.next.min(store.epoch_began().await?),
        };
        let mut follower = Follower { name, kinds, next, kept: next, store, commits };
        follower.keep(epoch).await?;
        Ok(follower)
    }
}

impl Follower {
    /// The facts that come next, at least one; waits until there is one. None once the writer is gone.
    ///
    /// # Errors
    /// When the store fails or a fact can't be read.
    pub async fn next(&mut self) -> Result<Option<Vec<Entry>>, StoreError> {
        loop {
            let size = self.commits.borrow_and_update().size();
            while self.next < size {
                let found = self.store.facts_of_kinds(self.kinds, self.next..size, TOGETHER).await?;
                // With fewer than there may be, there is no other up to where was looked.
                let all = found.len() < TOGETHER as usize;
                self.next = if all { size } else { found.last().map_or(size, |entry| entry.seq + 1) };
                if !found.is_empty() {
                    return Ok(Some(found));
                }
            }
            if self.commits.changed().await.is_err() {
                return Ok(None);
            }
        }
    }

    /// Says that all that was handed out is dealt with: none of it comes again, whatever is restarted.
    ///
    /// # Errors
    /// When the store fails.
    pub async fn dealt_with(&mut self) -> Result<(), StoreError> {
        if self.kept == self.next {
            return Ok(());
        }
        let epoch = self.commits.borrow().counters.epoch;
        self.keep(epoch).await
    }

    async fn keep(&mut self, epoch: u32) -> Result<(), StoreError> {
        self.store.keep_cursor(self.name, Cursor { next: self.next, epoch }).await?;
        self.kept = self.next;
        Ok(())
    }
}

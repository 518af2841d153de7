//! The World as it was after one commit.

use std::{ops::Deref, sync::Arc};

use tempestas_core::World;

/// The World as it was after one commit: it never changes, and keeping it holds up nobody.
#[derive(Debug, Clone)]
pub struct Snapshot {
    world: Arc<World>,
    size: u64,
}

impl Snapshot {
    pub(crate) fn of(world: &World, size: u64) -> Self {
        Self { world: Arc::new(world.clone()), size }
    }

    /// How many facts made it.
    #[must_use]
    pub const fn size(&self) -> u64 {
        self.size
    }
}

impl Deref for Snapshot {
    type Target = World;

    fn deref(&self) -> &World {
        &self.world
    }
}

//! The graph of who reaches what: dear to build, so it is kept until anything changes.

use std::sync::Arc;

use tempestas_core::ways::Ways;
use tempestas_engine::Engine;
use tokio::sync::Mutex;

use crate::problem::Failure;

/// The graph of who reaches what, shared by those who ask.
#[derive(Clone)]
pub(crate) struct AccessGraph {
    engine: Engine,
    kept: Arc<Mutex<Option<Built>>>,
}

/// A graph that was built.
struct Built {
    /// The size of the ledger that it was built at.
    at: u64,
    ways: Arc<Ways>,
}

impl AccessGraph {
    pub(crate) fn new(engine: Engine) -> Self {
        Self { engine, kept: Arc::default() }
    }

    /// The graph as of now.
    pub(crate) async fn now(&self) -> Result<Arc<Ways>, Failure> {
        let mut kept = self.kept.lock().await;
        // Taken once it is our turn: whoever waited meanwhile finds what was built for them.
        let world = self.engine.world();
        if let Some(built) = kept.as_ref().filter(|built| built.at == world.size()) {
            return Ok(Arc::clone(&built.ways));
        }
        let at = world.size();
        let ways = Arc::new(self.engine.reckon(move || Ways::of(&world)).await?);
        *kept = Some(Built { at, ways: Arc::clone(&ways) });
        Ok(ways)
    }
}

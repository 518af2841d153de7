//! The simulated cloud Brightwater: see `docs/standins.md`.

mod routes;
mod state;

use std::{path::PathBuf, sync::Arc};

pub use state::{Activity, Cloud, Function, Identity, IdentityKind, Posting, Role, Token};
use tokio::{net::TcpListener, sync::Mutex};

/// What handlers share.
#[derive(Clone)]
struct Shared {
    cloud: Arc<Mutex<Cloud>>,
    file: Option<Arc<PathBuf>>,
}

/// Serves the cloud until the task is dropped. With a file, every change is kept there.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, cloud: Cloud, file: Option<PathBuf>) -> anyhow::Result<()> {
    let shared = Shared { cloud: Arc::new(Mutex::new(cloud)), file: file.map(Arc::new) };
    axum::serve(listener, routes::router(shared)).await?;
    Ok(())
}

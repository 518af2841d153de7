//! Alarms as lines of the service's log, for whoever watches that and not the console.

use std::time::Duration;

use tempestas_core::What;
use tempestas_engine::Follower;
use tempestas_store::{Entry, StoreError};

use crate::app::App;

/// The name under which it follows the ledger.
const FOLLOWER: &str = "journal";
/// What it tells.
const KINDS: &[&str] = &["alarm-raised", "alarm-settled"];

/// How long it waits where the store fails, as on a disk that is full: what it keeps there no commit waits for.
const TRIED_AGAIN: Duration = Duration::from_secs(5);

/// Tells each alarm at least once, those too that came while nobody told any. Runs until the writer is gone.
///
/// # Errors
/// When the store fails at the start.
pub(crate) async fn alarms(app: App) -> Result<(), StoreError> {
    let mut follower = app.engine().follow(FOLLOWER, KINDS).await?;
    // It would keep the writer waiting for further commands.
    drop(app);
    loop {
        match told_next(&mut follower).await {
            Ok(true) => {}
            Ok(false) => return Ok(()),
            Err(error) => {
                tracing::warn!("how far alarms were told can't be read or kept, so some may be told twice: {error}");
                tokio::time::sleep(TRIED_AGAIN).await;
            }
        }
    }
}

/// Whether there may be more to tell.
async fn told_next(follower: &mut Follower) -> Result<bool, StoreError> {
    let Some(entries) = follower.next().await? else { return Ok(false) };
    entries.iter().for_each(tell);
    follower.dealt_with().await?;
    Ok(true)
}

/// Numbers and kinds alone: what an alarm is about may name people.
fn tell(entry: &Entry) {
    match &entry.fact.what {
        What::AlarmRaised { alarm, about } => {
            let about: &'static str = about.into();
            tracing::warn!(%alarm, about, fact = entry.seq, "an alarm is up; `tempestas alarms` says what it is");
        }
        What::AlarmSettled { alarm } => tracing::info!(%alarm, fact = entry.seq, "an alarm was settled"),
        _ => {}
    }
}

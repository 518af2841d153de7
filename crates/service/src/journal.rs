//! Alarms as lines of the service's log, for whoever watches that and not the console.

use tempestas_core::What;
use tempestas_store::Entry;

use crate::app::App;

/// The name under which it follows the ledger.
const FOLLOWER: &str = "journal";
/// What it tells.
const KINDS: &[&str] = &["alarm-raised", "alarm-settled"];

/// Tells each alarm at least once, those too that came while nobody told any. Runs until the writer is gone.
pub(crate) async fn alarms(app: App) -> anyhow::Result<()> {
    let mut follower = app.engine().follow(FOLLOWER, KINDS).await?;
    // It would keep the writer waiting for further commands.
    drop(app);
    while let Some(entries) = follower.next().await? {
        entries.iter().for_each(tell);
        follower.dealt_with().await?;
    }
    Ok(())
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

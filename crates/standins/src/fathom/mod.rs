//! The simulated cloud Fathom: see `docs/standins.md`.
//!
//! A house has *sites*. A *sheet* is a list of lines that allow or forbid verbs on things, with wildcards; it is *pinned*
//! to an identity or a team, at one site. A line that forbids beats every line that allows. Nothing carries an end.

mod routes;
mod rules;

use std::{collections::BTreeMap, path::PathBuf, sync::Arc};

use jiff::Timestamp;
pub use rules::{Line, Sheet};
use serde::{Deserialize, Serialize};
use tokio::{net::TcpListener, sync::Mutex};

use crate::behaviour::Behaviour;

/// Someone or something that sheets are pinned to.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Identity {
    /// `person`, `program`, `provider` or `outsider`.
    pub kind: String,
    /// The key it calls with.
    pub key: String,
    /// Further program keys, by name.
    #[serde(default)]
    pub keys: BTreeMap<String, ProgramKey>,
    /// Last call.
    #[serde(default)]
    pub last_seen: Option<Timestamp>,
}

/// A key for programs. It works until it is withdrawn.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ProgramKey {
    /// What is shown to the cloud.
    pub secret: String,
    /// When it was made.
    pub made: Timestamp,
    /// Last use.
    pub last_used: Option<Timestamp>,
}

/// Puts a sheet on an identity or team.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Pin {
    /// The sheet.
    pub sheet: String,
    /// Name of the identity, or `team/NAME`.
    pub to: String,
    /// The site.
    pub site: String,
    /// Free text.
    #[serde(default)]
    pub note: String,
    /// Number of the order that made it.
    #[serde(default)]
    pub order: i64,
    /// When.
    pub since: Timestamp,
    /// By whom.
    pub made_by: String,
}

/// One use of one permission.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Activity {
    /// When.
    pub at: Timestamp,
    /// By whom.
    pub identity: String,
    /// The verb.
    pub verb: String,
    /// The thing.
    pub thing: String,
    /// The site.
    pub site: String,
    /// Whether it was allowed.
    pub allowed: bool,
}

/// The whole house.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct House {
    /// Sites.
    pub sites: Vec<String>,
    /// Sheets by name.
    pub sheets: BTreeMap<String, Sheet>,
    /// Identities by name.
    pub identities: BTreeMap<String, Identity>,
    /// Members of teams.
    pub teams: BTreeMap<String, Vec<String>>,
    /// Pins by name.
    pub pins: BTreeMap<String, Pin>,
    /// Names of pins that were taken out, and never come back.
    pub gone: Vec<String>,
    /// What was done.
    pub trail: Vec<Activity>,
    /// How it misbehaves.
    pub behaviour: Behaviour,
}

#[derive(Clone)]
struct Shared {
    house: Arc<Mutex<House>>,
    file: Option<Arc<PathBuf>>,
}

/// Serves the house until the task is dropped. With a file, every change is kept there.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, house: House, file: Option<PathBuf>) -> anyhow::Result<()> {
    let shared = Shared { house: Arc::new(Mutex::new(house)), file: file.map(Arc::new) };
    axum::serve(listener, routes::router(shared)).await?;
    Ok(())
}

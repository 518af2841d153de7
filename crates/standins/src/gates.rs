//! The port's gate controllers: a small interface of their own over HTTP, which no built-in kind of target knows.
//!
//! A *keeper* is somebody who may open gates; one with an end loses it by the controllers' own clock.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::PathBuf,
    sync::Arc,
};

use axum::{
    Json, Router,
    extract::{Path, State},
    http::{HeaderMap, StatusCode},
    routing::{get, post, put},
};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use tokio::{net::TcpListener, sync::Mutex};

/// Everything the controllers know.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct Gates {
    /// The key that whoever changes keepers has to show.
    pub key: String,
    /// Keepers by key.
    pub keepers: BTreeMap<String, Keeper>,
    /// Keys that were taken away, and never come back.
    #[serde(default)]
    pub gone: Vec<String>,
    /// Gates at which somebody is.
    #[serde(default)]
    pub staffed: BTreeSet<String>,
}

/// Somebody who may do something with the gates.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Keeper {
    /// Who.
    pub who: String,
    /// `open` or `rule`: open gates, or also change who may pass.
    pub may: String,
    /// Its end, if it has one.
    #[serde(default)]
    pub until: Option<Timestamp>,
    /// A note.
    #[serde(default)]
    pub note: String,
}

#[derive(Clone)]
struct Shared {
    gates: Arc<Mutex<Gates>>,
    file: Option<Arc<PathBuf>>,
}

type Reply = Result<Json<Value>, StatusCode>;

/// Serves the controllers until the task is dropped. With a file, every change is kept there.
///
/// # Errors
/// When the listener fails.
pub async fn serve(listener: TcpListener, gates: Gates, file: Option<PathBuf>) -> anyhow::Result<()> {
    let shared = Shared { gates: Arc::new(Mutex::new(gates)), file: file.map(Arc::new) };
    let router = Router::new()
        .route("/now", get(async || Json(json!({ "time": Timestamp::now() }))))
        .route("/keepers", get(keepers))
        .route("/keepers/{key}", put(set).get(one).delete(take))
        .route("/gates/{gate}", get(staffed).put(staff))
        .route("/gates/{gate}/open", post(open))
        .with_state(shared);
    axum::serve(listener, router).await?;
    Ok(())
}

impl Shared {
    /// The controllers, for whoever shows the key; what is over is forgotten first.
    async fn for_key(&self, headers: &HeaderMap) -> Result<tokio::sync::MutexGuard<'_, Gates>, StatusCode> {
        let mut gates = self.gates.lock().await;
        let shown = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
        let bearer = shown("authorization").and_then(|value| value.strip_prefix("Bearer "));
        if shown("x-gate-key").or(bearer) != Some(gates.key.as_str()) {
            return Err(StatusCode::FORBIDDEN);
        }
        end(&mut gates);
        Ok(gates)
    }

    fn keep(&self, gates: &Gates) {
        if let (Some(file), Ok(text)) = (&self.file, serde_json::to_string(gates)) {
            let _ = std::fs::write(file.as_path(), text);
        }
    }
}

fn end(gates: &mut Gates) {
    let now = Timestamp::now();
    gates.keepers.retain(|_, keeper| keeper.until.is_none_or(|until| until > now));
}

async fn keepers(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let gates = shared.for_key(&headers).await?;
    let all: Vec<Value> = gates
        .keepers
        .iter()
        .map(|(key, keeper)| {
            json!({ "key": key, "who": keeper.who, "may": keeper.may, "until": keeper.until, "note": keeper.note })
        })
        .collect();
    Ok(Json(json!({ "count": all.len(), "keepers": all })))
}

async fn one(State(shared): State<Shared>, headers: HeaderMap, Path(key): Path<String>) -> Reply {
    let gates = shared.for_key(&headers).await?;
    gates.keepers.get(&key).map(|keeper| Json(json!(keeper))).ok_or(StatusCode::NOT_FOUND)
}

async fn set(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path(key): Path<String>,
    Json(new): Json<Keeper>,
) -> Reply {
    let mut gates = shared.for_key(&headers).await?;
    if gates.gone.contains(&key) {
        return Err(StatusCode::GONE);
    }
    gates.keepers.insert(key, new);
    shared.keep(&gates);
    Ok(Json(Value::Null))
}

async fn take(State(shared): State<Shared>, headers: HeaderMap, Path(key): Path<String>) -> Reply {
    let mut gates = shared.for_key(&headers).await?;
    gates.keepers.remove(&key);
    gates.gone.push(key);
    shared.keep(&gates);
    Ok(Json(Value::Null))
}

/// Whether somebody is at a gate.
async fn staffed(State(shared): State<Shared>, headers: HeaderMap, Path(gate): Path<String>) -> Reply {
    let gates = shared.for_key(&headers).await?;
    Ok(Json(json!({ "gate": gate, "staffed": gates.staffed.contains(&gate) })))
}

/// Somebody comes to a gate, or leaves it: `true` or `false`.
async fn staff(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path(gate): Path<String>,
    Json(is): Json<bool>,
) -> Reply {
    let mut gates = shared.for_key(&headers).await?;
    if is {
        gates.staffed.insert(gate);
    } else {
        gates.staffed.remove(&gate);
    }
    shared.keep(&gates);
    Ok(Json(Value::Null))
}

/// Opens a gate for whoever is a keeper now.
async fn open(State(shared): State<Shared>, Path(gate): Path<String>, Json(asks): Json<Value>) -> Reply {
    let mut gates = shared.gates.lock().await;
    end(&mut gates);
    let who = asks.get("who").and_then(Value::as_str).unwrap_or_default();
    if gates.keepers.values().any(|keeper| keeper.who == who) {
        return Ok(Json(json!({ "gate": gate, "opened_at": Timestamp::now() })));
    }
    Err(StatusCode::FORBIDDEN)
}

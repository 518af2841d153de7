//! Brightwater's HTTP interface.

use axum::{
    Json, Router,
    extract::{Path, Query, Request, State},
    http::{HeaderMap, StatusCode},
    middleware::{Next, from_fn_with_state},
    response::{IntoResponse, Response},
    routing::{delete, get, post, put},
};
use jiff::{SignedDuration, Timestamp};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use super::{Activity, Cloud, Function, Posting, Shared, Token};
use crate::behaviour::Switches;

/// Longest life of a token.
const TOKEN_MINUTES: i64 = 30;

type Reply<T = Json<Value>> = Result<T, (StatusCode, Json<Value>)>;

fn no(status: StatusCode, says: &str) -> (StatusCode, Json<Value>) {
    (status, Json(json!({ "says": says })))
}

pub(super) fn router(shared: Shared) -> Router {
    Router::new()
        .route("/me", get(me))
        .route("/basins", get(basins))
        .route("/roles", get(roles))
        .route("/identities", get(identities))
        .route("/postings", get(postings).post(add_posting))
        .route("/postings/{key}", put(put_posting).delete(withdraw_posting))
        .route("/tokens", get(tokens).post(mint))
        .route("/tokens/{id}", delete(withdraw_token))
        .route("/functions", get(functions).post(make_function))
        .route("/functions/{name}/run", post(run_function))
        .route("/trail", get(trail))
        .route("/may", post(may))
        .layer(from_fn_with_state(shared.clone(), misbehave))
        .route("/switches", post(switches))
        .with_state(shared)
}

/// Does what the switches say before anything else.
async fn misbehave(State(shared): State<Shared>, request: Request, next: Next) -> Response {
    let befalls = shared.cloud.lock().await.behaviour.call();
    befalls.befall(request, next, |status| no(status, "as switched").into_response()).await
}

/// The caller's name, by the key they bring; it must be one that may `verb thing` everywhere.
async fn caller(shared: &Shared, headers: &HeaderMap) -> Reply<String> {
    let mut cloud = shared.cloud.lock().await;
    let key = headers
        .get("authorization")
        .and_then(|value| value.to_str().ok())
        .and_then(|value| value.strip_prefix("Bearer "))
        .unwrap_or_default();
    let name = match cloud.tokens.get(key) {
        Some(token) if !token.withdrawn && token.ends > cloud.now() => Some(token.identity.clone()),
        Some(_) => None,
        None => cloud.identity_by_key(key).map(|identity| identity.name.clone()),
    };
    let Some(name) = name else { return Err(no(StatusCode::UNAUTHORIZED, "no identity has this key")) };
    let now = cloud.now();
    if let Some(identity) = cloud.identities.get_mut(&name) {
        identity.last_seen = Some(now);
    }
    Ok(name)
}

async fn allowed(shared: &Shared, headers: &HeaderMap, verb: &str, thing: &str, basin: &[String]) -> Reply<String> {
    let name = caller(shared, headers).await?;
    let key = headers.get("authorization").and_then(|value| value.to_str().ok()).unwrap_or_default();
    let mut cloud = shared.cloud.lock().await;
    let by_token = cloud
        .tokens
        .get(key.trim_start_matches("Bearer "))
        .is_some_and(|token| cloud.token_may(token, verb, thing, basin));
    let may = by_token || cloud.may(&name, verb, thing, basin);
    // Looking around is not worth a line; whatever changes or uses something is.
    if verb != "list" {
        cloud.note(&name, verb, thing, basin, may);
    }
    if may {
        return Ok(name);
    }
    Err(no(StatusCode::FORBIDDEN, &format!("{name} may not {verb} {thing} there")))
}

async fn keep(shared: &Shared, cloud: &Cloud) -> Reply<()> {
    let Some(file) = &shared.file else { return Ok(()) };
    let text = serde_json::to_string(cloud).map_err(|_| no(StatusCode::INTERNAL_SERVER_ERROR, "state"))?;
    let beside = file.with_extension("new");
    let written = async {
        tokio::fs::write(&beside, text).await?;
        tokio::fs::rename(&beside, file.as_path()).await
    };
    written.await.map_err(|_| no(StatusCode::INTERNAL_SERVER_ERROR, "state file"))
}

fn listed<T: Serialize>(cloud: &Cloud, mut items: Vec<T>) -> Json<Value> {
    let total = items.len();
    if cloud.behaviour.switches.half_answers {
        items.truncate(total / 2);
    }
    Json(json!({ "total": total, "items": items }))
}

async fn me(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let name = caller(&shared, &headers).await?;
    let cloud = shared.cloud.lock().await;
    Ok(Json(json!({ "name": name, "time": cloud.now() })))
}

async fn basins(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    allowed(&shared, &headers, "list", "basin", &[]).await?;
    let cloud = shared.cloud.lock().await;
    let items: Vec<Value> = cloud.basins.iter().map(|path| json!({ "path": path })).collect();
    Ok(listed(&cloud, items))
}

async fn roles(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    allowed(&shared, &headers, "list", "role", &[]).await?;
    let cloud = shared.cloud.lock().await;
    Ok(listed(&cloud, cloud.roles.values().collect()))
}

async fn identities(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    allowed(&shared, &headers, "list", "identity", &[]).await?;
    let cloud = shared.cloud.lock().await;
    let items: Vec<Value> = cloud
        .identities
        .values()
        .map(|identity| json!({ "name": identity.name, "kind": identity.kind, "last_seen": identity.last_seen }))
        .collect();
    Ok(listed(&cloud, items))
}

async fn postings(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    allowed(&shared, &headers, "list", "posting", &[]).await?;
    let cloud = shared.cloud.lock().await;
    Ok(listed(&cloud, cloud.postings.values().collect()))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct NewPosting {
    identity: String,
    role: String,
    basin: Vec<String>,
    #[serde(default)]
    ends: Option<Timestamp>,
    #[serde(default)]
    note: String,
    #[serde(default)]
    order: i64,
}

async fn add_posting(State(shared): State<Shared>, headers: HeaderMap, Json(new): Json<NewPosting>) -> Reply {
    let key = format!("po{}", Timestamp::now().as_nanosecond());
    make_posting(&shared, &headers, key, new).await
}

async fn put_posting(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path(key): Path<String>,
    Json(new): Json<NewPosting>,
) -> Reply {
    make_posting(&shared, &headers, key, new).await
}

async fn make_posting(shared: &Shared, headers: &HeaderMap, key: String, new: NewPosting) -> Reply {
    let made_by = allowed(shared, headers, "make", "posting", &new.basin).await?;
    let mut cloud = shared.cloud.lock().await;
    if cloud.used_up.contains(&key) {
        return Err(no(StatusCode::GONE, "this key was withdrawn and is not used again"));
    }
    if cloud.orders.get(&key).is_some_and(|last| new.order < *last) {
        return Err(no(StatusCode::CONFLICT, "a later order for this key has been carried out"));
    }
    let known = cloud.roles.contains_key(&new.role)
        && cloud.identities.contains_key(&new.identity)
        && (new.basin.is_empty() || cloud.basins.contains(&new.basin));
    if !known {
        return Err(no(StatusCode::UNPROCESSABLE_ENTITY, "no such identity, role or basin"));
    }
    if new.ends.is_some_and(|ends| ends <= cloud.now()) {
        return Err(no(StatusCode::UNPROCESSABLE_ENTITY, "it would have ended already"));
    }
    let since = cloud.postings.get(&key).map_or_else(|| cloud.now(), |old| old.since);
    let posting = Posting {
        key: key.clone(),
        identity: new.identity,
        role: new.role,
        basin: new.basin,
        since,
        ends: new.ends,
        note: new.note,
        made_by,
        last_used: None,
    };
    cloud.orders.insert(key.clone(), new.order);
    cloud.postings.insert(key.clone(), posting);
    keep(shared, &cloud).await?;
    Ok(Json(json!({ "key": key })))
}

async fn withdraw_posting(State(shared): State<Shared>, headers: HeaderMap, Path(key): Path<String>) -> Reply {
    let basin = shared.cloud.lock().await.postings.get(&key).map(|posting| posting.basin.clone()).unwrap_or_default();
    allowed(&shared, &headers, "make", "posting", &basin).await?;
    let mut cloud = shared.cloud.lock().await;
    cloud.postings.remove(&key);
    cloud.used_up.insert(key);
    keep(&shared, &cloud).await?;
    Ok(Json(json!({})))
}

#[derive(Deserialize)]
struct Minting {
    minutes: i64,
}

async fn mint(State(shared): State<Shared>, headers: HeaderMap, Json(minting): Json<Minting>) -> Reply {
    let identity = caller(&shared, &headers).await?;
    let mut cloud = shared.cloud.lock().await;
    let now = cloud.now();
    let under: Vec<String> = cloud.in_force(&identity).map(|posting| posting.key.clone()).collect();
    let allows: Vec<_> =
        cloud.in_force(&identity).map(|posting| (posting.role.clone(), posting.basin.clone())).collect();
    let ends = now.checked_add(SignedDuration::from_mins(minting.minutes.clamp(1, TOKEN_MINUTES))).unwrap_or(now);
    let id = format!("to{}", now.as_nanosecond());
    let token = Token {
        id: id.clone(),
        secret: format!("{id}-{:08x}", rand_like(now)),
        identity,
        minted: now,
        ends,
        under,
        allows,
        withdrawn: false,
    };
    let secret = token.secret.clone();
    cloud.tokens.insert(secret.clone(), token);
    keep(&shared, &cloud).await?;
    Ok(Json(json!({ "id": id, "token": secret, "ends": ends })))
}

/// Enough to keep two tokens of a simulated cloud apart; it guards nothing real.
fn rand_like(now: Timestamp) -> u32 {
    u32::try_from(now.subsec_nanosecond()).unwrap_or(0).wrapping_mul(2_654_435_761)
}

#[derive(Deserialize)]
struct WhichTokens {
    #[serde(default)]
    withdrawn: bool,
}

async fn tokens(State(shared): State<Shared>, headers: HeaderMap, Query(which): Query<WhichTokens>) -> Reply {
    allowed(&shared, &headers, "list", "token", &[]).await?;
    let cloud = shared.cloud.lock().await;
    let now = cloud.now();
    let items: Vec<Value> = cloud
        .tokens
        .values()
        .filter(|token| token.withdrawn == which.withdrawn && (token.withdrawn || token.ends > now))
        .map(|token| json!({ "id": token.id, "identity": token.identity, "minted": token.minted, "ends": token.ends, "under": token.under }))
        .collect();
    Ok(listed(&cloud, items))
}

async fn withdraw_token(State(shared): State<Shared>, headers: HeaderMap, Path(id): Path<String>) -> Reply {
    allowed(&shared, &headers, "end", "token", &[]).await?;
    let mut cloud = shared.cloud.lock().await;
    for token in cloud.tokens.values_mut().filter(|token| token.id == id) {
        token.withdrawn = true;
    }
    keep(&shared, &cloud).await?;
    Ok(Json(json!({})))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct NewFunction {
    name: String,
    basin: Vec<String>,
    runs_as: String,
}

async fn functions(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    allowed(&shared, &headers, "list", "function", &[]).await?;
    let cloud = shared.cloud.lock().await;
    Ok(listed(&cloud, cloud.functions.values().collect()))
}

/// Whoever may make functions and post identities at a basin makes one that runs as any identity.
async fn make_function(State(shared): State<Shared>, headers: HeaderMap, Json(new): Json<NewFunction>) -> Reply {
    let made_by = allowed(&shared, &headers, "make", "posting", &new.basin).await?;
    let mut cloud = shared.cloud.lock().await;
    if cloud.functions.contains_key(&new.name) || !cloud.identities.contains_key(&new.runs_as) {
        return Err(no(StatusCode::UNPROCESSABLE_ENTITY, "the name is taken, or there is no such identity"));
    }
    let since = cloud.now();
    let NewFunction { name, basin, runs_as } = new;
    cloud.functions.insert(name.clone(), Function { name, basin, runs_as, made_by, since });
    keep(&shared, &cloud).await?;
    Ok(Json(json!({})))
}

/// Runs a function: what it asks is answered for the identity that it runs as.
async fn run_function(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path(name): Path<String>,
    Json(question): Json<Question>,
) -> Reply {
    caller(&shared, &headers).await?;
    let mut cloud = shared.cloud.lock().await;
    let Some(runs_as) = cloud.functions.get(&name).map(|function| function.runs_as.clone()) else {
        return Err(no(StatusCode::NOT_FOUND, "no such function"));
    };
    let may = cloud.may(&runs_as, &question.verb, &question.thing, &question.basin);
    cloud.note(&runs_as, &question.verb, &question.thing, &question.basin, may);
    Ok(Json(json!({ "may": may, "identity": runs_as })))
}

#[derive(Deserialize)]
struct Since {
    since: Option<Timestamp>,
}

async fn trail(State(shared): State<Shared>, headers: HeaderMap, Query(Since { since }): Query<Since>) -> Reply {
    allowed(&shared, &headers, "list", "trail", &[]).await?;
    let cloud = shared.cloud.lock().await;
    let wanted = |activity: &&Activity| since.is_none_or(|since| activity.at >= since);
    Ok(listed(&cloud, cloud.trail.iter().filter(wanted).collect()))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Question {
    verb: String,
    thing: String,
    #[serde(default)]
    basin: Vec<String>,
}

/// Says whether the caller, by key or by token, may do something at a basin at this moment.
async fn may(State(shared): State<Shared>, headers: HeaderMap, Json(question): Json<Question>) -> Reply {
    match allowed(&shared, &headers, &question.verb, &question.thing, &question.basin).await {
        Ok(name) => Ok(Json(json!({ "may": true, "identity": name }))),
        Err((StatusCode::FORBIDDEN, Json(says))) => Ok(Json(json!({ "may": false, "because": says }))),
        Err(other) => Err(other),
    }
}

async fn switches(State(shared): State<Shared>, Json(switches): Json<Switches>) -> Reply {
    let mut cloud = shared.cloud.lock().await;
    cloud.behaviour.switches = switches;
    keep(&shared, &cloud).await?;
    Ok(Json(json!({})))
}

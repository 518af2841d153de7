//! Fathom's HTTP interface.

use axum::{
    Json, Router,
    extract::{Path, Query, Request, State},
    http::{HeaderMap, StatusCode},
    middleware::{Next, from_fn_with_state},
    response::{IntoResponse, Response},
    routing::{delete, get, post, put},
};
use jiff::Timestamp;
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Activity, House, Identity, Pin, ProgramKey, Shared};
use crate::behaviour::Switches;

type Reply = Result<Json<Value>, StatusCode>;

pub(super) fn router(shared: Shared) -> Router {
    Router::new()
        .route("/me", get(me))
        .route("/sites", get(sites))
        .route("/sheets", get(sheets))
        .route("/identities", get(identities))
        .route("/teams", get(teams))
        .route("/pins", get(pins))
        .route("/pins/{name}", put(pin).delete(unpin))
        .route("/keys/{name}", put(make_key))
        .route("/keys/{identity}/{name}", delete(drop_key))
        .route("/trail", get(trail))
        .route("/may", post(may))
        .layer(from_fn_with_state(shared.clone(), misbehave))
        .route("/switches", post(switches))
        .with_state(shared)
}

async fn misbehave(State(shared): State<Shared>, request: Request, next: Next) -> Response {
    let befalls = shared.house.lock().await.behaviour.call();
    befalls.befall(request, next, IntoResponse::into_response).await
}

impl House {
    /// Whose key it is. Its use is noted.
    fn caller(&mut self, headers: &HeaderMap) -> Result<String, StatusCode> {
        let shown = headers.get("authorization").and_then(|value| value.to_str().ok());
        let shown = shown.and_then(|value| value.strip_prefix("Bearer ")).unwrap_or_default();
        let now = self.behaviour.now();
        for (name, identity) in &mut self.identities {
            let key = identity.keys.values_mut().find(|key| key.secret == shown);
            if identity.key == shown || key.is_some() {
                if let Some(key) = key {
                    key.last_used = Some(now);
                }
                identity.last_seen = Some(now);
                return Ok(name.clone());
            }
        }
        Err(StatusCode::UNAUTHORIZED)
    }

    /// Whose key it is, where they may do something; both are noted.
    fn allowed(&mut self, headers: &HeaderMap, verb: &str, thing: &str, site: &str) -> Result<String, StatusCode> {
        let identity = self.caller(headers)?;
        let allowed = self.may(&identity, verb, thing, site);
        if verb != "list" {
            let (verb, thing, site) = (verb.to_owned(), thing.to_owned(), site.to_owned());
            self.trail.push(Activity {
                at: self.behaviour.now(),
                identity: identity.clone(),
                verb,
                thing,
                site,
                allowed,
            });
        }
        if allowed { Ok(identity) } else { Err(StatusCode::FORBIDDEN) }
    }

    /// A list, with how long it should be.
    fn listed(&self, mut items: Vec<Value>) -> Json<Value> {
        let total = items.len();
        if self.behaviour.switches.half_answers {
            items.truncate(total / 2);
        }
        Json(json!({ "total": total, "items": items }))
    }
}

impl Shared {
    async fn keep(&self, house: &House) -> Result<(), StatusCode> {
        let Some(file) = &self.file else { return Ok(()) };
        let text = serde_json::to_string(house).map_err(|_| StatusCode::INTERNAL_SERVER_ERROR)?;
        let beside = file.with_extension("new");
        let written = async {
            tokio::fs::write(&beside, text).await?;
            tokio::fs::rename(&beside, file.as_path()).await
        };
        written.await.map_err(|_: std::io::Error| StatusCode::INTERNAL_SERVER_ERROR)
    }
}

async fn me(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    let name = house.caller(&headers)?;
    Ok(Json(json!({ "name": name, "time": house.behaviour.now() })))
}

async fn sites(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    Ok(house.listed(house.sites.iter().map(|site| json!({ "name": site })).collect()))
}

async fn sheets(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    let all = house.sheets.iter();
    Ok(house
        .listed(all.map(|(name, sheet)| json!({ "name": name, "says": sheet.says, "lines": sheet.lines })).collect()))
}

async fn identities(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    let shown = |(name, one): (&String, &Identity)| {
        let keys: Vec<Value> = one
            .keys
            .iter()
            .map(|(name, key)| json!({ "name": name, "made": key.made, "last_used": key.last_used }))
            .collect();
        json!({ "name": name, "kind": one.kind, "last_seen": one.last_seen, "keys": keys })
    };
    Ok(house.listed(house.identities.iter().map(shown).collect()))
}

async fn teams(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    let all = house.teams.iter();
    Ok(house.listed(all.map(|(name, members)| json!({ "name": name, "members": members })).collect()))
}

async fn pins(State(shared): State<Shared>, headers: HeaderMap) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    let shown = |(name, pin): (&String, &Pin)| {
        let mut value = json!(pin);
        if let Some(fields) = value.as_object_mut() {
            fields.insert("name".to_owned(), json!(name));
        }
        value
    };
    Ok(house.listed(house.pins.iter().map(shown).collect()))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct NewPin {
    sheet: String,
    to: String,
    site: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    order: i64,
}

async fn pin(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path(name): Path<String>,
    Json(new): Json<NewPin>,
) -> Reply {
    let mut house = shared.house.lock().await;
    let made_by = house.allowed(&headers, "pin", "sheet", &new.site)?;
    if house.gone.contains(&name) {
        return Err(StatusCode::GONE);
    }
    if house.pins.get(&name).is_some_and(|known| known.order > new.order) {
        return Err(StatusCode::GONE);
    }
    let known = new
        .to
        .strip_prefix("team/")
        .map_or(house.identities.contains_key(&new.to), |team| house.teams.contains_key(team));
    if !known || !house.sheets.contains_key(&new.sheet) || !house.sites.contains(&new.site) {
        return Err(StatusCode::UNPROCESSABLE_ENTITY);
    }
    let since = house.pins.get(&name).map_or_else(|| house.behaviour.now(), |known| known.since);
    let NewPin { sheet, to, site, note, order } = new;
    house.pins.insert(name, Pin { sheet, to, site, note, order, since, made_by });
    shared.keep(&house).await?;
    Ok(Json(Value::Null))
}

async fn unpin(State(shared): State<Shared>, headers: HeaderMap, Path(name): Path<String>) -> Reply {
    let mut house = shared.house.lock().await;
    let site = house.pins.get(&name).map(|pin| pin.site.clone());
    let site = site.or_else(|| house.sites.first().cloned()).unwrap_or_default();
    house.allowed(&headers, "pin", "sheet", &site)?;
    house.pins.remove(&name);
    house.gone.push(name);
    shared.keep(&house).await?;
    Ok(Json(Value::Null))
}

/// A program key for the caller, which works until it is withdrawn.
async fn make_key(State(shared): State<Shared>, headers: HeaderMap, Path(name): Path<String>) -> Reply {
    let mut house = shared.house.lock().await;
    let identity = house.caller(&headers)?;
    let made = house.behaviour.now();
    let secret = format!("{identity}-{name}-{}", Timestamp::now().as_nanosecond());
    if let Some(identity) = house.identities.get_mut(&identity) {
        identity.keys.insert(name, ProgramKey { secret: secret.clone(), made, last_used: None });
    }
    shared.keep(&house).await?;
    Ok(Json(json!({ "secret": secret })))
}

async fn drop_key(
    State(shared): State<Shared>,
    headers: HeaderMap,
    Path((identity, name)): Path<(String, String)>,
) -> Reply {
    let mut house = shared.house.lock().await;
    let site = house.sites.first().cloned().unwrap_or_default();
    house.allowed(&headers, "withdraw", "key", &site)?;
    if let Some(identity) = house.identities.get_mut(&identity) {
        identity.keys.remove(&name);
    }
    shared.keep(&house).await?;
    Ok(Json(Value::Null))
}

#[derive(Deserialize)]
struct Since {
    since: Option<Timestamp>,
}

async fn trail(State(shared): State<Shared>, headers: HeaderMap, Query(Since { since }): Query<Since>) -> Reply {
    let mut house = shared.house.lock().await;
    house.caller(&headers)?;
    let wanted = |one: &&Activity| since.is_none_or(|since| one.at >= since);
    Ok(house.listed(house.trail.iter().filter(wanted).map(|one| json!(one)).collect()))
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Asks {
    verb: String,
    thing: String,
    site: String,
}

/// Whether the caller may do something at this moment.
async fn may(State(shared): State<Shared>, headers: HeaderMap, Json(asks): Json<Asks>) -> Reply {
    let mut house = shared.house.lock().await;
    match house.allowed(&headers, &asks.verb, &asks.thing, &asks.site) {
        Err(StatusCode::FORBIDDEN) => Ok(Json(json!({ "may": false }))),
        Ok(_) => Ok(Json(json!({ "may": true }))),
        Err(status) => Err(status),
    }
}

async fn switches(State(shared): State<Shared>, Json(switches): Json<Switches>) -> Reply {
    shared.house.lock().await.behaviour.switches = switches;
    Ok(Json(Value::Null))
}

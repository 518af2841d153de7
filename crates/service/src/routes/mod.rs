//! What each route does; [`table`] says which there are.

mod appointments;
mod assurances;
mod authorities;
mod calendars;
mod circumstances;
mod conversions;
mod days;
mod delegations;
mod devices;
mod drift;
mod elevations;
mod estate;
mod filings;
mod ledger;
mod pages;
mod people;
mod promises;
mod rehearsals;
mod separations;
mod sign_in;
mod sources;
mod standing;
mod stops;
mod table;
mod terms;
mod trials;
mod ways;

use std::{ops::RangeInclusive, time::Duration};

use axum::{
    Router,
    extract::State,
    http::{StatusCode, Uri},
    middleware::from_fn_with_state,
    routing::{any, get},
};
use jiff::Timestamp;
use serde_json::Value;
use tempestas_core::{Right, RightSet, Scope, ScopeId, Sight, SubjectId, What, World, ensure_may_debrief};
use tempestas_engine::Committed;
use tower_http::{
    catch_panic::CatchPanicLayer, compression::CompressionLayer, set_header::SetResponseHeaderLayer,
    timeout::TimeoutLayer, trace::TraceLayer,
};

use crate::refused::EdgeRefusal;
use crate::{app::App, problem::Failure};

/// Longest that a request may take, its body included; waiting for a change takes at most 25 s of it.
const REQUEST_MOST: Duration = Duration::from_secs(60);
/// So much of a path is said back to whoever asked for what isn't there.
const PATH_SAID: usize = 120;

/// A number of the query, where it is one that is taken.
fn within<N: PartialOrd + std::fmt::Display>(name: &str, said: N, taken: RangeInclusive<N>) -> Result<N, Failure> {
    if taken.contains(&said) {
        return Ok(said);
    }
    Err(Failure::Malformed(format!("`{name}` is a number from {} to {}, not {said}", taken.start(), taken.end())))
}

/// The OpenAPI document.
#[must_use]
pub fn openapi() -> Value {
    table::table().into_document()
}

/// The service's router.
pub(crate) fn router(app: App) -> Router {
    let header = |name: &'static str, value: &'static str| {
        SetResponseHeaderLayer::overriding(
            axum::http::HeaderName::from_static(name),
            axum::http::HeaderValue::from_static(value),
        )
    };
    let (api, offer) = table::table().into_router();
    let api = api
        .route(
            "/api/{*rest}",
            any(async |uri: Uri| {
                let path: String = uri.path().chars().take(PATH_SAID).collect();
                Failure::unknown("route", &path, "`GET /api/v1/openapi.json` lists them")
            }),
        )
        .method_not_allowed_fallback(async || Failure::OtherMethod)
        .layer(from_fn_with_state(app.clone(), crate::callers::noted))
        .layer(from_fn_with_state(app.clone(), crate::keyed::keyed))
        .layer(from_fn_with_state(app.clone(), crate::drafts::drafted))
        .layer(from_fn_with_state(offer, crate::door::offered))
        .layer(header("cache-control", "no-store"))
        .layer(header("content-security-policy", "default-src 'none'; frame-ancestors 'none'"));
    let routes = api
        .route(
            "/.well-known/oauth-authorization-server",
            get(async |State(app): State<App>| axum::Json(devices::metadata(&app))),
        )
        .fallback(get(crate::console::serve))
        .layer(CompressionLayer::new())
        .layer(header("x-content-type-options", "nosniff"))
        .layer(header("referrer-policy", "no-referrer"))
        .layer(header("cross-origin-opener-policy", "same-origin"))
        .layer(from_fn_with_state(app.clone(), crate::callers::well_addressed))
        .layer(TimeoutLayer::with_status_code(StatusCode::REQUEST_TIMEOUT, REQUEST_MOST))
        .layer(CatchPanicLayer::new())
        .layer(TraceLayer::new_for_http().make_span_with(|request: &axum::http::Request<_>| {
            // Path templates only: a query or id could hold anything.
            let route = request
                .extensions()
                .get::<axum::extract::MatchedPath>()
                .map_or("-", axum::extract::MatchedPath::as_str);
            tracing::info_span!("request", method = %request.method(), route)
        }))
        .with_state(app.clone());
    app.keep_routes(routes.clone());
    routes
}

/// How many asks and wishes wait for this person's answer, and how much of what was done for them to look at it.
fn waiting_for(world: &World, me: SubjectId) -> usize {
    let now = Timestamp::now();
    let asks = world.active().filter(|one| one.waits_for(me)).count();
    let wishes = world.appointments.values().filter(|one| one.waits_for(me)).count();
    asks + wishes + world.under_debrief().filter(|one| ensure_may_debrief(world, one, me, now).is_ok()).count()
}

/// A person, group or program by name or id.
fn subject(world: &World, text: &str) -> Result<SubjectId, Failure> {
    let by_id = || text.parse().ok().filter(|id| world.subjects.contains_key(id));
    world
        .subject_named(text)
        .map(|subject| subject.id)
        .or_else(by_id)
        .ok_or_else(|| Failure::unknown("person, group or program", text, "`tempestas people` lists them"))
}

/// Somebody by name or id, of those the caller sees; others are answered like nobody.
fn seen_subject(world: &World, sight: &Sight, text: &str) -> Result<SubjectId, Failure> {
    let unknown = || Failure::unknown("person, group or program", text, "`tempestas people` lists those you see");
    subject(world, text).ok().filter(|id| sight.sees_subject(world, *id)).ok_or_else(unknown)
}

/// A scope by path. One that the caller may not know of is answered like one that isn't there.
fn scope<'w>(world: &'w World, me: SubjectId, path: &str) -> Result<&'w Scope, Failure> {
    let sight = Sight::of(world, me);
    world
        .scope_at(path)
        .filter(|scope| sight.knows_scope(world, scope.id))
        .ok_or_else(|| Failure::unknown("scope", path, "`tempestas targets` and `tempestas standing` show paths"))
}

/// Rights as they are written, at a place that the caller knows of.
fn right_set(world: &World, me: SubjectId, text: &str) -> Result<RightSet, Failure> {
    let path = text.split_once("@/").map_or_else(|| text.to_owned(), |(_, path)| format!("/{path}"));
    if path.starts_with('/') {
        scope(world, me, &path)?;
    }
    Ok(RightSet::from_text(world, text)?)
}

/// Refuses to try something of rights at a place that the caller doesn't see whole: whether there is such a right at all is for
/// those alone who do.
fn sees_whole(world: &World, sight: &Sight, set: &RightSet) -> Result<(), Failure> {
    if sight.sees_scope(world, set.scope) {
        return Ok(());
    }
    let place = world.path(set.scope);
    Err(Failure::unknown("place of yours", &place, "an administrator of all of it tries what is about it"))
}

/// A target by path.
fn target(world: &World, me: SubjectId, path: &str) -> Result<ScopeId, Failure> {
    let scope = scope(world, me, path)?;
    if world.targets.contains_key(&scope.id) {
        return Ok(scope.id);
    }
    Err(EdgeRefusal::NoTarget { path: world.path(scope.id) }.into())
}

/// A right as written.
fn right(world: &World, me: SubjectId, text: &str) -> Result<Right, Failure> {
    if let Some((_, path)) = text.split_once("@/") {
        scope(world, me, &format!("/{path}"))?;
    }
    Ok(world.right_from(text)?)
}

/// A reference or id.
fn reference<T: std::str::FromStr<Err = String>>(text: &str) -> Result<T, Failure> {
    text.parse().map_err(Failure::Malformed)
}

/// The id that a decided command made, found in its facts.
fn made<T>(done: &Committed, find: impl Fn(&What) -> Option<T>) -> Result<T, Failure> {
    done.whats.iter().find_map(find).ok_or_else(|| Failure::Failed(anyhow::anyhow!("a command made nothing")))
}

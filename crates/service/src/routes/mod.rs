//! The whole route table; it is the map of what can be attacked.

mod appointments;
mod authorities;
mod conversions;
mod devices;
mod drift;
mod elevations;
mod estate;
mod ledger;
mod pages;
mod people;
mod rehearsals;
mod sign_in;
mod sources;
mod standing;
mod stops;
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
use serde_json::Value;
use tempestas_core::{Right, Scope, ScopeId, Sight, SubjectId, What, World};
use tempestas_engine::Committed;
use tower_http::{
    catch_panic::CatchPanicLayer, compression::CompressionLayer, set_header::SetResponseHeaderLayer,
    timeout::TimeoutLayer, trace::TraceLayer,
};

use crate::{app::App, door::Table, problem::Failure};

/// Longest that a request may take, its body included; waiting for a change takes at most 25 s of it.
const REQUEST_MOST: Duration = Duration::from_secs(60);
/// So much of a path is said back to whoever asked for what isn't there.
const PATH_SAID: usize = 120;

fn table() -> Table {
    Table::new()
        // Sign-in.
        .post("/sign-in", sign_in::sign_in, "Sign in with name, password and TOTP code")
        .post("/enrol", sign_in::enrol, "Set password and TOTP with a one-time enrolment secret")
        .post("/sign-out", sign_in::sign_out, "End this sign-in")
        .get("/me", sign_in::me, "Who I am, and what waits for me")
        .post("/me/proof", sign_in::proof, "Prove myself anew with a TOTP code")
        .post("/me/proof/challenge", sign_in::proof_challenge, "Begin to prove myself anew with a passkey")
        .post("/me/proof/passkey", sign_in::proof_passkey, "Prove myself anew with a passkey")
        .post("/console/sign-in", sign_in::console, "Sign the console in with name, password and TOTP code")
        .post("/console/passkey/challenge", sign_in::passkey_challenge, "Begin to sign the console in with a passkey")
        .post("/console/passkey", sign_in::passkey, "Sign the console in with a passkey")
        .get("/passkeys", sign_in::list_passkeys, "My passkeys")
        .post("/passkeys/challenge", sign_in::begin_passkey, "Begin to add a passkey")
        .post("/passkeys", sign_in::add_passkey, "Add a passkey")
        .delete("/passkeys/{id}", sign_in::drop_passkey, "Drop one of my passkeys")
        .post("/devices", devices::ask, "A program wants to be let in (RFC 8628)")
        .post("/devices/token", devices::token, "Whether the program was let in")
        .post("/devices/look", devices::look, "Which program waits with a code")
        .post("/devices/answer", devices::answer, "Let that program in, or refuse it")
        .get("/drafts", devices::list_drafts, "What programs drafted for me")
        .get("/drafts/{id}", devices::draft, "One draft")
        .post("/drafts/{id}/confirm", devices::confirm, "Carry a draft out, as mine")
        .post("/drafts/{id}/drop", devices::drop_draft, "Drop a draft")
        .get("/events", crate::events::listen, "Which lists change, as they do")
        // Pages.
        .get("/now", pages::now, "What is in force, was, and will be")
        .get("/search", pages::search, "Find people, scopes, rights and elevations")
        .get("/days", pages::days, "Elevations and standing rights by day")
        .get("/first-day", pages::first_day, "The first day, step by step")
        // Stop.
        .get("/stops", stops::list, "Stops")
        .get("/stops/{id}", stops::show, "One stop")
        .post("/stops", stops::stop, "End everything live, and bar new asks, for a person, a scope or all")
        .post("/stops/{id}/lift", stops::lift, "One of the two voices that lift a stop")
        .get("/sign-ins", sign_in::list, "My sign-ins")
        .delete("/sign-ins/{id}", sign_in::end, "End one of my sign-ins")
        // People.
        .get("/people", people::list, "People, groups and programs")
        .post("/people", people::add, "Add a person, group or program")
        .get("/people/{who}", pages::person, "Everything about one person, group or program")
        .post("/people/{who}/enrolment", people::enrolment, "Issue a one-time enrolment secret")
        .post("/people/{who}/suspend", people::suspend, "Suspend, and end what is held")
        .post("/people/{who}/resume", people::resume, "Resume")
        .get("/people/{who}/account", people::show_account, "Which account on a target is theirs")
        .put("/people/{who}/account", people::account, "Say which account on a target is theirs")
        .post("/groups/{group}/members", people::add_member, "Put somebody into a group")
        .delete("/groups/{group}/members/{member}", people::remove_member, "Take somebody out of a group")
        .get("/duties", people::duties, "Duties within Tempestas")
        .post("/duties", people::give_duty, "Give a duty")
        .delete("/duties/{id}", people::end_duty, "End a duty")
        .get("/sources", sources::list, "Where people and groups come from")
        .post("/sources", sources::set, "Have people and groups come from a directory")
        .post("/sources/read", sources::read, "Read a source now")
        .post("/sources/accept", sources::accept, "Take in a reading of a source that was held")
        .post("/sources/end", sources::end, "Have nobody come from a source any more")
        // The estate.
        .get("/estate", estate::scopes, "Scopes, as a list of paths")
        .post("/folders", estate::add_folder, "Add a folder")
        .get("/targets", estate::targets, "Targets, and how they do")
        .post("/targets", estate::add_target, "Look after a target")
        .get("/targets/settings", estate::show_target, "One target")
        .patch("/targets/settings", estate::set_target, "Change a target's settings")
        .post("/targets/survey", estate::survey, "Survey a target now")
        .post("/targets/accept", estate::accept, "Take in a survey that was held")
        .get("/targets/enrolment", estate::host_enrolment, "What a host is given to be looked after")
        .post("/targets/check", estate::check, "Whether a target can be looked after")
        .post("/targets/end", estate::end_target, "Look after a target no more")
        .get("/authorities", authorities::show, "The SSH certificate authorities, and which hosts trust them")
        .post("/authorities/step", authorities::step, "Have one pair of authorities follow another, step by step")
        .get("/roles", estate::roles, "Roles that targets offer")
        .get("/alarms", estate::alarms, "Alarms")
        .get("/alarms/{id}", estate::alarm, "One alarm")
        .post("/alarms/{id}/settle", estate::settle, "Settle an alarm that a person may settle")
        // Standing rights.
        .get("/standing", standing::list, "Standing rights")
        .get("/standing/{id}", standing::show, "One standing right")
        .get("/ways", ways::ways, "Who can reach something, or what somebody can reach, and how")
        .get("/drift", drift::list, "What surveys saw that nobody did through Tempestas")
        .get("/drift/{id}", drift::show, "One difference")
        .get("/drift/{id}/patch", drift::patch, "What to change where a right comes from, for whoever keeps that")
        .post("/drift/{id}/adopt", drift::adopt, "Take a difference as it is")
        .post("/drift/{id}/put-back", drift::put_back, "Have the target put back as it was")
        .post("/drift/{id}/ignore", drift::ignore, "Hear nothing of a difference until a date")
        .post("/conversions/preview", conversions::preview, "What converting would do")
        .post("/rehearsals/preview", rehearsals::preview, "How a conversion would have fared in the last months")
        .post("/conversions", conversions::convert, "Convert standing rights into eligibilities")
        .get("/conversions", conversions::conversions, "Conversions")
        .get("/conversions/{id}", conversions::conversion, "One conversion")
        .post("/conversions/{id}/next", conversions::next, "Begin the next wave of a conversion")
        .post("/conversions/{id}/undo", conversions::undo, "Undo a conversion")
        .get("/eligible", standing::eligible, "What I may ask for")
        .get("/eligibilities", standing::eligibilities, "Who may ask for what")
        .post("/eligibilities", appointments::give, "Make somebody eligible")
        .get("/eligibilities/{id}", standing::eligibility, "One eligibility")
        .patch("/eligibilities/{id}", appointments::change, "Change a window in place, or wish for its renewal")
        .post("/eligibilities/{id}/suspend", appointments::suspend, "Suspend an eligibility")
        .post("/eligibilities/{id}/resume", appointments::resume, "Resume an eligibility")
        .delete("/eligibilities/{id}", appointments::end, "End an eligibility")
        .get("/appointments", appointments::list, "Who was made eligible, or is wished to be")
        .get("/appointments/{id}", appointments::story, "One, with the account of what was done by it")
        .post("/covers", appointments::cover, "Have somebody stand in for an absent person")
        .post("/appointments/{id}/answer", appointments::answer, "Say yes or no to a wish")
        .post("/appointments/{id}/end", appointments::end_appointment, "Take a wish back, or end a cover early")
        // Terms.
        .get("/terms", terms::list, "Rules of terms")
        .post("/terms", terms::add, "Add a rule of terms")
        .post("/terms/preview", trials::trial, "Whom a change of terms would touch")
        .get("/terms/{id}", terms::show, "One rule of terms")
        .put("/terms/{id}", terms::change, "Change a rule of terms in place")
        .post("/terms/{id}/suspend", terms::suspend, "Suspend a rule of terms")
        .post("/terms/{id}/resume", terms::resume, "Resume a rule of terms")
        .delete("/terms/{id}", terms::end, "End a rule of terms")
        .get("/terms/effective", terms::effective, "What holds for a right, and where each setting comes from")
        // Elevations.
        .post("/asks/preview", elevations::preview, "Everything an ask will need")
        .post("/asks", elevations::ask, "Ask for a right")
        .get("/waiting", elevations::waiting, "Asks that wait for my answer")
        .get("/elevations", elevations::list, "Elevations")
        .get("/elevations/{id}", elevations::show, "One elevation with its story; may wait for a change")
        .get("/elevations/{id}/context", elevations::context, "What an approver wants to know besides the ask")
        .post("/elevations/{id}/answer", elevations::answer, "Answer yes or no")
        .post("/elevations/{id}/withdraw", elevations::withdraw, "Take an ask back")
        .post("/elevations/{id}/begin", elevations::begin, "Begin an elevation that is ready")
        .post("/elevations/{id}/give-back", elevations::give_back, "Give an elevation back early")
        .post("/elevations/{id}/revoke", elevations::revoke, "End somebody's elevation, with a word")
        .post("/elevations/{id}/login", elevations::login, "How to use it; makes a fresh password where there is one")
        // The ledger.
        .get("/ledger", ledger::list, "The record, newest first")
        .get("/ledger/{n}/proof", ledger::proof, "Proof that an entry stands in the ledger")
        .get("/ledger/csv", ledger::csv, "The record as CSV")
        .get("/ledger/export", ledger::export, "The whole ledger, to be verified by a stranger")
        .get(
            "/ledger/checkpoint",
            ledger::checkpoint,
            "The present checkpoint, and proof that it goes on from an earlier one",
        )
        .get("/openapi.json", sign_in::document, "This interface, described")
}

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
    table().into_document()
}

/// The service's router.
pub(crate) fn router(app: App) -> Router {
    let header = |name: &'static str, value: &'static str| {
        SetResponseHeaderLayer::overriding(
            axum::http::HeaderName::from_static(name),
            axum::http::HeaderValue::from_static(value),
        )
    };
    let (api, offer) = table().into_router();
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

/// How many wishes wait for this person's answer.
fn wishes_for(world: &World, me: SubjectId) -> usize {
    world.appointments.values().filter(|one| one.waits_for(me)).count()
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

/// A target by path.
fn target(world: &World, me: SubjectId, path: &str) -> Result<ScopeId, Failure> {
    let scope = scope(world, me, path)?;
    if world.targets.contains_key(&scope.id) {
        return Ok(scope.id);
    }
    Err(Failure::invalid(format!("{} is not a target; `tempestas targets` lists them", world.path(scope.id))))
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

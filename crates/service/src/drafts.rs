//! What a device's sign-in may do: read, and draft. A request of its that would change something is kept as a draft,
//! for its person to look at and confirm in the console, where it is carried out as theirs.

use axum::{
    body::Body,
    extract::{ConnectInfo, Request, State},
    http::{StatusCode, header, request::Parts},
    middleware::Next,
    response::{IntoResponse, Response},
};
use jiff::Timestamp;
use serde_json::Value;
use tempestas_api::{DraftView, Drafted, as_precondition};
use tempestas_core::Digest;
use tempestas_store::{Draft, SignInKind};
use tower::ServiceExt as _;

use crate::{
    app::App,
    callers::{SignedIn, credential, sign_in},
    door::{BODY_MOST, Drafting, looked_at, read_body},
    problem::Failure,
    refused::EdgeRefusal,
};

/// Most open drafts of one person.
const OPEN_MOST: usize = 20;

/// Whether a device's sign-in may send this as it is.
pub(crate) fn is_reading(parts: &Parts) -> bool {
    parts.extensions.get() == Some(&Drafting::CarriedOut)
}

/// What a device hears of whatever else it tries.
pub(crate) fn only_in_console() -> Failure {
    EdgeRefusal::OnlyInConsole.into()
}

/// Keeps what a device may only draft; lets everything else by.
pub(crate) async fn drafted(State(app): State<App>, request: Request, next: Next) -> Response {
    if request.extensions().get() != Some(&Drafting::Kept) {
        return next.run(request).await;
    }
    let device = match credential(&app, request.headers()) {
        Some(credential) => match sign_in(&app, credential.token()).await {
            Ok(sign_in) if sign_in.kind == SignInKind::Device => sign_in,
            // Whatever is wrong with it, its own handler says so.
            _ => return next.run(request).await,
        },
        None => return next.run(request).await,
    };
    match keep(&app, device.person, request).await {
        Ok(drafted) => (StatusCode::ACCEPTED, axum::Json(drafted)).into_response(),
        Err(failure) => failure.into_response(),
    }
}

async fn keep(app: &App, person: tempestas_core::SubjectId, request: Request) -> Result<Drafted, Failure> {
    let (parts, body) = request.into_parts();
    let body = read_body(body).await?;
    let body = String::from_utf8(body.to_vec()).map_err(|_| Failure::Malformed("the body is not UTF-8".to_owned()))?;
    if !body.is_empty() {
        let said: Value = serde_json::from_str(&body)
            .map_err(|error| Failure::Malformed(format!("the body is not JSON: {error}")))?;
        if said.get("secret").and_then(Value::as_str).is_some_and(|secret| !secret.is_empty()) {
            return Err(EdgeRefusal::SecretDraft.into());
        }
    }
    let looked_at = looked_at(&parts)?;
    let open = app.store().drafts(person).await?.iter().filter(|draft| draft.reply.is_none()).count();
    if open >= OPEN_MOST {
        return Err(EdgeRefusal::TooManyDrafts { open, most: OPEN_MOST }.into());
    }
    let (method, path) = (parts.method.as_str(), parts.uri.path());
    let draft = app.store().keep_draft(person, method, path, &body, looked_at, Timestamp::now()).await?;
    let address = format!("{}/drafts/{draft}", app.address());
    Ok(Drafted { draft, says: format!("drafted; look at it and confirm it at {address}"), address })
}

/// What was drafted, bound together.
fn digest(draft: &Draft) -> Digest {
    let looked_at = Digest::of_json(&draft.looked_at.map(as_precondition));
    Digest::of(&[draft.method.as_bytes(), b"\0", draft.path.as_bytes(), b"\0", &looked_at.0, draft.body.as_bytes()])
}

pub(crate) fn view(draft: &Draft) -> DraftView {
    let state = match &draft.reply {
        None => "open",
        Some((0, _)) => "dropped",
        // Being carried out, or was when the service ended: what came of it is in the record.
        Some((1, _)) => "under-way",
        Some(_) => "confirmed",
    };
    DraftView {
        id: draft.id,
        method: draft.method.clone(),
        path: draft.path.clone(),
        body: serde_json::from_str(&draft.body).unwrap_or(Value::Null),
        drawn_at: draft.drawn_at,
        state: state.to_owned(),
        reply: draft.reply.as_ref().and_then(|(_, reply)| serde_json::from_str(reply).ok()),
        digest: digest(draft),
    }
}

/// One of the caller's drafts.
pub(crate) async fn find(me: &SignedIn, id: &str) -> Result<Draft, Failure> {
    let all = me.app.store().drafts(me.person).await?;
    all.into_iter()
        .find(|draft| draft.id.to_string() == id)
        .ok_or_else(|| Failure::unknown("draft of yours", id, "the console lists them"))
}

fn settled(draft: &Draft) -> Failure {
    let state = if draft.reply.is_some() { view(draft).state } else { "settled".to_owned() };
    EdgeRefusal::DraftSettled { id: draft.id, state }.into()
}

/// Carries a draft out, through the same doors as everything else, with the confirming browser's own sign-in.
pub(crate) async fn confirm(me: &SignedIn, parts: &Parts, id: &str, shown: Digest) -> Result<Response, Failure> {
    let draft = find(me, id).await?;
    if draft.reply.is_some() {
        return Err(settled(&draft));
    }
    if digest(&draft) != shown {
        return Err(EdgeRefusal::DraftChanged.into());
    }
    let routes = me.app.routes().ok_or_else(|| Failure::Failed(anyhow::anyhow!("the doors are not open yet")))?;
    let mut request = Request::builder().method(draft.method.as_str()).uri(&draft.path);
    for name in [header::AUTHORIZATION, header::COOKIE, header::ORIGIN, header::HOST] {
        if let Some(value) = parts.headers.get(&name) {
            request = request.header(name, value);
        }
    }
    if let Some((name, value)) = draft.looked_at.map(as_precondition) {
        request = request.header(name, value);
    }
    let mut request = request
        .header(header::CONTENT_TYPE, "application/json")
        .body(Body::from(draft.body.clone()))
        .map_err(|error| Failure::Failed(error.into()))?;
    if let Some(peer) = parts.extensions.get::<ConnectInfo<std::net::SocketAddr>>() {
        request.extensions_mut().insert(*peer);
    }
    if !me.app.store().claim_draft(draft.id).await? {
        return Err(settled(&draft));
    }
    let reply = match routes.oneshot(request).await {
        Ok(reply) => reply,
        Err(never) => match never {},
    };
    let (head, body) = reply.into_parts();
    let body = axum::body::to_bytes(body, BODY_MOST * 16).await.map_err(|error| Failure::Failed(error.into()))?;
    // A refusal leaves the draft open: it may want a fresh proof first.
    let text = for_the_program(&body);
    let done = head.status.is_success().then(|| (head.status.as_u16(), text.as_str()));
    me.app.store().end_claim(draft.id, done).await?;
    Ok(Response::from_parts(head, Body::from(body)))
}

/// A reply as the program that drafted gets it: a password is for whoever confirmed, in the console, and kept nowhere.
fn for_the_program(body: &[u8]) -> String {
    let Ok(mut reply) = serde_json::from_slice::<Value>(body) else {
        return String::from_utf8_lossy(body).into_owned();
    };
    if let Some(password) = reply.get_mut("password") {
        *password = Value::Null;
    }
    reply.to_string()
}

/// Drops a draft.
pub(crate) async fn drop(me: &SignedIn, id: &str) -> Result<(), Failure> {
    let draft = find(me, id).await?;
    if me.app.store().settle_draft(draft.id, 0, "").await? { Ok(()) } else { Err(settled(&draft)) }
}

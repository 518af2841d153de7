//! Idempotency: a request repeated with the same `Idempotency-Key` is carried out once, and answered alike.
//! Keys are bound to caller, method, path and body. Replies that show a secret are never kept.

use axum::{
    body::{Body, to_bytes},
    extract::{Request, State},
    http::{HeaderValue, Method, StatusCode, header},
    middleware::Next,
    response::{IntoResponse, Response},
};
use jiff::Timestamp;
use tempestas_api::{IDEMPOTENCY_KEY, takes_key};
use tempestas_core::Digest;
use tempestas_store::Claim;

use crate::{
    app::App,
    callers::{credential, sign_in},
    door::{BODY_MOST, read_body},
    problem::Failure,
    refused::EdgeRefusal,
};

/// Longest key.
const KEY_MOST: usize = 128;
/// What a key looks like, for whoever sent another.
const KEY_FORM: &str = "1 to 128 visible ASCII letters";

pub(crate) async fn keyed(State(app): State<App>, request: Request, next: Next) -> Response {
    let keys: Vec<HeaderValue> = request.headers().get_all(IDEMPOTENCY_KEY).iter().cloned().collect();
    let outcome = match (&keys[..], request.method()) {
        ([], _) | (_, &Method::GET) => return next.run(request).await,
        ([key], _) => match key.to_str() {
            // On its own: what was begun is finished and its reply kept, though whoever asked for it went away.
            Ok(key) => match tokio::spawn(carry_out(app, key.to_owned(), request, next)).await {
                Ok(outcome) => outcome,
                Err(broken) => Err(Failure::Failed(broken.into())),
            },
            Err(_) => Err(Failure::Malformed(format!("an Idempotency-Key has {KEY_FORM}"))),
        },
        _ => Err(Failure::Malformed("an Idempotency-Key stands in a request once".to_owned())),
    };
    outcome.unwrap_or_else(IntoResponse::into_response)
}

async fn carry_out(app: App, key: String, request: Request, next: Next) -> Result<Response, Failure> {
    let path = request.uri().path().to_owned();
    if !takes_key(request.method().as_str(), &path) {
        return Err(Failure::Malformed(
            "this call changes nothing, or shows a secret once, and takes no Idempotency-Key".to_owned(),
        ));
    }
    if key.is_empty() || key.len() > KEY_MOST {
        return Err(Failure::Malformed(format!("an Idempotency-Key has {KEY_FORM}")));
    }
    let credential = credential(&app, request.headers())
        .ok_or_else(|| Failure::SignIn("this needs a sign-in; run `tempestas sign-in`".to_owned()))?;
    let person = sign_in(&app, credential.token()).await?.person;
    let (parts, body) = request.into_parts();
    let body = read_body(body).await?;
    // What was looked at is part of what is asked for.
    let looked_at = [header::IF_MATCH, header::IF_NONE_MATCH]
        .map(|name| parts.headers.get(name).map(|value| value.as_bytes().to_vec()).unwrap_or_default())
        .join(&0);
    let bound =
        Digest::of(&[parts.method.as_str().as_bytes(), b"\0", path.as_bytes(), b"\0", &looked_at, b"\0", &body]);
    match app.store().claim(person, &key, bound, Timestamp::now()).await? {
        Claim::New => {}
        Claim::Done(status, reply) => return Ok(replayed(status, reply)),
        Claim::Busy => {
            return Err(EdgeRefusal::KeyBusy.into());
        }
        Claim::Other => {
            return Err(Failure::Malformed(
                "this Idempotency-Key was used for another request; take a new one".to_owned(),
            ));
        }
    }
    let response = next.run(Request::from_parts(parts, Body::from(body))).await;
    let (parts, body) = response.into_parts();
    let body = to_bytes(body, BODY_MOST * 16).await.map_err(|error| Failure::Failed(error.into()))?;
    // Only what was carried out is kept: a refusal may turn out otherwise the next time.
    let reply = parts.status.is_success().then(|| (parts.status.as_u16(), String::from_utf8_lossy(&body).into_owned()));
    app.store().settle_claim(person, &key, reply.as_ref().map(|(status, text)| (*status, text.as_str()))).await?;
    Ok(Response::from_parts(parts, Body::from(body)))
}

fn replayed(status: u16, reply: String) -> Response {
    let status = StatusCode::from_u16(status).unwrap_or(StatusCode::OK);
    let kind = (header::CONTENT_TYPE, HeaderValue::from_static("application/json"));
    (status, [kind], reply).into_response()
}

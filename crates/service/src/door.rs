//! What comes in through a route, and what goes out: read, and refused with a reason.

mod paging;
mod table;

use std::convert::Infallible;

use axum::{
    body::{Body as RawBody, Bytes},
    extract::{FromRequest, FromRequestParts, Path, Query as RawQuery, Request},
    http::{header, request::Parts},
    response::{
        IntoResponse, Response,
        sse::{Event, KeepAliveStream, Sse},
    },
};
use bytes::BytesMut;
use futures_util::{Stream, StreamExt as _};
use schemars::JsonSchema;
use serde::{Serialize, de::DeserializeOwned};
use serde_json::{Map, Value, json};
use tempestas_core::{Digest, LookedAt, plainly};

pub(crate) use paging::{Listed, Page};
pub(crate) use table::{Drafting, Table, offered};

use crate::{app::App, problem::Failure};

/// Most bytes of a request's body.
pub(crate) const BODY_MOST: usize = 256 * 1024;
/// Most bytes of a body that is too large which are still read, so that its sender hears why.
const DRAIN_MOST: usize = 32 * 1024 * 1024;

/// What a body calls itself.
const JSON: &str = "application/json";
const FORM: &str = "application/x-www-form-urlencoded";

/// What handlers return.
pub(crate) type Answer<T> = Result<Json<T>, Failure>;

/// What handlers of lists return.
pub(crate) type Listing<T> = Result<Page<T>, Failure>;

/// What handlers of one thing return that is changed in place.
pub(crate) type Tagging<T> = Result<Tagged<T>, Failure>;

/// A reply in JSON, with the digest that a change of it says with `If-Match` as its `ETag` (RFC 9110, 8.8.3).
pub(crate) struct Tagged<T>(pub(crate) Digest, pub(crate) T);

impl<T: Serialize> IntoResponse for Tagged<T> {
    fn into_response(self) -> Response {
        ([(header::ETAG, format!("\"{}\"", self.0))], axum::Json(self.1)).into_response()
    }
}

/// A reply in JSON.
pub(crate) struct Json<T>(pub(crate) T);

impl<T: Serialize> IntoResponse for Json<T> {
    fn into_response(self) -> Response {
        axum::Json(self.0).into_response()
    }
}

/// A file to download.
pub(crate) struct Download {
    pub(crate) kind: &'static str,
    pub(crate) body: RawBody,
}

impl Download {
    /// One that is made as it is sent. What reads it may ask again after its end.
    pub(crate) fn stream<S, E>(kind: &'static str, pieces: S) -> Self
    where
        S: Stream<Item = Result<Bytes, E>> + Send + 'static,
        E: Into<axum::BoxError> + 'static,
    {
        Self { kind, body: RawBody::from_stream(pieces.fuse()) }
    }

    /// A table, with the names of its columns.
    ///
    /// # Errors
    /// None that can be helped.
    pub(crate) fn csv<const N: usize>(
        columns: &[&str; N],
        rows: impl Iterator<Item = [String; N]>,
    ) -> Result<Self, Failure> {
        let mut file = csv::Writer::from_writer(Vec::new());
        let wrong = |error: csv::Error| Failure::Failed(error.into());
        file.write_record(columns).map_err(wrong)?;
        for row in rows {
            file.write_record(row.map(|cell| harmless(&cell))).map_err(wrong)?;
        }
        let body = file.into_inner().map_err(|error| Failure::Failed(anyhow::anyhow!("{error}")))?;
        Ok(Self { kind: "text/csv; charset=utf-8", body: RawBody::from(body) })
    }
}

/// A cell that no spreadsheet takes for a formula, and that steers nothing where it is shown.
fn harmless(cell: &str) -> String {
    let cell = plainly(cell);
    if cell.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{cell}") } else { cell.into_owned() }
}

impl IntoResponse for Download {
    fn into_response(self) -> Response {
        ([(header::CONTENT_TYPE, self.kind)], self.body).into_response()
    }
}

/// A reply that sets a cookie beside what it says.
pub(crate) struct WithCookie<T>(pub(crate) String, pub(crate) T);

impl<T: Serialize> IntoResponse for WithCookie<T> {
    fn into_response(self) -> Response {
        ([(header::SET_COOKIE, self.0)], axum::Json(self.1)).into_response()
    }
}

/// A stream of events.
pub(crate) struct EventStream(pub(crate) Sse<KeepAliveStream<EventBody>>);

/// What is streamed: boxed, since it is made of closures.
pub(crate) type EventBody = std::pin::Pin<Box<dyn Stream<Item = Result<Event, Infallible>> + Send>>;

impl IntoResponse for EventStream {
    fn into_response(self) -> Response {
        self.0.into_response()
    }
}

/// The reply of another route, passed on as it is.
pub(crate) struct PassedOn(pub(crate) Response);

impl IntoResponse for PassedOn {
    fn into_response(self) -> Response {
        self.0
    }
}

/// The request's head, for what is passed on.
pub(crate) struct Head(pub(crate) Parts);

impl FromRequestParts<App> for Head {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, _: &App) -> Result<Self, Failure> {
        Ok(Self(parts.clone()))
    }
}

/// A JSON body.
pub(crate) struct Body<T>(pub(crate) T);

/// The body of a form (HTML, 4.10.22.6), as OAuth has it: what isn't known is ignored, and nothing stands there twice.
pub(crate) struct Form<T>(pub(crate) T);

/// A JSON body that takes the place of what stands there, and so names all of it.
pub(crate) struct Whole<T>(pub(crate) T);

/// What the caller looked at before they change it in place; the request says it with `If-Match`.
pub(crate) struct Looked(pub(crate) LookedAt);

/// The same, or with `If-None-Match: *` that nothing was there.
pub(crate) struct LookedOrNew(pub(crate) LookedAt);

/// The query's parameters.
pub(crate) struct Query<T>(pub(crate) T);

/// The one part of the path that varies.
pub(crate) struct At(pub(crate) String);

/// The two parts of the path that vary.
pub(crate) struct AtTwo(pub(crate) String, pub(crate) String);

/// Reads a body. One that is too large is read to its end, or to a second limit, before it is refused: else the
/// caller would see a broken connection and not the reason.
pub(crate) async fn read_body(body: RawBody) -> Result<Bytes, Failure> {
    let mut stream = body.into_data_stream();
    let (mut kept, mut seen) = (BytesMut::new(), 0_usize);
    while let Some(piece) = stream.next().await {
        let piece = piece.map_err(|_| Failure::Malformed("the request's body broke off".to_owned()))?;
        seen = seen.saturating_add(piece.len());
        if seen <= BODY_MOST {
            kept.extend_from_slice(&piece);
        } else if seen > DRAIN_MOST {
            break;
        }
    }
    if seen > BODY_MOST { Err(Failure::TooLarge(BODY_MOST)) } else { Ok(kept.freeze()) }
}

/// Refuses a body that doesn't say that it is JSON: what a form on a page elsewhere can send never does.
fn ensure_is_json(headers: &axum::http::HeaderMap) -> Result<(), Failure> {
    if media_type(headers) == JSON { Ok(()) } else { Err(Failure::NotJson) }
}

/// What the body says that it is, without parameters.
fn media_type(headers: &axum::http::HeaderMap) -> String {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    kind.split(';').next().unwrap_or_default().trim().to_ascii_lowercase()
}

impl<T: DeserializeOwned + JsonSchema + 'static> FromRequest<App> for Body<T> {
    type Rejection = Failure;

    async fn from_request(request: Request, _: &App) -> Result<Self, Failure> {
        read_json(request, "the body does not say what is needed", tempestas_api::ensure_known::<T>).await.map(Self)
    }
}

impl<T: DeserializeOwned + JsonSchema + 'static> FromRequest<App> for Whole<T> {
    type Rejection = Failure;

    async fn from_request(request: Request, _: &App) -> Result<Self, Failure> {
        const PARTIAL: &str = "what takes the place of something names all of it, with `null` where there is nothing";
        read_json(request, PARTIAL, tempestas_api::ensure_whole::<T>).await.map(Self)
    }
}

async fn read_json<T: DeserializeOwned>(
    request: Request,
    otherwise: &str,
    ensure: impl Fn(&Value) -> Result<(), String>,
) -> Result<T, Failure> {
    ensure_is_json(request.headers())?;
    let bytes = read_body(request.into_body()).await?;
    let malformed =
        |what: &str, why: String| Failure::Malformed(format!("{what}: {why}; `GET /api/v1/openapi.json` describes it"));
    let said: Value =
        serde_json::from_slice(&bytes).map_err(|error| malformed("the body is not JSON", error.to_string()))?;
    ensure(&said).map_err(|why| malformed(otherwise, why))?;
    // Read again from the bytes: a key that stands there twice is gone from the value.
    serde_json::from_slice(&bytes).map_err(|error| malformed(otherwise, error.to_string()))
}

impl<T: DeserializeOwned> FromRequest<App> for Form<T> {
    type Rejection = Failure;

    async fn from_request(request: Request, _: &App) -> Result<Self, Failure> {
        let wrong = |says: String| Failure::NoToken("invalid_request", says);
        if media_type(request.headers()) != FORM {
            return Err(wrong(format!("the body is a form, and says so: `Content-Type: {FORM}`")));
        }
        let bytes = read_body(request.into_body()).await?;
        let mut said = Map::new();
        for (name, value) in url::form_urlencoded::parse(&bytes) {
            // RFC 6749, 3.2: what is sent without a value is as if it was not sent.
            if !value.is_empty() && said.insert(name.clone().into_owned(), json!(value)).is_some() {
                return Err(wrong(format!("`{name}` stands there more than once")));
            }
        }
        serde_json::from_value(Value::Object(said)).map(Self).map_err(|error| wrong(error.to_string()))
    }
}

/// What the request says of what its caller looked at.
pub(crate) fn looked_at(parts: &Parts) -> Result<Option<LookedAt>, Failure> {
    let said = |name: header::HeaderName| match parts.headers.get_all(&name).iter().collect::<Vec<_>>()[..] {
        [] => Ok(None),
        [one] => one.to_str().map(Some).map_err(|_| Failure::Malformed(format!("`{name}` is not plain text"))),
        _ => Err(Failure::Malformed(format!("`{name}` stands there more than once"))),
    };
    tempestas_api::read_precondition(said(header::IF_MATCH)?, said(header::IF_NONE_MATCH)?).map_err(Failure::Malformed)
}

impl FromRequestParts<App> for Looked {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, _: &App) -> Result<Self, Failure> {
        match looked_at(parts)? {
            Some(this @ LookedAt::This(_)) => Ok(Self(this)),
            Some(LookedAt::Nothing) | None => {
                Err(Failure::Unseen("`If-Match: \"…\"` with the digest it was shown with"))
            }
        }
    }
}

impl FromRequestParts<App> for LookedOrNew {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, _: &App) -> Result<Self, Failure> {
        const SAY: &str =
            "`If-Match: \"…\"` with the digest it was shown with, or `If-None-Match: *` where there was nothing";
        looked_at(parts)?.map(Self).ok_or(Failure::Unseen(SAY))
    }
}

impl<T: DeserializeOwned> FromRequestParts<App> for Query<T> {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        RawQuery::from_request_parts(parts, app)
            .await
            .map(|RawQuery(value)| Self(value))
            .map_err(|rejection| Failure::Malformed(format!("the query can't be used: {}", rejection.body_text())))
    }
}

impl FromRequestParts<App> for At {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        let Path(one) = Path::from_request_parts(parts, app)
            .await
            .map_err(|rejection| Failure::Malformed(rejection.body_text()))?;
        Ok(Self(one))
    }
}

impl FromRequestParts<App> for AtTwo {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        let Path((one, two)) = Path::from_request_parts(parts, app)
            .await
            .map_err(|rejection| Failure::Malformed(rejection.body_text()))?;
        Ok(Self(one, two))
    }
}

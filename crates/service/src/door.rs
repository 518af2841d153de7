//! Routes that describe themselves: who may call, what goes in, what comes out. From the same types that the
//! compiler checks, so that the OpenAPI file can't say anything else.

use std::convert::Infallible;

use axum::{
    Router,
    body::{Body as RawBody, Bytes},
    extract::{FromRequest, FromRequestParts, Path, Query as RawQuery, Request},
    http::{Method, header, request::Parts},
    response::{
        IntoResponse, Response,
        sse::{Event, KeepAliveStream, Sse},
    },
    routing::{MethodFilter, MethodRouter, on},
};
use bytes::BytesMut;
use futures_util::{Stream, StreamExt as _};
use schemars::{JsonSchema, Schema, SchemaGenerator, generate::SchemaSettings};
use serde::{Serialize, de::DeserializeOwned};
use serde_json::{Map, Value, json};
use tempestas_core::LookedAt;

use crate::{app::App, callers::CallerKind, problem::Failure};

/// Most bytes of a request's body.
pub(crate) const BODY_MOST: usize = 64 * 1024;
/// Most bytes of a body that is too large which are still read, so that its sender hears why.
const DRAIN_MOST: usize = 32 * 1024 * 1024;

/// What a body calls itself.
const JSON: &str = "application/json";
const FORM: &str = "application/x-www-form-urlencoded";

/// What handlers return.
pub(crate) type Answer<T> = Result<Json<T>, Failure>;

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
fn looked_at(parts: &Parts) -> Result<Option<LookedAt>, Failure> {
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

/// Something that adds itself to an operation's description.
pub(crate) trait Described {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator);
}

/// A body that is needed, of this media type.
fn takes_body(operation: &mut Map<String, Value>, kind: &str, schema: Schema) {
    let body = json!({ "required": true, "content": { kind: { "schema": schema } } });
    operation.insert("requestBody".to_owned(), body);
}

impl<T: JsonSchema> Described for Body<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        takes_body(operation, JSON, schemas.subschema_for::<T>());
    }
}

impl<T: JsonSchema> Described for Form<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        takes_body(operation, FORM, schemas.subschema_for::<T>());
    }
}

impl<T: JsonSchema> Described for Whole<T> {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        // By itself: elsewhere the same names may leave out what here they must say.
        let settings = SchemaSettings::draft2020_12().for_serialize().with(|settings| {
            settings.inline_subschemas = true;
            settings.meta_schema = None;
        });
        takes_body(operation, JSON, settings.into_generator().into_root_schema_for::<T>());
    }
}

fn precondition(name: &str, needed: bool, says: &str) -> Value {
    json!({ "name": name, "in": "header", "required": needed, "schema": { "type": "string" }, "description": says })
}

/// What `If-Match` says, for the document.
const IF_MATCH_SAYS: &str = "the digest of what was looked at, in double quotes";

impl Described for Looked {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        parameters(operation).push(precondition("If-Match", true, IF_MATCH_SAYS));
    }
}

impl Described for LookedOrNew {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        parameters(operation).extend([
            precondition("If-Match", false, IF_MATCH_SAYS),
            precondition("If-None-Match", false, "`*` where there was nothing; one of both is needed"),
        ]);
    }
}

impl<T: JsonSchema> Described for Query<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        let schema = schemas.root_schema_for::<T>();
        let properties = schema.get("properties").and_then(Value::as_object).cloned().unwrap_or_default();
        let required = schema.get("required").and_then(Value::as_array).cloned().unwrap_or_default();
        for (name, schema) in properties {
            let needed = required.iter().any(|known| known.as_str() == Some(name.as_str()));
            parameters(operation).push(json!({ "name": name, "in": "query", "required": needed, "schema": schema }));
        }
    }
}

impl Described for At {
    fn describe(_: &mut Map<String, Value>, _: &mut SchemaGenerator) {}
}

impl Described for AtTwo {
    fn describe(_: &mut Map<String, Value>, _: &mut SchemaGenerator) {}
}

impl Described for Head {
    fn describe(_: &mut Map<String, Value>, _: &mut SchemaGenerator) {}
}

impl<T: JsonSchema> Described for WithCookie<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        <Json<T> as Described>::describe(operation, schemas);
    }
}

impl Described for EventStream {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        let schema = schemas.subschema_for::<tempestas_api::Event>();
        operation.insert(
            "responses".to_owned(),
            json!({ "200": { "description": "events, each with this as its data", "content": { "text/event-stream": { "schema": schema } } } }),
        );
    }
}

impl Described for PassedOn {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        operation
            .insert("responses".to_owned(), json!({ "default": { "description": "the reply of what was drafted" } }));
    }
}

impl<T: JsonSchema> Described for Json<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        let schema = schemas.subschema_for::<T>();
        operation.insert(
            "responses".to_owned(),
            json!({
                "200": { "description": "done", "content": { "application/json": { "schema": schema } } },
                "default": { "description": "refused", "content": { "application/problem+json": { "schema": schemas.subschema_for::<tempestas_api::Problem>() } } },
            }),
        );
    }
}

impl Described for Download {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        operation.insert("responses".to_owned(), json!({ "200": { "description": "a file" } }));
    }
}

fn parameters(operation: &mut Map<String, Value>) -> &mut Vec<Value> {
    let list = operation.entry("parameters").or_insert_with(|| Value::Array(Vec::new()));
    match list {
        Value::Array(list) => list,
        _ => unreachable!("`parameters` is only ever made an array, above"),
    }
}

/// A handler whose first argument is a caller.
pub(crate) trait Door<Arguments>: Clone + Send + Sync + 'static {
    /// The caller's word.
    const CALLER: &'static str;
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator);
    fn open(self, filter: MethodFilter) -> MethodRouter<App>;
}

macro_rules! doors {
    ($($part:ident),*) => {
        impl<F, Fut, Via, Caller, Out, $($part,)*> Door<(Via, Caller, Out, $($part,)*)> for F
        where
            F: Fn(Caller, $($part,)*) -> Fut + Clone + Send + Sync + 'static,
            Fut: Future<Output = Result<Out, Failure>> + Send + 'static,
            Caller: CallerKind,
            Out: IntoResponse + Described + 'static,
            $($part: Described + Send + 'static,)*
            Via: 'static,
            F: axum::handler::Handler<(Via, Caller, $($part,)*), App>,
        {
            const CALLER: &'static str = Caller::WORD;

            fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
                $($part::describe(operation, schemas);)*
                Out::describe(operation, schemas);
            }

            fn open(self, filter: MethodFilter) -> MethodRouter<App> {
                on(filter, self)
            }
        }
    };
}

doors!();
doors!(First);
doors!(First, Second);
doors!(First, Second, Third);

/// The route table, and the OpenAPI document that says the same.
pub(crate) struct Table {
    router: Router<App>,
    schemas: SchemaGenerator,
    paths: Map<String, Value>,
}

impl Table {
    pub(crate) fn new() -> Self {
        let settings = SchemaSettings::draft2020_12().with(|settings| {
            settings.definitions_path = "/components/schemas".into();
            settings.meta_schema = None;
        });
        Self { router: Router::new(), schemas: settings.into_generator(), paths: Map::new() }
    }

    pub(crate) fn get<A, D: Door<A>>(self, path: &str, door: D, says: &str) -> Self {
        self.add(&Method::GET, MethodFilter::GET, path, door, says)
    }

    pub(crate) fn post<A, D: Door<A>>(self, path: &str, door: D, says: &str) -> Self {
        self.add(&Method::POST, MethodFilter::POST, path, door, says)
    }

    pub(crate) fn put<A, D: Door<A>>(self, path: &str, door: D, says: &str) -> Self {
        self.add(&Method::PUT, MethodFilter::PUT, path, door, says)
    }

    pub(crate) fn patch<A, D: Door<A>>(self, path: &str, door: D, says: &str) -> Self {
        self.add(&Method::PATCH, MethodFilter::PATCH, path, door, says)
    }

    pub(crate) fn delete<A, D: Door<A>>(self, path: &str, door: D, says: &str) -> Self {
        self.add(&Method::DELETE, MethodFilter::DELETE, path, door, says)
    }

    fn add<A, D: Door<A>>(mut self, method: &Method, filter: MethodFilter, path: &str, door: D, says: &str) -> Self {
        let path = format!("/api/v1{path}");
        let mut operation = Map::new();
        operation.insert("summary".to_owned(), json!(says));
        operation.insert("x-caller".to_owned(), json!(D::CALLER));
        if D::CALLER != "anyone" {
            operation.insert("security".to_owned(), json!([{ "bearer": [] }]));
        }
        for name in path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}')) {
            let schema = json!({ "type": "string" });
            parameters(&mut operation).push(json!({ "name": name, "in": "path", "required": true, "schema": schema }));
        }
        if D::CALLER != "anyone" && tempestas_api::takes_key(method.as_str(), &path) {
            parameters(&mut operation).push(json!({
                "name": "Idempotency-Key", "in": "header", "required": false,
                "schema": { "type": "string", "minLength": 1, "maxLength": 128 },
                "description": "the same request with the same key is carried out once, and answered alike for a day",
            }));
        }
        D::describe(&mut operation, &mut self.schemas);
        let entry = self.paths.entry(path.clone()).or_insert_with(|| Value::Object(Map::new()));
        if let Value::Object(methods) = entry {
            methods.insert(method.as_str().to_lowercase(), Value::Object(operation));
        }
        self.router = self.router.route(&path, door.open(filter));
        self
    }

    /// The routes.
    pub(crate) fn into_router(self) -> Router<App> {
        self.router
    }

    /// The document.
    pub(crate) fn into_document(mut self) -> Value {
        let mut document = json!({
            "openapi": "3.1.0",
            "info": {
                "title": "Tempestas",
                "version": env!("CARGO_PKG_VERSION"),
                "description": "`x-caller` says who may call: `anyone`; `signed-in`; `overseer`, with the duty of an administrator or auditor somewhere; `administrator`, with that duty somewhere. Where, and how freshly proven, is decided with each command.",
            },
            "paths": self.paths,
            "components": {
                "securitySchemes": { "bearer": { "type": "http", "scheme": "bearer" } },
                "schemas": self.schemas.take_definitions(true),
            },
        });
        // The same text, whichever features of the library others ask for.
        document.sort_all_objects();
        document
    }
}

//! Routes that describe themselves: who may call, what goes in, what comes out. From the same types that the
//! compiler checks, so that the OpenAPI file can't say anything else.

use axum::{
    Router,
    http::Method,
    response::IntoResponse,
    routing::{MethodFilter, MethodRouter, on},
};
use schemars::{JsonSchema, Schema, SchemaGenerator, generate::SchemaSettings};
use serde_json::{Map, Value, json};

use super::{
    At, AtTwo, Body, Download, EventStream, FORM, Form, Head, JSON, Json, Looked, LookedOrNew, PassedOn, Query, Whole,
    WithCookie,
};
use crate::{app::App, callers::CallerKind, problem::Failure};

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

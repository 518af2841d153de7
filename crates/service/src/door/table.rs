//! Routes that describe themselves: who may call, what goes in, what comes out. From the same types that the
//! compiler checks, so that the OpenAPI file can't say anything else.

use std::{collections::BTreeMap, sync::Arc};

use axum::{
    Router,
    extract::{MatchedPath, Request, State},
    http::{HeaderValue, Method, header::ALLOW},
    middleware::Next,
    response::{IntoResponse, Response},
    routing::{MethodFilter, MethodRouter, on},
};
use schemars::{JsonSchema, Schema, SchemaGenerator, generate::SchemaSettings};
use serde_json::{Map, Value, json};
use tempestas_core::{
    AlarmId, AppointmentId, ConversionId, DriftId, DutyId, ElevationId, EligibilityId, StandingId, StopId, TermsId,
};

use super::{
    At, AtTwo, Body, Download, EventStream, FORM, Form, Head, JSON, Json, Listed, Looked, LookedOrNew, Page, PassedOn,
    Query, Tagged, Whole, WithCookie, paging::PAGE_MOST,
};
use crate::{app::App, callers::CallerKind, problem::Failure};

/// Something that adds itself to an operation's description.
pub(crate) trait Described {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator);
}

/// A part of the service that a handler needs, which nobody sends.
impl<T> Described for State<T> {
    fn describe(_: &mut Map<String, Value>, _: &mut SchemaGenerator) {}
}

/// How refusals are sent (RFC 9457).
const PROBLEM: &str = "application/problem+json";

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
        // RFC 6749, 5.2, has a form of its own for it.
        let schema = schemas.subschema_for::<tempestas_api::TokenRefusal>();
        let refused = json!({ "description": "refused", "content": { JSON: { "schema": schema } } });
        responses(operation).insert("400".to_owned(), refused);
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

impl<T: JsonSchema> Described for Listed<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        <Query<T> as Described>::describe(operation, schemas);
        parameters(operation).extend([
            json!({
                "name": "limit", "in": "query", "required": false,
                "schema": { "type": "integer", "minimum": 1, "maximum": PAGE_MOST, "default": PAGE_MOST },
                "description": "how many at most",
            }),
            json!({
                "name": "after", "in": "query", "required": false, "schema": { "type": "string" },
                "description": "where the page before ended, as its `Link` says",
            }),
        ]);
    }
}

/// What came of a request, in JSON.
fn replies_with(operation: &mut Map<String, Value>, schema: Schema, headers: Value) {
    let mut done = Map::new();
    done.insert("description".to_owned(), json!("done"));
    done.insert("content".to_owned(), json!({ JSON: { "schema": schema } }));
    if !headers.is_null() {
        done.insert("headers".to_owned(), headers);
    }
    responses(operation).insert("200".to_owned(), Value::Object(done));
}

impl<T: JsonSchema> Described for Page<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        let link =
            json!({ "schema": { "type": "string" }, "description": "the next page (RFC 8288), where there is one" });
        replies_with(operation, schemas.subschema_for::<Vec<T>>(), json!({ "Link": link }));
    }
}

impl<T: JsonSchema> Described for Tagged<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        let tag = json!({ "schema": { "type": "string" }, "description": "what a change of it says with `If-Match`" });
        replies_with(operation, schemas.subschema_for::<T>(), json!({ "ETag": tag }));
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
        let events = json!({ "description": "events, each with this as its data", "content": { "text/event-stream": { "schema": schema } } });
        responses(operation).insert("200".to_owned(), events);
    }
}

impl Described for PassedOn {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        let reply = json!({ "description": "the reply of what was drafted" });
        responses(operation).insert("default".to_owned(), reply);
    }
}

impl<T: JsonSchema> Described for Json<T> {
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator) {
        replies_with(operation, schemas.subschema_for::<T>(), Value::Null);
    }
}

impl Described for Download {
    fn describe(operation: &mut Map<String, Value>, _: &mut SchemaGenerator) {
        responses(operation).insert("200".to_owned(), json!({ "description": "a file" }));
    }
}

fn responses(operation: &mut Map<String, Value>) -> &mut Map<String, Value> {
    let all = operation.entry("responses").or_insert_with(|| Value::Object(Map::new()));
    match all {
        Value::Object(all) => all,
        _ => unreachable!("`responses` is only ever made an object, above"),
    }
}

/// Every status but success that a route may answer with, and what it says.
const REFUSALS: [(u16, &str); 13] = [
    (400, "it can't be read as it is described here"),
    (401, "nobody signed in, or no fresh proof, is behind it"),
    (403, "not for this caller"),
    (404, "what it names isn't there, or not for its caller"),
    (409, "it can't be so as things stand"),
    (412, "it is something else by now"),
    (413, "the body is too large"),
    (415, "the body doesn't say what it is"),
    (422, "it can't be so at all"),
    (428, "it doesn't say what was looked at"),
    (429, "too often; wait"),
    (500, "a fault of the service; its log says why"),
    (502, "a target is in the way"),
];

/// Which of them a route may answer with, by what it takes.
fn refusals(operation: &Map<String, Value>, method: &Method) -> Vec<u16> {
    let is_open = !operation.contains_key("security");
    let takes = |name: &str| {
        let all = operation.get("parameters").and_then(Value::as_array);
        all.is_some_and(|all| all.iter().any(|one| one["name"] == name))
    };
    let mut may = vec![400, 401, 404, 429, 500];
    if !is_open || method != Method::GET {
        may.extend([403, 409, 422]);
    }
    if operation.contains_key("requestBody") {
        may.extend([413, 415]);
    }
    if takes("If-Match") {
        may.extend([412, 428]);
    }
    if !is_open {
        may.push(502);
    }
    may
}

/// Whose references stand in paths, and with which letter they begin.
const REFERENCES: [(&str, &str); 10] = [
    ("elevations", ElevationId::MARK),
    ("conversions", ConversionId::MARK),
    ("terms", TermsId::MARK),
    ("eligibilities", EligibilityId::MARK),
    ("appointments", AppointmentId::MARK),
    ("alarms", AlarmId::MARK),
    ("drift", DriftId::MARK),
    ("stops", StopId::MARK),
    ("duties", DutyId::MARK),
    ("standing", StandingId::MARK),
];

/// What may stand in a part of a path that varies.
fn part_of_path(path: &str, name: &str) -> Value {
    let mark = REFERENCES.iter().find(|(list, _)| path.contains(&format!("/{list}/{{{name}}}"))).map(|(_, mark)| mark);
    match (mark, name) {
        (Some(mark), _) => {
            let (large, small) = (mark.to_uppercase(), mark.to_lowercase());
            json!({ "type": "string", "pattern": format!("^[{large}{small}]?[0-9]{{1,18}}$") })
        }
        (None, "n") => json!({ "type": "integer", "minimum": 0 }),
        (None, _) => json!({ "type": "string", "minLength": 1 }),
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
pub(crate) trait Endpoint<Arguments>: Clone + Send + Sync + 'static {
    /// The caller's word.
    const CALLER: &'static str;
    fn describe(operation: &mut Map<String, Value>, schemas: &mut SchemaGenerator);
    fn open(self, filter: MethodFilter) -> MethodRouter<App>;
}

macro_rules! endpoints {
    ($($part:ident),*) => {
        impl<F, Fut, Via, Caller, Out, $($part,)*> Endpoint<(Via, Caller, Out, $($part,)*)> for F
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

endpoints!();
endpoints!(First);
endpoints!(First, Second);
endpoints!(First, Second, Third);

/// The route table, and the OpenAPI document that says the same.
pub(crate) struct Table {
    router: Router<App>,
    schemas: SchemaGenerator,
    paths: Map<String, Value>,
    methods: Offer,
    /// What was added last.
    last: (String, Method),
}

/// What becomes of a request by a program that was let in to read and draft. A handler finds it beside its request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Drafting {
    /// It changes nothing, or ends the program's own sign-in: it is carried out.
    CarriedOut,
    /// It is kept, for the program's person to look at and confirm.
    Kept,
    /// It is about sign-ins themselves, or shows a secret to whoever confirms it: no program's to draft.
    Refused,
}

/// The methods that each path knows, and what becomes of each where a program calls it.
pub(crate) type Offer = BTreeMap<String, Vec<(Method, Drafting)>>;

/// Says which methods a path knows, where it is called with another (RFC 9110, 15.5.6), before anything else is looked at;
/// and tells whoever comes after what the route is.
pub(crate) async fn offered(State(offer): State<Arc<Offer>>, mut request: Request, next: Next) -> Response {
    let route = request.extensions().get::<MatchedPath>().map(MatchedPath::as_str);
    let Some(known) = route.and_then(|route| offer.get(route)) else { return next.run(request).await };
    let drafting = known.iter().find(|(method, _)| method == request.method()).map(|(_, drafting)| *drafting);
    let Some(drafting) = drafting else {
        let names: Vec<&str> = known.iter().map(|(method, _)| method.as_str()).collect();
        let mut refused = Failure::OtherMethod.into_response();
        refused.headers_mut().extend(HeaderValue::from_str(&names.join(", ")).ok().map(|names| (ALLOW, names)));
        return refused;
    };
    request.extensions_mut().insert(drafting);
    next.run(request).await
}

impl Table {
    pub(crate) fn new() -> Self {
        let settings = SchemaSettings::draft2020_12().with(|settings| {
            settings.definitions_path = "/components/schemas".into();
            settings.meta_schema = None;
        });
        let schemas = settings.into_generator();
        Self {
            router: Router::new(),
            schemas,
            paths: Map::new(),
            methods: Offer::new(),
            last: (String::new(), Method::GET),
        }
    }

    pub(crate) fn get<A, D: Endpoint<A>>(self, path: &str, handler: D, says: &str) -> Self {
        self.add(&Method::GET, MethodFilter::GET, path, handler, says)
    }

    pub(crate) fn post<A, D: Endpoint<A>>(self, path: &str, handler: D, says: &str) -> Self {
        self.add(&Method::POST, MethodFilter::POST, path, handler, says)
    }

    pub(crate) fn put<A, D: Endpoint<A>>(self, path: &str, handler: D, says: &str) -> Self {
        self.add(&Method::PUT, MethodFilter::PUT, path, handler, says)
    }

    pub(crate) fn patch<A, D: Endpoint<A>>(self, path: &str, handler: D, says: &str) -> Self {
        self.add(&Method::PATCH, MethodFilter::PATCH, path, handler, says)
    }

    pub(crate) fn delete<A, D: Endpoint<A>>(self, path: &str, handler: D, says: &str) -> Self {
        self.add(&Method::DELETE, MethodFilter::DELETE, path, handler, says)
    }

    fn add<A, D: Endpoint<A>>(
        mut self,
        method: &Method,
        filter: MethodFilter,
        path: &str,
        handler: D,
        says: &str,
    ) -> Self {
        let path = format!("/api/v1{path}");
        let mut operation = Map::new();
        operation.insert("summary".to_owned(), json!(says));
        operation.insert("x-caller".to_owned(), json!(D::CALLER));
        if D::CALLER != "anyone" {
            operation.insert("security".to_owned(), json!([{ "bearer": [] }]));
        }
        for name in path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}')) {
            let schema = part_of_path(&path, name);
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
        for status in refusals(&operation, method) {
            let refused = json!({ "$ref": format!("#/components/responses/{status}") });
            responses(&mut operation).entry(status.to_string()).or_insert(refused);
        }
        if method != Method::GET && operation.contains_key("security") {
            responses(&mut operation).insert("202".to_owned(), json!({ "$ref": "#/components/responses/202" }));
        }
        let entry = self.paths.entry(path.clone()).or_insert_with(|| Value::Object(Map::new()));
        if let Value::Object(methods) = entry {
            methods.insert(method.as_str().to_lowercase(), Value::Object(operation));
        }
        let known = self.methods.entry(path.clone()).or_default();
        if method == Method::GET {
            known.extend([Method::GET, Method::HEAD].map(|method| (method, Drafting::CarriedOut)));
        } else {
            known.push((method.clone(), Drafting::Kept));
        }
        self.last = (path.clone(), method.clone());
        self.router = self.router.route(&path, handler.open(filter));
        self
    }

    /// The route before this looks, and changes nothing though its method says so.
    pub(crate) fn looks(self) -> Self {
        self.drafting(Drafting::CarriedOut)
    }

    /// The route before this is about sign-ins, or shows a secret: no program's to draft.
    pub(crate) fn in_person(self) -> Self {
        self.drafting(Drafting::Refused)
    }

    fn drafting(mut self, as_this: Drafting) -> Self {
        let (path, last) = &self.last;
        let known = self.methods.get_mut(path).into_iter().flatten();
        known.filter(|(method, _)| method == last).for_each(|(_, drafting)| *drafting = as_this);
        self
    }

    /// The routes, and which methods each knows.
    pub(crate) fn into_router(self) -> (Router<App>, Arc<Offer>) {
        (self.router, Arc::new(self.methods))
    }

    /// The document.
    pub(crate) fn into_document(mut self) -> Value {
        let problem = self.schemas.subschema_for::<tempestas_api::Problem>();
        let refused = |(status, says): (u16, &str)| {
            let refused = json!({ "description": says, "content": { PROBLEM: { "schema": problem } } });
            (status.to_string(), refused)
        };
        let mut others: Map<String, Value> = REFUSALS.into_iter().map(refused).collect();
        let drafted = self.schemas.subschema_for::<tempestas_api::Drafted>();
        let says = "only drafted; its person confirms it in the console";
        others.insert("202".to_owned(), json!({ "description": says, "content": { JSON: { "schema": drafted } } }));
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
                "responses": others,
                "schemas": self.schemas.take_definitions(true),
            },
        });
        // The same text, whichever features of the library others ask for.
        document.sort_all_objects();
        document
    }
}

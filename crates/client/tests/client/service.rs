//! A service that answers as a test says, and remembers what it was asked.

use std::sync::{Arc, Mutex};

use axum::{
    Router,
    body::{Body, Bytes},
    extract::State,
    http::{HeaderMap, Method, Response, Uri},
};
use serde_json::{Value, json};

/// One request.
#[derive(Debug, Clone)]
pub(crate) struct Asked {
    pub(crate) method: Method,
    /// Path and query, as they came.
    pub(crate) at: String,
    pub(crate) headers: HeaderMap,
    pub(crate) body: String,
}

impl Asked {
    pub(crate) fn header(&self, name: &str) -> Option<&str> {
        self.headers.get(name).map(|value| value.to_str().unwrap())
    }

    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.body).unwrap_or(Value::Null)
    }

    pub(crate) fn is(&self, method: &str, at: &str) -> bool {
        self.method == method && self.at == at
    }
}

/// What is said to it.
#[derive(Debug, Clone)]
pub(crate) struct Answer {
    status: u16,
    headers: Vec<(&'static str, String)>,
    body: String,
}

impl Answer {
    pub(crate) fn text(status: u16, body: &str) -> Self {
        Self { status, headers: Vec::new(), body: body.to_owned() }
    }

    pub(crate) fn with(mut self, name: &'static str, value: impl Into<String>) -> Self {
        self.headers.push((name, value.into()));
        self
    }
}

/// A reply.
pub(crate) fn well(said: &Value) -> Answer {
    Answer::text(200, &said.to_string())
}

/// A refusal, as the service puts them (RFC 9457).
pub(crate) fn no(status: u16, code: &str, detail: &str) -> Answer {
    let said = json!({ "type": "about:blank", "title": "no", "status": status, "detail": detail, "code": code });
    Answer::text(status, &said.to_string())
}

type Says = dyn Fn(&Asked, usize) -> Answer + Send + Sync;

struct Shared {
    says: Box<Says>,
    asked: Mutex<Vec<Asked>>,
}

/// The service, until it is dropped.
pub(crate) struct Service {
    pub(crate) address: String,
    shared: Arc<Shared>,
    serving: tokio::task::JoinHandle<()>,
}

impl Service {
    /// One that answers each request by `says`, which is told how many came before it.
    pub(crate) async fn new(says: impl Fn(&Asked, usize) -> Answer + Send + Sync + 'static) -> Self {
        let shared = Arc::new(Shared { says: Box::new(says), asked: Mutex::default() });
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = format!("http://{}", listener.local_addr().unwrap());
        let routes = Router::new().fallback(answer).with_state(Arc::clone(&shared));
        let serving = tokio::spawn(async move { axum::serve(listener, routes).await.unwrap() });
        Self { address, shared, serving }
    }

    /// What came, in order.
    pub(crate) fn asked(&self) -> Vec<Asked> {
        self.shared.asked.lock().unwrap().clone()
    }
}

impl Drop for Service {
    fn drop(&mut self) {
        self.serving.abort();
    }
}

async fn answer(
    State(shared): State<Arc<Shared>>,
    method: Method,
    at: Uri,
    headers: HeaderMap,
    body: Bytes,
) -> Response<Body> {
    let body = String::from_utf8(body.to_vec()).unwrap();
    let asked = Asked { method, at: at.to_string(), headers, body };
    let before = shared.asked.lock().unwrap().len();
    let said = (shared.says)(&asked, before);
    shared.asked.lock().unwrap().push(asked);
    let mut response = Response::builder().status(said.status);
    for (name, value) in said.headers {
        response = response.header(name, value);
    }
    response.body(Body::from(said.body)).unwrap()
}

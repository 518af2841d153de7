//! The doors held against guessing, flooding, pages elsewhere, and texts that deceive.

use reqwest::{StatusCode, header};
use serde_json::{Value, json};
use tempestas_api::{AskRequest, Brings, LedgerFilter, NewSubject, PreviewRequest};
use tempestas_core::{Seconds, SubjectKind};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, eventually, on_cloud};

impl House {
    /// How many facts of a kind there are.
    pub async fn facts(&self, kind: &str) -> usize {
        let filter = LedgerFilter { kind: Some(kind.to_owned()), ..LedgerFilter::default() };
        self.client(MARA).ledger(&filter).await.unwrap().entries.len()
    }

    fn route(&self, path: &str) -> String {
        format!("{}/api/v1{path}", self.service.address)
    }
}

/// How many replies had each status, of the same request sent `n` times at once.
async fn at_once(n: usize, request: impl Fn() -> reqwest::RequestBuilder) -> std::collections::BTreeMap<u16, usize> {
    let sent: Vec<_> = (0..n).map(|_| tokio::spawn(request().send())).collect();
    let mut statuses = std::collections::BTreeMap::new();
    for reply in sent {
        *statuses.entry(reply.await.unwrap().unwrap().status().as_u16()).or_default() += 1;
    }
    statuses
}

#[tokio::test(flavor = "multi_thread")]
async fn guesses_that_come_all_at_once_are_counted_one_by_one_and_noted() {
    let house = House::new(Plan::cloud_only()).await;
    let (http, free) = (reqwest::Client::new(), 5);
    let guess = || {
        let body = json!({ "name": TOMAS, "password": "a wrong password", "code": "123456" });
        http.post(house.route("/sign-in")).json(&body)
    };
    let statuses = at_once(60, guess).await;
    let looked_at = statuses.get(&401).copied().unwrap_or(0);
    assert!((1..=free).contains(&looked_at), "{statuses:?}");
    assert_eq!(statuses.get(&429).copied().unwrap_or(0), 60 - looked_at, "{statuses:?}");
    eventually("each that was looked at is noted", async || house.facts("sign-in-failed").await == looked_at).await;

    // Who has stolen a sign-in guesses the code of the next proof no faster, and it is seen.
    let token = house.token(ODA).await;
    let prove = || http.post(house.route("/me/proof")).bearer_auth(&token).json(&json!({ "code": "000000" }));
    let statuses = at_once(60, prove).await;
    let looked_at = statuses.get(&422).copied().unwrap_or(0);
    assert!((1..=free).contains(&looked_at), "{statuses:?}");
    assert_eq!(statuses.get(&429).copied().unwrap_or(0), 60 - looked_at, "{statuses:?}");
    assert_eq!(house.facts("proof-failed").await, looked_at);

    // A name that is nobody's leaves a fact too, but not the name: it may have been a password.
    let body = json!({ "name": "hunter2-oh-no", "password": "typed in the wrong field", "code": "123456" });
    let status = http.post(house.route("/sign-in")).json(&body).send().await.unwrap().status();
    assert_eq!(status, StatusCode::UNAUTHORIZED);
    eventually("a name that is nobody's is noted", async || house.facts("name-unknown").await == 1).await;
    let export = house.client(MARA).export().await.unwrap().text().await.unwrap();
    assert!(!export.contains("hunter2"), "what was typed as a name is in the ledger");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_taken_away_and_what_cannot_be_read_is_noted() {
    let house = House::new(Plan::cloud_only()).await;
    let (mara, http) = (house.client(MARA), reqwest::Client::new());
    mara.export().await.unwrap();
    assert_eq!(house.facts("exported").await, 1);
    mara.ledger_csv(&LedgerFilter::default()).await.unwrap();
    assert_eq!(house.facts("exported").await, 2);
    let token = house.token(TOMAS).await;
    let before = house.facts("refused").await;
    let sent = http.post(house.route("/asks")).bearer_auth(&token).header(header::CONTENT_TYPE, "application/json");
    assert_eq!(sent.body("{").send().await.unwrap().status(), StatusCode::BAD_REQUEST);
    eventually("what can't be read is noted", async || house.facts("refused").await == before + 1).await;
    // Not without end: a flood of them is not a flood of facts.
    let flood = || http.post(house.route("/asks")).bearer_auth(&token).body("{");
    assert_eq!(at_once(100, flood).await[&415], 100);
    assert!(house.facts("refused").await <= before + 40, "{}", house.facts("refused").await);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_form_on_a_page_elsewhere_signs_nobody_in_and_does_nothing() {
    let house = House::new(Plan::cloud_only()).await;
    let person = house.person(TOMAS);
    let body = json!({ "name": TOMAS, "password": person.password, "code": "123456" }).to_string();
    let send = async |path: &str, origin: Option<&str>, kind: &str| {
        let request = reqwest::Client::new().post(house.route(path)).header(header::CONTENT_TYPE, kind);
        let request = match origin {
            Some(origin) => request.header(header::ORIGIN, origin),
            None => request,
        };
        let reply = request.body(body.clone()).send().await.unwrap();
        assert!(!reply.headers().contains_key(header::SET_COOKIE));
        reply.status().as_u16()
    };
    for path in ["/console/sign-in", "/console/passkey/challenge", "/sign-in", "/devices"] {
        for origin in ["https://elsewhere.example", "null", "http://127.0.0.1:1"] {
            assert_eq!(send(path, Some(origin), "application/json").await, 403, "{path} from {origin}");
        }
    }
    for kind in
        ["text/plain", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x", "application/jsonx"]
    {
        assert_eq!(send("/console/sign-in", None, kind).await, 415, "{kind}");
        assert_eq!(send("/sign-in", Some(&house.service.address), kind).await, 415, "{kind}");
    }
    assert_eq!(send("/console/sign-in", Some(&house.service.address), "application/json; charset=utf-8").await, 401);
}

fn resolved<'d>(document: &'d Value, schema: &'d Value) -> &'d Value {
    match schema["$ref"].as_str() {
        Some(name) => resolved(document, document.pointer(name.trim_start_matches('#')).unwrap()),
        None => schema,
    }
}

fn of<'d>(schema: &'d Value, part: &str) -> impl Iterator<Item = &'d Value> {
    schema[part].as_array().into_iter().flatten()
}

/// Something that fits a schema, with nothing in it that may be left out.
fn sample(document: &Value, schema: &Value) -> Value {
    let schema = resolved(document, schema);
    if let Some(one) = schema.get("const").or_else(|| of(schema, "enum").next()) {
        return one.clone();
    }
    if let Some(one) = of(schema, "anyOf").chain(of(schema, "oneOf")).next() {
        return sample(document, one);
    }
    match schema["type"].as_str().or_else(|| schema["type"][0].as_str()) {
        Some("object") => {
            let name = |name: &Value| name.as_str().unwrap().to_owned();
            let with = |name: String| (name.clone(), sample(document, &schema["properties"][name]));
            of(schema, "required").map(name).map(with).collect::<serde_json::Map<_, _>>().into()
        }
        Some("array") => json!([]),
        Some("integer" | "number") => json!(1),
        Some("boolean") => json!(true),
        _ => json!("x"),
    }
}

/// Bodies that fit a schema but for one key nobody knows, in each place where there are keys.
fn with_unknown(document: &Value, schema: &Value, depth: usize) -> Vec<Value> {
    let schema = resolved(document, schema);
    if depth == 0 {
        return Vec::new();
    }
    let either = of(schema, "anyOf").chain(of(schema, "oneOf"));
    let mut bodies: Vec<Value> = either.flat_map(|one| with_unknown(document, one, depth)).collect();
    if let Some(properties) = schema["properties"].as_object() {
        let with = |name: &str, value: Value| {
            let mut body = sample(
                document,
                &json!({ "type": "object", "required": schema["required"], "properties": properties }),
            );
            body[name] = value;
            body
        };
        bodies.push(with("none_such", json!(1)));
        for (name, schema) in properties {
            bodies.extend(with_unknown(document, schema, depth - 1).into_iter().map(|inner| with(name, inner)));
        }
    }
    if schema["items"].is_object() {
        bodies.extend(with_unknown(document, &schema["items"], depth).into_iter().map(|inner| json!([inner])));
    }
    bodies
}

#[tokio::test(flavor = "multi_thread")]
async fn a_key_that_nobody_knows_is_refused_by_every_route_that_takes_a_body() {
    let house = House::new(Plan::cloud_only()).await;
    let document = house.document().await;
    let token = house.token(MARA).await;
    let (mut tried, mut ignored) = (0, Vec::new());
    for (path, methods) in document["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            let schema = &operation["requestBody"]["content"]["application/json"]["schema"];
            for body in with_unknown(&document, schema, 4) {
                let url = format!("{}{}", house.service.address, path.replace(['{', '}'], ""));
                let mut request = reqwest::Client::new().request(method.to_uppercase().parse().unwrap(), url);
                if ["put", "patch"].contains(&method.as_str()) {
                    request = request.header("if-match", format!("\"{}\"", tempestas_core::Digest::of(&[])));
                }
                let reply = request.bearer_auth(&token).json(&body).send().await.unwrap();
                let (status, text) = (reply.status().as_u16(), reply.text().await.unwrap());
                tried += 1;
                if status != 400 || !text.contains("none_such` is not known here") {
                    ignored.push(format!("{method} {path} {body}: {status} {text}"));
                }
            }
        }
    }
    assert!(tried > 60 && ignored.is_empty(), "of {tried}:\n{}", ignored.join("\n"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reason_says_something_and_nobody_is_called_like_another() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("harbour-warden", "/reports");
    house.eligible(TOMAS, &right).await;
    let (tomas, mara) = (house.client(TOMAS), house.client(MARA));
    let preview = PreviewRequest { right: right.clone(), duration: Some(Seconds(600)), start: None, glass: false };
    let demand = tomas.preview_ask(&preview).await.unwrap();
    let said = async |reason: &str| {
        let request = AskRequest {
            right: right.clone(),
            duration: preview.duration,
            start: preview.start,
            glass: false,
            brings: Brings::reason(reason),
            shown: demand.digest,
        };
        tomas.ask(&request).await.unwrap_err().to_string()
    };
    for (reason, expected) in [
        ("..........", "letters"),
        ("          \n\n          ", "letters"),
        ("the tide gauge \u{202e}edisa tes si", "turn or steer"),
        ("the tide\u{200b}gauge must be set", "invisible"),
        ("\u{1b}[8mhidden from the approver", "turn or steer"),
    ] {
        let refused = said(reason).await;
        assert!(refused.contains(expected), "{reason:?}: {refused}");
    }
    let person = |name: &str, about: &str| NewSubject {
        kind: SubjectKind::Person,
        name: name.to_owned(),
        about: about.to_owned(),
        second_of: None,
    };
    let taken = mara.add_subject(&person("oda.b", "Oda Brandt, owner of the databases")).await.unwrap_err();
    assert!(taken.to_string().contains("oda.brandt"), "{taken}");
    let turned = mara.add_subject(&person("oda.b", "Oda\u{202e}tdnarB")).await.unwrap_err();
    assert!(turned.to_string().contains("turn or steer"), "{turned}");
    // What only looks like another may be somebody's name; whoever sees it is told.
    let close = mara.add_subject(&person("0da.brandt", "Oda Brandt, customs")).await.unwrap();
    assert_eq!(close.alike, [ODA]);
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let (exit, text) = house.tempestas(&home, &["people", "add", "t0mas.reyes", "--about", "Tomas Reyes, customs"], "");
    assert!(exit == 0 && text.contains("looks like tomas.reyes"), "{text}");
    let people = mara.people().await.unwrap();
    assert_eq!(people.iter().find(|one| one.name == ODA).unwrap().alike, ["0da.brandt"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn whoever_reads_much_keeps_nobody_waiting() {
    let house = House::new(Plan::cloud_only()).await;
    let (http, token) = (reqwest::Client::new(), house.token(HENRIK).await);
    let read = || http.get(house.route("/ledger/csv")).bearer_auth(&token);
    let reading = tokio::spawn(at_once(200, {
        let (http, url, token) = (http.clone(), house.route("/ledger/csv"), token.clone());
        move || http.get(&url).bearer_auth(&token)
    }));
    // Others go on meanwhile: one reads the same, one changes something.
    house.client(INES).ledger_csv(&LedgerFilter::default()).await.unwrap();
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let statuses = reading.await.unwrap();
    assert!((2..=30).contains(&statuses[&200]), "{statuses:?}");
    assert!(statuses.keys().all(|status| [200, 429].contains(status)), "{statuses:?}");
    // Each is a fact, so nobody fills the disk with them by reading.
    for _ in 0..40 {
        read().send().await.unwrap();
    }
    let limited: Value = read().send().await.unwrap().json().await.unwrap();
    assert!(limited["detail"].as_str().unwrap().contains("30 times within a minute"), "{limited}");
    assert!((30..=31).contains(&house.facts("exported").await), "his, and that of Ines");
    assert!(house.client(MARA).targets().await.unwrap().iter().any(|target| target.path == BRIGHTWATER));
}

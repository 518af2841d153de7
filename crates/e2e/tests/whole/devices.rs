//! Programs let in by a code, what they draft, and the console's cookie.

use std::{collections::BTreeSet, time::Duration};

use reqwest::{Method, StatusCode, header};
use serde_json::{Value, json};
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_api::{DEVICE_GRANT, DeviceRequest, LoginAsk};
use tempestas_client::ClientError;
use tempestas_demo::codes::next_code;

use crate::house::{House, MARA, ODA, Plan, TOMAS, on_berths, on_cloud};

/// A console: a cookie, and the origin that its pages have.
pub struct Console {
    http: reqwest::Client,
    origin: String,
    cookie: String,
}

impl Console {
    pub async fn send(&self, method: Method, path: &str, body: Value, origin: &str) -> (StatusCode, Value) {
        let request = self
            .http
            .request(method, format!("{}/api/v1{path}", self.origin))
            .header(header::COOKIE, &self.cookie)
            .header(header::ORIGIN, origin)
            .json(&body);
        let reply = request.send().await.unwrap();
        (reply.status(), reply.json().await.unwrap_or(Value::Null))
    }

    pub async fn post(&self, path: &str, body: Value) -> (StatusCode, Value) {
        self.send(Method::POST, path, body, &self.origin).await
    }

    pub async fn get(&self, path: &str) -> (StatusCode, Value) {
        self.send(Method::GET, path, json!({}), &self.origin).await
    }
}

impl House {
    /// Signs a console in, as the page does.
    pub async fn console(&self, who: &str) -> Console {
        let person = self.person(who);
        let code = next_code(self.path(), who, &person.totp_secret).unwrap();
        let http = reqwest::Client::new();
        let reply = http
            .post(format!("{}/api/v1/console/sign-in", self.service.address))
            .json(&json!({ "name": who, "password": person.password, "code": code }))
            .send()
            .await
            .unwrap();
        let set = reply.headers()[header::SET_COOKIE].to_str().unwrap().to_owned();
        assert!(set.contains("; HttpOnly; SameSite=Strict;") && set.contains("Path=/;"), "{set}");
        let text = reply.text().await.unwrap();
        let cookie = set.split(';').next().unwrap().to_owned();
        assert!(!text.contains(cookie.split('=').nth(1).unwrap()), "the token is in the reply too");
        Console { http, origin: self.service.address.clone(), cookie }
    }

    /// A program's token, let in by somebody at the console.
    pub async fn let_in(&self, who: &str) -> String {
        let console = self.console(who).await;
        let request = DeviceRequest { client_id: "a program".to_owned(), host: Some("pier-7".to_owned()) };
        let asked = self.client("nobody").ask_device(&request).await.unwrap();
        let (status, seen) = console.post("/devices/look", json!({ "code": asked.user_code.to_lowercase() })).await;
        assert_eq!(
            (status, seen["program"].as_str(), seen["host"].as_str()),
            (StatusCode::OK, Some("a program"), Some("pier-7"))
        );
        assert_eq!(seen["address"], "127.0.0.1");
        let answer = json!({ "code": asked.user_code, "let_in": true });
        assert_eq!(console.post("/devices/answer", answer).await.0, StatusCode::OK);
        let (status, token) = self.device_token("a program", &asked.device_code).await;
        assert_eq!((status, token["token_type"].as_str()), (StatusCode::OK, Some("Bearer")));
        let again = self.device_token("a program", &asked.device_code).await;
        assert_eq!((again.0, again.1["error"].as_str()), (StatusCode::BAD_REQUEST, Some("expired_token")));
        token["access_token"].as_str().unwrap().to_owned()
    }

    async fn device_token(&self, program: &str, device_code: &str) -> (StatusCode, Value) {
        let form = [("grant_type", DEVICE_GRANT), ("client_id", program), ("device_code", device_code)];
        self.form("/devices/token", &form).await
    }

    /// Posts a form, as OAuth's clients do.
    pub async fn form(&self, path: &str, pairs: &[(&str, &str)]) -> (StatusCode, Value) {
        let body = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish();
        let request = reqwest::Client::new().post(format!("{}/api/v1{path}", self.service.address)).body(body);
        let reply = request.header("content-type", "application/x-www-form-urlencoded").send().await.unwrap();
        (reply.status(), reply.json().await.unwrap())
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_code_confirmed_by_a_victim_yields_nothing_beyond_reading_and_drafting() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("everything", "")).await;
    // Somebody else runs the program, and talks Tomas into typing its code.
    let stolen = house.client("nobody").with_token(house.let_in(TOMAS).await);
    assert_eq!(stolen.me().await.unwrap().name, TOMAS, "reading");

    let right = on_cloud("everything", "");
    let drafted = crate::house::ask(&stolen, &right, Some(600), tempestas_core::StartChoice::AtYes, None).await;
    let drafted = drafted.unwrap_err().to_string();
    assert!(drafted.contains("drafted; look at it and confirm it at http://localhost:"), "{drafted}");
    assert!(
        stolen
            .elevations(&tempestas_api::ElevationFilter { all: false, ended: true, ..Default::default() })
            .await
            .unwrap()
            .is_empty()
    );
    let login = stolen.login("E1001", &LoginAsk::default()).await.err().unwrap().to_string();
    assert!(login.contains("drafted; look at it"), "{login}");

    // Tomas looks at it in the console. It is carried out as his, through the same doors: his proof is fresh.
    let console = house.console(TOMAS).await;
    let (_, draft) = console.get("/drafts/1").await;
    assert_eq!((draft["path"].as_str(), draft["state"].as_str()), (Some("/api/v1/asks"), Some("open")));
    let changed = console.post("/drafts/1/confirm", json!({ "shown": "0".repeat(64) })).await;
    assert_eq!((changed.0, changed.1["code"].as_str()), (StatusCode::CONFLICT, Some("changed")));
    let other = house.console(ODA).await;
    assert_eq!(other.post("/drafts/1/confirm", json!({ "shown": draft["digest"] })).await.0, StatusCode::NOT_FOUND);
    // Pressed twice at the same moment, it is still carried out once.
    let shown = json!({ "shown": draft["digest"] });
    let (first, second) =
        tokio::join!(console.post("/drafts/1/confirm", shown.clone()), console.post("/drafts/1/confirm", shown));
    let (done, refused) = if first.0 == StatusCode::OK { (first, second) } else { (second, first) };
    assert_eq!((done.0, done.1["who"].as_str()), (StatusCode::OK, Some(TOMAS)), "{}", done.1);
    assert_eq!(refused.0, StatusCode::CONFLICT, "{}", refused.1);
    let filter = tempestas_api::ElevationFilter { all: false, ended: true, ..Default::default() };
    assert_eq!(house.client(TOMAS).elevations(&filter).await.unwrap().len(), 1);
    let again = console.post("/drafts/1/confirm", json!({ "shown": draft["digest"] })).await;
    assert_eq!(again.0, StatusCode::CONFLICT, "a draft is carried out once");
}

#[tokio::test(flavor = "multi_thread")]
async fn codes_cannot_be_guessed_are_refused_and_run_out() {
    let house = House::new(Plan::cloud_only()).await;
    let console = house.console(TOMAS).await;
    let request = DeviceRequest { client_id: "tempestas".to_owned(), host: Some("pier-7".to_owned()) };
    let asked = house.client("nobody").ask_device(&request).await.unwrap();
    assert_eq!(house.device_token("tempestas", &asked.device_code).await.1["error"], "authorization_pending");
    assert_eq!(house.device_token("tempestas", &asked.device_code).await.1["error"], "slow_down");
    let refused = console.post("/devices/answer", json!({ "code": asked.user_code, "let_in": false })).await;
    assert_eq!(refused.0, StatusCode::OK);
    assert_eq!(house.device_token("tempestas", &asked.device_code).await.1["error"], "access_denied");
    let mut seen = Vec::new();
    for _ in 0..8 {
        seen.push(console.post("/devices/look", json!({ "code": "BCDF-GHJK" })).await.0);
    }
    assert_eq!(seen.first(), Some(&StatusCode::NOT_FOUND));
    assert_eq!(seen.last(), Some(&StatusCode::TOO_MANY_REQUESTS), "{seen:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cookie_sent_for_a_page_of_another_origin_does_nothing() {
    let house = House::new(Plan::cloud_only()).await;
    let console = house.console(MARA).await;
    let stop = json!({ "scope": "/", "word": "a page somewhere else said so" });
    for origin in ["http://evil.example", "null", "http://127.0.0.1:1"] {
        let (status, said) = console.send(Method::POST, "/stops", stop.clone(), origin).await;
        assert_eq!(status, StatusCode::FORBIDDEN, "{origin}: {said}");
    }
    assert_eq!(console.get("/stops").await.1, json!([]));
    assert_eq!(console.post("/stops", stop).await.0, StatusCode::OK);
    assert_eq!(console.post("/sign-out", json!({})).await.0, StatusCode::OK);
    assert_eq!(console.get("/me").await.0, StatusCode::UNAUTHORIZED);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_client_signs_in_by_code_and_says_where_to_confirm() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let home = house.path().join("home");
    let (server, directory) = (house.service.address.clone(), home.clone());
    let console = house.console(TOMAS).await;
    // The code it prints is read from its output while it waits.
    let mut child = std::process::Command::new(tempestas_demo::processes::program("tempestas").unwrap())
        .arg("sign-in")
        .env("TEMPESTAS_SERVER", server)
        .env("TEMPESTAS_HOME", directory)
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let mut output = std::io::BufReader::new(child.stdout.take().unwrap());
    let code = tokio::task::block_in_place(|| {
        use std::io::BufRead as _;
        std::io::Read::by_ref(&mut output)
            .lines()
            .map_while(Result::ok)
            .find_map(|line| line.strip_prefix("Type   ").map(str::to_owned))
    });
    let answer = json!({ "code": code.unwrap(), "let_in": true });
    assert_eq!(console.post("/devices/answer", answer).await.0, StatusCode::OK);
    let ended = tokio::time::timeout(Duration::from_secs(30), tokio::task::spawn_blocking(move || child.wait()));
    assert!(ended.await.unwrap().unwrap().unwrap().success());
    let right = on_cloud("tide-writer", "/lake");
    let ask = ["ask", &right, "--for", "5m", "--reason", "because the work needs it", "--wait"];
    let (exit, text) = house.tempestas(&home, &ask, "");
    assert!(exit == 7 && text.contains("confirm it at http://localhost:"), "{exit}: {text}");
    let (exit, text) = house.tempestas(&home, &["stop", "everything", "--reason", "fire on pier 3"], "");
    assert_eq!(exit, 7, "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn every_change_that_a_program_tries_is_drafted_or_refused_and_none_is_made() {
    let house = House::new(Plan::cloud_only()).await;
    let (device, console) = (house.let_in(MARA).await, house.console(MARA).await);
    let http = reqwest::Client::new();
    let document: Value = serde_json::from_slice(&std::fs::read("../../docs/openapi.json").unwrap()).unwrap();
    let before = house.client(MARA).ledger(&Default::default()).await.unwrap().entries[0].n;
    let (mut drafted, mut refused) = (BTreeSet::new(), BTreeSet::new());
    for (path, methods) in document["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            if method == "get" || operation["x-caller"] == "anyone" || path.ends_with("/sign-out") {
                continue;
            }
            let address = format!("{}{}", house.service.address, path.replace(['{', '}'], ""));
            let request = http.request(method.to_uppercase().parse().unwrap(), address);
            let reply = request.bearer_auth(&device).json(&json!({})).send().await.unwrap();
            let (status, what) = (reply.status(), format!("{method} {path}"));
            match status {
                StatusCode::ACCEPTED => {
                    let draft = reply.json::<Value>().await.unwrap()["draft"].clone();
                    assert_eq!(console.post(&format!("/drafts/{draft}/drop"), json!({})).await.0, StatusCode::OK);
                    drafted.insert(what);
                }
                StatusCode::FORBIDDEN => {
                    refused.insert(what);
                }
                // What only looks is let through, and has nothing here to look at.
                other => assert!(path.ends_with("/preview"), "{what}: {other}"),
            }
        }
    }
    let own = ["proof", "passkeys", "sign-ins", "devices", "drafts", "enrolment"];
    assert!(refused.iter().all(|what| own.iter().any(|own| what.contains(own))), "{refused:?}");
    assert!(drafted.len() > 45 && drafted.iter().any(|what| what.ends_with("/login")), "{drafted:?}");
    // Asking for the head of a page is reading it (RFC 9110, 9.3.2).
    let head = http.head(format!("{}/api/v1/people", house.service.address)).bearer_auth(&device).send().await.unwrap();
    assert_eq!(head.status(), StatusCode::OK);
    // Nothing came of it but that previews of nothing were refused.
    let entries = house.client(MARA).ledger(&Default::default()).await.unwrap().entries;
    let since: Vec<String> =
        entries.iter().take_while(|one| one.n > before).map(|one| one.what.kind().to_owned()).collect();
    assert!(since.iter().all(|kind| kind == "refused"), "{since:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_draft_changes_in_place_only_what_its_program_looked_at_and_keeps_no_secret() {
    let house = House::new(Plan::whole()).await;
    let program = house.client("nobody").with_token(house.let_in(MARA).await);
    let console = house.console(MARA).await;
    let rule: tempestas_api::NewTerms =
        toml::from_str("scope = \"/analytics/brightwater\"\n[settings]\nlongest = 7200\n").unwrap();
    let set = house.client(MARA).add_terms(&rule).await.unwrap();
    let confirm = async |id: i64| {
        let (_, draft) = console.get(&format!("/drafts/{id}")).await;
        console.post(&format!("/drafts/{id}/confirm"), json!({ "shown": draft["digest"] })).await
    };
    let drafted = |tried: Result<(), ClientError>| match tried {
        Err(ClientError::Drafted(drafted)) => drafted.draft,
        other => panic!("{other:?}"),
    };
    let change = async |longest: u32| {
        let mut rule = rule.clone();
        rule.settings.longest = Some(tempestas_core::Seconds(longest));
        let seen = tempestas_core::LookedAt::This(set.digest);
        drafted(program.change_terms(&set.id, seen, &rule).await.map(drop))
    };
    let (first, second) = (change(3600).await, change(1800).await);
    assert_eq!(confirm(first).await.0, StatusCode::OK);
    let (status, said) = confirm(second).await;
    assert_eq!(status, StatusCode::PRECONDITION_FAILED, "the first came between: {said}");

    let secret = json!({ "target": "/analytics/brightwater", "secret": "not-for-a-draft" });
    let refused = program.send::<_, ()>(Method::PATCH, &["targets", "settings"], None, Some(&secret)).await;
    assert!(refused.unwrap_err().to_string().contains("a draft keeps no secret"));

    // `reach`: the password is for whoever confirms, and is nowhere else.
    let right = on_berths("harbour_operator");
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    house.live(&asked.id).await;
    let toms = house.client("nobody").with_token(house.let_in(TOMAS).await);
    let login = drafted(toms.login(&asked.id, &LoginAsk::default()).await.map(drop));
    let console = house.console(TOMAS).await;
    let (_, draft) = console.get(&format!("/drafts/{login}")).await;
    let (status, reply) = console.post(&format!("/drafts/{login}/confirm"), json!({ "shown": draft["digest"] })).await;
    let password = reply["password"].as_str().expect("the console is told").to_owned();
    assert!(status == StatusCode::OK && password.len() > 12);
    let seen = toms.draft(&login.to_string()).await.unwrap();
    let told = seen.reply.unwrap();
    assert_eq!((told["password"].clone(), told["user"].clone()), (Value::Null, reply["user"].clone()));
    for file in
        ["tempestas.sqlite", "passing.sqlite"].iter().flat_map(|name| [(*name).to_owned(), format!("{name}-wal")])
    {
        let kept = std::fs::read(house.setup.state().join(&file)).unwrap();
        assert!(
            !kept.windows(password.len()).any(|part| part == password.as_bytes()),
            "the password is kept in {file}"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_code_that_ran_out_lets_nobody_in_whoever_typed_it_before() {
    let mut house = House::new(Plan::cloud_only()).await;
    let console = house.console(TOMAS).await;
    let request = DeviceRequest { client_id: "tempestas".to_owned(), host: Some("pier-7".to_owned()) };
    let (typed, untyped) = (
        house.client("nobody").ask_device(&request).await.unwrap(),
        house.client("nobody").ask_device(&request).await.unwrap(),
    );
    let let_in = console.post("/devices/answer", json!({ "code": typed.user_code, "let_in": true })).await;
    assert_eq!(let_in.0, StatusCode::OK, "{}", let_in.1);
    // Ten minutes later.
    house.service.stop().unwrap();
    let database = house.setup.state().join("passing.sqlite");
    let mut sql = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    let aged = sqlx::query("UPDATE device_asks SET asked_at = asked_at - 600000001, expires = expires - 600000001");
    assert_eq!(aged.execute(&mut sql).await.unwrap().rows_affected(), 2);
    drop(sql);
    house.start_again(&[]);
    for asked in [&typed, &untyped] {
        assert_eq!(house.device_token("tempestas", &asked.device_code).await.1["error"], "expired_token");
    }
    let console = house.console(ODA).await;
    for (path, body) in [
        ("/devices/look", json!({ "code": untyped.user_code })),
        ("/devices/answer", json!({ "code": untyped.user_code, "let_in": true })),
    ] {
        let (status, said) = console.post(path, body).await;
        assert_eq!(status, StatusCode::NOT_FOUND, "{path}: {said}");
    }
    assert_eq!(house.device_token("tempestas", &untyped.device_code).await.1["error"], "expired_token");
}

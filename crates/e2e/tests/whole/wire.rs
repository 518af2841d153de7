//! What clients that nobody here wrote meet: libraries of others, raw sockets, compressed streams, callers who hang up.

use std::io::Read as _;

use oauth2::{ClientId, DeviceAuthorizationUrl, StandardDeviceAuthorizationResponse, TokenResponse as _, TokenUrl};
use reqwest::StatusCode;
use serde_json::{Value, json};
use tempestas_api::EnrolRequest;
use tokio::{
    io::{AsyncReadExt as _, AsyncWriteExt as _},
    net::TcpStream,
};

use crate::house::{House, MARA, Plan, TOMAS, eventually};

impl House {
    fn host(&self) -> String {
        self.service.address.trim_start_matches("http://").to_owned()
    }

    /// Sends bytes as they are, and reads the whole answer.
    async fn raw(&self, request: &str) -> String {
        let mut socket = TcpStream::connect(self.host()).await.unwrap();
        socket.write_all(request.as_bytes()).await.unwrap();
        let mut answer = String::new();
        socket.read_to_string(&mut answer).await.unwrap();
        answer
    }

    async fn downloaded(&self, token: &str, path: &str, gzip: bool) -> String {
        let mut request = reqwest::Client::new().get(format!("{}/api/v1{path}", self.service.address));
        if gzip {
            request = request.header("accept-encoding", "gzip");
        }
        let reply = request.bearer_auth(token).send().await.unwrap();
        let encoding = reply.headers().get("content-encoding").map(|value| value.to_str().unwrap().to_owned());
        assert_eq!(encoding.as_deref(), gzip.then_some("gzip"), "{path}");
        let bytes = reply.bytes().await.unwrap();
        let mut text = String::new();
        match gzip {
            true => flate2::read::GzDecoder::new(&bytes[..]).read_to_string(&mut text).unwrap(),
            false => std::io::Read::read_to_string(&mut &bytes[..], &mut text).unwrap(),
        };
        text
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_streamed_comes_whole_through_gzip() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(MARA).await;
    // Enough for several pages of the record.
    for n in 0..40 {
        let about = format!("Somebody {n} of the night shift");
        let new = json!({ "kind": "person", "name": format!("night.{n}"), "about": about });
        house.client(MARA).send::<_, ()>(reqwest::Method::POST, &["people"], None, Some(&new)).await.unwrap();
    }
    for path in ["/ledger/export", "/ledger/csv"] {
        let (packed, plain) = (house.downloaded(&token, path, true).await, house.downloaded(&token, path, false).await);
        let is_leaves = |line: &&str| line.starts_with("{\"leaves_from\"");
        if path.ends_with("export") {
            assert!(packed.lines().last().as_ref().is_some_and(is_leaves), "the end is there");
        }
        let told = |text: &str| text.lines().filter(|line| !is_leaves(line)).map(str::to_owned).collect::<Vec<_>>();
        let (packed, plain) = (told(&packed), told(&plain));
        // The second says in one line more that the first was taken away.
        assert_eq!(packed.len() + 1, plain.len(), "{path}");
        assert!(packed[1..] == plain[1..packed.len()], "{path}: they differ");
    }
    let url = format!("{}/api/v1/events", house.service.address);
    let request = reqwest::Client::new().get(url).header("accept-encoding", "gzip").bearer_auth(&token);
    let mut events = request.send().await.unwrap();
    assert!(events.chunk().await.unwrap().is_some(), "it begins at once");
    house.client(MARA).sign_out().await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_begun_under_a_key_is_finished_though_its_caller_hangs_up() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(MARA).await;
    let body = |n: usize| format!(r#"{{"parent":"/","name":"pier-{n}"}}"#);
    let request = |n: usize| {
        let (host, body) = (house.host(), body(n));
        format!(
            "POST /api/v1/folders HTTP/1.1\r\nHost: {host}\r\nAuthorization: Bearer {token}\r\nContent-Type: application/json\r\nIdempotency-Key: k{n}\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{body}",
            body.len()
        )
    };
    for n in 0..20 {
        let mut socket = TcpStream::connect(house.host()).await.unwrap();
        socket.write_all(request(n).as_bytes()).await.unwrap();
        // Gone without waiting for a word, as when a train goes into a tunnel.
        drop(socket);
    }
    for n in 0..20 {
        // Until the first is finished the second is told to wait; it never has to wait for good.
        eventually("it is answered", async || house.raw(&request(n)).await.starts_with("HTTP/1.1 200")).await;
    }
    let estate = house.client(MARA).estate().await.unwrap();
    assert_eq!(estate.iter().filter(|scope| scope.path.starts_with("/pier-")).count(), 20);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_key_that_is_none_is_refused_and_never_passed_over() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(MARA).await;
    let send = async |path: &str, keys: &[&[u8]]| {
        let mut request = reqwest::Client::new().post(format!("{}/api/v1{path}", house.service.address));
        for key in keys {
            request = request.header("idempotency-key", reqwest::header::HeaderValue::from_bytes(key).unwrap());
        }
        let body = json!({ "parent": "/", "name": "quay" });
        let reply = request.bearer_auth(&token).json(&body).send().await.unwrap();
        (reply.status(), reply.text().await.unwrap())
    };
    for keys in [&["schl\u{fc}ssel".as_bytes()][..], &[b"a", b"b"], &[b""], &[&[b'k'; 129]]] {
        let (status, says) = send("/folders", keys).await;
        assert_eq!(status, StatusCode::BAD_REQUEST, "{keys:?}: {says}");
        assert!(says.contains("Idempotency-Key"), "{says}");
    }
    assert_eq!(send("/conversions/preview", &[b"a"]).await.0, StatusCode::BAD_REQUEST, "it changes nothing");
    assert!(!house.client(MARA).estate().await.unwrap().iter().any(|scope| scope.path == "/quay"));
    let document = house.document().await;
    for (path, methods) in document["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            let none = Vec::new();
            let said = operation["parameters"].as_array().unwrap_or(&none);
            let takes = said.iter().any(|one| one["name"] == "Idempotency-Key");
            let should = operation["x-caller"] != "anyone" && tempestas_api::takes_key(&method.to_uppercase(), path);
            assert_eq!(takes, should, "{method} {path}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_oauth_library_of_others_lets_a_program_in() {
    let house = House::new(Plan::cloud_only()).await;
    let origin = &house.service.address;
    let metadata: Value =
        reqwest::get(format!("{origin}/.well-known/oauth-authorization-server")).await.unwrap().json().await.unwrap();
    // By the name that people type, which is not the number that the test reaches it by.
    let at = |name: &str| {
        let url = url::Url::parse(metadata[name].as_str().unwrap()).unwrap();
        format!("{origin}{}", url.path())
    };
    assert_eq!(metadata["issuer"], metadata["token_endpoint"].as_str().unwrap().replace("/api/v1/devices/token", ""));
    let client = oauth2::basic::BasicClient::new(ClientId::new("tide tables".to_owned()))
        .set_device_authorization_url(DeviceAuthorizationUrl::new(at("device_authorization_endpoint")).unwrap())
        .set_token_uri(TokenUrl::new(at("token_endpoint")).unwrap())
        .set_auth_type(oauth2::AuthType::RequestBody);
    let http = |request: oauth2::HttpRequest| async {
        let request = reqwest::Request::try_from(request.map(reqwest::Body::from)).unwrap();
        let reply = reqwest::Client::new().execute(request).await?;
        let mut answer = oauth2::http::Response::builder().status(reply.status());
        answer.headers_mut().unwrap().extend(reply.headers().clone());
        Ok::<_, reqwest::Error>(answer.body(reply.bytes().await?.to_vec()).unwrap())
    };
    let details: StandardDeviceAuthorizationResponse =
        client.exchange_device_code().request_async(&http).await.unwrap();
    let console = house.console(TOMAS).await;
    let code = details.user_code().secret().clone();
    let (_, seen) = console.post("/devices/look", json!({ "code": code })).await;
    assert_eq!(seen["program"], "tide tables");
    let (status, said) = console.post("/devices/answer", json!({ "code": code, "let_in": true })).await;
    assert_eq!(status, StatusCode::OK, "{said}");
    let token = client
        .exchange_device_access_token(&details)
        .request_async(&http, tokio::time::sleep, Some(std::time::Duration::from_secs(20)))
        .await
        .unwrap();
    assert!(token.expires_in().unwrap().as_secs() > 60);
    let me = house.client("nobody").with_token(token.access_token().secret()).me().await.unwrap();
    assert_eq!(me.name, TOMAS);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wrong_word_to_the_device_flow_gets_the_standards_word_back() {
    let house = House::new(Plan::cloud_only()).await;
    let (status, asked) = house.form("/devices", &[("client_id", "tide tables"), ("scope", "all")]).await;
    assert_eq!(status, StatusCode::OK, "what isn't known is ignored: {asked}");
    let code = asked["device_code"].as_str().unwrap();
    let grant = ("grant_type", tempestas_api::DEVICE_GRANT);
    let program = ("client_id", "tide tables");
    for (pairs, word) in [
        (vec![grant, program, ("device_code", code)], "authorization_pending"),
        (vec![grant, ("client_id", "another"), ("device_code", code)], "invalid_grant"),
        (vec![("grant_type", "password"), program, ("device_code", code)], "unsupported_grant_type"),
        (vec![grant, program], "invalid_request"),
        (vec![grant, program, program, ("device_code", code)], "invalid_request"),
        (vec![grant, program, ("device_code", "none-such")], "expired_token"),
    ] {
        let (status, said) = house.form("/devices/token", &pairs).await;
        assert_eq!((status, said["error"].as_str()), (StatusCode::BAD_REQUEST, Some(word)), "{pairs:?}: {said}");
        assert!(said["error_description"].as_str().unwrap().len() > 10, "{said}");
    }
    let json = reqwest::Client::new().post(format!("{}/api/v1/devices", house.service.address));
    let said: Value = json.json(&json!({ "client_id": "x" })).send().await.unwrap().json().await.unwrap();
    assert_eq!(said["error"], "invalid_request");
    // Whoever asks for code after code holds nobody else up, and hears when to stop.
    let mut refused = None;
    for n in 0..80 {
        let (status, said) = house.form("/devices", &[("client_id", "flood")]).await;
        if status != StatusCode::OK {
            refused = Some((n, said));
            break;
        }
    }
    let (asked, said) = refused.expect("there is an end to it");
    assert!(asked >= 50 && said["error"] == "slow_down", "{asked}: {said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_token_is_said_in_any_case_and_a_dead_one_is_called_so() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(TOMAS).await;
    let me = async |authorization: String| {
        let url = format!("{}/api/v1/me", house.service.address);
        let reply = reqwest::Client::new().get(url).header("authorization", authorization).send().await.unwrap();
        let challenge = reply.headers().get("www-authenticate").map(|value| value.to_str().unwrap().to_owned());
        (reply.status(), challenge)
    };
    for scheme in ["Bearer", "bearer", "BEARER"] {
        assert_eq!(me(format!("{scheme} {token}")).await.0, StatusCode::OK, "{scheme}");
    }
    let dead = me(format!("Bearer {}", "A".repeat(43))).await;
    assert_eq!(dead, (StatusCode::UNAUTHORIZED, Some("Bearer error=\"invalid_token\"".to_owned())));
    let other = me(format!("Basic {token}")).await;
    assert_eq!(other, (StatusCode::UNAUTHORIZED, Some("Bearer".to_owned())), "none was given");
}

#[tokio::test(flavor = "multi_thread")]
async fn requests_are_answered_as_http_has_it() {
    let house = House::new(Plan::cloud_only()).await;
    let host = house.host();
    for (head, status) in [
        (format!("GET /api/v1/me HTTP/1.1\r\nHost: {host}\r\n"), "401"),
        ("GET /api/v1/me HTTP/1.1\r\n".to_owned(), "400"),
        (format!("GET /api/v1/me HTTP/1.1\r\nHost: {host}\r\nHost: elsewhere\r\n"), "400"),
        (format!("GET / HTTP/1.1\r\nHost: {host}\r\nHost: {host}\r\n"), "400"),
        (format!("DELETE /api/v1/me HTTP/1.1\r\nHost: {host}\r\n"), "405"),
        (format!("GET /.well-known/security.txt HTTP/1.1\r\nHost: {host}\r\n"), "404"),
        (format!("GET /.well-known/change-password HTTP/1.1\r\nHost: {host}\r\n"), "404"),
        (format!("GET /robots.txt HTTP/1.1\r\nHost: {host}\r\n"), "404"),
        (format!("GET /favicon.ico HTTP/1.1\r\nHost: {host}\r\n"), "404"),
        (format!("GET /standing HTTP/1.1\r\nHost: {host}\r\n"), "200"),
    ] {
        let answer = house.raw(&format!("{head}Connection: close\r\n\r\n")).await;
        let first = answer.lines().next().unwrap();
        assert!(first.starts_with(&format!("HTTP/1.1 {status}")), "{head} → {first}");
        if status == "405" {
            assert!(answer.to_ascii_lowercase().contains("\r\nallow: get, head\r\n"), "{answer}");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_secret_for_codes_is_read_by_an_authenticator_and_by_its_camera() {
    let house = House::new(Plan::cloud_only()).await;
    let issued = house.client(MARA).enrolment("ines.kowal").await.unwrap();
    let request = EnrolRequest { secret: issued.secret, password: "a long enough passphrase".to_owned() };
    let enrolled = house.client("nobody").enrol(&request).await.unwrap();
    // Drawn large, as a screen shows it, and read by a library that finds codes in pictures.
    let (rows, scale) = (&enrolled.totp_qr, 4);
    let side = (rows.len() + 8) * scale;
    let mut picture = rqrr::PreparedImage::prepare_from_greyscale(side, side, |x, y| {
        let square = |at: usize| (at / scale).checked_sub(4);
        let dark = square(x)
            .zip(square(y))
            .is_some_and(|(x, y)| rows.get(y).and_then(|row| row.as_bytes().get(x)) == Some(&b'#'));
        if dark { 0 } else { 255 }
    });
    let found = picture.detect_grids();
    let [code] = &found[..] else { panic!("one code is in the picture, not {}", found.len()) };
    assert_eq!(code.decode().unwrap().1, enrolled.totp_url);
    let url = url::Url::parse(&enrolled.totp_url).unwrap();
    assert_eq!((url.scheme(), url.host_str(), url.path()), ("otpauth", Some("totp"), "/Tempestas:ines.kowal"));
    let said: std::collections::BTreeMap<_, _> = url.query_pairs().into_owned().collect();
    assert_eq!(said["secret"], enrolled.totp_secret);
    assert_eq!(said["issuer"], "Tempestas");
    // RFC 4648 without padding: what authenticators take when it is typed.
    assert!(enrolled.totp_secret.bytes().all(|byte| byte.is_ascii_uppercase() || (b'2'..=b'7').contains(&byte)));
}

//! Bad input gets a sentence that helps, from service and client, and nothing is lost.

use serde_json::{Value, json};
use tempestas_core::StartChoice;

use crate::house::{House, MARA, ODA, Plan, TOMAS, ask, on_cloud};

/// A raw call as somebody: status, code, sentence.
async fn raw(house: &House, token: &str, method: &str, path: &str, body: String) -> (u16, String, String) {
    let url = format!("{}/api/v1{path}", house.service.address);
    let request = reqwest::Client::new().request(method.parse().unwrap(), url).bearer_auth(token).body(body);
    let response = request.header("content-type", "application/json").send().await.unwrap();
    let status = response.status().as_u16();
    assert_eq!(response.headers()["content-type"], "application/problem+json");
    let problem: Value = response.json().await.unwrap();
    let text = |name: &str| problem[name].as_str().unwrap().to_owned();
    (status, text("code"), text("detail"))
}

#[tokio::test(flavor = "multi_thread")]
async fn bad_input_gets_a_sentence_that_says_what_to_do() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let (tomas, right) = (house.client(TOMAS), on_cloud("tide-writer", "/lake"));
    let said = async |right: &str, seconds: Option<u32>, start: StartChoice| {
        let refused = ask(tomas, right, seconds, start, None).await.unwrap_err();
        (refused.to_string(), refused.cause().map(str::to_owned))
    };
    let past = StartChoice::At { time: "2020-01-01T00:00:00Z".parse().unwrap() };
    let far = StartChoice::At { time: jiff::Timestamp::now() + jiff::SignedDuration::from_hours(24 * 30) };
    let now = StartChoice::AtYes;
    for ((seen, told), cause, expected) in [
        (
            said(&on_cloud("tide-king", "/lake"), None, now).await,
            None,
            "there is no role `tide-king@/analytics/brightwater/lake`",
        ),
        (
            said(&on_cloud("tide-writer", "/pond"), None, now).await,
            None,
            "there is no scope `/analytics/brightwater/pond`",
        ),
        (said("tide-writer", None, now).await, Some("no-right"), "write it as ROLE@/PATH"),
        (
            said(&on_cloud("tide-writer", "/reports"), None, now).await,
            Some("outside"),
            "lies outside what you may ask for",
        ),
        (
            said(&on_cloud("everything", ""), None, now).await,
            Some("not-eligible"),
            "you may not ask for everything@/analytics/brightwater",
        ),
        (said(&right, Some(999_999), now).await, Some("too-long"), "is too long: the terms allow 4 h at most"),
        (said(&right, Some(0), now).await, Some("no-duration"), "a duration of nothing"),
        (said(&right, None, past).await, Some("start-past"), "the start 2020-01-01T00:00:00Z is past"),
        (said(&right, None, far).await, Some("start-too-far"), "ahead, which is as far as the terms allow"),
    ] {
        assert!(seen.contains(expected), "{seen:?} does not say {expected:?}");
        assert_eq!(told.as_deref(), cause, "{seen}");
    }
    let wrong = tomas.give_back("E77").await.unwrap_err();
    assert!(wrong.to_string().contains("there is no elevation `E77` that you can see"), "{wrong}");
    let wrong = tomas.give_back("E one").await.unwrap_err();
    assert!(wrong.to_string().contains("is not a reference; it reads like `E1042`"), "{wrong}");

    let token = house.token(TOMAS).await;
    let (status, code, detail) = raw(&house, &token, "POST", "/asks", "{\"right\": ".to_owned()).await;
    assert_eq!((status, code.as_str()), (400, "malformed"));
    assert!(detail.starts_with("the body is not JSON"), "{detail}");
    let (status, _, detail) = raw(&house, &token, "POST", "/asks", json!({ "rihgt": "x" }).to_string()).await;
    assert!(status == 400 && detail.contains("`rihgt` is not known here"), "{detail}");
    let huge = json!({ "reason": "x".repeat(10 * 1024 * 1024) }).to_string();
    let (status, code, detail) = raw(&house, &token, "POST", "/asks", huge).await;
    assert_eq!((status, code.as_str()), (413, "too-large"), "{detail}");
    let (status, code, _) = raw(&house, &token, "GET", "/nothing-here", String::new()).await;
    assert_eq!((status, code.as_str()), (404, "unknown"));
    let (status, code, _) = raw(&house, &token, "DELETE", "/asks", String::new()).await;
    assert_eq!((status, code.as_str()), (405, "malformed"));

    let home = house.path().join("bad");
    let (exit, text) = house.tempestas(&home, &["me"], "");
    assert!(exit == 4 && text.contains("run `tempestas sign-in`"), "{exit}: {text}");
    let (exit, text) = house.tempestas(&home, &["ask", &right, "--for", "soon"], "");
    assert!(exit == 2 && text.contains("write it like 45s, 30m, 2h or 30d"), "{exit}: {text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_person_has_only_so_many_asks_waiting_and_lists_show_only_ones_own() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let right = on_cloud("tide-writer", "/lake");
    let mut asked = Vec::new();
    for _ in 0..10 {
        asked.push(ask(house.client(TOMAS), &right, None, StartChoice::OnBegin, None).await.unwrap());
    }
    let refused = ask(house.client(TOMAS), &right, None, StartChoice::OnBegin, None).await.unwrap_err();
    assert_eq!(refused.code(), Some("limit"));
    house.client(TOMAS).withdraw(&asked[0].id).await.unwrap();
    ask(house.client(TOMAS), &right, None, StartChoice::OnBegin, None).await.unwrap();
    let all = tempestas_api::ElevationFilter { all: true, ended: true, ..Default::default() };
    assert_eq!(house.client(TOMAS).elevations(&all).await.unwrap().len(), 11);
    assert_eq!(house.client(ODA).elevations(&all).await.unwrap().len(), 0, "Oda was not asked");
    let refused = house.client(ODA).withdraw(&asked[1].id).await.unwrap_err();
    assert_eq!(refused.code(), Some("unknown"), "what is not in sight is not there");
    let mine = house.client(ODA).ledger(&tempestas_api::LedgerFilter::default()).await.unwrap();
    assert!(mine.entries.iter().all(|entry| entry.who == ODA), "Oda sees only what she did");
    let whole = house.client(MARA).ledger(&tempestas_api::LedgerFilter::default()).await.unwrap();
    assert!(whole.entries.iter().any(|entry| entry.who == TOMAS));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_request_repeated_with_its_key_is_carried_out_once() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(MARA).await;
    let send = async |key: &str, name: &str| {
        let url = format!("{}/api/v1/folders", house.service.address);
        let body = json!({ "parent": "/", "name": name });
        let request = reqwest::Client::new().post(url).bearer_auth(&token).header("idempotency-key", key).json(&body);
        request.send().await.unwrap().status().as_u16()
    };
    assert_eq!([send("one", "piers").await, send("one", "piers").await], [200, 200]);
    assert_eq!(send("two", "piers").await, 409, "without the key it is there already");
    assert_eq!(send("one", "quays").await, 400, "a key stands for one request");
}

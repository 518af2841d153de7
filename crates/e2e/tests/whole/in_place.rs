//! What is changed in place: only as somebody looked at it, and only by naming all that is to stand there.

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use tempestas_api::{
    AssuranceBody, CircumstanceBody, KeepsBody, PromiseBody, PromisedBody, SeparationBody, TermsFiles,
};
use tempestas_core::{Counts, LookedAt, ProofMethod, Seconds};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::{
    calendars::freeze,
    house::{House, MARA, ODA, Plan, TOMAS, on_cloud},
};

/// A file of terms.
const LAKE: &str = "[rule.lake]\nscope = \"/analytics/brightwater/lake\"\nsettings = { longest = 1200, usual = 600 }\n";

/// A route that changes something in place: its template in the document, as it is called here, and what it is sent.
struct Change {
    route: &'static str,
    at: String,
    method: Method,
    body: Value,
}

impl House {
    async fn found(&self, path: &str, fits: impl Fn(&Value) -> bool) -> Value {
        let segments: Vec<&str> = path.split('/').collect();
        let reply = self.client(MARA).send::<(), ()>(Method::GET, &segments, None, None).await.unwrap();
        let all: Value = reply.json().await.unwrap();
        let list = all.as_array().or_else(|| all["terms"].as_array()).unwrap();
        list.iter().find(|one| fits(one)).unwrap().clone()
    }

    async fn changes(&self) -> Vec<Change> {
        let hardware = AssuranceBody {
            accepts: BTreeSet::from([ProofMethod::Passkey]),
            within: Seconds::minutes(5),
            networks: BTreeSet::new(),
            bypass: None,
            pilot: None,
            watch_only: true,
        };
        self.client(MARA).set_assurance("hardware-key", LookedAt::Nothing, &hardware).await.unwrap();
        self.freeze("quay-freeze", Timestamp::now() + SignedDuration::from_hours(24)).await;
        let incident = |is: &str| CircumstanceBody {
            address: "http://127.0.0.1:9/incidents/open".to_owned(),
            pointer: "/state".to_owned(),
            is: is.to_owned(),
            secret: None,
        };
        self.client(MARA).set_circumstance("incident-open", LookedAt::Nothing, &incident("open")).await.unwrap();
        let few = |most| SeparationBody {
            keeps: KeepsBody::Few { of: BRIGHTWATER.to_owned(), most },
            counts: Counts::Eligible,
        };
        self.client(MARA).set_separation("few-of-the-cloud", LookedAt::Nothing, &few(4)).await.unwrap();
        let brief = |hours| PromiseBody {
            of: BRIGHTWATER.to_owned(),
            by: None,
            promised: PromisedBody::Brief { longest: Seconds::hours(hours) },
        };
        self.client(MARA).set_promise("brief-in-the-cloud", LookedAt::Nothing, &brief(8)).await.unwrap();
        let rule = self.found("terms", |_| true).await;
        let held = self.found("eligibilities", |one| one["who"] == TOMAS).await;
        let mut body = rule.clone();
        for beside in ["id", "digest", "says", "set_by", "suspended"] {
            body.as_object_mut().unwrap().remove(beside);
        }
        let change = |route, at, method, body| Change { route, at, method, body };
        let id = |one: &Value| one["id"].as_str().unwrap().to_owned();
        let until = Timestamp::now() + SignedDuration::from_hours(48);
        vec![
            change("/terms/{id}", format!("terms/{}", id(&rule)), Method::PUT, body),
            change(
                "/people/{who}/account",
                format!("people/{TOMAS}/account"),
                Method::PUT,
                json!({ "target": BRIGHTWATER, "account": "t.reyes-ops" }),
            ),
            change(
                "/assurances/{name}",
                "assurances/hardware-key".to_owned(),
                Method::PUT,
                json!({
                    "accepts": ["passkey"], "within": 240, "networks": [], "bypass": null, "pilot": null, "watch_only": true,
                }),
            ),
            change(
                "/calendars/{name}",
                "calendars/quay-freeze".to_owned(),
                Method::PUT,
                json!({ "zone": "UTC", "file": freeze(Timestamp::now() + SignedDuration::from_hours(48)) }),
            ),
            change(
                "/circumstances/{name}",
                "circumstances/incident-open".to_owned(),
                Method::PUT,
                serde_json::to_value(incident("under way")).unwrap(),
            ),
            change(
                "/separations/{name}",
                "separations/few-of-the-cloud".to_owned(),
                Method::PUT,
                serde_json::to_value(few(3)).unwrap(),
            ),
            change(
                "/promises/{name}",
                "promises/brief-in-the-cloud".to_owned(),
                Method::PUT,
                serde_json::to_value(brief(9)).unwrap(),
            ),
            change(
                "/terms/files",
                "terms/files".to_owned(),
                Method::PUT,
                json!({ "within": BRIGHTWATER, "files": { "lake.toml": LAKE } }),
            ),
            change("/people/{who}/manager", format!("people/{TOMAS}/manager"), Method::PUT, json!({ "manager": ODA })),
            change(
                "/targets/settings",
                "targets/settings".to_owned(),
                Method::PATCH,
                json!({ "target": BRIGHTWATER, "labels": { "stage": "trial" } }),
            ),
            change(
                "/eligibilities/{id}",
                format!("eligibilities/{}", id(&held)),
                Method::PATCH,
                json!({ "until": until }),
            ),
        ]
    }

    /// The digest that the caller is shown with what a route changes.
    async fn digest(&self, change: &Change) -> String {
        let id = change.at.split('/').nth(1).unwrap();
        let shown = match change.route {
            "/terms/files" => {
                let files: TermsFiles = serde_json::from_value(change.body.clone()).unwrap();
                let compared = self.client(MARA).compare_files(&files).await.unwrap();
                serde_json::to_value(compared.plan.unwrap()).unwrap()
            }
            "/terms/{id}" => self.found("terms", |one| one["id"] == id).await,
            "/eligibilities/{id}" => self.found("eligibilities", |one| one["id"] == id).await,
            "/assurances/{name}" => self.found("assurances", |one| one["name"] == id).await,
            "/circumstances/{name}" => self.found("circumstances", |one| one["name"] == id).await,
            "/promises/{name}" => self.found("promises", |one| one["name"] == id).await,
            "/separations/{name}" => self.found("separations", |one| one["name"] == id).await,
            "/calendars/{name}" => self.found("calendars", |one| one["name"] == id).await,
            "/people/{who}/manager" => serde_json::to_value(self.client(MARA).manager(TOMAS).await.unwrap()).unwrap(),
            "/targets/settings" => self.found("targets", |one| one["path"] == BRIGHTWATER).await,
            _ => {
                let person = self.found("people", |one| one["name"] == TOMAS).await;
                let accounts = person["accounts"].as_array().unwrap();
                accounts.iter().find(|own| own["target"] == BRIGHTWATER).unwrap().clone()
            }
        };
        shown["digest"].as_str().unwrap().to_owned()
    }

    async fn sent(&self, token: &str, change: &Change, headers: &[(&str, &str)], body: &Value) -> (StatusCode, Value) {
        let url = format!("{}/api/v1/{}", self.service.address, change.at);
        let mut request = reqwest::Client::new().request(change.method.clone(), url).bearer_auth(token);
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        let reply = request.json(body).send().await.unwrap();
        (reply.status(), reply.json().await.unwrap())
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_is_changed_in_place_but_as_it_was_looked_at() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let changes = house.changes().await;
    let document = house.document().await;
    let token = house.token(MARA).await;
    let in_place = document["paths"].as_object().unwrap().iter().flat_map(|(path, methods)| {
        ["put", "patch"].into_iter().filter_map(move |method| Some((path, method, methods.get(method)?)))
    });
    let mut described: Vec<String> = Vec::new();
    for (path, method, operation) in in_place {
        let takes = |name: &str| operation["parameters"].as_array().unwrap().iter().any(|one| one["name"] == name);
        assert!(takes("If-Match"), "{method} {path} takes no digest");
        described.push(format!("{} {}", method.to_uppercase(), path.trim_start_matches("/api/v1")));
    }
    let mut tried: Vec<String> = changes.iter().map(|one| format!("{} {}", one.method, one.route)).collect();
    described.sort();
    tried.sort();
    assert_eq!(described, tried, "a route that changes something in place is tried here");

    for change in &changes {
        let shown = house.digest(change).await;
        let as_shown = format!("\"{shown}\"");
        let other = format!("\"{}\"", tempestas_core::Digest::of(&[b"something else"]));
        let refused = async |headers: &[(&str, &str)], status, code: &str| {
            let (got, said) = house.sent(&token, change, headers, &change.body).await;
            assert_eq!((got, said["code"].as_str()), (status, Some(code)), "{} with {headers:?}: {said}", change.route);
            assert_eq!(house.digest(change).await, shown, "{} changed nothing", change.route);
        };
        refused(&[], StatusCode::PRECONDITION_REQUIRED, "unseen").await;
        refused(&[("if-match", "*")], StatusCode::BAD_REQUEST, "malformed").await;
        refused(&[("if-match", &shown)], StatusCode::BAD_REQUEST, "malformed").await;
        refused(&[("if-match", &as_shown), ("if-match", &other)], StatusCode::BAD_REQUEST, "malformed").await;
        refused(&[("if-match", &other)], StatusCode::PRECONDITION_FAILED, "stale").await;
        let (status, said) = house.sent(&token, change, &[("if-match", &as_shown)], &change.body).await;
        assert_eq!(status, StatusCode::OK, "{}: {said}", change.route);
        let (status, said) = house.sent(&token, change, &[("if-match", &as_shown)], &change.body).await;
        assert_eq!(status, StatusCode::PRECONDITION_FAILED, "{} a second time: {said}", change.route);
        assert!(said["detail"].as_str().unwrap().contains("was changed since you looked at it"), "{said}");
    }
    // An account that nobody named yet is looked at too: whoever thinks so when there is one is told.
    let account = changes.iter().find(|one| one.route == "/people/{who}/account").unwrap();
    let (status, said) = house.sent(&token, account, &[("if-none-match", "*")], &account.body).await;
    assert_eq!(status, StatusCode::PRECONDITION_FAILED, "{said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_takes_the_place_of_a_rule_names_everything_that_may_stand_there() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let token = house.token(MARA).await;
    for change in house.changes().await.iter().filter(|change| change.method == Method::PUT) {
        let shown = format!("\"{}\"", house.digest(change).await);
        let mut places = vec![String::new()];
        places.extend(change.body.get("settings").map(|_| "/settings".to_owned()));
        for place in places {
            for key in change.body.pointer(&place).unwrap().as_object().unwrap().keys() {
                let mut partial = change.body.clone();
                partial.pointer_mut(&place).unwrap().as_object_mut().unwrap().remove(key);
                let (status, said) = house.sent(&token, change, &[("if-match", &shown)], &partial).await;
                assert_eq!(status, StatusCode::BAD_REQUEST, "{} without {place}/{key}: {said}", change.route);
                assert!(said["detail"].as_str().unwrap().contains(&format!("{key}` is missing")), "{said}");
            }
        }
        assert_eq!(format!("\"{}\"", house.digest(change).await), shown, "{} changed nothing", change.route);
        let (status, said) = house.sent(&token, change, &[("if-match", &shown)], &change.body).await;
        assert_eq!(status, StatusCode::OK, "whole: {said}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn of_two_who_change_the_same_rule_at_once_one_is_told() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    let rule = mara.terms().await.unwrap().terms.remove(0);
    let was = LookedAt::This(rule.digest);
    let change = |longest| {
        let mut new = rule.rule.clone();
        new.settings.longest = Some(tempestas_core::Seconds::minutes(longest));
        let (mara, id) = (mara.clone(), rule.id.clone());
        async move { mara.change_terms(&id, was, &new).await }
    };
    let (one, other) = tokio::join!(change(90), change(100));
    let refused = [one.as_ref().err(), other.as_ref().err()].into_iter().flatten().collect::<Vec<_>>();
    let [refused] = refused[..] else { panic!("one of both stands: {one:?}, {other:?}") };
    assert!(refused.to_string().contains("was changed since you looked at it"), "{refused}");
}

//! Clouds over HTTP: what is asked of them, and what is made of answers that are partial, late, broken, endless or false.

#![expect(clippy::unwrap_used, reason = "a test says what it expects")]

#[allow(dead_code, reason = "not every suite looks at all of it")]
#[path = "../../client/tests/client/service.rs"]
mod service;

use jiff::Timestamp;
use serde_json::{Value, json};
use service::{Answer, Asked, Service, well};
use tempestas_core::{Connector, ScopeId, Weight};
use tempestas_targets::{GrantCall, Place, ReadBack, StandingCall, Target, TargetError};

const NOW: &str = "2026-07-01T12:00:00Z";

/// A cloud that answers as a test says.
struct Cloud(Service);

impl Cloud {
    async fn new(says: impl Fn(&Asked, usize) -> Answer + Send + Sync + 'static) -> Self {
        let _ = rustls::crypto::ring::default_provider().install_default();
        Self(Service::new(says).await)
    }

    /// A Brightwater with these lists, each whole; everything else is done.
    async fn brightwater(lists: Value) -> Self {
        Self::new(move |asked, _| match asked.at.trim_start_matches('/').split(['?', '/']).next().unwrap() {
            _ if asked.method != "GET" => well(&json!({})),
            "me" => well(&json!({ "name": "tempestas-broker", "time": NOW })),
            name => list(&lists, name, 0),
        })
        .await
    }

    fn lines(&self) -> Vec<String> {
        self.0.asked().iter().map(|one| format!("{} {}", one.method, one.at)).collect()
    }

    fn changes(&self) -> Vec<String> {
        self.lines().into_iter().filter(|line| !line.starts_with("GET")).collect()
    }

    fn target(&self, connector: impl Fn(String) -> Connector) -> Target {
        target(connector(self.0.address.clone()))
    }
}

fn target(connector: Connector) -> Target {
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "quillhaven", programs: &[] };
    Target::with_secret(&place, "a-secret-key".to_owned().into()).unwrap().unwrap()
}

/// A list by name, which says that it has so many more than it has.
fn list(lists: &Value, name: &str, more: usize) -> Answer {
    let items = lists.get(name).cloned().unwrap_or_else(|| json!([]));
    well(&json!({ "total": items.as_array().unwrap().len() + more, "items": items }))
}

fn brightwater(url: String) -> Connector {
    Connector::Brightwater { url }
}

fn fathom(url: String) -> Connector {
    Connector::Fathom { url }
}

fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}

fn call() -> GrantCall {
    GrantCall {
        grant: 12,
        attempt: 99,
        name: "tpabc".to_owned(),
        role: "tide-writer".to_owned(),
        part: vec!["lake".to_owned()],
        account: Some("t.reyes".to_owned()),
        opened_at: at("2026-07-01T11:00:00Z"),
        until: at("2026-07-01T13:00:00Z"),
    }
}

fn posting(key: &str, but: Value) -> Value {
    let mut posting = json!({
        "key": key, "identity": "t.reyes", "role": "tide-writer", "basin": ["lake"], "since": "2026-07-01T11:30:00Z",
        "ends": "2026-07-01T13:00:00Z", "note": "tempestas/quillhaven/g12", "made_by": "tempestas-broker", "last_used": null,
    });
    posting.as_object_mut().unwrap().extend(but.as_object().unwrap().clone());
    posting
}

#[tokio::test]
async fn what_a_cloud_answers_with_is_told_apart_and_the_key_is_in_none_of_it() {
    for kind in [brightwater, fathom] {
        for (status, body, expected, times) in [
            (429, "", TargetError::Limited, 1),
            (410, "", TargetError::Late, 1),
            (403, "a-secret-key", TargetError::Refused("status 403".to_owned()), 1),
            (503, "", TargetError::Refused("status 503".to_owned()), 3),
            (302, "", TargetError::Refused("status 302".to_owned()), 1),
            (200, "<html>", TargetError::Refused("what it answered can't be read".to_owned()), 1),
            (200, "{\"time\":7}", TargetError::Refused("what it answered can't be read".to_owned()), 1),
        ] {
            let cloud =
                Cloud::new(move |_, _| Answer::text(status, body).with("location", "http://127.0.0.1:9/elsewhere"))
                    .await;
            let error = cloud.target(kind).clock().await.unwrap_err();
            assert_eq!(error, expected, "{status} {body}");
            assert!(!format!("{error} {error:?}").contains("a-secret-key"));
            let asked = cloud.0.asked();
            assert_eq!(asked.len(), times, "{status}: tried otherwise often");
            assert!(asked.iter().all(|one| one.header("authorization") == Some("Bearer a-secret-key")));
        }
    }
}

#[tokio::test]
async fn a_cloud_that_is_not_there_or_does_not_end_is_given_up() {
    let closed = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}", closed.local_addr().unwrap());
    drop(closed);
    let cloud = Cloud::new(|_, _| Answer::text(200, &"x".repeat(17 * 1024 * 1024))).await;
    let unreachable = TargetError::Unreachable("no connection".to_owned());
    assert_eq!(target(brightwater(url)).clock().await.unwrap_err(), unreachable);
    let endless = TargetError::Refused("its reply has no end".to_owned());
    assert_eq!(cloud.target(brightwater).clock().await.unwrap_err(), endless);
}

#[tokio::test]
async fn where_the_cloud_itself_fails_the_same_is_done_again() {
    let cloud = Cloud::new(move |_, n| match n {
        0 | 1 => Answer::text(500, ""),
        _ => well(&json!({ "name": "b", "time": NOW })),
    })
    .await;
    assert_eq!(cloud.target(brightwater).clock().await.unwrap(), at(NOW));
    assert_eq!(cloud.lines().len(), 3);
}

#[tokio::test]
async fn a_survey_says_itself_where_it_is_not_whole_and_counts_nothing_of_ours() {
    let lists = json!({
        "basins": [{ "path": [] }, { "path": ["lake"] }],
        "roles": [
            { "name": "tide-reader", "says": "reads", "permissions": ["read levels", "list gates"] },
            { "name": "tide-writer", "says": "writes", "permissions": ["read levels", "write levels"] },
            { "name": "harbourmaster", "says": "rules", "permissions": ["do everything"] },
        ],
        "identities": [{ "name": "t.reyes", "last_seen": null }],
        "postings": [
            posting("ours", json!({})),
            posting("theirs", json!({ "note": "by hand", "ends": null })),
            posting("other-house", json!({ "note": "tempestas/elsewhere/g12", "ends": null })),
            posting("over", json!({ "note": "by hand", "ends": "2026-07-01T11:59:59Z" })),
        ],
    });
    let found = Cloud::brightwater(lists.clone()).await.target(brightwater).survey().await.unwrap();
    assert!(found.complete && found.clock == at(NOW));
    let rights: Vec<&str> = found.rights.iter().filter_map(|one| one.handle.as_deref()).collect();
    assert_eq!(rights, ["theirs", "other-house"]);
    let marked: Vec<(u64, &str)> = found.marked.iter().map(|one| (one.grant, one.name.as_str())).collect();
    assert_eq!(marked, [(12, "ours")]);
    let weights: Vec<Weight> = found.roles.iter().map(|role| role.weight).collect();
    assert_eq!(weights, [Weight::Ordinary, Weight::Privileged, Weight::Critical]);
    assert!(found.roles[2].lapse.holder_can_undo && !found.roles[1].lapse.holder_can_undo);

    for short in ["basins", "roles", "identities", "postings"] {
        let lists = lists.clone();
        let cloud = Cloud::new(move |asked, _| match asked.at.trim_start_matches('/') {
            "me" => well(&json!({ "name": "b", "time": NOW })),
            name => list(&lists, name, usize::from(name == short)),
        })
        .await;
        let target = cloud.target(brightwater);
        assert!(!target.survey().await.unwrap().complete, "{short} came in part");
        // What is decided by the whole of a list isn't decided by a part of it.
        if short == "postings" {
            let part = TargetError::Refused("it answered only in part".to_owned());
            assert_eq!(target.holds(&call()).await, Err(part.clone()));
            assert_eq!(target.marked().await, Err(part));
        }
    }
}

#[tokio::test]
async fn a_grant_is_there_only_as_it_was_ordered() {
    for (but, there) in [
        (json!({}), true),
        (json!({ "ends": "2026-07-01T12:30:00Z" }), true),
        (json!({ "ends": "2026-07-01T13:00:01Z" }), false),
        (json!({ "ends": null }), false),
        (json!({ "ends": NOW }), false),
        (json!({ "role": "harbourmaster" }), false),
        (json!({ "identity": "mara" }), false),
        (json!({ "basin": [] }), false),
        (json!({ "key": "another" }), false),
    ] {
        let cloud = Cloud::brightwater(json!({ "postings": [posting("tpabc", but.clone())] })).await;
        let read = cloud.target(brightwater).holds(&call()).await.unwrap();
        assert_eq!(read, ReadBack { there, clock: at(NOW) }, "{but}");
    }
}

#[tokio::test]
async fn an_end_is_moved_only_of_what_is_there_and_is_there_only_with_its_new_end() {
    let order = GrantCall { until: at("2026-07-01T14:00:00Z"), ..call() };
    let moved = async |but: Value, orders: &[&str]| {
        let cloud = Cloud::brightwater(json!({ "postings": [posting("tpabc", but)] })).await;
        let moved = cloud.target(brightwater).prolong(&order).await;
        assert_eq!(cloud.changes(), orders);
        moved.map(|back| back.there)
    };
    let put = ["PUT /postings/tpabc"];
    assert_eq!(moved(json!({ "ends": "2026-07-01T14:00:00Z" }), &put).await, Ok(true));
    assert_eq!(moved(json!({}), &put).await, Ok(false), "it took the order and kept its end");
    assert_eq!(moved(json!({ "ends": NOW }), &[]).await, Err(TargetError::Late), "it had ended");
    assert_eq!(moved(json!({ "key": "another" }), &[]).await, Err(TargetError::Late), "it isn't there");
}

#[tokio::test]
async fn giving_says_the_end_and_is_read_back_and_taking_ends_tokens_first() {
    let cloud = Cloud::brightwater(json!({ "postings": [posting("tpabc", json!({}))] })).await;
    assert!(cloud.target(brightwater).give(&call()).await.unwrap().there);
    let asked = cloud.0.asked();
    assert!(asked[0].is("PUT", "/postings/tpabc"));
    let body = asked[0].json();
    assert_eq!((&body["ends"], &body["note"]), (&json!("2026-07-01T13:00:00Z"), &json!("tempestas/quillhaven/g12")));
    assert_eq!((&body["order"], &body["identity"]), (&json!(99), &json!("t.reyes")));

    let tokens = json!([
        { "id": "tok-1", "minted": NOW, "ends": NOW, "under": ["tpabc"] },
        { "id": "tok-2", "minted": NOW, "ends": NOW, "under": ["another"] },
    ]);
    let cloud = Cloud::brightwater(json!({ "tokens": tokens })).await;
    assert!(!cloud.target(brightwater).take(&call()).await.unwrap().there);
    assert_eq!(cloud.changes(), ["DELETE /tokens/tok-1", "DELETE /postings/tpabc"]);
}

#[tokio::test]
async fn what_was_made_meanwhile_is_found_and_only_that() {
    let lists = json!({
        "tokens": [{ "id": "tok-1", "minted": NOW, "ends": "2026-07-01T12:30:00Z", "under": ["tpabc"] }],
        "postings": [
            posting("made", json!({ "made_by": "t.reyes", "note": "", "identity": "puppet" })),
            posting("before", json!({ "made_by": "t.reyes", "note": "", "since": "2026-07-01T10:00:00Z" })),
            posting("others", json!({ "made_by": "mara", "note": "" })),
            posting("ours", json!({ "made_by": "t.reyes" })),
        ],
        "functions": [
            { "name": "sluice", "basin": ["lake"], "runs_as": "puppet", "made_by": "t.reyes", "since": NOW },
            { "name": "old", "basin": [], "runs_as": "x", "made_by": "t.reyes", "since": "2026-07-01T10:00:00Z" },
        ],
    });
    let found = Cloud::brightwater(lists).await.target(brightwater).leftovers(&call()).await.unwrap();
    let said: Vec<(&str, bool)> = found.iter().map(|one| (one.what.as_str(), one.ended)).collect();
    assert_eq!(
        said,
        [
            ("a token minted while elevated, good until 2026-07-01T12:30:00Z", true),
            ("the posting made made while elevated: puppet as tide-writer at /lake", false),
            ("the function sluice at /lake made while elevated, which runs as puppet", false),
        ]
    );
}

#[tokio::test]
async fn a_standing_right_is_taken_by_what_it_is_and_never_one_of_ours() {
    let postings = json!([
        posting("first", json!({ "note": "by hand", "ends": null })),
        posting("again", json!({ "note": "", "ends": null })),
        posting("ours", json!({})),
        posting("other-role", json!({ "note": "", "role": "harbourmaster" })),
        posting("other-basin", json!({ "note": "", "basin": [] })),
        posting("other-person", json!({ "note": "", "identity": "mara" })),
    ]);
    let cloud = Cloud::brightwater(json!({ "postings": postings })).await;
    let target = cloud.target(brightwater);
    let standing = StandingCall {
        account: "t.reyes".to_owned(),
        role: "tide-writer".to_owned(),
        part: vec!["lake".to_owned()],
        handle: "first".to_owned(),
    };
    assert!(target.holds_standing(&standing).await.unwrap());
    target.take_standing(&standing).await.unwrap();
    assert_eq!(cloud.changes(), ["DELETE /postings/again", "DELETE /postings/first"]);
    let ours_alone = Cloud::brightwater(json!({ "postings": [posting("ours", json!({}))] })).await;
    assert!(!ours_alone.target(brightwater).holds_standing(&standing).await.unwrap());
}

#[tokio::test]
async fn the_first_use_of_a_grant_is_told_from_what_others_did_elsewhere_and_before() {
    let done = |at: &str, but: Value| {
        let mut one = json!({
            "at": at, "identity": "t.reyes", "permission": "write table", "basin": ["lake", "raw"], "allowed": true,
        });
        one.as_object_mut().unwrap().extend(but.as_object().unwrap().clone());
        one
    };
    let from = at("2026-07-01T11:00:00Z");
    let first_use = async |trail: Vec<Value>| {
        let roles = json!([{ "name": "tide-writer", "says": "writes", "permissions": ["write table"] }]);
        let cloud = Cloud::brightwater(json!({ "roles": roles, "trail": trail })).await;
        let told = cloud.target(brightwater).activity(from).await.unwrap().unwrap();
        assert!(
            cloud.lines().iter().any(|line| line == "GET /trail?since=2026-07-01T11:00:00Z"),
            "{:?}",
            cloud.lines()
        );
        call().first_use(&told.uses, from)
    };
    let no_uses = [
        done("2026-07-01T10:59:59Z", json!({})),
        done("2026-07-01T11:10:00Z", json!({ "identity": "o.brandt" })),
        done("2026-07-01T11:10:00Z", json!({ "allowed": false })),
        done("2026-07-01T11:10:00Z", json!({ "basin": ["reports"] })),
        done("2026-07-01T11:10:00Z", json!({ "permission": "make key" })),
    ];
    assert_eq!(first_use(no_uses.to_vec()).await, None);
    let uses = ["2026-07-01T11:40:00Z", "2026-07-01T11:20:00Z"].map(|at| done(at, json!({})));
    assert_eq!(first_use([&no_uses[..], &uses].concat()).await, Some(at("2026-07-01T11:20:00Z")));
}

//! Fathom, where nothing carries an end: it is said, terms may refuse it, and we end it.

use jiff::{SignedDuration, Timestamp};
use serde_json::{Value, json};
use tempestas_api::{NewAccount, NewTarget, StandingFilter};
use tempestas_core::{Connector, LookedAt, ScopeId, Weight};
use tempestas_demo::{daemon, fathom, seed};
use tempestas_targets::{GrantCall, Place, Target};

use crate::{
    house::{House, MARA, Plan, TOMAS},
    targets::given_twice_and_late,
};

/// Asks Fathom itself, as somebody.
async fn asks(address: &str, who: &str, method: reqwest::Method, path: &str, body: Option<Value>) -> Value {
    let mut request =
        reqwest::Client::new().request(method, format!("{address}{path}")).bearer_auth(format!("key-{who}"));
    if let Some(body) = body {
        request = request.json(&body);
    }
    request.send().await.unwrap().json().await.unwrap_or(Value::Null)
}

async fn may(address: &str, who: &str, verb: &str, thing: &str) -> bool {
    let body = json!({ "verb": verb, "thing": thing, "site": "terminal" });
    asks(address, who, reqwest::Method::POST, "/may", Some(body)).await["may"] == true
}

#[tokio::test(flavor = "multi_thread")]
async fn a_right_in_fathom_ends_by_us_and_says_so_and_terms_may_refuse_what_depends_on_us() {
    let mut house = House::new(Plan::cloud_only()).await;
    let cloud =
        daemon::fathom(&house.path().join("fathom"), 0, Some(&fathom::seed(|name| format!("key-{name}")))).unwrap();
    let connector = Connector::Fathom { url: cloud.address.clone() };
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "a-test", programs: &[] };
    let target = Target::with_secret(&place, "key-tempestas-broker".to_owned().into()).unwrap().unwrap();
    given_twice_and_late(&target, |attempt| GrantCall {
        grant: 7,
        attempt,
        name: "tpfathom".to_owned(),
        role: "till".to_owned(),
        part: vec!["shop".to_owned()],
        account: Some("tomas.reyes".to_owned()),
        opened_at: Timestamp::now() + SignedDuration::from_secs(1),
        until: Timestamp::now() + SignedDuration::from_secs(600),
    })
    .await;

    let mara = house.client(MARA);
    let new = NewTarget {
        parent: "/".to_owned(),
        name: "fathom".to_owned(),
        connector,
        secret: "key-tempestas-broker".to_owned(),
        emergency_least: 1,
        alarm_after: 30,
    };
    mara.add_target(&new).await.unwrap();
    seed::wait_for_survey(mara, "/fathom").await.unwrap();
    let seen = mara.standing(&StandingFilter::default()).await.unwrap();
    let held = |who: &str, role: &str| {
        seen.iter().find(|one| one.account == who && one.role == role && one.scope.starts_with("/fathom"))
    };
    assert_eq!(held("henrik.voss", "full").map(|one| one.weight), Some(Weight::Critical));
    assert_eq!(held("ferry-line", "timetable").map(|one| one.weight), Some(Weight::Ordinary));
    assert_eq!(held("tomas.reyes", "boarding").unwrap().chain, ["team/night-gate"]);
    assert!(held("tomas.reyes", "no-crew").is_none(), "a sheet that only forbids is no power");

    let account = NewAccount { target: "/fathom".to_owned(), account: "tomas.reyes".to_owned() };
    mara.set_account(TOMAS, LookedAt::Nothing, &account).await.unwrap();
    let rule = "scope = \"/fathom\"\n[settings]\napproval = { is = \"none\" }\n";
    mara.add_terms(&toml::from_str(rule).unwrap()).await.unwrap();
    let right = "till@/fathom/shop".to_owned();
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, "till@/fathom/shop", 600).await.unwrap();
    assert!(asked.demand.contains("Fathom keeps no ends"), "{}", asked.demand);
    house.live(&asked.id).await;
    let at_shop = async |who: &str| {
        let body = json!({ "verb": "change", "thing": "till/3", "site": "shop" });
        asks(&cloud.address, who, reqwest::Method::POST, "/may", Some(body)).await["may"] == true
    };
    assert!(at_shop("tomas.reyes").await);
    // A may-not beats a may, whoever is pinned to what.
    assert!(may(&cloud.address, "tomas.reyes", "read", "manifest").await);
    assert!(!may(&cloud.address, "tomas.reyes", "read", "crew/7").await);
    asks(&cloud.address, "tomas.reyes", reqwest::Method::PUT, "/keys/kept", None).await;
    house.client(TOMAS).give_back(&asked.id).await.unwrap();
    let over = house.over(&asked.id).await;
    assert!(!at_shop("tomas.reyes").await);
    let found = over.elevation.grant.unwrap().leftovers.unwrap();
    assert!(found.iter().any(|one| one.what == "the program key kept made while elevated" && one.ended), "{found:?}");

    // With the service dead it stays: that is what the row in docs/lapse.md says.
    let asked = house.ask(TOMAS, "till@/fathom/shop", 3).await.unwrap();
    let until = house.live(&asked.id).await.elevation.grant.unwrap().until;
    house.service.kill();
    while Timestamp::now() < until + SignedDuration::from_millis(500) {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert!(at_shop("tomas.reyes").await, "something else than us ended it");
    house.start_again(&[]);
    assert_eq!(house.over(&asked.id).await.elevation.state, "lapsed");
    assert!(!at_shop("tomas.reyes").await);

    let strict = "scope = \"/fathom\"\nrole = \"till\"\n[settings]\nlapse = \"by-itself\"\n";
    let mara =
        seed::sign_in(&seed::client(&house.service.address).unwrap(), house.person(MARA), house.path()).await.unwrap();
    mara.add_terms(&toml::from_str(strict).unwrap()).await.unwrap();
    let refused = house.ask(TOMAS, "till@/fathom/shop", 60).await.unwrap_err().to_string();
    assert!(refused.contains("by itself"), "{refused}");
}

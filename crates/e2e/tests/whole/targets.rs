//! The targets themselves, called as keepers call them: giving twice has one effect, a late order changes nothing.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::NewTarget;
use tempestas_core::{Connector, ScopeId};
use tempestas_demo::{cluster::free_port, daemon, quillhaven, seed::BROKER};
use tempestas_targets::{GrantCall, Place, Target, TargetError};

use crate::house::{House, MARA, Plan, eventually};

fn call(name: &str, role: &str, account: Option<&str>, attempt: i64) -> GrantCall {
    let now = Timestamp::now();
    GrantCall {
        grant: 7,
        attempt,
        name: name.to_owned(),
        role: role.to_owned(),
        part: account.map(|_| vec!["lake".to_owned()]).unwrap_or_default(),
        account: account.map(str::to_owned),
        opened_at: now,
        until: now + SignedDuration::from_secs(600),
    }
}

pub async fn given_twice_and_late(target: &Target, order: impl Fn(i64) -> GrantCall) {
    let there = async || target.holds(&order(0)).await.unwrap().there;
    assert!(target.give(&order(10)).await.unwrap().there, "it is read back when it was given");
    assert!(there().await);
    target.give(&order(11)).await.unwrap();
    assert_eq!(target.marked().await.unwrap().len(), 1, "given twice is there once");
    let longer = |attempt| {
        let call = order(attempt);
        GrantCall { until: call.until + SignedDuration::from_secs(300), ..call }
    };
    assert!(target.prolong(&longer(12)).await.unwrap().there, "it is read back with its later end");
    assert!(target.holds(&longer(0)).await.unwrap().there);
    assert!(target.prolong(&longer(13)).await.unwrap().there, "moved twice it is there once");
    assert_eq!(target.marked().await.unwrap().len(), 1);
    assert!(!target.take(&order(14)).await.unwrap().there, "it is read back when it was taken");
    assert!(!there().await);
    assert_eq!(target.give(&order(15)).await, Err(TargetError::Late));
    assert!(!target.prolong(&longer(16)).await.is_ok_and(|back| back.there), "what ended goes on");
    assert!(!there().await, "a late order changed something");
    target.take(&order(17)).await.unwrap();
    assert_eq!(target.leftovers(&order(17)).await.unwrap(), []);
    assert_eq!(target.marked().await.unwrap(), []);
}

#[tokio::test(flavor = "multi_thread")]
async fn giving_twice_has_one_effect_and_a_late_give_after_a_take_changes_nothing() {
    let mut house = House::new(Plan::whole()).await;
    house.service.stop().unwrap();
    let url = house.brightwater.address.clone();
    let key = house.cloud_key("tempestas-broker").into();
    let connector = Connector::Brightwater { url };
    let place = |connector| Place { connector, scope: ScopeId(7), installation: "a-test", programs: &[] };
    let cloud = Target::with_secret(&place(&connector), key).unwrap().unwrap();
    given_twice_and_late(&cloud, |attempt| call("tpcloud", "tide-reader", Some("t.reyes"), attempt)).await;
    let never = call("tpnever", "tide-reader", Some("t.reyes"), 20);
    cloud.take(&never).await.unwrap();
    assert_eq!(cloud.give(&never).await, Err(TargetError::Late), "taken before it was ever given");

    let connector = Connector::Postgres {
        host: "127.0.0.1".to_owned(),
        port: house.cluster().port,
        user: BROKER.to_owned(),
        database: "tempestas".to_owned(),
        own_login: false,
    };
    let cluster = Target::with_secret(&place(&connector), house.broker_password.clone().into()).unwrap().unwrap();
    given_twice_and_late(&cluster, |attempt| call("tpcluster", "berth_writer", None, attempt)).await;
    // On a person's own login: beside what it holds all the time, and inside a database.
    let own = |name: &'static str, role: &'static str, part: &'static [&'static str]| {
        move |attempt| {
            let part = part.iter().map(|name| (*name).to_owned()).collect();
            GrantCall { part, ..call(name, role, Some("treyes"), attempt) }
        }
    };
    given_twice_and_late(&cluster, own("tpbeside", "harbour_operator", &[])).await;
    given_twice_and_late(&cluster, own("tpschema", "create-in", &["berths", "cranes"])).await;
    given_twice_and_late(&cluster, own("tpdatabase", "create-in", &["berths"])).await;
    let sql = house.cluster().connect("berths").await.unwrap();
    let held = sql.query_one("SELECT pg_has_role('treyes', 'harbour_operator', 'MEMBER')", &[]).await.unwrap();
    assert!(held.get::<_, bool>(0), "the standing right beside it was touched");
    let nobodys = own("tpnobody", "berth_writer", &[])(10);
    for (account, why) in
        [(BROKER, "no login of a person"), ("berth_reader", "no login of a person"), ("gone", "not there")]
    {
        let nobodys = GrantCall { account: Some(account.to_owned()), ..nobodys.clone() };
        assert!(cluster.give(&nobodys).await.unwrap_err().to_string().contains(why), "{account}");
    }
    let never = call("tpnever", "berth_writer", None, 20);
    cluster.take(&never).await.unwrap();
    assert_eq!(cluster.give(&never).await, Err(TargetError::Late), "taken before it was ever given");
    let older = call("tpolder", "berth_writer", None, 5);
    cluster.give(&older).await.unwrap();
    assert_eq!(cluster.give(&GrantCall { attempt: 4, ..older }).await, Err(TargetError::Late));
}

#[tokio::test(flavor = "multi_thread")]
async fn power_inside_databases_is_found_taken_and_put_back() {
    let mut house = House::new(Plan::whole()).await;
    house.service.stop().unwrap();
    let connector = Connector::Postgres {
        host: "127.0.0.1".to_owned(),
        port: house.cluster().port,
        user: BROKER.to_owned(),
        database: "tempestas".to_owned(),
        own_login: false,
    };
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "a-test", programs: &[] };
    let cluster = Target::with_secret(&place, house.broker_password.clone().into()).unwrap().unwrap();
    let sql = house.cluster().connect("berths").await.unwrap();
    sql.batch_execute("GRANT CREATE ON SCHEMA cranes TO PUBLIC").await.unwrap();
    let found = async || {
        let survey = cluster.survey().await.unwrap();
        let say = |right: tempestas_core::RightFound| {
            (format!("{} {}@{}", right.account, right.role, right.part.join("/")), right.handle.is_some())
        };
        survey.rights.into_iter().map(say).collect::<std::collections::BTreeMap<String, bool>>()
    };
    let there = found().await;
    for (right, can_be_taken) in [
        ("jweir owner-of@berths/cranes", false),
        ("bcosta create-in@berths/public", true),
        ("everybody create-in@berths/cranes", true),
        ("kdvor writes-tables-of@berths/cranes", false),
        ("nferro new-objects-of@berths/public", false),
    ] {
        assert_eq!(there.get(right), Some(&can_be_taken), "{right} among {there:?}");
    }
    assert!(!there.keys().any(|right| right.starts_with("mlindqvist owner-of")), "of a superuser it adds nothing");
    for (account, schema) in [("bcosta", "public"), ("everybody", "cranes")] {
        let call = tempestas_targets::StandingCall {
            account: account.to_owned(),
            role: "create-in".to_owned(),
            part: vec!["berths".to_owned(), schema.to_owned()],
            handle: "create".to_owned(),
        };
        cluster.take_standing(&call).await.unwrap();
        assert!(!cluster.holds_standing(&call).await.unwrap());
        assert!(!found().await.contains_key(&format!("{account} create-in@berths/{schema}")));
        cluster.restore_standing(&call).await.unwrap();
        assert!(cluster.holds_standing(&call).await.unwrap());
    }
    assert_eq!(found().await, there, "as it was");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_first_survey_that_failed_comes_as_soon_as_the_target_answers() {
    let house = House::new(Plan::cloud_only()).await;
    let (mara, port) = (house.client(MARA), free_port().unwrap());
    let secret = house.cloud_key("tempestas-broker");
    let spare = NewTarget {
        parent: "/".to_owned(),
        name: "spare".to_owned(),
        connector: Connector::Brightwater { url: format!("http://127.0.0.1:{port}") },
        secret: secret.clone(),
        emergency_least: 1,
        alarm_after: 60,
    };
    mara.add_target(&spare).await.unwrap();
    let there = async || mara.targets().await.unwrap().into_iter().find(|one| one.path == "/spare").unwrap();
    eventually("its survey failed", async || there().await.last_survey.is_some_and(|last| last.says.contains("reach")))
        .await;
    let word = secret.strip_suffix("-tempestas-broker").unwrap();
    let seed = serde_json::to_string(&quillhaven::cloud(|name| format!("{word}-{name}"))).unwrap();
    let _answers = daemon::brightwater(&house.path().join("spare"), port, Some(&seed)).unwrap();
    eventually("it was surveyed", async || there().await.surveyed_at.is_some()).await;
    assert!(there().await.standing > 0);
}

//! The targets themselves, called as keepers call them: giving twice has one effect, a late order changes nothing.

use jiff::{SignedDuration, Timestamp};
use tempestas_core::{Connector, ScopeId};
use tempestas_demo::seed::BROKER;
use tempestas_targets::{GrantCall, Place, Target, TargetError};

use crate::house::{House, Plan};

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
    target.give(&order(10)).await.unwrap();
    assert!(there().await);
    target.give(&order(11)).await.unwrap();
    assert_eq!(target.marked().await.unwrap().len(), 1, "given twice is there once");
    target.take(&order(12)).await.unwrap();
    assert!(!there().await);
    assert_eq!(target.give(&order(13)).await, Err(TargetError::Late));
    assert!(!there().await, "a late order changed something");
    target.take(&order(14)).await.unwrap();
    assert_eq!(target.leftovers(&order(14)).await.unwrap(), []);
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
    };
    let cluster = Target::with_secret(&place(&connector), house.broker_password.clone().into()).unwrap().unwrap();
    given_twice_and_late(&cluster, |attempt| call("tpcluster", "berth_writer", None, attempt)).await;
    let never = call("tpnever", "berth_writer", None, 20);
    cluster.take(&never).await.unwrap();
    assert_eq!(cluster.give(&never).await, Err(TargetError::Late), "taken before it was ever given");
    let older = call("tpolder", "berth_writer", None, 5);
    cluster.give(&older).await.unwrap();
    assert_eq!(cluster.give(&GrantCall { attempt: 4, ..older }).await, Err(TargetError::Late));
}

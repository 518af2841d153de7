//! What people are told is so.

use reqwest::Method;
use serde_json::Value;
use tempestas_api::{StandingFilter, StandingView};
use tempestas_demo::quillhaven::{BERTHS, BRIGHTWATER};

use crate::house::{House, MARA, Plan, TOMAS, on_cloud};

#[tokio::test(flavor = "multi_thread")]
async fn nothing_new_is_said_of_the_very_right_and_of_none_that_is_written_alike() {
    let house = House::new(Plan::cloud_only()).await;
    let (part, whole) = (on_cloud("tide-writer", "/lake"), on_cloud("tide-writer", ""));
    assert!(part.starts_with(&whole), "the one begins as the other does");
    house.eligible(TOMAS, &part).await;
    house.eligible(TOMAS, &whole).await;
    let held = house.ask(TOMAS, &part, 600).await.unwrap();
    house.live(&held.id).await;
    let context = async |id: &str| -> String {
        let reply = house.client(MARA).send::<(), ()>(Method::GET, &["elevations", id, "context"], None, None).await;
        let said: Value = reply.unwrap().json().await.unwrap();
        said["would_change"].as_str().unwrap().to_owned()
    };
    let asked = crate::house::ask(house.client(TOMAS), &whole, Some(600), tempestas_core::StartChoice::OnBegin, None);
    let asked = asked.await.unwrap();
    assert!(context(&asked.id).await.contains("could then do this"), "{}", context(&asked.id).await);
    let again = crate::house::ask(house.client(TOMAS), &part, Some(600), tempestas_core::StartChoice::OnBegin, None);
    if let Ok(again) = again.await {
        assert!(context(&again.id).await.contains("nothing new"), "{}", context(&again.id).await);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_right_that_nobody_saw_used_is_told_from_one_whose_system_tells_nothing() {
    let house = House::new(Plan::whole()).await;
    let mara = house.client(MARA);
    let all: Vec<StandingView> = mara.standing(&StandingFilter::default()).await.unwrap();
    let of = |target: &str| all.iter().filter(|held| held.target == target).collect::<Vec<_>>();
    let (cluster, cloud) = (of(BERTHS), of(BRIGHTWATER));
    assert!(!cluster.is_empty() && cluster.iter().all(|held| !held.use_is_told), "PostgreSQL tells nothing of use");
    assert!(!cloud.is_empty() && cloud.iter().all(|held| held.use_is_told), "Brightwater keeps a trail");
    let never = cloud.iter().find(|held| held.last_used.is_none()).expect("one that was never used");
    let home = house.path().join("told");
    house.sign_in_at_a_terminal(&home, MARA);
    let (_, text) = house.tempestas(&home, &["standing"], "");
    let line = |held: &StandingView| text.lines().find(|line| line.contains(&held.id)).unwrap().to_owned();
    assert!(line(never).contains("never seen"), "{}", line(never));
    let untold = cluster.iter().find(|held| held.last_used.is_none()).unwrap();
    assert!(line(untold).contains("not known") && !line(untold).contains("never"), "{}", line(untold));
    // The ten worst begin with what is known to lie idle.
    let reply = mara.send::<(), ()>(Method::GET, &["first-day"], None, None).await.unwrap();
    let worst: Value = reply.json().await.unwrap();
    let rank = |held: &Value| match (held["use_is_told"].as_bool().unwrap(), held["last_used"].is_null()) {
        (true, true) => 0,
        (false, true) => 1,
        (_, false) => 2,
    };
    let critical: Vec<i32> =
        worst["worst"].as_array().unwrap().iter().filter(|held| held["weight"] == "critical").map(rank).collect();
    assert!(!critical.is_empty() && critical.is_sorted(), "{critical:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_first_page_reckons_standing_rights_as_the_records_chart_does() {
    let house = House::new(Plan::cloud_only()).await;
    let read = async |path: &[&str]| -> Value {
        let reply = house.client(MARA).send::<(), ()>(Method::GET, path, None, None).await.unwrap();
        reply.json().await.unwrap()
    };
    let (now, days) = (read(&["now"]).await, read(&["days"]).await);
    let known: Vec<&Value> = days.as_array().unwrap().iter().filter(|day| !day["standing"].is_null()).collect();
    let (first, last) = (known[0], known[known.len() - 1]);
    assert_eq!(now["standing_before"], serde_json::json!({ "day": first["day"], "standing": first["standing"] }));
    assert_eq!(now["standing"], last["standing"]);
    assert!(now["standing"].as_u64().unwrap() > 0);
    // Whoever sees a part is told of no whole.
    let reply = house.client(TOMAS).send::<(), ()>(Method::GET, &["now"], None, None).await.unwrap();
    let part: Value = reply.json().await.unwrap();
    assert_eq!((&part["standing"], &part["standing_before"]), (&Value::Null, &Value::Null));
}

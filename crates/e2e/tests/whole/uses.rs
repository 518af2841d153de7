//! What is good for one use, on a real cloud: its first use ends it there, and nobody else's does.

use jiff::Timestamp;
use serde_json::json;
use tempestas_core::What;
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, MARA, Plan, TOMAS, on_berths, on_cloud};

const REPORTS: &[&str] = &["reports"];

/// Has rights below a scope good for one use from now on, with nobody asked.
async fn once(house: &House, scope: &str) {
    let rule = format!("scope = \"{scope}\"\n[settings]\nuses = \"one\"\napproval = {{ is = \"none\" }}\n");
    house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_first_use_on_the_cloud_ends_what_is_good_for_one_and_it_can_be_asked_for_again() {
    let house = House::new(Plan::cloud_only()).await;
    once(&house, BRIGHTWATER).await;
    let right = on_cloud("harbour-warden", "/reports");
    house.eligible(TOMAS, &right).await;
    for turn in 0..2 {
        let asked = house.ask(TOMAS, &right, 600).await.unwrap();
        assert!(asked.demand.contains("it ends once its first use is seen"), "{}", asked.demand);
        house.live(&asked.id).await;
        let posting = |who: &str| json!({ "identity": who, "role": "tide-writer", "basin": ["reports", "cranes"] });
        // Somebody else may do the same there, which is no use of this one.
        house.cloud(&house.cloud_key("m.lindqvist"), "/postings", Some(posting("e.tan"))).await;
        let key = house.cloud_key("t.reyes");
        assert!(house.may(&key, "make", "posting", REPORTS).await);
        let seen = house.client(MARA).elevation(&asked.id, &Default::default()).await.unwrap().elevation;
        assert_eq!(seen.state, "live", "turn {turn}: {}", seen.sentence);
        let used = Timestamp::now();
        house.cloud(&key, "/postings", Some(posting("ironquay-service"))).await;
        let story = house.over(&asked.id).await;
        let closed = story.story.iter().find(|entry| matches!(entry.what, What::Closing { .. })).unwrap().at;
        assert!(closed >= used, "turn {turn}: it ended by an earlier use");
        let over = story.elevation;
        assert_eq!(over.state, "used", "{}", over.sentence);
        assert!(
            over.sentence.starts_with("was good for one use, which was seen; read back as gone"),
            "{}",
            over.sentence
        );
        assert!(!house.may(&key, "make", "posting", REPORTS).await, "it goes on after its use");
    }
    assert_eq!(house.cloud_marks().await, 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn where_the_system_tells_of_no_uses_nothing_good_for_one_is_given() {
    let house = House::new(Plan::whole()).await;
    let right = on_berths("harbour_operator");
    house.eligible(TOMAS, &right).await;
    once(&house, "/harbour/databases").await;
    let refused = house.ask(TOMAS, &right, 600).await.unwrap_err();
    let says = "is good for one use by its terms, and its target can't say when it was used";
    assert!(refused.to_string().contains(says), "{refused}");
}

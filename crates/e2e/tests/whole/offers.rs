//! Asking to be made eligible: what terms offer is found and wished for, at a terminal and through the API; what they don't offer
//! isn't there for whoever doesn't oversee it.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{AppointmentVerdict, NewWish, OfferQuery};
use tempestas_client::ClientError;
use tempestas_core::{AppointmentState, Verdict};

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

const OFFERED: &str = r#"
scope = "/analytics/brightwater/lake"
act = "be-made-eligible"
role = "tide-reader"
[settings]
longest = 2592000
reason = { is = "required", at_least = 10 }
offered = "open"
"#;

fn refused<T: std::fmt::Debug>(result: Result<T, ClientError>) -> (String, String) {
    match result {
        Err(ClientError::Refused(problem)) => (problem.code, problem.detail),
        other => panic!("{other:?}"),
    }
}

fn wish(right: &str, hours: i64) -> NewWish {
    let until = Timestamp::now() + SignedDuration::from_hours(hours);
    NewWish { right: right.to_owned(), group: None, until, reason: Some("the tides of December".to_owned()) }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_offered_is_found_wished_for_and_asked_for_once_somebody_said_yes() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    mara.add_terms(&toml::from_str(OFFERED).unwrap()).await.unwrap();
    let home = house.path().join("oda");
    house.sign_in_at_a_terminal(&home, ODA);
    let run = |arguments: &[&str]| house.tempestas(&home, &[&["eligible"], arguments].concat(), "");
    let reader = on_cloud("tide-reader", "/lake");
    let (exit, text) = run(&["offered", "tide", "lake"]);
    assert!(exit == 0 && text.contains(&reader), "{text}");
    assert!(text.contains(MARA) && text.contains("decides, for 30 d at most, with a reason of 10 letters"), "{text}");
    assert!(!text.contains("tide-writer"), "what is not offered is not told: {text}");
    let (exit, text) = run(&["offered", "no-such"]);
    assert!(exit == 0 && text.contains("Nothing that is offered to you reads like that"), "{text}");
    let (exit, text) = run(&["wish", &reader]);
    assert!(exit == 2 && text.contains("--until"), "{exit}: {text}");
    let (exit, text) = run(&["wish", &reader, "--for", "40d", "--reason", "the tides of December"]);
    assert!(exit == 3 && text.contains("30 d"), "{exit}: {text}");
    let (exit, text) = run(&["wish", &reader, "--for", "20d", "--reason", "tides"]);
    assert!(exit == 3 && text.contains("10"), "{exit}: {text}");
    // Less than what is offered may be wished for.
    let less = on_cloud("tide-reader", "/lake/curated");
    let (exit, text) = run(&["wish", &less, "--for", "20d", "--reason", "the tides of December"]);
    assert!(exit == 0 && text.contains(MARA), "{exit}: {text}");

    let wishes = mara.appointments().await.unwrap();
    let waiting = wishes.iter().find(|one| one.state == AppointmentState::Waiting).unwrap();
    assert!(waiting.for_me && waiting.rights == [less.clone()], "{waiting:?}");
    let yes = AppointmentVerdict { verdict: Verdict::Yes, reason: None, shown: waiting.digest };
    assert_eq!(refused(house.client(ODA).answer_appointment(&waiting.id, &yes).await).0, "not-allowed");
    mara.answer_appointment(&waiting.id, &yes).await.unwrap();
    let eligible = house.client(ODA).eligible().await.unwrap().eligible;
    assert!(eligible.iter().any(|one| one.right == less), "{eligible:?}");
    assert_eq!(refused(house.client(ODA).wish(&wish(&less, 24)).await).0, "conflict");
    assert!(house.rebuild().0);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_offered_is_there_for_nobody_who_asks_around() {
    let house = House::new(Plan::cloud_only()).await;
    let (tomas, everything) = (house.client(TOMAS), OfferQuery::default());
    assert!(tomas.offers(&everything).await.unwrap().is_empty(), "nothing is offered where nothing says so");
    let says = |right: &str, said: String| said.replace(right, "…");
    let nowhere = "no-such@/nowhere";
    let (code, unknown) = refused(tomas.wish(&wish(nowhere, 24)).await);
    assert_eq!(code, "unknown");
    let unknown = says(nowhere, unknown);
    for right in [on_cloud("tide-reader", "/lake"), on_cloud("no-such", "/lake"), on_cloud("tide-reader", "/no-such")] {
        let (code, said) = refused(tomas.wish(&wish(&right, 24)).await);
        assert_eq!((code.as_str(), says(&right, said)), ("unknown", unknown.clone()), "{right}");
    }
    // Offered to a group, it is offered to its members alone.
    house.group("tide-watch").await;
    let to_some = format!("asker = \"tide-watch\"\n{OFFERED}");
    house.client(MARA).add_terms(&toml::from_str(&to_some).unwrap()).await.unwrap();
    let member = tempestas_api::NewMember { member: TOMAS.to_owned() };
    house.client(MARA).add_member("tide-watch", &member).await.unwrap();
    assert_eq!(tomas.offers(&everything).await.unwrap().len(), 1);
    for other in [ODA, INES] {
        assert!(house.client(other).offers(&everything).await.unwrap().is_empty(), "{other}");
    }
    let reader = on_cloud("tide-reader", "/lake");
    let for_group = |group: &str| NewWish { group: Some(group.to_owned()), ..wish(&reader, 24) };
    assert_eq!(refused(house.client(ODA).wish(&for_group("tide-watch")).await).0, "unknown", "no group of hers");
    assert_eq!(refused(tomas.wish(&for_group("no-such")).await).0, "unknown");
    let wished = tomas.wish(&for_group("tide-watch")).await.unwrap().appointment.unwrap();
    assert_eq!(wished.who, "tide-watch");
    assert!(house.client(ODA).appointments().await.unwrap().is_empty(), "whoever is not asked sees no wish");
}

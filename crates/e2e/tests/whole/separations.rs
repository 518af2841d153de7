//! Separations on a real cloud and a real cluster: by what they hold, whoever it is through; and at a terminal.

use tempestas_api::{KeepsBody, NewDuty, NewMember, SeparationBody};
use tempestas_client::ClientError;
use tempestas_core::{Counts, DutyKind, LookedAt, Phase};
use tempestas_demo::quillhaven::{BERTHS, BRIGHTWATER};

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_berths, on_cloud};

fn apart(one: &str, other: &str, counts: Counts) -> SeparationBody {
    SeparationBody { keeps: KeepsBody::Apart { one: one.to_owned(), other: other.to_owned() }, counts }
}

async fn set(house: &House, name: &str, body: &SeparationBody) {
    house.client(MARA).set_separation(name, LookedAt::Nothing, body).await.unwrap();
}

/// The cause by which something is refused.
fn cause<T: std::fmt::Debug>(result: Result<T, ClientError>) -> String {
    match result {
        Err(ClientError::Refused(problem)) => problem.cause.unwrap_or(problem.code),
        other => panic!("{other:?}"),
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_kept_apart_is_never_on_two_systems_at_once() {
    let house = House::new(Plan::whole()).await;
    let (cloud, cluster) = (on_cloud("tide-reader", "/reports/cranes"), on_berths("customs_reader"));
    house.eligible(TOMAS, &cloud).await;
    house.eligible(TOMAS, &cluster).await;
    set(&house, "tides-or-customs", &apart(&cloud, &format!("customs_reader@{BERTHS}"), Counts::Held)).await;
    let held = house.ask(TOMAS, &cloud, 600).await.unwrap();
    house.live(&held.id).await;
    assert_eq!(cause(house.ask(TOMAS, &cluster, 600).await), "kept-apart");
    assert_eq!((house.cloud_marks().await, house.cluster_marks().await), (1, 0));
    house.client(TOMAS).give_back(&held.id).await.unwrap();
    house.over(&held.id).await;
    let next = house.ask(TOMAS, &cluster, 600).await.unwrap();
    house.yes(ODA, &next.id).await.unwrap();
    house.live(&next.id).await;
    assert_eq!((house.cloud_marks().await, house.cluster_marks().await), (0, 1));
    assert!(house.rebuild().0);
}

#[tokio::test(flavor = "multi_thread")]
async fn one_at_a_time_holds_it_and_the_next_begins_by_itself() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-reader", "/reports/cranes");
    for who in [TOMAS, ODA] {
        house.eligible(who, &right).await;
    }
    let keeps = KeepsBody::Holders { of: right.clone(), least: 0, most: Some(1) };
    set(&house, "one-writer", &SeparationBody { keeps, counts: Counts::Held }).await;
    let first = house.ask(TOMAS, &right, 12).await.unwrap();
    assert!(first.demand.contains("1 at most holds one like it at one time"), "{}", first.demand);
    house.live(&first.id).await;
    let next = house.ask(ODA, &right, 600).await.unwrap();
    let next = house.yes(MARA, &next.id).await.unwrap();
    assert_eq!(next.state, Phase::Scheduled.to_string(), "{}", next.sentence);
    assert!(next.trouble.is_some_and(|why| why.contains("`one-writer`")));
    let gone = house.over(&first.id).await.elevation.grant.unwrap().seen_at.unwrap();
    let begun = house.live(&next.id).await.elevation.grant.unwrap().verified_at.unwrap();
    assert!(gone < begun, "never two at one time: {gone} {begun}");
    assert_eq!(house.cloud_marks().await, 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_breaks_it_is_shown_to_whoever_oversees_all_of_it_and_tolerated_at_a_terminal() {
    let house = House::new(Plan::cloud_only()).await;
    let (writer, keys) = (on_cloud("tide-writer", "/lake"), on_cloud("keysmith", ""));
    house.eligible(TOMAS, &writer).await;
    house.group("night-shift").await;
    let member = NewMember { member: TOMAS.to_owned() };
    house.client(MARA).add_member("night-shift", &member).await.unwrap();
    house.eligible("night-shift", &keys).await;
    let home = house.path().join("mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let run = |arguments: &[&str]| house.tempestas(&home, arguments, "");
    let both = ["--apart", keys.as_str(), "--from", writer.as_str()];
    let (exit, text) = run(&[&["separations", "try"][..], &both].concat());
    let found = format!("broken: {TOMAS} may ask for");
    assert!(exit == 0 && text.contains(&found), "{exit}: {text}");
    assert_eq!(house.client(MARA).separations().await.unwrap().len(), 0);
    let (exit, text) = run(&[&["separations", "set", "write-or-keys"][..], &both].concat());
    assert!(exit == 0 && text.contains("nobody may ask for, or holds, both one of keysmith@"), "{exit}: {text}");
    assert_eq!(cause(house.ask(TOMAS, &writer, 600).await), "kept-apart");
    let shown = house.client(TOMAS).eligible().await.unwrap();
    let writer_row = shown.eligible.iter().find(|one| one.right == writer).unwrap();
    assert!(serde_json::to_string(writer_row).unwrap().contains("`write-or-keys` keeps"), "{writer_row:?}");

    let tolerate = ["separations", "tolerate", "write-or-keys", "--who", TOMAS];
    let until = ["--until", "2026-12-24T16:00Z", "--reason", "until the night shift has its own key keeper"];
    let (exit, text) = run(&[&tolerate[..], &["--until", "2020-01-01T00:00Z", "--reason", "so"]].concat());
    assert!(exit == 3 && text.contains("name one within"), "{exit}: {text}");
    let (exit, text) = run(&[&tolerate[..], &until].concat());
    assert!(exit == 0 && text.contains("Tolerated until"), "{exit}: {text}");
    let (exit, text) = run(&["separations"]);
    assert!(exit == 0 && text.contains("tolerated until 2026-12-24 16:00:00 UTC: \"until the night shift"), "{text}");
    house.ask(TOMAS, &writer, 600).await.unwrap();
    let (exit, text) = run(&[&tolerate[..], &["--no-longer"]].concat());
    assert!(exit == 0 && text.contains("No longer tolerated"), "{exit}: {text}");
    assert_eq!(cause(house.ask(TOMAS, &writer, 600).await), "kept-apart");

    // The auditor of all sees whom; whoever oversees another part sees neither it nor them, and learns of no place by asking.
    assert_eq!(house.client(INES).separations().await.unwrap()[0].breaches.len(), 1);
    assert!(house.client(TOMAS).separations().await.is_err());
    for (args, says) in [
        (["--apart", "nonsense", "--from", BRIGHTWATER].as_slice(), "`nonsense` says no rights"),
        (&["--apart", "no-such@/nowhere", "--from", BRIGHTWATER], "/nowhere"),
        (&["--apart", "no-such@/analytics", "--from", BRIGHTWATER], "there is no right yet of `no-such@/analytics`"),
        (&["--of", BRIGHTWATER, "--each", "0"], "nobody at all would have any"),
        (&["--of", BRIGHTWATER, "--least", "3", "--most", "2"], "3 people at least are more than 2 at most"),
        (&["--of", BRIGHTWATER], "how many one person may have"),
        (&["--of", "weight:heavy@/", "--each", "2"], "`weight:heavy@/` says no rights"),
    ] {
        let (exit, text) = run(&[&["separations", "set", "wrong"][..], args].concat());
        assert!(exit != 0 && text.contains(says), "{exit}: `{says}` is not said: {text}");
    }
    // Whoever administers a part learns by trying not even whether there is such a right in another.
    let scope = format!("{BRIGHTWATER}/lake");
    let duty = NewDuty { who: ODA.to_owned(), duty: DutyKind::Administrator, scope };
    house.client(MARA).give_duty(&duty).await.unwrap();
    for of in ["keysmith@/", "/analytics", "no-such@/", BRIGHTWATER] {
        let few = SeparationBody { keeps: KeepsBody::Few { of: of.to_owned(), most: 1 }, counts: Counts::Eligible };
        assert_eq!(cause(house.client(ODA).preview_separation(&few).await), "unknown", "{of}");
    }
    assert!(house.client(ODA).separations().await.unwrap().is_empty());
    let (exit, text) = run(&["separations", "end", "write-or-keys"]);
    assert!(exit == 0 && text.contains("Ended write-or-keys"), "{exit}: {text}");
    assert!(house.rebuild().0);
}

//! Going on beyond an end: the systems themselves are read back with the later one, and end it then with the service dead.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{Brings, ElevationView, ExtensionPreview, ExtensionRequest, LoginAsk, NewTerms, WaitQuery};
use tempestas_client::ClientError;
use tempestas_core::{ReferenceRule, Seconds};
use tempestas_demo::cluster;

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually, on_berths, on_cloud};

/// Asks to go on with something for so much longer.
pub async fn extend(house: &House, who: &str, id: &str, more: u32) -> Result<ElevationView, ClientError> {
    let client = house.client(who);
    let demand = client.preview_extension(id, &ExtensionPreview { more: Some(Seconds(more)) }).await?;
    let ticket = (demand.wants.ticket != ReferenceRule::Off).then(|| "CHG-2024".to_owned());
    let brings = Brings { ticket, ..Brings::reason("the tide tables take longer") };
    client.extend(id, &ExtensionRequest { more: Some(demand.more), brings, shown: demand.digest }).await
}

/// Waits until nothing to go on with it is under way; when it ends then.
pub async fn settled(house: &House, id: &str) -> Timestamp {
    let wait = WaitQuery { settled: true, seconds: Some(20), ..WaitQuery::default() };
    let seen = house.client(TOMAS).elevation(id, &wait).await.unwrap().elevation;
    let grant = seen.grant.unwrap();
    assert_eq!((grant.moving_to, seen.extension.is_none()), (None, true), "{}", seen.sentence);
    grant.until
}

async fn terms(house: &House, rule: &str) {
    let rule: NewTerms = toml::from_str(rule).unwrap();
    house.client(MARA).add_terms(&rule).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_session_on_the_cluster_goes_on_beyond_its_first_end_and_is_cut_off_at_the_later_one() {
    let mut house = House::new(Plan::whole()).await;
    let asked = house.ask(TOMAS, &on_berths("harbour_dba"), 8).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    let first = house.live(&asked.id).await.elevation.grant.unwrap().until;
    let login = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    let (user, password, port) = (login.user.unwrap(), login.password.unwrap(), house.cluster().port);
    let sql = cluster::connect(port, &user, &password, "berths").await.unwrap();

    let waits = extend(&house, TOMAS, &asked.id, 6).await.unwrap();
    assert!(waits.extension.is_some() && !waits.may_extend, "{}", waits.sentence);
    assert!(waits.rounds.last().unwrap().stages[0].approvers.contains(&ODA.to_owned()), "as for holding it");
    let waiting = house.client(ODA).waiting().await.unwrap();
    assert!(waiting.iter().any(|one| one.id == asked.id && one.for_me), "its approver isn't asked");
    house.yes(ODA, &asked.id).await.unwrap();
    let later = settled(&house, &asked.id).await;
    assert_eq!(later, first + SignedDuration::from_secs(6));
    house.service.kill();

    let busy = sql.batch_execute("SELECT pg_sleep(60)").await.unwrap_err();
    let late = Timestamp::now().duration_since(later);
    assert!(busy.is_closed() || busy.as_db_error().is_some(), "{busy:?}");
    assert!(!late.is_negative() && late.as_millis() < 2000, "ended {late} after its later end");
    println!("the session ended {} ms after the later end, with the service dead", late.as_millis());
    assert!(cluster::connect(port, &user, &password, "berths").await.is_err(), "a new sign-in is let in");
    house.start_again(&[]);
    let over = house.over(&asked.id).await;
    assert_eq!(over.elevation.state, "lapsed");
    let kinds: Vec<_> = over.story.iter().map(|entry| entry.says.clone()).collect();
    assert!(kinds.iter().any(|said| said.contains("with its end at")), "{kinds:#?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_not_be_moved_in_time_ends_at_its_first_end_and_says_why_until_then() {
    let house = House::new(Plan::cloud_only()).await;
    terms(&house, "scope = \"/analytics/brightwater\"\nact = \"extend\"\n[settings]\napproval = { is = \"none\" }\n")
        .await;
    house.eligible(TOMAS, &on_cloud("harbour-warden", "/reports")).await;
    let asked = house.ask(TOMAS, &on_cloud("harbour-warden", "/reports"), 6).await.unwrap();
    if asked.state == "waiting" {
        house.yes(ODA, &asked.id).await.unwrap();
    }
    let first = house.live(&asked.id).await.elevation.grant.unwrap().until;
    let may = async || house.may(&house.cloud_key("t.reyes"), "make", "posting", &["reports"]).await;
    assert!(may().await, "it isn't there");
    house.switch(serde_json::json!({ "error_every": 1 })).await;
    let moving = extend(&house, TOMAS, &asked.id, 60).await.unwrap();
    assert_eq!(moving.grant.unwrap().moving_to, Some(first + SignedDuration::from_secs(60)));
    eventually("it says what is in the way", async || {
        let seen = house.client(TOMAS).elevation(&asked.id, &WaitQuery::default()).await.unwrap().elevation;
        seen.state != "live" || seen.trouble.is_some()
    })
    .await;
    eventually("its end is not reached", async || Timestamp::now() > first + SignedDuration::from_secs(1)).await;
    house.switch(serde_json::json!({})).await;
    assert!(!may().await, "it goes on beyond the end that stood");
    let over = house.over(&asked.id).await.elevation;
    assert_eq!(over.state, "lapsed");
    assert!(over.grant.unwrap().until == first, "its end is said to have moved");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_client_asks_to_go_on_and_takes_the_grace_and_says_what_became_of_it() {
    let house = House::new(Plan::cloud_only()).await;
    terms(&house, "scope = \"/analytics/brightwater\"\n[settings]\ngrace = 300\napproval = { is = \"none\" }\n").await;
    let home = tempfile::tempdir().unwrap();
    house.sign_in_at_a_terminal(home.path(), TOMAS);
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&asked.id).await;
    let (exit, text) = house.tempestas(home.path(), &["extend", &asked.id, "--for", "9h", "--preview"], "");
    assert_eq!(exit, 3, "{text}");
    assert!(text.contains("for 4 h at a time"), "what could be had isn't said: {text}");
    let ask = ["extend", &asked.id, "--for", "5m", "--reason", "it takes longer than we thought", "--yes", "--wait"];
    let (exit, text) = house.tempestas(home.path(), &ask, "");
    assert_eq!(exit, 0, "{text}");
    assert!(text.starts_with(&format!("To go on with {} (", asked.id)), "the demand comes first: {text}");
    let (exit, text) = house.tempestas(home.path(), &["grace", &asked.id, "--wait"], "");
    assert_eq!(exit, 0, "{text}");
    let story = house.client(TOMAS).elevation(&asked.id, &WaitQuery::default()).await.unwrap().elevation;
    let grant = story.grant.unwrap();
    let length = grant.until.duration_since(grant.verified_at.unwrap()).as_secs();
    assert!((1190..=1200).contains(&length), "10 min, 5 more, and 5 of grace, not {length} s");
    let (exit, text) = house.tempestas(home.path(), &["grace", &asked.id], "");
    assert_eq!((exit, text.contains("taken already")), (3, true), "{text}");
}

//! Targets that are down, slow, erring, limiting, or answer half: giving waits and says so, taking is tried until
//! it is done, other targets go on.

use serde_json::json;
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_api::{LoginAsk, TargetSettings, WaitQuery, WhichTarget};
use tempestas_demo::quillhaven::{BERTHS, BRIGHTWATER};

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually, on_berths, on_cloud};

async fn trouble(house: &House, id: &str) -> Option<String> {
    house.client(MARA).elevation(id, &WaitQuery::default()).await.unwrap().elevation.trouble
}

async fn open_alarms(house: &House) -> Vec<String> {
    let all = house.client(MARA).alarms().await.unwrap();
    all.into_iter().filter(|alarm| alarm.settled.is_none()).map(|alarm| alarm.kind).collect()
}

/// Has an end come late.
async fn cloud_down_for_an_end(house: &House, id: &str) {
    house.cloud_proxy.as_ref().unwrap().set_down(true);
    house.client(TOMAS).give_back(id).await.unwrap();
    eventually("a late end is an alarm", async || open_alarms(house).await == ["take-late"]).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_target_that_is_down_holds_up_its_own_grants_and_no_others() {
    let mut house = House::new(Plan { proxied: true, ..Plan::whole() }).await;
    let mara = house.client(MARA).clone();
    let settings = TargetSettings { target: BRIGHTWATER.to_owned(), alarm_after: Some(1), ..TargetSettings::default() };
    house.set_target(&settings).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let held = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&held.id).await;
    house.cloud_proxy.as_ref().unwrap().set_down(true);

    house.client(TOMAS).give_back(&held.id).await.unwrap();
    let waiting = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    eventually("a late end is an alarm", async || open_alarms(&house).await == ["take-late"]).await;
    eventually("a grant waits and says so", async || {
        trouble(&house, &waiting.id).await.is_some_and(|says| says.contains("should have ended"))
    })
    .await;
    let refused = mara.survey(&WhichTarget { target: BRIGHTWATER.to_owned() }).await.unwrap_err();
    assert_eq!(refused.code(), Some("target"));

    let other = house.ask(TOMAS, &on_berths("harbour_dba"), 600).await.unwrap();
    house.yes(ODA, &other.id).await.unwrap();
    house.live(&other.id).await;

    house.cloud_proxy.as_ref().unwrap().set_down(false);
    assert_eq!(house.over(&held.id).await.elevation.state, "given-back");
    house.live(&waiting.id).await;
    assert_eq!(open_alarms(&house).await, Vec::<String>::new());
    // It was tried again and again; what went on as it was, was no news.
    let log = std::fs::read_to_string(house.setup.log()).unwrap();
    let said = |words: &'static str| log.lines().filter(move |line| line.contains(words));
    let failed = said("work on a target failed").map(|line| line.split_once(' ').unwrap().1.trim());
    let failed: Vec<&str> = failed.collect();
    assert!(!failed.is_empty() && said("a target answers again").next().is_some(), "{log}");
    for line in &failed {
        assert_eq!(failed.iter().filter(|other| *other == line).count(), 1, "{line}");
    }
    // Whoever watches the log alone hears of an alarm, once, whatever is restarted.
    let told = |house: &House| {
        let log = std::fs::read_to_string(house.setup.log()).unwrap();
        let of = |words: &str| log.lines().filter(|line| line.contains(words)).count();
        (of("an alarm is up; `tempestas alarms` says what it is"), of("an alarm was settled"))
    };
    eventually("alarms are told in the log", async || told(&house) == (1, 1)).await;
    house.service.stop().unwrap();
    house.start_again(&[]);
    cloud_down_for_an_end(&house, &waiting.id).await;
    eventually("another is told after them", async || told(&house).0 == 2).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cloud_that_errs_limits_and_is_slow_is_asked_again_until_it_is_done() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    for switches in
        [json!({ "error_every": 4 }), json!({ "latency_ms": 150 }), json!({ "error_every": 3, "latency_ms": 20 })]
    {
        house.switch(switches.clone()).await;
        let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
        house.live(&asked.id).await;
        house.client(TOMAS).give_back(&asked.id).await.unwrap();
        assert_eq!(house.over(&asked.id).await.elevation.state, "given-back", "{switches}");
        // Asked of a cloud that answers, so that the count is whole.
        house.switch(json!({})).await;
        assert_eq!(house.cloud_marks().await, 0, "{switches}");
    }
    house.switch(json!({ "calls_per_minute": 1 })).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    eventually("the limit is said", async || {
        trouble(&house, &asked.id).await.is_some_and(|says| says.contains("limits how often"))
    })
    .await;
    house.switch(json!({})).await;
    house.live(&asked.id).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_half_answer_changes_nobodys_rights_and_a_foreign_clock_holds_giving() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    let which = WhichTarget { target: BRIGHTWATER.to_owned() };
    let before = mara.survey(&which).await.unwrap().standing;
    house.switch(json!({ "half_answers": true })).await;
    let half = mara.survey(&which).await.unwrap();
    assert_eq!((half.standing, half.held.as_deref()), (before, Some("the target answered only in part")));
    let refused = mara.accept_survey(&which).await.unwrap_err();
    assert!(refused.to_string().contains("a half survey is never taken in"), "{refused}");
    house.switch(json!({})).await;
    assert_eq!(mara.survey(&which).await.unwrap().held, None);
    assert_eq!(open_alarms(&house).await, Vec::<String>::new());

    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    house.switch(json!({ "clock_ahead_s": 60 })).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    eventually("the clock is an alarm", async || open_alarms(&house).await == ["skew"]).await;
    let says =
        async || trouble(&house, &asked.id).await.is_some_and(|why| why.contains("its clock is too far from ours"));
    eventually("the ask says why it waits", says).await;
    house.switch(json!({})).await;
    house.live(&asked.id).await;
    eventually("the alarm settles", async || open_alarms(&house).await.is_empty()).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_broker_that_may_only_make_roles_serves_ordinary_ones_and_says_where_it_ends() {
    let house = House::new(Plan { cluster: Some("CREATEROLE"), ..Plan::cloud_only() }).await;
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let asked = house.ask(TOMAS, &on_berths("harbour_operator"), 600).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    house.live(&asked.id).await;
    let login = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    let (user, password) = (login.user.unwrap(), login.password.unwrap());
    let sql = tempestas_demo::cluster::connect(house.cluster().port, &user, &password, "berths").await.unwrap();
    house.client(TOMAS).give_back(&asked.id).await.unwrap();
    house.over(&asked.id).await;
    sql.batch_execute("SELECT 1").await.expect_err("the open session goes on");
    house.eligible(TOMAS, &on_berths("SUPERUSER")).await;
    let asked = house.ask(TOMAS, &on_berths("SUPERUSER"), 600).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    eventually("what it can't give is said", async || {
        trouble(&house, &asked.id).await.is_some_and(|says| says.contains("SQLSTATE 42501"))
    })
    .await;
    house.client(TOMAS).give_back(&asked.id).await.unwrap();
    assert_eq!(house.over(&asked.id).await.elevation.state, "given-back");
    let refused = house.client(MARA).survey(&WhichTarget { target: BERTHS.to_owned() }).await;
    assert!(refused.unwrap().standing > 50, "it can still read everything");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_log_that_nothing_can_be_written_to_stops_nothing() {
    let mut house = House::new(Plan { proxied: true, ..Plan::cloud_only() }).await;
    house.service.kill();
    // As on a disk that is full, from the first line on; and with very much to say.
    std::fs::remove_file(house.setup.log()).unwrap();
    std::os::unix::fs::symlink("/dev/full", house.setup.log()).unwrap();
    house.start_again(&[("TEMPESTAS_LOG", "debug")]);
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let held = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&held.id).await;
    // What a keeper warns of, and tries again.
    house.cloud_proxy.as_ref().unwrap().set_down(true);
    house.client(TOMAS).give_back(&held.id).await.unwrap();
    eventually("it is in the way, and said", async || trouble(&house, &held.id).await.is_some()).await;
    house.cloud_proxy.as_ref().unwrap().set_down(false);
    assert_eq!(house.over(&held.id).await.elevation.state, "given-back");
    assert_eq!(house.cloud_marks().await, 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn whoever_is_signed_in_still_sees_what_is_held_where_nothing_can_be_written_of_them() {
    let config = "[sign_in]\nidle = \"60s\"\nlongest = \"10m\"\n".to_owned();
    let house = House::new(Plan { config, ..Plan::cloud_only() }).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let held = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&held.id).await;
    let passing = house.path().join("state/passing.sqlite");
    let mut other = SqliteConnectOptions::new().filename(&passing).connect().await.unwrap();
    sqlx::query("BEGIN IMMEDIATE").execute(&mut other).await.unwrap();
    let log = || std::fs::read_to_string(house.setup.log()).unwrap();
    eventually("that it was used can't be noted, and is said", async || {
        let seen = house.client(TOMAS).elevation(&held.id, &WaitQuery::default()).await.unwrap();
        assert_eq!(seen.elevation.state, "live");
        log().contains("can't be noted")
    })
    .await;
    // What would be done is not: it could be done twice.
    let refused = house.client(TOMAS).give_back(&held.id).await.unwrap_err();
    assert_eq!(refused.code(), Some("failed"), "{refused}");
    sqlx::query("ROLLBACK").execute(&mut other).await.unwrap();
    house.client(TOMAS).give_back(&held.id).await.unwrap();
    assert_eq!(house.over(&held.id).await.elevation.state, "given-back");
}

//! Conversions in waves after a rehearsal, and what is done behind our back, on real systems.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    Chosen, ConversionView, ConvertRequest, DriftFilter, DriftStateView, DriftView, IgnoreDrift, RehearseRequest,
    StandingFilter, WaysQuery, WhichTarget,
};
use tempestas_core::{
    ItemState, Weight,
    rehearsal::{Advice, Rhythm},
};
use tempestas_demo::quillhaven::{BERTHS, BRIGHTWATER};

use crate::house::{House, MARA, Plan, TOMAS, eventually};

/// The reference of a right that an account holds directly.
pub async fn held(house: &House, account: &str, role: &str) -> String {
    let all = house.client(MARA).standing(&StandingFilter::default()).await.unwrap();
    let found = all.into_iter().find(|one| one.account == account && one.role == role && one.direct);
    found.unwrap_or_else(|| panic!("{account} doesn't hold {role}")).id
}

async fn conversion(house: &House, id: &str) -> ConversionView {
    house.client(MARA).conversions().await.unwrap().into_iter().find(|one| one.id == id).unwrap()
}

/// Waits until every item of a wave is in a state, as read back from its system.
pub async fn reached(house: &House, id: &str, wave: u32, state: ItemState) {
    eventually("the wave is read back", async || {
        let now = conversion(house, id).await;
        now.items.iter().filter(|item| item.wave == wave).all(|item| item.state == state)
    })
    .await;
}

/// Whether a login is a member of a role of the cluster at this moment.
pub async fn is_member(house: &House, login: &str, role: &str) -> bool {
    let sql = house.cluster().connect("postgres").await.unwrap();
    sql.query_one("SELECT pg_has_role($1::name, $2::name, 'MEMBER')", &[&login, &role]).await.unwrap().get(0)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rehearsal_warns_and_waves_over_two_systems_go_and_come_back() {
    let house = House::new(Plan::whole()).await;
    let mara = house.client(MARA);
    let (batch, writer) =
        (held(&house, "night-batch", "tide-writer").await, held(&house, "t.reyes", "tide-writer").await);
    let operator = held(&house, "treyes", "harbour_operator").await;
    let chosen = vec![batch.clone(), writer.clone(), operator.clone()];
    let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await.unwrap();
    let item = |id: &str| plan.items.iter().find(|item| item.standing.id == id).unwrap();
    assert_eq!((item(&batch).rhythm, item(&batch).advice), (Rhythm::Daily, Advice::KeepForProgram));
    assert!(item(&batch).cautions.iter().any(|one| one.contains("every day at 02:15")), "{:?}", item(&batch).cautions);
    assert_eq!((item(&writer).rhythm, item(&writer).advice), (Rhythm::Weekly, Advice::Convert));
    assert_eq!(item(&operator).rhythm, Rhythm::Unknown, "the cluster tells nothing of uses");

    let ask = |days, zone: &str| RehearseRequest {
        chosen: chosen.clone(),
        days: Some(days),
        zone: Some(zone.to_owned()),
        rule: None,
    };
    let seen = mara.rehearse(&ask(60, "UTC")).await.unwrap();
    assert_eq!(seen.batches.len(), 1);
    assert_eq!(seen.batches[0].when, "every day at 02:15");
    assert_eq!(
        (seen.people[0].who.as_str(), seen.people[0].figures.refused),
        ("night-batch", 60),
        "whom to talk to first"
    );
    assert!(seen.all.asks > 5 && seen.all.unattended == 0, "nobody need be asked for the other");
    assert_eq!(seen.unseen.iter().map(|one| one.told).collect::<Vec<_>>(), [false]);
    let strict = "scope = \"/analytics/brightwater\"\nasker = \"tomas.reyes\"\n[settings]\napproval = { is = \"stage\", approvers = [\"oda.brandt\"], yes = 1, no = 1, within = 3600 }\n";
    let stricter = RehearseRequest { rule: Some(toml::from_str(strict).unwrap()), ..ask(60, "UTC") };
    let stricter = mara.rehearse(&stricter).await.unwrap();
    assert_eq!(stricter.approvers.iter().map(|one| one.who.as_str()).collect::<Vec<_>>(), ["oda.brandt"]);
    assert!(
        mara.terms().await.unwrap().terms.iter().all(|rule| rule.rule.asker.as_deref() != Some(TOMAS)),
        "it was tried, not set"
    );
    for (wrong, why) in [(ask(0, "UTC"), "1 to 400"), (ask(9, "Harbour/Time"), "IANA name")] {
        let refused = mara.rehearse(&wrong).await.unwrap_err().to_string();
        assert!(refused.contains(why), "{refused}");
    }

    let chosen = vec![writer.clone(), operator.clone()];
    let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await.unwrap();
    let request = ConvertRequest {
        name: Some("Lake, then berths".to_owned()),
        pilot: vec![writer.clone()],
        ..ConvertRequest::at_once(chosen, plan.digest)
    };
    let id = mara.convert(&request).await.unwrap().id;
    reached(&house, &id, 1, ItemState::Taken).await;
    assert!(!house.may(&house.cloud_key("t.reyes"), "write", "table", &["lake"]).await, "gone on the cloud itself");
    assert!(is_member(&house, "treyes", "harbour_operator").await, "its wave has not begun");
    mara.next_wave(&id).await.unwrap();
    reached(&house, &id, 2, ItemState::Taken).await;
    assert!(!is_member(&house, "treyes", "harbour_operator").await);
    let over = mara.next_wave(&id).await.unwrap_err().to_string();
    assert!(over.contains("every wave"), "{over}");
    mara.undo_conversion(&id).await.unwrap();
    reached(&house, &id, 1, ItemState::Restored).await;
    reached(&house, &id, 2, ItemState::Restored).await;
    assert!(is_member(&house, "treyes", "harbour_operator").await);
    mara.survey(&WhichTarget { target: BRIGHTWATER.to_owned() }).await.unwrap();
    assert!(mara.drift(&DriftFilter::default()).await.unwrap().is_empty(), "what an undo put back is no drift");
    assert!(house.may(&house.cloud_key("t.reyes"), "write", "table", &["lake"]).await);
}

/// What a survey of the cluster finds that nobody has decided about.
async fn drift(house: &House) -> Vec<DriftView> {
    let mara = house.client(MARA);
    mara.survey(&WhichTarget { target: BERTHS.to_owned() }).await.unwrap();
    mara.drift(&DriftFilter::default()).await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_done_on_a_cluster_behind_our_back_is_found_and_put_back_there() {
    let house = House::new(Plan::whole()).await;
    let mara = house.client(MARA);
    assert!(drift(&house).await.is_empty());
    let sql = house.cluster().connect("postgres").await.unwrap();
    sql.batch_execute("ALTER ROLE etan SUPERUSER; REVOKE harbour_operator FROM kdvor; GRANT berth_reader TO aosei")
        .await
        .unwrap();
    let found = drift(&house).await;
    let about = |account: &str| found.iter().find(|one| one.account == account).unwrap();
    assert_eq!(found.len(), 3, "{found:#?}");
    assert_eq!((found[0].account.as_str(), found[0].weight), ("etan", Weight::Critical), "the worst first");
    let alarms = mara.alarms().await.unwrap();
    let up = alarms.iter().find(|alarm| alarm.kind == "new-power" && alarm.settled.is_none()).unwrap();
    assert!(up.says.contains("`etan` can do everything there now"), "{}", up.says);
    // Refused to whoever doesn't run the place, and not shown to them.
    let toms = house.client(TOMAS);
    toms.drift(&DriftFilter::default()).await.unwrap_err();
    toms.put_back_drift(&found[0].id).await.unwrap_err();

    mara.put_back_drift(&about("etan").id).await.unwrap();
    mara.put_back_drift(&about("kdvor").id).await.unwrap();
    let until = Timestamp::now() + SignedDuration::from_hours(48);
    let ignore = IgnoreDrift { reason: "helps out this week".to_owned(), until };
    mara.ignore_drift(&about("aosei").id, &ignore).await.unwrap();
    eventually("it is put back on the cluster", async || {
        let row = sql.query_one("SELECT rolsuper FROM pg_roles WHERE rolname = 'etan'", &[]).await.unwrap();
        !row.get::<_, bool>(0) && is_member(&house, "kdvor", "harbour_operator").await
    })
    .await;
    let left = drift(&house).await;
    assert!(left.is_empty(), "what was put back is no drift of its own: {left:#?}");
    // A line that trusts whoever comes is power that everybody holds.
    let rules = house.path().join("postgres/data/pg_hba.conf");
    let before = std::fs::read_to_string(&rules).unwrap();
    std::fs::write(&rules, format!("{before}host berths all 10.9.0.0/16 trust\n")).unwrap();
    let trusted = drift(&house).await;
    assert_eq!(trusted.len(), 1, "{trusted:#?}");
    assert!(
        trusted[0].says.contains("`whoever comes from 10.9.0.0` can do everything there now"),
        "{}",
        trusted[0].says
    );
    let by_hand = mara.put_back_drift(&trusted[0].id).await.unwrap_err().to_string();
    assert!(by_hand.contains("held only through line"), "{by_hand}");
    std::fs::write(&rules, before).unwrap();
    assert!(drift(&house).await.is_empty(), "it is over by itself");
    let settled = mara.alarms().await.unwrap();
    assert!(settled.iter().any(|alarm| alarm.id == up.id && alarm.settled.is_some()));
    let all = mara.drift(&DriftFilter { all: true, at: None }).await.unwrap();
    let ignored = all.iter().find(|one| one.state == DriftStateView::Ignored).unwrap();
    assert_eq!((ignored.by.as_deref(), ignored.reason.as_deref()), (Some(MARA), Some("helps out this week")));
}

#[tokio::test(flavor = "multi_thread")]
async fn who_reaches_a_system_is_worked_out_as_far_as_the_caller_may_see() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    let to = |place: &str| WaysQuery { to: Some(place.to_owned()), of: None };
    let ways = mara.ways(&to(&format!("{BRIGHTWATER}/lake"))).await.unwrap();
    let toms = ways.ways.iter().find(|way| way.who == TOMAS).unwrap();
    assert_eq!(
        toms.steps,
        [
            format!("owns `t.reyes` on {BRIGHTWATER}"),
            format!("which holds tide-writer@{BRIGHTWATER}/lake all the time"),
        ]
    );
    assert!(!toms.on_request && ways.without_asking <= ways.total);
    let own = mara.ways(&WaysQuery { to: None, of: Some(TOMAS.to_owned()) }).await.unwrap();
    assert!(own.ways.iter().any(|way| way.on_request && way.steps[0].starts_with("is a member of")), "{own:#?}");
    for wrong in [WaysQuery::default(), to("/nowhere"), to("none@/analytics/brightwater")] {
        mara.ways(&wrong).await.unwrap_err();
    }
}

//! Killed at every commit and at every call to a target, and started again: no fact lost that was answered for,
//! nothing left on a target, nothing stuck.

use tempestas_api::{Chosen, ConvertRequest, ElevationFilter};
use tempestas_client::ClientError;
use tempestas_core::{ItemState, Seconds};

use crate::{
    house::{House, INES, MARA, ODA, Plan, TOMAS, on_berths, on_cloud},
    proxy::{Proxy, Stop},
    waves::held,
};

/// More points than any lifecycle has; reaching it means that the count never ends.
const MOST: u64 = 400;

/// What was answered for before the service died.
#[derive(Default)]
struct Answered {
    asked: Option<String>,
    given_back: bool,
}

/// One lifecycle, as far as the service lives.
async fn lifecycle(house: &House, right: &str, approved: bool, answered: &mut Answered) -> Result<(), ClientError> {
    let asked = house.ask(TOMAS, right, 300).await?;
    answered.asked = Some(asked.id.clone());
    if approved {
        house.yes(ODA, &asked.id).await?;
    }
    let before = ["waiting", "opening"];
    let story = house.client(TOMAS).wait_past(&asked.id, &before, crate::house::SOON).await?;
    assert_eq!(story.elevation.state, "live", "{}", story.elevation.sentence);
    house.client(TOMAS).give_back(&asked.id).await?;
    answered.given_back = true;
    let story = house.client(TOMAS).wait_past(&asked.id, &["closing"], crate::house::SOON).await?;
    assert_eq!(story.elevation.state, "given-back", "{}", story.elevation.sentence);
    Ok(())
}

/// After a new start: what was answered for is there, and everything comes to its end with nothing left behind.
async fn recovered(house: &House, answered: &Answered, what: &str) {
    let all =
        house.client(INES).elevations(&ElevationFilter { all: true, ended: true, ..Default::default() }).await.unwrap();
    if let Some(asked) = &answered.asked {
        let known = all.iter().find(|one| one.id == *asked).unwrap_or_else(|| panic!("{what}: {asked} was lost"));
        let ending = ["closing", "given-back"].contains(&known.state.as_str());
        assert!(ending || !answered.given_back, "{what}: the end of {asked} was lost, it is {}", known.state);
    }
    for open in all.iter().filter(|one| ["waiting", "opening", "live", "closing"].contains(&one.state.as_str())) {
        // Refused where it is closing already; the wait below tells.
        let _ = house.client(TOMAS).give_back(&open.id).await;
        house.over(&open.id).await;
    }
    assert_eq!(house.cloud_marks().await, 0, "{what}: a posting is left");
    if house.cluster.is_some() {
        assert_eq!(house.cluster_marks().await, 0, "{what}: a login is left");
    }
}

/// Kills the service at each call of a lifecycle in turn: before the target heard it, or after.
async fn at_every_call(house: &mut House, right: &str, heard: bool, proxy: fn(&House) -> &Proxy) -> u64 {
    let approved = house.cluster.is_some();
    let mut points = 0;
    for at in 1..MOST {
        let kill = Some(house.service.id());
        proxy(house).arm(Stop { at, heard, kill });
        let mut answered = Answered::default();
        let outcome = lifecycle(house, right, approved, &mut answered).await;
        if !proxy(house).disarm() {
            outcome.unwrap();
            break;
        }
        points += 1;
        house.service.kill();
        house.start_again(&[]);
        recovered(house, &answered, &format!("killed at call {at}, heard: {heard}")).await;
    }
    let (well, text) = house.rebuild();
    assert!(well, "{text}");
    points
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_at_every_commit_nothing_answered_for_is_lost() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let mut points = 0;
    for when in ["before", "after"] {
        for at in 1..MOST {
            house.service.stop().unwrap();
            house.start_again(&[("TEMPESTAS_CRASH_AT", &format!("{when}:{at}"))]);
            let mut answered = Answered::default();
            let outcome = lifecycle(&house, &on_cloud("tide-writer", "/lake/raw"), false, &mut answered).await;
            // It may take a moment to be gone after the connection broke.
            if outcome.is_ok() || house.service.wait_for_end(std::time::Duration::from_secs(5)).is_err() {
                outcome.unwrap();
                break;
            }
            points += 1;
            house.start_again(&[]);
            recovered(&house, &answered, &format!("killed {when} commit {at}")).await;
        }
    }
    let (well, text) = house.rebuild();
    assert!(well, "{text}");
    println!("killed at {points} points around commits");
    assert!(points >= 8, "only {points} points were tried");
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_at_every_call_to_the_cloud_nothing_is_left_there() {
    let mut house = House::new(Plan { proxied: true, ..Plan::cloud_only() }).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let right = on_cloud("tide-writer", "/lake/raw");
    let mut points = 0;
    for heard in [false, true] {
        points += at_every_call(&mut house, &right, heard, |house| house.cloud_proxy.as_ref().unwrap()).await;
    }
    println!("killed at {points} points around calls to the cloud");
    assert!(points >= 16, "only {points} points were tried");
}

/// Most of the time of these two is waiting, so that they go beside each other.
async fn on_the_cluster(heard: bool) {
    let mut house = House::new(Plan { proxied: true, ..Plan::whole() }).await;
    let right = on_berths("harbour_dba");
    let points = at_every_call(&mut house, &right, heard, |house| house.cluster_proxy.as_ref().unwrap()).await;
    println!("killed at {points} calls to the cluster, heard: {heard}");
    assert!(points >= 15, "only {points} points were tried");
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_before_every_call_to_the_cluster_no_login_is_left_there() {
    on_the_cluster(false).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_after_every_call_to_the_cluster_no_login_is_left_there() {
    on_the_cluster(true).await;
}

/// Converts two rights, a pilot and the other a moment later, as far as the service lives.
async fn convert(house: &House) -> Result<(), ClientError> {
    let mara = house.client(MARA);
    let pilot = held(house, "t.reyes", "tide-writer").await;
    let chosen = vec![pilot.clone(), held(house, "night-batch", "tide-writer").await];
    let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await?;
    let request =
        ConvertRequest { pilot: vec![pilot], pace: Some(Seconds(1)), ..ConvertRequest::at_once(chosen, plan.digest) };
    let id = mara.convert(&request).await?.id;
    all_are(house, &id, ItemState::Taken).await
}

/// Waits until every right of a conversion is in a state, as read back, as far as the service lives.
async fn all_are(house: &House, id: &str, state: ItemState) -> Result<(), ClientError> {
    let until = tokio::time::Instant::now() + crate::house::SOON;
    loop {
        let all = house.client(MARA).conversions().await?;
        let items = &all.iter().find(|one| one.id == id).unwrap().items;
        if items.iter().all(|item| item.state == state) {
            return Ok(());
        }
        assert!(tokio::time::Instant::now() < until, "{id} never got to {state:?}: {items:?}");
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_at_every_call_of_a_conversion_its_waves_go_on_where_they_were() {
    let mut house = House::new(Plan { proxied: true, ..Plan::cloud_only() }).await;
    let may = async |house: &House| house.may(&house.cloud_key("t.reyes"), "write", "table", &["lake"]).await;
    let mut points = 0;
    for at in 1..MOST {
        let kill = Some(house.service.id());
        house.cloud_proxy.as_ref().unwrap().arm(Stop { at, heard: true, kill });
        let outcome = convert(&house).await;
        let was_killed = house.cloud_proxy.as_ref().unwrap().disarm();
        if was_killed {
            points += 1;
            house.service.kill();
            house.start_again(&[]);
        } else {
            outcome.unwrap();
        }
        let begun = house.client(MARA).conversions().await.unwrap().into_iter().find(|one| one.undone_at.is_none());
        let id = begun.unwrap_or_else(|| panic!("killed at call {at}: the conversion was lost")).id;
        all_are(&house, &id, ItemState::Taken).await.unwrap();
        assert!(!may(&house).await, "killed at call {at}: the right is still there");
        house.client(MARA).undo_conversion(&id).await.unwrap();
        all_are(&house, &id, ItemState::Restored).await.unwrap();
        assert!(may(&house).await, "killed at call {at}: undone, and the right is not back");
        if !was_killed {
            break;
        }
    }
    let (well, text) = house.rebuild();
    assert!(well, "{text}");
    println!("killed at {points} calls of a conversion");
    assert!(points >= 6, "only {points} points were tried");
}

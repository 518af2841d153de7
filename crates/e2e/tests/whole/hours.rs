//! When a right may be held, on a real cloud by the clock as it is: within its hours, and waiting for them.

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use reqwest::StatusCode;
use serde_json::{Value, json};
use tempestas_api::{EffectiveQuery, NewTerms, WaitQuery};
use tempestas_core::{Act, Dormant, Phase, StartChoice};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, MARA, Plan, TOMAS, ask, eventually, on_cloud};

/// The day of the week so many days from now, in UTC.
fn day(ahead: i64) -> String {
    let then = Timestamp::now() + SignedDuration::from_hours(24 * ahead);
    then.to_zoned(TimeZone::UTC).strftime("%a").to_string().to_lowercase()
}

/// Has what is on the cloud be held on these days alone.
async fn open_on(house: &House, days: &[String]) {
    let days = days.join(",");
    let rule = format!(
        "scope = \"{BRIGHTWATER}\"\n[settings]\nhours = [{{ zone = \"UTC\", open = [\"{days} 00:00-24:00\"] }}]\n"
    );
    house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_asked_for_outside_of_its_hours_begins_with_them() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    open_on(&house, &[day(3)]).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    assert!(asked.demand.contains(&format!("it may be held {} 00:00-24:00 (UTC)", day(3))), "{}", asked.demand);
    assert_eq!(asked.state, Phase::Scheduled.to_string(), "{}", asked.sentence);
    assert!(asked.sentence.contains("begins at ") && asked.sentence.contains("00:00:00 UTC"), "{}", asked.sentence);
    assert_eq!(house.cloud_marks().await, 0, "nothing is given before");
    let tomorrow = StartChoice::At { time: Timestamp::now() + SignedDuration::from_hours(24) };
    let refused = ask(house.client(TOMAS), &right, Some(600), tomorrow, None).await.unwrap_err();
    assert_eq!(refused.cause(), Some("start-closed"), "{refused}");
    assert!(refused.to_string().contains("it opens at "), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn nobody_is_asked_within_the_hours_of_a_rule_and_the_story_names_it() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let set = async |days: &[String]| {
        let rule = format!(
            "scope = \"{BRIGHTWATER}\"\nasker = \"{TOMAS}\"\n[settings.approval]\nis = \"outside-hours\"\n\
             hours = [{{ zone = \"UTC\", open = [\"{} 00:00-24:00\"] }}]\n\
             stages = [{{ approvers = [\"administrators\"], yes = 1, no = 1, within = 3600 }}]\n",
            days.join(",")
        );
        house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap().id
    };
    let by_day = set(&[day(0), day(1)]).await;
    let told = async |id: &str| {
        let story = house.client(TOMAS).elevation(id, &WaitQuery::default()).await.unwrap();
        story.story.into_iter().map(|entry| entry.words.to_string()).collect::<Vec<_>>()
    };
    let within = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&within.id).await;
    let says = format!("needed nobody's yes for {}, by terms {by_day}", within.id);
    assert!(told(&within.id).await.contains(&says), "{:?}", told(&within.id).await);
    house.client(MARA).end_terms(&by_day).await.unwrap();
    set(&[day(3)]).await;
    let outside = house.ask(TOMAS, &right, 600).await.unwrap();
    assert_eq!(outside.state, Phase::Waiting.to_string(), "{}", outside.sentence);
    house.yes(MARA, &outside.id).await.unwrap();
    house.live(&outside.id).await;
    assert!(told(&outside.id).await.iter().all(|words| !words.contains("nobody's yes")));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rule_begins_and_runs_out_by_the_clock_as_it_is() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let longest = async || {
        let query = EffectiveQuery { right: right.clone(), asker: None, act: Act::Elevate };
        let all = house.client(TOMAS).effective_terms(&query).await.unwrap().settings;
        all.into_iter().find(|one| one.setting == "longest").unwrap().value
    };
    let before = longest().await;
    let (from, until) =
        (Timestamp::now() + SignedDuration::from_secs(5), Timestamp::now() + SignedDuration::from_secs(9));
    let mut rule: NewTerms =
        toml::from_str(&format!("scope = \"{BRIGHTWATER}\"\n[settings]\nlongest = 61\nusual = 61\n")).unwrap();
    (rule.valid_from, rule.valid_until) = (Some(from), Some(until));
    let set = house.client(MARA).add_terms(&rule).await.unwrap();
    assert_eq!((set.dormant, longest().await), (Some(Dormant::NotYet), before.clone()));
    eventually("the rule begins", async || longest().await == "1 min 1 s").await;
    assert!(Timestamp::now() >= from);
    eventually("it runs out", async || longest().await == before).await;
    assert!(Timestamp::now() >= until);
    let all = house.client(MARA).terms().await.unwrap().terms;
    assert_eq!(all.iter().find(|rule| rule.id == set.id).unwrap().dormant, Some(Dormant::Over));
    let refused = house.client(MARA).add_terms(&rule).await.unwrap_err();
    assert!(refused.to_string().contains("would be over already"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn within_them_it_is_given_and_hours_that_cant_be_read_are_refused() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    // Whatever the hour, neither today's end nor tomorrow's begin is in the way.
    open_on(&house, &[day(0), day(1)]).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&asked.id).await;

    let token = house.token(MARA).await;
    for (hours, says) in [
        (json!([{ "zone": "UTC", "open": ["weekdays 07:00-17:00"] }]), "write it like `mon-fri 07:00-17:00`"),
        (json!([{ "zone": "Quillhaven", "open": ["mon 07:00-17:00"] }]), "`Quillhaven` is no IANA time zone"),
        (json!([{ "zone": "UTC", "open": [] }]), "never opens"),
        (json!([{ "zone": "UTC", "open": ["mon 07:00-17:00"], "but": "holidays" }]), "but"),
    ] {
        let url = format!("{}/api/v1/terms", house.service.address);
        let body = json!({ "scope": BRIGHTWATER, "settings": { "hours": hours } });
        let reply = reqwest::Client::new().post(url).bearer_auth(&token).json(&body).send().await.unwrap();
        let status = reply.status();
        let said: Value = reply.json().await.unwrap();
        assert!([StatusCode::BAD_REQUEST, StatusCode::UNPROCESSABLE_ENTITY].contains(&status), "{body}: {said}");
        assert!(said["detail"].as_str().unwrap().contains(says), "`{says}` is not said: {said}");
    }
}

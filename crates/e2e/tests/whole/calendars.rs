//! Calendars on a real cloud, by the clock as it is: what would run into an entry ends before it; and as files at a terminal.

use std::{collections::BTreeSet, path::Path};

use jiff::Timestamp;
use tempestas_api::{CalendarBody, CalendarView, NewTerms};
use tempestas_client::ClientError;
use tempestas_core::{LookedAt, Phase};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually, on_berths, on_cloud};

/// An iCalendar file of one entry of two days, from a moment on.
pub fn freeze(from: Timestamp) -> String {
    let from = from.strftime("%Y%m%dT%H%M%SZ");
    format!(
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:freeze\r\nSUMMARY:Crane swap\r\nDTSTART:{from}\r\n\
         DURATION:P2D\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
}

impl House {
    /// Sets a calendar of one freeze from a moment on, whatever stood there.
    pub async fn freeze(&self, name: &str, from: Timestamp) -> CalendarView {
        self.try_calendar(name, freeze(from)).await.unwrap()
    }

    async fn try_calendar(&self, name: &str, file: String) -> Result<CalendarView, ClientError> {
        let all = self.client(MARA).calendars().await.unwrap();
        let known = all.into_iter().find(|one| one.name == name);
        let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
        let body = CalendarBody { zone: "Europe/Oslo".to_owned(), file };
        self.client(MARA).set_calendar(name, was, &body).await
    }

    async fn closed_by(&self, scope: &str, name: &str) -> String {
        let rule = format!("scope = \"{scope}\"\n[settings]\nclosed = [\"{name}\"]\n");
        let rule: NewTerms = toml::from_str(&rule).unwrap();
        self.client(MARA).add_terms(&rule).await.unwrap().id
    }
}

fn in_seconds(seconds: i64) -> Timestamp {
    Timestamp::from_second(Timestamp::now().as_second() + seconds).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_held_is_gone_from_the_cloud_when_the_freeze_begins_and_nothing_comes_in_it() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let begins = in_seconds(12);
    house.freeze("quay-freeze", begins).await;
    house.closed_by(BRIGHTWATER, "quay-freeze").await;
    let held = house.ask(TOMAS, &right, 600).await.unwrap();
    let says = "is over at";
    assert!(held.demand.contains(says) && held.demand.contains("(`quay-freeze` has Crane swap)"), "{}", held.demand);
    let live = house.live(&held.id).await;
    assert_eq!(live.elevation.grant.unwrap().until, begins);
    assert_eq!(house.cloud_marks().await, 1);
    assert_eq!(house.over(&held.id).await.elevation.state, "lapsed");
    assert!(Timestamp::now() >= begins);
    eventually("it is gone from the cloud", async || house.cloud_marks().await == 0).await;

    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    assert_eq!(asked.state, Phase::Scheduled.to_string(), "{}", asked.sentence);
    assert!(asked.sentence.contains("begins at "), "{}", asked.sentence);
    assert_eq!(house.cloud_marks().await, 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_freeze_that_comes_later_leaves_what_is_held_its_end_and_names_it() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    house.freeze("quay-freeze", in_seconds(24 * 3600)).await;
    house.closed_by(BRIGHTWATER, "quay-freeze").await;
    let held = house.ask(TOMAS, &right, 600).await.unwrap();
    let until = house.live(&held.id).await.elevation.grant.unwrap().until;
    let sooner = house.freeze("quay-freeze", in_seconds(60)).await;
    assert_eq!(sooner.runs_into, std::slice::from_ref(&held.id));
    assert_eq!(house.live(&held.id).await.elevation.grant.unwrap().until, until);
    // Whoever has another part sees neither the calendar nor who holds what.
    let theirs = house.client(ODA).calendars().await.map(|all| all.into_iter().map(|one| one.name).collect());
    assert!(!theirs.is_ok_and(|names: BTreeSet<String>| names.contains("quay-freeze")));
}

/// Writes a file for a terminal.
fn written(at: &Path, text: &str) -> String {
    std::fs::write(at, text).unwrap();
    at.display().to_string()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_calendar_is_set_from_a_file_at_a_terminal_and_what_cant_be_says_why() {
    let house = House::new(Plan::whole()).await;
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let home = house.path().join("mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let run = |arguments: &[&str]| house.tempestas(&home, arguments, "");
    let file = written(&house.path().join("freeze.ics"), &freeze("2036-12-20T12:00:00Z".parse().unwrap()));
    let (exit, text) = run(&["calendars", "set", "quay-freeze", &file, "--zone", "Europe/Oslo"]);
    assert_eq!(exit, 0, "{text}");
    assert!(text.contains("1 entry ahead, the next Crane swap, 2036-12-20 12:00 UTC until 2036-12-22"), "{text}");
    let rule = house.closed_by("/harbour/databases", "quay-freeze").await;
    let (exit, text) = run(&["calendars", "show", "quay-freeze"]);
    assert!(exit == 0 && text.contains(&format!("closes {rule}")) && text.contains("Crane swap"), "{text}");
    let (exit, text) = run(&["calendars", "end", "quay-freeze"]);
    assert!(exit == 3 && text.contains(&format!("rules go by `quay-freeze` ({rule})")), "{exit}: {text}");
    for (text, zone, says) in [
        ("closed on Fridays", "UTC", "this is no iCalendar file"),
        (freeze(Timestamp::now()).as_str(), "Quayside", "`Quayside` is no IANA time zone"),
        (&freeze(Timestamp::now()).replace("DURATION:P2D", "RRULE:FREQ=HOURLY"), "UTC", "more often than daily"),
        (&"x".repeat(270_000), "UTC", "larger than 262144 bytes"),
    ] {
        let file = written(&house.path().join("wrong.ics"), text);
        let (exit, said) = run(&["calendars", "set", "quay-freeze", &file, "--zone", zone]);
        assert!(exit != 0 && said.contains(says), "{exit}: `{says}` is not said: {said}");
    }
    let (_, text) = run(&["calendars"]);
    assert!(text.contains("Crane swap"), "what is refused changes nothing: {text}");
    let missing = house.path().join("none.ics").display().to_string();
    let (exit, text) = run(&["calendars", "set", "quay-freeze", &missing, "--zone", "UTC"]);
    assert!(exit != 0 && text.contains("can't be read"), "{text}");
}

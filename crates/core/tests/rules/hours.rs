//! When a right may be held: weeks in a zone, on both days on which its clocks change too, and what begins or goes on near them.

use std::collections::BTreeSet;

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}

fn week(zone: &str, open: &[&str]) -> Week {
    Week { zone: zone.to_owned(), open: open.iter().map(|time| time.parse().unwrap()).collect() }
}

fn hours(zone: &str, open: &[&str]) -> Hours {
    Hours(BTreeSet::from([week(zone, open)]))
}

#[test]
fn times_of_a_week_are_read_as_people_write_them_and_written_so() {
    for (written, again) in [
        ("mon-fri 07:00-17:00", "mon-fri 07:00-17:00"),
        ("mon,tue,wed,thu,fri 07:00-17:00", "mon-fri 07:00-17:00"),
        ("sat,sun 22:00-06:00", "sat,sun 22:00-06:00"),
        ("fri-mon 00:00-24:00", "mon,fri,sat,sun 00:00-24:00"),
        ("wed 23:59-24:00", "wed 23:59-24:00"),
    ] {
        assert_eq!(written.parse::<OpenTime>().unwrap().to_string(), again, "{written}");
    }
    for wrong in [
        "",
        "mon",
        "mon 7:00-17:00",
        "mon 07:00",
        "mon 07:00-07:00",
        "mon 07:60-08:00",
        "mon 07:00-24:01",
        "mon 24:00-07:00",
        "Monday 07:00-17:00",
        "mon- 07:00-17:00",
        "mon,, 07:00-17:00",
        "mon 07:00-17:00 CET",
        "mon 0७:00-17:00",
    ] {
        let refused = wrong.parse::<OpenTime>().unwrap_err();
        assert!(refused.contains("write it like `mon-fri 07:00-17:00`"), "{wrong}: {refused}");
    }
}

#[test]
fn a_week_opens_and_closes_by_the_clocks_of_its_zone() {
    let oslo = |open: &[&str], when: &str| hours("Europe/Oslo", open).open_until(at(when));
    for (open, when, until) in [
        // Winter is an hour ahead of UTC, summer two.
        ("mon-fri 07:00-17:00", "2026-01-07T06:00:00Z", Some("2026-01-07T16:00:00Z")),
        ("mon-fri 07:00-17:00", "2026-01-07T05:59:59Z", None),
        ("mon-fri 07:00-17:00", "2026-01-07T16:00:00Z", None),
        ("mon-fri 07:00-17:00", "2026-07-01T05:00:00Z", Some("2026-07-01T15:00:00Z")),
        ("mon-fri 07:00-17:00", "2026-01-10T10:00:00Z", None),
        // Over midnight, on from the day that it begins on.
        ("fri 22:00-06:00", "2026-01-10T04:00:00Z", Some("2026-01-10T05:00:00Z")),
        ("fri 22:00-06:00", "2026-01-09T04:00:00Z", None),
        // The clocks go forward at 01:00 UTC, from 02:00 to 03:00: what lies between isn't there that day.
        ("sun 02:00-03:00", "2026-03-29T00:59:59Z", None),
        ("sun 02:00-03:00", "2026-03-29T01:00:00Z", None),
        ("sun 01:00-04:00", "2026-03-29T00:00:00Z", Some("2026-03-29T02:00:00Z")),
        ("sun 02:30-03:30", "2026-03-29T01:15:00Z", None),
        // They go back at 01:00 UTC, from 03:00 to 02:00: what is there twice is open for both.
        ("sun 02:00-03:00", "2026-10-25T00:00:00Z", Some("2026-10-25T02:00:00Z")),
        ("sun 02:00-03:00", "2026-10-25T01:30:00Z", Some("2026-10-25T02:00:00Z")),
        ("sun 02:00-03:00", "2026-10-24T23:59:59Z", None),
        ("sat 22:00-06:00", "2026-10-24T20:00:00Z", Some("2026-10-25T05:00:00Z")),
    ] {
        assert_eq!(oslo(&[open], when), until.map(at), "{open} at {when}");
    }
    // Times that touch are one.
    let both = ["mon 08:00-12:00", "mon 12:00-16:00"];
    assert_eq!(oslo(&both, "2026-01-05T08:00:00Z"), Some(at("2026-01-05T15:00:00Z")));
    assert!(
        oslo(&["mon-sun 00:00-24:00"], "2026-01-05T08:00:00Z") > Some(at("2026-02-05T08:00:00Z")),
        "for longer than anything is held"
    );
}

#[test]
fn of_several_weeks_all_must_be_open() {
    let here = week("Europe/Oslo", &["mon-fri 07:00-17:00"]);
    let there = week("Asia/Singapore", &["mon-fri 08:00-18:00"]);
    let both = Hours(BTreeSet::from([here.clone(), there]));
    assert_eq!(both.open_until(at("2026-01-07T08:00:00Z")), Some(at("2026-01-07T10:00:00Z")));
    assert_eq!(both.open_until(at("2026-01-07T12:00:00Z")), None);
    assert_eq!(both.opens(at("2026-01-07T12:00:00Z")), Some(at("2026-01-08T06:00:00Z")));
    assert_eq!(both.opens(at("2026-01-09T12:00:00Z")), Some(at("2026-01-12T06:00:00Z")), "over the end of the week");
    let never = Hours(BTreeSet::from([here, week("Europe/Oslo", &["sat 07:00-17:00"])]));
    assert_eq!(never.opens(at("2026-01-07T12:00:00Z")), None);
    assert_eq!(Hours::default().open_until(at("2026-01-07T12:00:00Z")), Some(Timestamp::MAX));
}

/// The house, at 08:00 UTC on a Wednesday, where what is asked for may be held then until ten.
fn until_ten(yes: u16) -> House {
    let grace = Some(Grace(Seconds::minutes(30)));
    let mut house = House::new(&Settings { grace, ..settings(yes) });
    let settings = Settings { hours: Some(hours("UTC", &["wed 08:00-10:00"])), ..Settings::default() };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule(house.target(), settings) });
    house
}

#[test]
fn what_would_go_on_beyond_its_hours_ends_with_them() {
    let mut house = until_ten(0);
    house.now = at("2026-01-07T09:50:00Z");
    let id = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    house.obey();
    assert_eq!(house.until(id), at("2026-01-07T10:00:00Z"));
    let refused = house.extend(Who::Asker, id, 600).unwrap_err();
    assert!(matches!(refused, Refusal::Extend(ExtendRefusal::NoRoom { .. })), "{refused}");
    let refused = house.try_as(Who::Asker, ElevationCommand::TakeGrace { elevation: id }).unwrap_err();
    assert!(matches!(refused, Refusal::Extend(ExtendRefusal::NoRoom { .. })), "{refused}");
    // Within them it goes on, and so far as they do.
    let mut house = until_ten(0);
    house.now = at("2026-01-07T09:00:00Z");
    let id = house.ask(Who::Asker, 2400, StartChoice::AtYes).unwrap();
    house.obey();
    house.well(Who::Asker, ElevationCommand::TakeGrace { elevation: id });
    house.obey();
    assert_eq!(house.until(id), at("2026-01-07T10:00:00Z"), "20 min of the 30");
    house.replay();
}

#[test]
fn outside_of_them_it_waits_until_they_begin() {
    let mut house = until_ten(1);
    house.now = at("2026-01-07T09:59:00Z");
    let id = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    house.now = at("2026-01-07T10:00:00Z");
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    let next = at("2026-01-14T08:00:00Z");
    assert_eq!(house.world.elevations[&id].start, StartChoice::At { time: next });
    house.now = at("2026-01-14T07:59:59Z");
    house.tick();
    assert_eq!(house.phase(id), Phase::Scheduled);
    house.now = next;
    house.tick();
    house.obey();
    assert_eq!((house.phase(id), house.until(id)), (Phase::Live, at("2026-01-14T09:00:00Z")));
    house.check();
    house.replay();
}

#[test]
fn a_start_outside_of_them_is_refused_with_the_next_that_could_be() {
    let mut house = until_ten(1);
    let start = |time: &str| StartChoice::At { time: at(time) };
    let refused = house.ask(Who::Asker, 600, start("2026-01-07T10:00:00Z")).unwrap_err();
    let opens = Some(at("2026-01-14T08:00:00Z"));
    assert!(
        matches!(&refused, Refusal::Ask(AskRefusal::StartClosed { opens: said, .. }) if *said == opens),
        "{refused}"
    );
    assert!(refused.to_string().contains("it may be held wed 08:00-10:00 (UTC)"), "{refused}");
    house.ask(Who::Asker, 600, start("2026-01-07T09:59:59Z")).unwrap();

    let id = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
    house.now = at("2026-01-07T09:55:00Z");
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.now = at("2026-01-07T10:05:00Z");
    let refused = house.try_as(Who::Asker, ElevationCommand::Begin { elevation: id }).unwrap_err();
    assert!(matches!(refused, Refusal::Hold(HoldRefusal::OutsideHours { .. })), "{refused}");
}

#[test]
fn the_stricter_of_then_and_the_opening_holds() {
    let mut house = House::new(&settings(1));
    house.now = at("2026-01-07T08:30:00Z");
    let id = house.ask(Who::Asker, 7200, StartChoice::AtYes).unwrap();
    let settings = Settings { hours: Some(hours("UTC", &["wed 08:00-10:00"])), ..Settings::default() };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule(house.target(), settings) });
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    assert_eq!(house.until(id), at("2026-01-07T10:00:00Z"));
}

#[test]
fn hours_that_cant_be_meant_are_refused_and_the_demand_says_those_that_are() {
    let check = |hours: Hours| rule(ScopeId(1), Settings { hours: Some(hours), ..Settings::default() }).check();
    let refused = check(hours("Europe/Quillhaven", &["mon 08:00-10:00"])).unwrap_err();
    assert_eq!(refused, TermsRefusal::UnknownZone { zone: "Europe/Quillhaven".to_owned() }.into());
    assert_eq!(check(hours("UTC", &[])).unwrap_err(), TermsRefusal::NeverOpen.into());
    let many: Vec<String> = (0..15).map(|hour| format!("mon {hour:02}:00-{hour:02}:30")).collect();
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    assert!(matches!(check(hours("UTC", &many)), Err(Refusal::Terms(TermsRefusal::TooManyHours { .. }))));
    let house = until_ten(1);
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    assert!(demand.brief(&house.world).contains(" · wed 08:00-10:00 (UTC) · "), "{}", demand.brief(&house.world));
    let sentence = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(sentence.contains(", it may be held wed 08:00-10:00 (UTC), and at its end"), "{sentence}");
}

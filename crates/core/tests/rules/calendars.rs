//! Calendars: when they are closed, what ends before they close or waits until they open, and whoever opens more of them.

use std::collections::BTreeSet;

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

fn at(text: &str) -> Timestamp {
    format!("2026-01-{text}:00Z").parse().unwrap()
}

fn entry(what: &str, from: &str, until: &str) -> CalendarEntry {
    CalendarEntry { from: at(from), until: at(until), what: what.to_owned() }
}

fn calendar(name: &str, entries: &[(&str, &str, &str)]) -> Calendar {
    let entries = entries.iter().map(|(what, from, until)| entry(what, from, until)).collect();
    Calendar { name: name.to_owned(), entries, known_until: None, zone: "UTC".to_owned(), set_by: None, set_at: None }
}

/// On the 7th from 10:00 to 12:00, and a week later.
fn freeze() -> Calendar {
    let later = ("Second step", "14T10:00", "14T12:00");
    calendar("quay-freeze", &[("First step", "07T10:00", "07T12:00"), later])
}

fn set(house: &mut House, calendar: Calendar) -> Result<Decision, Refusal> {
    let looked_at = match house.world.calendars.get(calendar.name.as_str()) {
        Some(known) => LookedAt::This(known.digest()),
        None => LookedAt::Nothing,
    };
    house.change(looked_at, CalendarCommand::Set { calendar })
}

/// Rules close the target by that calendar; it is the 7th, 08:00.
fn closed(yes: u16, calendar: Calendar) -> House {
    let mut house = House::new(&settings(yes));
    let name = calendar.name.clone();
    set(&mut house, calendar).unwrap();
    let closed = Some(Closed(BTreeSet::from([name])));
    let terms = rule(house.target(), Settings { closed, ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = at("07T08:00");
    house
}

#[test]
fn a_calendar_is_closed_from_the_first_moment_of_an_entry_through_all_that_touch_it() {
    let entries = [("one", "07T10:00", "07T12:00"), ("two", "07T11:00", "07T14:00"), ("three", "07T14:00", "07T15:00")];
    let calendar = calendar("freeze", &[&entries[..], &[("four", "08T00:00", "09T00:00")]].concat());
    for (when, until) in [
        ("07T09:59", None),
        ("07T10:00", Some(("07T15:00", "one"))),
        ("07T11:30", Some(("07T15:00", "one"))),
        ("07T12:00", Some(("07T15:00", "two"))),
        ("07T15:00", None),
        ("08T23:59", Some(("09T00:00", "four"))),
    ] {
        assert_eq!(calendar.closed_at(at(when)), until.map(|(until, what)| (at(until), what)), "{when}");
    }
    assert_eq!(calendar.closes(at("07T09:59")), Some((at("07T10:00"), "one")));
    assert_eq!(calendar.closes(at("07T15:00")), Some((at("08T00:00"), "four")));
    assert_eq!(calendar.closes(at("09T00:00")), None);
}

#[test]
fn what_is_not_known_any_more_is_closed() {
    let known_until = Some(at("20T00:00"));
    let calendar = Calendar { known_until, ..freeze() };
    assert_eq!(calendar.closes(at("15T00:00")).map(|(from, _)| from), known_until);
    assert_eq!(calendar.closed_at(at("19T23:59")), None);
    assert_eq!(calendar.closed_at(at("20T00:00")).map(|(until, _)| until), Some(Timestamp::MAX));
    assert!(calendar.words(at("15T00:00")).contains("closed from then on unless it is set anew"));
    let mut house = closed(0, calendar);
    house.now = at("19T23:30");
    let id = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    assert_eq!(house.until(id), at("20T00:00"));
    house.now = at("20T00:30");
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert_eq!(house.phase(id), Phase::Ended(End::Failed));
}

#[test]
fn what_would_run_into_an_entry_ends_before_it_and_the_demand_says_so() {
    let mut house = closed(0, freeze());
    house.now = at("07T09:30");
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let sentence = demand.sentence(&house.world, Seconds(3600), Some(StartChoice::AtYes), house.now);
    let says = "it may be held at any time but not during quay-freeze, is over at 2026-01-07 10:00 UTC at the latest \
        (`quay-freeze` has First step), and at its end";
    assert!(sentence.contains(says), "{sentence}");
    let short = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(!short.contains("at the latest"), "{short}");
    assert!(demand.brief(&house.world).ends_with(" · not during quay-freeze"), "{}", demand.brief(&house.world));

    let id = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    house.obey();
    assert_eq!(house.until(id), at("07T10:00"));
    let refused = house.extend(Who::Asker, id, 600).unwrap_err();
    assert!(matches!(refused, Refusal::Extend(_)), "{refused}");
    house.now = at("07T10:00");
    house.tick();
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
    house.check();
    house.replay();
}

#[test]
fn what_is_asked_for_during_an_entry_begins_when_it_is_over() {
    let mut house = closed(0, freeze());
    house.now = at("07T11:00");
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let sentence = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(
        sentence.contains("begins at 2026-01-07 12:00 UTC at the earliest (`quay-freeze` has First step)"),
        "{sentence}"
    );
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    house.now = at("07T12:00");
    house.tick();
    assert_eq!(house.phase(id), Phase::Opening);
    house.now = at("14T09:00");
    let during = StartChoice::At { time: at("14T10:30") };
    let refused = house.ask(Who::Asker, 600, during).unwrap_err();
    assert!(
        matches!(&refused, Refusal::Ask(AskRefusal::StartClosed { opens, .. }) if *opens == Some(at("14T12:00"))),
        "{refused}"
    );
    assert!(refused.to_string().contains("(`quay-freeze` has Second step)"), "{refused}");
}

#[test]
fn hours_and_calendars_hold_together() {
    let mut house = closed(0, freeze());
    let open = BTreeSet::from(["wed 08:00-11:00".parse().unwrap(), "wed 11:30-13:00".parse().unwrap()]);
    let hours = Some(Hours(BTreeSet::from([Week { zone: "UTC".to_owned(), open }])));
    let terms = rule(house.target(), Settings { hours, ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let terms = effective_terms(&house.world, Act::Elevate, house.right(), house.id(Who::Asker));
    let opening = Opening::of(&house.world, &terms);
    for (when, until, opens) in [
        ("07T09:00", Some("07T10:00"), "07T09:00"),
        ("07T10:00", None, "07T12:00"),
        ("07T12:00", Some("07T13:00"), "07T12:00"),
        ("07T13:00", None, "14T08:00"),
        ("14T11:00", None, "14T12:00"),
    ] {
        assert_eq!((opening.open_until(at(when)), opening.opens(at(when))), (until.map(at), Some(at(opens))), "{when}");
    }
    assert!(
        opening.words(&house.world).ends_with("(UTC) but not during quay-freeze"),
        "{}",
        opening.words(&house.world)
    );
}

#[test]
fn a_new_entry_holds_for_what_waits_and_leaves_what_is_held_its_end() {
    let mut house = closed(1, freeze());
    let held = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, held, Verdict::Yes).unwrap();
    house.obey();
    let until = house.until(held);
    let waits = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let mut sooner = freeze();
    sooner.entries.push(entry("At once", "07T08:15", "07T09:30"));
    set(&mut house, sooner).unwrap();
    house.now = at("07T08:20");
    house.answer(Who::First, waits, Verdict::Yes).unwrap();
    assert_eq!((house.phase(waits), house.until(held)), (Phase::Scheduled, until));
}

#[test]
fn whoever_opens_more_of_what_a_rule_goes_by_waits_a_day_and_whoever_opens_less_does_not() {
    let weakened = |house: &House| {
        let me = house.id(Who::Administrator);
        let own = |hand: &&Influence| hand.by == Some(me) && hand.touched == me;
        house.world.influences.values().filter(own).any(|hand| hand.at >= at("07T08:00"))
    };
    for (what, change, is_less) in [
        ("an entry gone", calendar("quay-freeze", &[("First step", "07T10:00", "07T12:00")]), true),
        (
            "an entry shorter",
            calendar("quay-freeze", &[("x", "07T10:00", "07T12:00"), ("y", "14T10:00", "14T11:59")]),
            true,
        ),
        (
            "an entry later",
            calendar("quay-freeze", &[("x", "07T10:01", "07T12:00"), ("y", "14T10:00", "14T12:00")]),
            true,
        ),
        ("one long one", calendar("quay-freeze", &[("x", "07T10:00", "14T12:00")]), false),
        (
            "in two parts",
            calendar("quay-freeze", &[("x", "07T10:00", "07T11:00"), ("x", "07T11:00", "14T12:00")]),
            false,
        ),
    ] {
        let mut house = closed(0, freeze());
        set(&mut house, change.clone()).unwrap();
        assert_eq!(weakened(&house), is_less, "{what}");
        // What is over closes nothing any more.
        let mut house = closed(0, freeze());
        house.now = at("15T00:00");
        set(&mut house, change).unwrap();
        assert!(!weakened(&house), "{what}, later");
    }
    let mut unused = House::new(&settings(0));
    set(&mut unused, freeze()).unwrap();
    unused.now = at("07T08:00");
    set(&mut unused, calendar("quay-freeze", &[("First step", "07T10:00", "07T12:00")])).unwrap();
    assert!(!weakened(&unused), "no rule goes by it");
}

#[test]
fn a_calendar_is_ended_once_no_rule_goes_by_it_and_what_cant_be_is_refused() {
    let mut house = closed(0, freeze());
    let name = "quay-freeze".to_owned();
    let refused = house.try_as(Who::Administrator, CalendarCommand::End { name: name.clone() }).unwrap_err();
    assert!(matches!(refused, Refusal::Calendar(CalendarRefusal::WantedBy { .. })), "{refused}");
    let gone = Some(Closed(BTreeSet::from(["no-such-freeze".to_owned()])));
    let terms = rule(house.target(), Settings { closed: gone, ..Settings::default() });
    let refused = house.try_as(Who::Administrator, TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Unknown { what: "calendar", .. }), "{refused}");
    let terms = house.world.terms.values().last().unwrap().id;
    house.well(Who::Administrator, TermsCommand::End { terms });
    house.well(Who::Administrator, CalendarCommand::End { name: name.clone() });
    assert!(house.world.calendars.get(name.as_str()).is_none());
    for (calendar, why) in [
        (calendar("x-freeze", &[]), CalendarRefusal::Empty),
        (calendar("x-freeze", &[("x", "08T00:00", "08T00:00")]), CalendarRefusal::Backwards { what: "x".to_owned() }),
        (calendar("x-freeze", &[("", "08T00:00", "09T00:00")]), CalendarRefusal::BadEntryName { most: 80 }),
        (calendar("x-freeze", &[("a\nb", "08T00:00", "09T00:00")]), CalendarRefusal::BadEntryName { most: 80 }),
        (calendar("x-freeze", &[("x", "08T00:00", "09T00:00"); 1001]), CalendarRefusal::TooManyEntries { most: 1000 }),
    ] {
        assert_eq!(set(&mut house, calendar).unwrap_err(), why.into());
    }
    let named = Calendar { name: "Freeze!".to_owned(), ..freeze() };
    assert!(matches!(set(&mut house, named), Err(Refusal::Text(TextRefusal::BadName { .. }))));
    for who in [Who::Asker, Who::First] {
        let refused = house.try_as(who, CalendarCommand::Set { calendar: freeze() }).unwrap_err();
        assert_eq!(refused.class(), Class::NotAllowed, "{refused}");
    }
    // Nobody changes what they didn't look at.
    set(&mut house, freeze()).unwrap();
    let stale = house.change(LookedAt::Nothing, CalendarCommand::Set { calendar: freeze() }).unwrap_err();
    assert_eq!(stale.class(), Class::Stale, "{stale}");
}

#[test]
fn who_sees_a_part_sees_the_calendars_by_which_its_rules_go() {
    let mut house = closed(0, freeze());
    set(&mut house, calendar("other-freeze", &[("x", "08T00:00", "09T00:00")])).unwrap();
    let (subject, scope) = (house.id(Who::Other), house.target());
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Auditor, scope });
    let seen = |who: Who| -> Vec<String> {
        let sight = Sight::of(&house.world, house.id(who));
        let calendars = house.world.calendars.values();
        calendars.filter(|one| sight.sees(&house.world, *one)).map(|one| one.name.clone()).collect()
    };
    assert_eq!(seen(Who::Other), ["quay-freeze"]);
    assert_eq!(seen(Who::Administrator), ["other-freeze", "quay-freeze"]);
    assert_eq!(seen(Who::First), [""; 0]);
}

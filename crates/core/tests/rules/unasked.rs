//! Hours within which nobody need be asked: what lies in them opens by its rule, and everything else asks.

use std::collections::BTreeSet;

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// On the 7th, a Wednesday.
fn at(time: &str) -> Timestamp {
    format!("2026-01-07T{time}:00Z").parse().unwrap()
}

pub fn hours(open: &str) -> Hours {
    Hours(BTreeSet::from([Week { zone: "UTC".to_owned(), open: BTreeSet::from([open.parse().unwrap()]) }]))
}

fn outside(house: &House, open: &str) -> Approval {
    let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
    Approval::OutsideHours { hours: hours(open), stages: vec![StageTerms { approvers, ..StageTerms::default() }] }
}

fn set(house: &mut House, approval: Approval) -> TermsId {
    let settings = Settings { approval: Some(approval), ..Settings::default() };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule(house.target(), settings) });
    house.world.terms.values().last().unwrap().id
}

/// From 08:00 to 16:00 nobody need be asked.
fn by_day() -> (House, TermsId) {
    let mut house = House::new(&settings(1));
    let approval = outside(&house, "mon-fri 08:00-16:00");
    let terms = set(&mut house, approval);
    (house, terms)
}

#[test]
fn what_lies_within_the_hours_opens_by_its_rule_and_the_record_names_it() {
    let (mut house, terms) = by_day();
    for (now, seconds, opens) in [
        ("08:00", 600, true),
        ("07:59", 600, false),
        ("15:49", 600, true),
        ("15:51", 600, false),
        ("16:00", 60, false),
        ("09:00", 7200, true),
    ] {
        let mut house = by_day().0;
        house.now = at(now);
        let id = house.ask(Who::Asker, seconds, StartChoice::AtYes).unwrap();
        let phase = if opens { Phase::Opening } else { Phase::Waiting };
        assert_eq!(house.phase(id), phase, "at {now} for {seconds} s");
    }
    house.now = at("09:00");
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let by_rule = What::NobodyAsked { elevation: id, terms: Some(terms) };
    assert!(house.facts.iter().any(|fact| fact.what == by_rule), "the record doesn't name the rule");
    assert_eq!(by_rule.sentence(&house.world).to_string(), format!("needed nobody's yes for {id}, by terms {terms}"));
    house.now = at("17:00");
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let of_this = |fact: &&Fact| matches!(fact.what, What::NobodyAsked { elevation, .. } if elevation == asked);
    assert_eq!(house.facts.iter().find(of_this).map(|fact| &fact.what), None);
    house.check();
    house.replay();
}

#[test]
fn what_begins_later_goes_by_when_it_begins() {
    let (mut house, _) = by_day();
    house.now = at("09:00");
    let night = house.ask(Who::Asker, 600, StartChoice::At { time: at("22:00") }).unwrap();
    assert_eq!(house.phase(night), Phase::Waiting);
    let day = house.ask(Who::Asker, 600, StartChoice::At { time: at("15:00") }).unwrap();
    assert_eq!(house.phase(day), Phase::Scheduled);
    house.now = at("15:00");
    house.tick();
    assert_eq!(house.phase(day), Phase::Opening);
    // What is made ready by day, and begun when they are over, asks after all.
    house.now = at("15:30");
    let ready = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
    assert_eq!(house.phase(ready), Phase::Ready);
    house.now = at("15:55");
    house.well(Who::Asker, ElevationCommand::Begin { elevation: ready });
    assert_eq!(house.phase(ready), Phase::Waiting);
    house.answer(Who::First, ready, Verdict::Yes).unwrap();
    assert_ne!(house.phase(ready), Phase::Waiting);
}

#[test]
fn what_was_scheduled_and_is_late_asks_after_all() {
    let (mut house, _) = by_day();
    house.now = at("09:00");
    let day = house.ask(Who::Asker, 600, StartChoice::At { time: at("15:00") }).unwrap();
    house.now = at("18:00");
    house.tick();
    assert_eq!(house.phase(day), Phase::Waiting);
    house.answer(Who::First, day, Verdict::Yes).unwrap();
    assert_eq!(house.phase(day), Phase::Opening);
}

#[test]
fn a_pin_above_asks_at_its_own_hours_and_going_on_always_asks() {
    let (mut house, _) = by_day();
    house.now = at("15:45");
    let held = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.obey();
    house.extend(Who::Asker, held, 600).unwrap();
    assert!(house.world.elevations[&held].extension.is_some(), "nobody was asked to go on beyond them");

    let (mut house, _) = by_day();
    let pinned = Settings { approval: Some(outside(&house, "mon-sun 12:00-20:00")), ..Settings::default() };
    let terms = Terms { pins: vec!["approval".to_owned()], ..rule(house.world.root.unwrap(), pinned) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let phase = |house: &mut House, now: &str| {
        house.now = at(now);
        let id = house.ask(Who::Asker, 60, StartChoice::AtYes).unwrap();
        house.phase(id)
    };
    assert_eq!(phase(&mut house, "09:00"), Phase::Waiting, "by day, but not by the pin");
    assert_eq!(phase(&mut house, "12:00"), Phase::Opening);
    assert_eq!(phase(&mut house, "17:00"), Phase::Waiting, "by the pin, but not by day");
    // One that always asks lets no hours below it through.
    let (mut house, _) = by_day();
    let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
    let always = Approval::from(StageTerms { approvers, ..StageTerms::default() });
    let pinned = Settings { approval: Some(always), ..Settings::default() };
    let terms = Terms { pins: vec!["approval".to_owned()], ..rule(house.world.root.unwrap(), pinned) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert_eq!(phase(&mut house, "12:00"), Phase::Waiting);
}

#[test]
fn hours_that_ask_nobody_ever_or_are_about_something_else_are_refused() {
    let house = House::new(&settings(1));
    let check = |act: Act, approval: Approval| {
        Terms { act, ..rule(ScopeId(1), Settings { approval: Some(approval), ..Settings::default() }) }.check()
    };
    let by_day = outside(&house, "mon-fri 08:00-16:00");
    assert_eq!(check(Act::Elevate, by_day.clone()), Ok(()));
    for act in [Act::Extend, Act::BeMadeEligible] {
        assert_eq!(check(act, by_day.clone()), Err(TermsRefusal::HoursOfHolding { act }.into()));
    }
    let Approval::OutsideHours { stages, hours } = by_day else { panic!("it is outside of hours") };
    let never = Approval::OutsideHours { hours: Hours::default(), stages: stages.clone() };
    assert_eq!(check(Act::Elevate, never), Err(TermsRefusal::UnaskedAlways.into()));
    let nobody = Approval::OutsideHours { hours, stages: Vec::new() };
    assert_eq!(check(Act::Elevate, nobody), Err(TermsRefusal::EmptyApproval.into()));
    let zone =
        Hours(BTreeSet::from([Week { zone: "Quay".to_owned(), open: ["mon 08:00-16:00".parse().unwrap()].into() }]));
    let nowhere = check(Act::Elevate, Approval::OutsideHours { hours: zone, stages });
    assert!(matches!(nowhere, Err(Refusal::Terms(TermsRefusal::UnknownZone { .. }))), "{nowhere:?}");
}

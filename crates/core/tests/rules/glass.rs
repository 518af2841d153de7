//! Breaking the glass: a few go past approval at once, loudly, and somebody else looks at what they did.

use std::collections::BTreeSet;

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

fn few(house: &House, who: &[Who]) -> Glass {
    let by = who.iter().map(|who| house.id(*who)).collect();
    Glass { by, accepts: BTreeSet::from([ProofMethod::TotpCode, ProofMethod::Passkey]) }
}

fn set(house: &mut House, by: Who, settings: Settings) {
    let terms = rule(house.target(), settings);
    house.well(by, TermsCommand::Set { terms });
}

/// A house in which these may break the glass, of what takes more than anybody could bring at once.
fn house(who: &[Who]) -> House {
    let mut house = House::new(&settings(1));
    let wants = Settings {
        glass: Some(few(&house, who)),
        ticket: Some(TicketRule(ReferenceRule::Required { pattern: None })),
        purposes: Some(Purposes(vec!["patching".to_owned()])),
        references: Some(References([("visit".to_owned(), ReferenceRule::Required { pattern: None })].into())),
        hours: Some(Hours([Week { zone: "UTC".to_owned(), open: ["sun 03:00-03:15".parse().unwrap()].into() }].into())),
        starts: Some(Starts { at_yes: false, at_time_within: None, begin_within: Some(Seconds::hours(1)) }),
        ..Settings::default()
    };
    set(&mut house, Who::Administrator, wants);
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn signs(house: &mut House, who: Who, elevation: ElevationId) -> Result<Decision, Refusal> {
    let input = DebriefInput { elevation, finding: Finding::InOrder, word: None };
    house.try_as(who, ElevationCommand::Debrief(input))
}

fn open_alarms(house: &House) -> Vec<&'static str> {
    house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| (&alarm.about).into()).collect()
}

#[test]
fn one_of_the_few_holds_it_at_once_loudly_and_somebody_else_signs_it_off() {
    let mut house = house(&[Who::Asker]);
    let before = house.facts.len();
    let id = house.break_glass(Who::Asker, 1800).unwrap();
    let said: Vec<&str> = house.facts[before..].iter().map(|fact| fact.what.kind()).collect();
    assert_eq!(said, ["asked", "glass-broken", "alarm-raised", "nobody-asked", "opening"]);
    let rule = house.world.terms.values().last().unwrap().id;
    let nobody = house.facts[before..].iter().find_map(|fact| match fact.what {
        What::NobodyAsked { terms, .. } => Some(terms),
        _ => None,
    });
    assert_eq!(nobody, Some(Some(rule)), "the record names the rule that let them in");
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
    assert_eq!(open_alarms(&house), ["glass-broken"]);
    let alarm = *house.world.alarms.keys().last().unwrap();
    let settled = house.try_as(Who::Administrator, Command::SettleAlarm { alarm });
    assert!(matches!(settled, Err(Refusal::Estate(EstateRefusal::SettlesByItself { .. }))), "{settled:?}");

    house.now = later(house.now, Seconds(1801));
    house.tick();
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed), "it ends by itself like any other");
    assert_eq!(open_alarms(&house), ["glass-broken"], "and stays loud");
    assert_eq!(signs(&mut house, Who::Asker, id), Err(DebriefRefusal::OwnDebrief { id }.into()));
    signs(&mut house, Who::Administrator, id).unwrap();
    assert_eq!(open_alarms(&house), Vec::<&str>::new());
    house.check();
    house.replay();
}

#[test]
fn nobody_else_breaks_it_and_nobody_at_all_where_no_rule_names_them() {
    let mut house = house(&[Who::First]);
    let right = house.world.right_name(house.right());
    let refused = house.break_glass(Who::Asker, 600).unwrap_err();
    assert_eq!(refused, AskRefusal::GlassNotYours { right: right.clone() }.into());
    // One of the few who isn't eligible gets nothing by it.
    let refused = house.break_glass(Who::First, 600).unwrap_err();
    assert_eq!(refused, AskRefusal::NotEligible { right: right.clone() }.into());
    let mut none = House::new(&settings(1));
    assert_eq!(none.break_glass(Who::Asker, 600).unwrap_err(), AskRefusal::GlassNotYours { right }.into());
    assert!(none.ask(Who::Asker, 600, StartChoice::AtYes).is_ok());
}

#[test]
fn it_takes_a_proof_of_the_moment_of_a_kind_that_is_accepted_and_a_reason() {
    let mut house = house(&[Who::Asker]);
    let glass = Glass { accepts: BTreeSet::from([ProofMethod::Passkey]), ..few(&house, &[Who::Asker]) };
    let rule = Terms {
        settings: Settings { glass: Some(glass), ..Settings::default() },
        ..house.world.terms.values().last().unwrap().clone()
    };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule });
    house.now = later(house.now, Seconds::hours(48));
    let (asker, right) = (house.id(Who::Asker), house.right());
    let manner = Manner { start: Some(StartChoice::AtYes), duration: Some(Seconds(600)), glass: true };
    let demand = demand_to_hold(&house.world, asker, right, house.now, manner).unwrap();
    let said = demand.sentence(&house.world, Seconds(600), manner.start, house.now);
    assert!(said.starts_with("To break the glass and hold"), "{said}");
    assert!(said.contains("a proof of yourself (a passkey) no older than 5 min and a reason"), "{said}");
    assert!(said.contains("; then what was done is looked at by administrators, within 1 d"), "{said}");
    let ask = |brings| Ask {
        right,
        duration: manner.duration,
        start: manner.start,
        glass: true,
        brings,
        shown: Digest::of_json(&demand),
    };
    let by = |house: &House, method, ago: u32| {
        let at = house.now.checked_sub(jiff::SignedDuration::from_secs(ago.into())).unwrap();
        Caller { proof: Some(Proof { at, method }), ..house.caller(Who::Asker) }
    };
    let reason = Brings::reason("the cloud is on fire");
    for (method, ago) in [(ProofMethod::TotpCode, 0), (ProofMethod::Passkey, 301)] {
        let caller = by(&house, method, ago);
        let refused = house.act(caller, ElevationCommand::Ask(ask(reason.clone()))).unwrap_err();
        assert!(matches!(refused, Refusal::StepUp { max_age: Seconds(300), .. }), "{refused}");
    }
    for brings in [Brings::default(), Brings::reason("fire")] {
        let caller = by(&house, ProofMethod::Passkey, 0);
        let refused = house.act(caller, ElevationCommand::Ask(ask(brings))).unwrap_err();
        assert!(matches!(refused, Refusal::Ask(AskRefusal::ReasonTooShort { at_least: 10, .. })), "{refused}");
    }
    let caller = by(&house, ProofMethod::Passkey, 0);
    house.act(caller, ElevationCommand::Ask(ask(reason))).unwrap();
}

#[test]
fn what_was_shown_for_asking_breaks_no_glass() {
    let mut house = House::new(&settings(1));
    let glass = Settings { glass: Some(few(&house, &[Who::Asker])), ..Settings::default() };
    set(&mut house, Who::Administrator, glass);
    house.now = later(house.now, Seconds::hours(48));
    let (asker, right) = (house.id(Who::Asker), house.right());
    let demand = demand_for(&house.world, asker, right, house.now).unwrap();
    let ask = Ask {
        right,
        duration: None,
        start: Some(StartChoice::AtYes),
        glass: true,
        brings: Brings::reason("a reason that is long enough"),
        shown: Digest::of_json(&demand),
    };
    let refused = house.try_as(Who::Asker, ElevationCommand::Ask(ask)).unwrap_err();
    assert_eq!(refused, AskRefusal::DemandChanged.into());
}

#[test]
fn no_later_start_is_had_by_it_nor_longer_than_the_terms_let() {
    let mut house = house(&[Who::Asker]);
    let refused = house.break_glass(Who::Asker, 7201).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::TooLong { .. })), "{refused}");
    let (asker, right) = (house.id(Who::Asker), house.right());
    let start = Some(StartChoice::OnBegin);
    let manner = Manner { start, duration: Some(Seconds(60)), glass: true };
    let shown = Digest::of_json(&demand_to_hold(&house.world, asker, right, house.now, manner).unwrap());
    let brings = Brings::reason("a reason that is long enough");
    let ask = Ask { right, duration: manner.duration, start, glass: true, brings, shown };
    let refused = house.try_as(Who::Asker, ElevationCommand::Ask(ask)).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::StartNotAllowed { .. })), "{refused}");
}

#[test]
fn a_stop_and_a_clock_that_is_held_hold_it_too() {
    let mut house = house(&[Who::Asker]);
    let reach = Reach::Person(house.id(Who::Asker));
    house.well(Who::Administrator, StopCommand::Order { reach, word: Said::new("enough") });
    let refused = house.break_glass(Who::Asker, 600).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::Stopped { .. })), "{refused}");

    let mut house = self::house(&[Who::Asker]);
    house.reported(Report::Alarm(AlarmKind::ClockStep { seconds: 4000 })).unwrap();
    let id = house.break_glass(Who::Asker, 600).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    house.try_as(Who::Asker, ElevationCommand::Withdraw { elevation: id }).unwrap();
    assert!(
        house.world.elevations[&id].open_debrief().is_some(),
        "that it was broken is looked at, whatever came of it"
    );
    signs(&mut house, Who::Administrator, id).unwrap();
    house.replay();
}

#[test]
fn one_who_is_taken_from_the_few_before_it_opens_holds_nothing() {
    let mut house = house(&[Who::Asker]);
    house.reported(Report::Alarm(AlarmKind::ClockStep { seconds: 4000 })).unwrap();
    let id = house.break_glass(Who::Asker, 600).unwrap();
    let rule = house.world.terms.values().last().unwrap().clone();
    let settings = Settings { glass: Some(few(&house, &[Who::First])), ..rule.settings.clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings, ..rule } });
    let alarm = house.world.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).unwrap().id;
    house.well(Who::Administrator, Command::SettleAlarm { alarm });
    house.now = later(house.now, Seconds(1));
    house.tick();
    assert_eq!(house.phase(id), Phase::Ended(End::Failed));
}

#[test]
fn letting_its_target_go_leaves_it_loud_and_to_be_looked_at() {
    let mut house = house(&[Who::Asker]);
    administrator(&mut house, Who::Administrator, Who::Asker);
    house.now = later(house.now, Seconds::hours(48));
    let id = house.break_glass(Who::Asker, 1800).unwrap();
    house.obey();
    house.try_as(Who::Asker, ElevationCommand::GiveBack { elevation: id }).unwrap();
    house.obey();
    let (target, reason) = (house.target(), Said::new("it is scrapped"));
    house.well(Who::Asker, EstateCommand::EndTarget { target, reason });
    assert_eq!(open_alarms(&house), ["glass-broken"]);
    house.now = later(house.now, Seconds::hours(25));
    house.tick();
    assert_eq!(open_alarms(&house), ["glass-broken", "debrief-late"]);
    signs(&mut house, Who::Administrator, id).unwrap();
    assert_eq!(open_alarms(&house), Vec::<&str>::new());
    house.check();
    house.replay();
}

#[test]
fn going_on_with_it_asks_as_ever() {
    let mut house = House::new(&settings(1));
    let glass = Settings { glass: Some(few(&house, &[Who::Asker])), ..Settings::default() };
    set(&mut house, Who::Administrator, glass);
    let twice = Settings { extensions: Some(Extensions(2)), ..Settings::default() };
    let terms = Terms { act: Act::Extend, ..rule(house.target(), twice) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let id = house.break_glass(Who::Asker, 1800).unwrap();
    house.obey();
    let until = house.until(id);
    house.now = later(house.now, Seconds(1500));
    house.extend(Who::Asker, id, 600).unwrap();
    assert!(house.world.elevations[&id].is_asked(), "somebody has to say yes to that");
    assert_eq!(house.until(id), until);
}

#[test]
fn more_than_a_few_and_few_without_any_proof_are_refused() {
    let is = |glass: Glass| rule(ScopeId(1), Settings { glass: Some(glass), ..Settings::default() }).check();
    let accepts = BTreeSet::from([ProofMethod::Passkey]);
    let many = (1..=11).map(SubjectId).collect();
    let refused = is(Glass { by: many, accepts: accepts.clone() });
    assert_eq!(refused, Err(TermsRefusal::GlassForMany { named: 11, most: 10 }.into()));
    let one = BTreeSet::from([SubjectId(1)]);
    let refused = is(Glass { by: one.clone(), accepts: BTreeSet::new() });
    assert_eq!(refused, Err(TermsRefusal::GlassByNothing.into()));
    assert_eq!(is(Glass { by: one, accepts }), Ok(()));
    assert_eq!(is(Glass::default()), Ok(()), "that nobody may can be set, where a rule above lets somebody");
}

/// What somebody does to break it themselves, and what was there long before.
struct Way {
    name: &'static str,
    before: fn(&mut House),
    does: fn(&mut House),
}

fn the_few(house: &mut House, members: &[Who]) -> SubjectId {
    let group = PeopleCommand::AddSubject {
        kind: SubjectKind::Group,
        name: Said::new("the-few"),
        about: Said::new("those who may break it"),
        second_of: None,
    };
    house.well(Who::Administrator, group);
    let group = house.world.subject_named("the-few").unwrap().id;
    for who in members {
        let member = house.id(*who);
        house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    }
    group
}

fn for_the_few(house: &mut House, members: &[Who]) -> Settings {
    let by = BTreeSet::from([the_few(house, members)]);
    Settings { glass: Some(Glass { by, ..few(house, &[]) }), ..Settings::default() }
}

fn names_him(house: &House) -> Settings {
    Settings { glass: Some(few(house, &[Who::Asker])), ..Settings::default() }
}

fn administrator(house: &mut House, by: Who, who: Who) {
    let (subject, scope) = (house.id(who), house.world.root.unwrap());
    house.well(by, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope });
}

const WAYS: &[Way] = &[
    Way {
        name: "names himself",
        before: |_| {},
        does: |house| {
            let settings = names_him(house);
            set(house, Who::Asker, settings);
        },
    },
    Way {
        name: "joins the few",
        before: |house| {
            let settings = for_the_few(house, &[Who::First]);
            set(house, Who::Administrator, settings);
        },
        does: |house| {
            let (group, member) = (house.world.subject_named("the-few").unwrap().id, house.id(Who::Asker));
            house.well(Who::Asker, PeopleCommand::AddMember { group, member });
        },
    },
    Way {
        name: "has a hand of his name him",
        before: |_| {},
        does: |house| {
            administrator(house, Who::Asker, Who::First);
            let settings = names_him(house);
            set(house, Who::First, settings);
        },
    },
    Way {
        name: "resumes the rule that names him",
        before: |house| {
            let settings = names_him(house);
            set(house, Who::Administrator, settings);
            let terms = house.world.terms.values().last().unwrap().id;
            house.well(Who::Administrator, TermsCommand::Suspend { terms, reason: Said::new("for now") });
        },
        does: |house| {
            let terms = house.world.terms.values().last().unwrap().id;
            house.well(Who::Asker, TermsCommand::Resume { terms });
        },
    },
    Way {
        name: "ends the rule above that pins that nobody may",
        before: |house| {
            let none = Settings { glass: Some(Glass::default()), ..Settings::default() };
            let pinned = Terms { pins: vec!["glass".to_owned()], ..rule(house.world.root.unwrap(), none) };
            house.well(Who::Administrator, TermsCommand::Set { terms: pinned });
            let settings = names_him(house);
            set(house, Who::Administrator, settings);
        },
        does: |house| {
            let terms = house.world.terms.values().find(|rule| !rule.pins.is_empty()).unwrap().id;
            house.well(Who::Asker, TermsCommand::End { terms });
        },
    },
    Way {
        name: "has it accept what he has",
        before: |house| {
            let one = Glass { accepts: BTreeSet::from([ProofMethod::Passkey]), ..few(house, &[Who::Asker]) };
            set(house, Who::Administrator, Settings { glass: Some(one), ..Settings::default() });
        },
        does: |house| {
            let rule = house.world.terms.values().last().unwrap().clone();
            let settings = names_him(house);
            house.well(Who::Asker, TermsCommand::Set { terms: Terms { settings, ..rule } });
        },
    },
    Way {
        name: "sets a rule that wakes a little later",
        before: |_| {},
        does: |house| {
            let valid = Validity { from: Some(later(house.now, Seconds(60))), until: None };
            let terms = Terms { valid, ..rule(house.target(), names_him(house)) };
            house.well(Who::Asker, TermsCommand::Set { terms });
            house.now = later(house.now, Seconds(61));
            house.tick();
        },
    },
];

#[test]
fn nobody_lets_themselves_break_it_within_the_day() {
    for way in WAYS {
        let mut house = House::new(&settings(1));
        administrator(&mut house, Who::Administrator, Who::Asker);
        house.now = later(house.now, Seconds::hours(48));
        (way.before)(&mut house);
        house.now = later(house.now, Seconds::hours(48));
        assert!(house.break_glass(Who::Asker, 600).is_err(), "{} for nothing", way.name);
        (way.does)(&mut house);
        let refused = house.break_glass(Who::Asker, 600).unwrap_err();
        let is_own = matches!(refused, Refusal::Ask(AskRefusal::Weakened | AskRefusal::OwnTerms { .. }));
        assert!(is_own, "{}: {refused}", way.name);
        house.now = later(house.now, Seconds::hours(25));
        house.break_glass(Who::Asker, 600).unwrap_or_else(|refusal| panic!("{}: {refusal}", way.name));
        house.check();
        house.replay();
    }
}

#[test]
fn its_grace_is_had_at_whatever_hour() {
    let mut house = house(&[Who::Asker]);
    let rule = house.world.terms.values().last().unwrap().clone();
    let settings = Settings { grace: Some(Grace(Seconds(300))), ..rule.settings.clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings, ..rule } });
    house.now = later(house.now, Seconds::hours(48));
    let id = house.break_glass(Who::Asker, 1800).unwrap();
    house.obey();
    let until = house.until(id);
    house.now = later(house.now, Seconds(1700));
    house.try_as(Who::Asker, ElevationCommand::TakeGrace { elevation: id }).unwrap();
    house.obey();
    assert_eq!(house.until(id), later(until, Seconds(300)));
    house.check();
}

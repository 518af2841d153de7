//! How sure one must be of whoever acts: at every door alike, by name, tried out first, and never so that nobody is left.

use std::collections::BTreeSet;

use jiff::SignedDuration;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// A passkey no older than five minutes, from the house's own network.
fn hardware() -> Assurance {
    Assurance {
        name: "hardware".to_owned(),
        accepts: BTreeSet::from([ProofMethod::Passkey]),
        within: Seconds::minutes(5),
        networks: BTreeSet::from(["192.0.2.0/24".parse().unwrap()]),
        bypass: None,
        pilot: None,
        watch_only: false,
        set_by: None,
        set_at: None,
    }
}

/// Somebody who proved themselves so many seconds ago, at an address.
fn by(house: &House, who: Who, method: ProofMethod, ago: i64, from: &str) -> Caller {
    let at = house.now.checked_sub(SignedDuration::from_secs(ago)).unwrap();
    Caller { proof: Some(Proof { at, method }), from: Some(Said::new(from)), ..house.caller(who) }
}

fn sure(house: &House, who: Who) -> Caller {
    by(house, who, ProofMethod::Passkey, 0, "192.0.2.7")
}

fn set_by(house: &mut House, assurance: Assurance) -> Result<Decision, Refusal> {
    house.act(sure(house, Who::Administrator), AssuranceCommand::Set { assurance })
}

fn set(house: &mut House, assurance: Assurance) {
    set_by(house, assurance).unwrap();
}

/// A rule that wants one, of an act, everywhere.
fn wanting(house: &House, act: Act, names: &[&str]) -> Terms {
    let assured = Some(Assured(names.iter().map(|name| (*name).to_owned()).collect()));
    Terms { act, ..rule(house.world.root.unwrap(), Settings { assured, ..Settings::default() }) }
}

fn want(house: &mut House, act: Act, names: &[&str]) {
    let terms = wanting(house, act, names);
    house.act(sure(house, Who::Administrator), TermsCommand::Set { terms }).unwrap();
}

/// A door: what happened before somebody stands at it, who that is, and what they do there.
type Door = (&'static str, Act, fn(&mut House), Who, fn(&House) -> Command);

fn the_one(house: &House) -> ElevationId {
    house.world.elevations.values().last().unwrap().id
}

fn asked(house: &mut House) {
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
}

fn live(house: &mut House) {
    asked(house);
    house.answer(Who::First, the_one(house), Verdict::Yes).unwrap();
    house.obey();
}

const DOORS: [Door; 11] = [
    (
        "asking",
        Act::Elevate,
        |_| {},
        Who::Asker,
        |house| {
            let (asker, right) = (house.id(Who::Asker), house.right());
            let shown = Digest::of_json(&demand_for(&house.world, asker, right, house.now).unwrap());
            let brings = Brings::reason("a reason that is long enough");
            ElevationCommand::Ask(Ask {
                right,
                duration: None,
                start: Some(StartChoice::AtYes),
                glass: false,
                brings,
                shown,
            })
            .into()
        },
    ),
    (
        "beginning",
        Act::Elevate,
        |house| {
            let id = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
            house.answer(Who::First, id, Verdict::Yes).unwrap();
        },
        Who::Asker,
        |house| ElevationCommand::Begin { elevation: the_one(house) }.into(),
    ),
    ("seeing the login", Act::Elevate, live, Who::Asker, |house| {
        ElevationCommand::ShowLogin { elevation: the_one(house) }.into()
    }),
    ("taking the grace", Act::Elevate, live, Who::Asker, |house| {
        ElevationCommand::TakeGrace { elevation: the_one(house) }.into()
    }),
    ("going on", Act::Extend, live, Who::Asker, |house| {
        let elevation = the_one(house);
        let more = Some(Seconds(600));
        let shown = extension_offer(&house.world, &house.world.elevations[&elevation], more, house.now).unwrap().digest;
        let brings = Brings::reason("it takes longer than was thought");
        ElevationCommand::Extend(Extend { elevation, more, brings, shown }).into()
    }),
    ("answering", Act::Answer, asked, Who::First, |house| {
        let elevation = the_one(house);
        let shown = house.world.elevations[&elevation].asked_digest();
        let reason = Some(Said::new("because"));
        ElevationCommand::Answer(AnswerInput { elevation, verdict: Verdict::Yes, less: None, reason, shown }).into()
    }),
    ("answering a wish", Act::Answer, wished, Who::Administrator, |house| {
        let wish = house.world.appointments.values().last().unwrap();
        let (appointment, shown) = (wish.id, wish.digest());
        EligibilityCommand::Answer { appointment, verdict: Verdict::Yes, reason: None, shown }.into()
    }),
    (
        "making somebody eligible",
        Act::BeMadeEligible,
        |_| {},
        Who::Administrator,
        |house| {
            let (subject, right) = (house.id(Who::Other), house.right());
            EligibilityCommand::Give { subject, right, from: None, until: None, reason: None }.into()
        },
    ),
    (
        "setting terms",
        Act::Administer,
        |_| {},
        Who::Administrator,
        |house| {
            let settings = Settings { usual: Some(Usual(Seconds(60))), ..Settings::default() };
            TermsCommand::Set { terms: rule(house.target(), settings) }.into()
        },
    ),
    (
        "adding somebody",
        Act::Administer,
        |_| {},
        Who::Administrator,
        |_| {
            let (name, about) = (Said::new("signe"), Said::new("somebody called signe"));
            PeopleCommand::AddSubject { kind: SubjectKind::Person, name, about, second_of: None }.into()
        },
    ),
    (
        "relaxing it",
        Act::Administer,
        |_| {},
        Who::Administrator,
        |_| AssuranceCommand::Set { assurance: Assurance { watch_only: true, ..hardware() } }.into(),
    ),
];

/// Tomas wishes to be made eligible for longer than he is.
fn wished(house: &mut House) {
    let held = house.world.eligibilities.values().next().unwrap().id;
    let until = Some(Some(later(house.now, Seconds::hours(24 * 30))));
    let reason = Some(Said::new("the work goes on until the end of the year"));
    house.well(Who::Administrator, EligibilityCommand::Change { eligibility: held, from: None, until, reason: None });
    let until = Some(Some(later(house.now, Seconds::hours(24 * 60))));
    house.well(Who::Asker, EligibilityCommand::Change { eligibility: held, from: None, until, reason });
}

/// Who stands at a door: by which proof, how long ago, from where; and what they then lack.
const LEVELS: [(ProofMethod, i64, &str, Option<Lack>); 7] = [
    (ProofMethod::Passkey, 0, "192.0.2.7", None),
    (ProofMethod::Passkey, 299, "192.0.2.200", None),
    (ProofMethod::Passkey, 0, "::ffff:192.0.2.7", None),
    (ProofMethod::TotpCode, 0, "192.0.2.7", Some(Lack::Method)),
    (ProofMethod::Passkey, 301, "192.0.2.7", Some(Lack::Age)),
    (ProofMethod::Passkey, 0, "198.51.100.7", Some(Lack::Network)),
    (ProofMethod::Passkey, 0, "192.0.2.7, 198.51.100.7", Some(Lack::Network)),
];

fn lack_in(refusal: &Refusal) -> Lack {
    match refusal {
        Refusal::StepUp { assurance: Some(name), accepts, last, .. } => {
            assert_eq!(name, "hardware");
            match last.is_some_and(|proof| accepts.contains(&proof.method)) {
                true => Lack::Age,
                false => Lack::Method,
            }
        }
        Refusal::Caller(CallerRefusal::FromElsewhere { assurance, .. }) => {
            assert_eq!(assurance, "hardware");
            Lack::Network
        }
        other => panic!("refused for something else: {other}"),
    }
}

fn at(door: &Door) -> House {
    let settings = Settings { grace: Some(Grace(Seconds::minutes(5))), ..settings(1) };
    let mut house = House::new(&settings);
    (door.2)(&mut house);
    house
}

#[test]
fn at_every_door_every_level_is_told_apart() {
    for door in &DOORS {
        for (method, ago, from, expected) in LEVELS {
            let mut house = at(door);
            set(&mut house, hardware());
            want(&mut house, door.1, &["hardware"]);
            let (caller, command) = (by(&house, door.3, method, ago, from), (door.4)(&house));
            let came_to = house.act(caller, command).err().map(|refusal| lack_in(&refusal));
            assert_eq!(came_to, expected, "{}: {method:?} {ago} s ago from {from}", door.0);
        }
        // Nobody's proof at all is the house's own to refuse.
        let mut house = at(door);
        set(&mut house, hardware());
        want(&mut house, door.1, &["hardware"]);
        let caller = Caller { proof: None, ..house.caller(door.3) };
        let command = (door.4)(&house);
        let refused = house.act(caller, command).unwrap_err();
        assert!(matches!(refused, Refusal::StepUp { last: None, .. }), "{}: {refused}", door.0);
    }
}

#[test]
fn at_every_door_what_is_only_watched_refuses_nobody_and_says_whom_it_would_have() {
    for door in &DOORS {
        let mut house = at(door);
        set(&mut house, Assurance { watch_only: true, ..hardware() });
        want(&mut house, door.1, &["hardware"]);
        let (caller, command) = (by(&house, door.3, ProofMethod::TotpCode, 0, "192.0.2.7"), (door.4)(&house));
        let decision = house.act(caller, command).unwrap_or_else(|refusal| panic!("{}: {refusal}", door.0));
        let let_through = decision.facts.iter().filter(|fact| matches!(fact.what, What::LetThrough { .. })).count();
        assert_eq!(let_through, 1, "{}", door.0);
        let seen: Vec<&Shortfall> = house.world.shortfalls_of("hardware").collect();
        let [shortfall] = seen[..] else { panic!("{}: {seen:?}", door.0) };
        assert_eq!((shortfall.subject, shortfall.lack, shortfall.times), (house.id(door.3), Lack::Method, 1));
        house.replay();
    }
}

#[test]
fn a_refused_command_is_no_shortfall_and_each_further_one_is_counted() {
    let mut house = House::new(&settings(1));
    set(&mut house, Assurance { watch_only: true, ..hardware() });
    want(&mut house, Act::Elevate, &["hardware"]);
    house.try_as(Who::First, ElevationCommand::Begin { elevation: ElevationId(7) }).unwrap_err();
    assert_eq!(house.world.shortfalls_of("hardware").count(), 0);
    for times in 1..4 {
        house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
        assert_eq!(house.world.shortfalls_of("hardware").next().unwrap().times, times);
    }
    // In time it is meant: the next is refused, and what was counted stays to be looked at.
    set(&mut house, hardware());
    assert!(matches!(house.ask(Who::Asker, 600, StartChoice::AtYes), Err(Refusal::StepUp { .. })));
    assert_eq!(house.world.shortfalls_of("hardware").next().unwrap().times, 3);
}

fn group(house: &mut House, name: &str, member: Who) -> SubjectId {
    let about = Said::new("a group of the house");
    let add = PeopleCommand::AddSubject { kind: SubjectKind::Group, name: Said::new(name), about, second_of: None };
    house.well(Who::Administrator, add);
    let (group, member) = (house.world.subject_named(name).unwrap().id, house.id(member));
    house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    group
}

#[test]
fn who_is_let_through_without_it_and_with_whom_it_is_tried_out() {
    let mut house = House::new(&settings(1));
    let (spared, trying) = (group(&mut house, "spared", Who::Asker), group(&mut house, "trying", Who::Asker));
    house.now = later(house.now, Seconds::hours(25));
    let mut comes_to = |bypass, pilot| {
        set(&mut house, Assurance { bypass, pilot, ..hardware() });
        if house.world.terms_wanting("hardware").next().is_none() {
            want(&mut house, Act::Elevate, &["hardware"]);
        }
        let asks = house.ask(Who::Asker, 600, StartChoice::AtYes).is_ok();
        let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
        assert_eq!(demand.terms.assured.0.is_empty(), asks, "the demand says whether it is wanted");
        asks
    };
    assert!(!comes_to(None, None));
    assert!(comes_to(Some(spared), None));
    assert!(!comes_to(None, Some(trying)), "it is tried out with him");
    assert!(comes_to(Some(spared), Some(trying)), "who is spared is spared");
    let others = group(&mut house, "others", Who::Other);
    set(&mut house, Assurance { pilot: Some(others), ..hardware() });
    assert!(house.ask(Who::Asker, 600, StartChoice::AtYes).is_ok(), "it is tried out with others");
}

#[test]
fn nobody_locks_themselves_out_of_administering() {
    let mut house = House::new(&settings(1));
    let by_code = by(&house, Who::Administrator, ProofMethod::TotpCode, 0, "192.0.2.7");
    house.act(by_code.clone(), AssuranceCommand::Set { assurance: hardware() }).unwrap();
    let terms = wanting(&house, Act::Administer, &["hardware"]);
    let refused = house.act(by_code.clone(), TermsCommand::Set { terms: terms.clone() }).unwrap_err();
    assert!(matches!(refused, Refusal::Assurance(AssuranceRefusal::LocksOut { .. })), "{refused}");
    house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap();
    let elsewhere = Assurance { networks: BTreeSet::from(["198.51.100.0/24".parse().unwrap()]), ..hardware() };
    let refused = set_by(&mut house, elsewhere.clone()).unwrap_err();
    assert!(matches!(refused, Refusal::Assurance(AssuranceRefusal::LocksOut { .. })), "{refused}");
    // Watched first, it locks nobody out.
    set(&mut house, Assurance { watch_only: true, ..elsewhere });
    assert!(house.act(by_code, AssuranceCommand::End { name: "hardware".to_owned() }).is_err(), "a rule wants it");
}

#[test]
fn what_a_deeper_rule_spared_is_not_wanted_of_its_administrator_unawares() {
    let mut house = House::new(&settings(1));
    set(&mut house, hardware());
    want(&mut house, Act::Administer, &["hardware"]);
    let lax = Settings { assured: Some(Assured::default()), ..Settings::default() };
    let terms = Terms { act: Act::Administer, ..rule(house.target(), lax) };
    let sure_one = sure(&house, Who::Administrator);
    let set = house.act(sure_one, TermsCommand::Set { terms }).unwrap();
    let id = set.facts.iter().find_map(|fact| match fact.what {
        What::TermsSet { terms, .. } => Some(terms),
        _ => None,
    });
    let by_code = by(&house, Who::Administrator, ProofMethod::TotpCode, 0, "192.0.2.7");
    let refused = house.act(by_code, TermsCommand::End { terms: id.unwrap() }).unwrap_err();
    assert!(matches!(refused, Refusal::Assurance(AssuranceRefusal::LocksOut { .. })), "{refused}");
}

#[test]
fn whoever_administers_a_part_is_not_held_to_what_the_whole_takes() {
    let mut house = House::new(&settings(1));
    let (target, piet) = (house.target(), house.id(Who::Other));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: piet, kind: DutyKind::Administrator, scope: target },
    );
    set(&mut house, hardware());
    want(&mut house, Act::Administer, &["hardware"]);
    let lax = Settings { assured: Some(Assured::default()), ..Settings::default() };
    let terms = Terms { act: Act::Administer, ..rule(target, lax) };
    house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap();
    let settings = Settings { usual: Some(Usual(Seconds(60))), ..Settings::default() };
    house.well(Who::Other, TermsCommand::Set { terms: rule(target, settings) });
    // Of his own part he keeps himself from nothing either.
    let terms =
        Terms { act: Act::Administer, ..rule(target, wanting(&house, Act::Administer, &["hardware"]).settings) };
    let refused = house.try_as(Who::Other, TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Assurance(AssuranceRefusal::LocksOut { .. })), "{refused}");
}

#[test]
fn whoever_relaxes_one_opens_nothing_without_a_yes_for_a_day() {
    let spared = |house: &mut House| Some(group(house, "spared", Who::Other));
    type Change = fn(&mut House, Option<SubjectId>) -> Assurance;
    let changes: [(&str, bool, Change); 8] = [
        ("as it is", false, |_, _| hardware()),
        ("fresher", false, |_, _| Assurance { within: Seconds(60), ..hardware() }),
        ("a smaller network", false, |_, _| Assurance {
            networks: BTreeSet::from(["192.0.2.0/28".parse().unwrap()]),
            ..hardware()
        }),
        ("older", true, |_, _| Assurance { within: Seconds(600), ..hardware() }),
        ("by a code too", true, |_, _| Assurance {
            accepts: BTreeSet::from([ProofMethod::Passkey, ProofMethod::TotpCode]),
            ..hardware()
        }),
        ("from anywhere", true, |_, _| Assurance { networks: BTreeSet::new(), ..hardware() }),
        ("some are spared", true, |_, spared| Assurance { bypass: spared, ..hardware() }),
        ("only watched", true, |_, _| Assurance { watch_only: true, ..hardware() }),
    ];
    for (name, is_less, change) in changes {
        let mut house = House::new(&settings(0));
        let spared = spared(&mut house);
        house.now = later(house.now, Seconds::hours(48));
        set(&mut house, hardware());
        want(&mut house, Act::Elevate, &["hardware"]);
        house.now = later(house.now, Seconds::hours(48));
        let assurance = change(&mut house, spared);
        set(&mut house, assurance);
        let me = house.id(Who::Administrator);
        let own = house
            .world
            .influences
            .values()
            .any(|hand| hand.by == Some(me) && hand.touched == me && later(hand.at, Seconds(60)) > house.now);
        assert_eq!(own, is_less, "{name}");
    }
}

#[test]
fn whoever_puts_somebody_among_the_spared_has_let_them_through_with_less() {
    let mut house = House::new(&settings(0));
    let spared = group(&mut house, "spared", Who::Other);
    set(&mut house, Assurance { bypass: Some(spared), ..hardware() });
    want(&mut house, Act::Elevate, &["hardware"]);
    house.now = later(house.now, Seconds::hours(48));
    let asker = house.id(Who::Asker);
    house.well(Who::Administrator, PeopleCommand::AddMember { group: spared, member: asker });
    let me = house.id(Who::Administrator);
    let own = |hand: &&Influence| hand.by == Some(me) && hand.touched == me && later(hand.at, Seconds(60)) > house.now;
    assert!(house.world.influences.values().any(|hand| own(&hand)));
}

#[test]
fn what_can_not_be_an_assurance_is_refused_with_what_could() {
    let mut house = House::new(&settings(1));
    let person = house.id(Who::Other);
    let cases: [(&str, Assurance); 7] = [
        ("accepts no proof", Assurance { accepts: BTreeSet::new(), ..hardware() }),
        ("between 1 s and 12 h", Assurance { within: Seconds(0), ..hardware() }),
        ("between 1 s and 12 h", Assurance { within: Seconds::hours(13), ..hardware() }),
        (
            "192.0.2.0/24 may be meant",
            Assurance { networks: BTreeSet::from(["192.0.2.9/24".parse().unwrap()]), ..hardware() },
        ),
        ("is no group", Assurance { bypass: Some(person), ..hardware() }),
        ("no group", Assurance { pilot: Some(SubjectId(999)), ..hardware() }),
        ("the name of an assurance", Assurance { name: "Hard Ware".to_owned(), ..hardware() }),
    ];
    for (says, assurance) in cases {
        let refused = set_by(&mut house, assurance).unwrap_err().to_string();
        assert!(refused.contains(says), "`{says}` is not said in: {refused}");
    }
    let refused = house.act(sure(&house, Who::First), AssuranceCommand::Set { assurance: hardware() }).unwrap_err();
    assert!(matches!(refused, Refusal::Caller(CallerRefusal::NotAdministrator { .. })), "{refused}");
    let terms = wanting(&house, Act::Elevate, &["hard-ware"]);
    let refused = house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Unknown { what: "assurance", .. }), "{refused}");
    let terms = Terms { weight: Some(Weight::Critical), ..wanting(&house, Act::Administer, &[]) };
    let refused = house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Terms(TermsRefusal::OfAPlace { .. })), "{refused}");
    let terms = rule(house.target(), Settings { longest: Some(Longest(Seconds(60))), ..Settings::default() });
    let terms = Terms { act: Act::Answer, ..terms };
    let refused = house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Terms(TermsRefusal::NotOfThisAct { .. })), "{refused}");
}

#[test]
fn one_that_no_rule_wants_is_ended_with_what_it_counted() {
    let mut house = House::new(&settings(1));
    set(&mut house, Assurance { watch_only: true, ..hardware() });
    want(&mut house, Act::Elevate, &["hardware"]);
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let end = || AssuranceCommand::End { name: "hardware".to_owned() };
    let refused = house.try_as(Who::Administrator, end()).unwrap_err();
    let rule = house.world.terms_wanting("hardware").next().unwrap().id;
    let wanted = AssuranceRefusal::Wanted { name: "hardware".to_owned(), rules: vec![rule] };
    assert_eq!(refused, Refusal::Assurance(wanted));
    house.well(Who::Administrator, TermsCommand::End { terms: rule });
    house.well(Who::Administrator, end());
    assert!(house.world.assurances.get("hardware").is_none());
    assert_eq!(house.world.shortfalls_of("hardware").count(), 0);
    house.replay();
}

#[test]
fn it_is_changed_in_place_by_whoever_looked_at_it() {
    let mut house = House::new(&settings(1));
    set(&mut house, hardware());
    let looked_at = LookedAt::This(house.world.assurances.get("hardware").unwrap().digest());
    let change = |house: &mut House, within: u32| {
        let assurance = Assurance { within: Seconds(within), ..hardware() };
        house.change(looked_at, AssuranceCommand::Set { assurance })
    };
    change(&mut house, 60).unwrap();
    assert!(matches!(change(&mut house, 90), Err(Refusal::Caller(CallerRefusal::Stale { .. }))));
    assert_eq!(house.world.assurances.get("hardware").unwrap().within, Seconds(60));
}

#[test]
fn the_demand_says_what_it_takes_and_nothing_of_what_is_only_watched_or_of_whom() {
    let mut house = House::new(&settings(1));
    let spared = group(&mut house, "spared", Who::Other);
    let port = Assurance { name: "port".to_owned(), within: Seconds::minutes(2), ..hardware() };
    set(&mut house, Assurance { watch_only: true, ..port.clone() });
    set(&mut house, Assurance { bypass: Some(spared), ..hardware() });
    want(&mut house, Act::Elevate, &["hardware", "port"]);
    let says = |house: &House| {
        let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
        let sentence = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
        let effective = demand.terms.words(&house.world, "assured");
        assert!(!(sentence.clone() + &effective).contains("spared"), "{sentence} {effective}");
        (demand.brief(&house.world), sentence)
    };
    let (brief, sentence) = says(&house);
    assert!(brief.contains(" · proof hardware · "), "{brief}");
    let takes = "a proof of yourself (a passkey) no older than 5 min, from 192.0.2.0/24 (as hardware wants it)";
    assert!(sentence.contains(takes), "{sentence}");
    set(&mut house, port);
    let (brief, sentence) = says(&house);
    assert!(brief.contains(" · proof hardware + port · "), "{brief}");
    assert!(sentence.contains("no older than 2 min"), "{sentence}");
    assert!(sentence.contains("(as hardware and port want it)"), "{sentence}");
}

#[test]
fn assurances_that_no_one_proof_meets_are_not_wanted_together() {
    let mut house = House::new(&settings(1));
    set(&mut house, hardware());
    let code = BTreeSet::from([ProofMethod::TotpCode]);
    set(&mut house, Assurance { name: "code".to_owned(), accepts: code, ..hardware() });
    let terms = wanting(&house, Act::Elevate, &["code", "hardware"]);
    let refused = house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap_err();
    assert!(matches!(refused, Refusal::Terms(TermsRefusal::AssuredByNothing)), "{refused}");
    // A pin above may make it so: said before anything is asked, and not by letting nobody through.
    want(&mut house, Act::Elevate, &["hardware"]);
    let pinned = Terms { pins: vec!["assured".to_owned()], ..wanting(&house, Act::Elevate, &["code"]) };
    let below = Terms { scope: house.target(), ..wanting(&house, Act::Elevate, &["hardware"]) };
    for terms in [pinned, below] {
        house.act(sure(&house, Who::Administrator), TermsCommand::Set { terms }).unwrap();
    }
    let refused = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap_err();
    assert!(matches!(refused, Refusal::Terms(TermsRefusal::AssuredByNothing)), "{refused}");
    let code = house.world.assurances.get("code").unwrap().clone();
    set(&mut house, Assurance { watch_only: true, ..code });
    demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let names = ["a", "b", "c", "d", "e"];
    let refused = wanting(&house, Act::Elevate, &names).check().unwrap_err();
    assert_eq!(refused, TermsRefusal::TooManyAssured { named: 5, most: 4 }.into());
}

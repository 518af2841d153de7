//! What may be held only while something holds elsewhere: an open incident, a visit.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

fn circumstance(name: &str, address: &str) -> Circumstance {
    Circumstance {
        name: name.to_owned(),
        address: address.to_owned(),
        pointer: "/state".to_owned(),
        is: "open".to_owned(),
        set_by: None,
        set_at: None,
    }
}

fn set(house: &mut House, one: Circumstance) -> Result<Decision, Refusal> {
    house.try_as(Who::Administrator, CircumstanceCommand::Set { circumstance: one })
}

fn only_while(names: &[&str]) -> Settings {
    let names = names.iter().map(|name| (*name).to_owned()).collect();
    Settings { only_while: Some(OnlyWhile(names)), ..Settings::default() }
}

/// A house in which a right is held only while these hold.
fn house(names: &[&str]) -> House {
    let mut house = House::new(&settings(1));
    set(&mut house, circumstance("incident", "https://desk.example/incidents/open")).unwrap();
    set(&mut house, circumstance("visit-open", "https://desk.example/visits/{visit}")).unwrap();
    let reference = ReferenceRule::Optional { pattern: Some("V-[0-9]{4}".to_owned()) };
    let references = Some(References([("visit".to_owned(), reference)].into()));
    let terms = rule(house.target(), Settings { references, ..only_while(names) });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn hear(house: &mut House, name: &str, of: Option<&str>, holds: bool) -> Decision {
    let report = Report::Heard { circumstance: name.to_owned(), of: of.map(Said::new), holds };
    house.act(Caller::service(), report).unwrap()
}

fn ask(house: &mut House, visit: Option<&str>, start: StartChoice) -> Result<ElevationId, Refusal> {
    let (asker, right) = (house.id(Who::Asker), house.right());
    let shown = Digest::of_json(&demand_to_hold(
        &house.world,
        asker,
        right,
        house.now,
        Manner { start: Some(start), duration: None, glass: false },
    )?);
    let references = visit.map(|visit| ("visit".to_owned(), Said::new(visit))).into_iter().collect();
    let brings = Brings { references, ..Brings::reason("the crane stands still") };
    let ask = Ask { right, duration: None, start: Some(start), glass: false, brings, shown };
    let decision = house.try_as(Who::Asker, ElevationCommand::Ask(ask))?;
    Ok(decision.facts.iter().find_map(|fact| fact.what.about().elevation).unwrap())
}

fn live(house: &mut House, visit: Option<&str>) -> ElevationId {
    let id = ask(house, visit, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
    id
}

fn cause<T: std::fmt::Debug>(result: Result<T, Refusal>) -> &'static str {
    result.unwrap_err().cause().unwrap()
}

#[test]
fn what_was_not_heard_to_hold_lets_nobody_ask_and_what_ends_takes_what_was_held() {
    let mut house = house(&["incident"]);
    assert_eq!(cause(ask(&mut house, None, StartChoice::AtYes)), "not-so");
    hear(&mut house, "incident", None, true);
    let id = live(&mut house, None);
    assert_eq!(hear(&mut house, "incident", None, true).facts, [], "what is known is said once");
    let said: Vec<&str> = hear(&mut house, "incident", None, false).facts.iter().map(|fact| fact.what.kind()).collect();
    assert_eq!(said, ["circumstance-heard", "closing"]);
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::CutShort));
    assert_eq!(cause(ask(&mut house, None, StartChoice::AtYes)), "not-so");
    house.check();
    house.replay();
}

#[test]
fn it_is_asked_once_more_when_it_is_opened() {
    let mut house = house(&["incident"]);
    hear(&mut house, "incident", None, true);
    let start = StartChoice::At { time: later(house.now, Seconds::hours(1)) };
    let asks = [ask(&mut house, None, StartChoice::AtYes).unwrap(), ask(&mut house, None, start).unwrap()];
    house.answer(Who::First, asks[1], Verdict::Yes).unwrap();
    hear(&mut house, "incident", None, false);
    assert_eq!(asks.map(|id| house.phase(id)), [Phase::Waiting, Phase::Scheduled], "what isn't held stays");
    house.answer(Who::First, asks[0], Verdict::Yes).unwrap();
    assert_eq!(house.phase(asks[0]), Phase::Ended(End::Failed));
    assert!(house.world.elevations[&asks[0]].trouble.as_ref().unwrap().contains("(not-so)"));
    hear(&mut house, "incident", None, true);
    house.now = later(house.now, Seconds::hours(1));
    house.tick();
    house.obey();
    assert_eq!(house.phase(asks[1]), Phase::Live, "what holds by then is opened");
    house.check();
}

#[test]
fn of_a_reference_each_ask_rests_on_its_own() {
    let mut house = house(&["visit-open"]);
    assert_eq!(cause(ask(&mut house, None, StartChoice::AtYes)), "of-no-reference");
    assert_eq!(cause(ask(&mut house, Some("V-0001"), StartChoice::AtYes)), "not-so");
    for visit in ["V-0001", "V-0002"] {
        hear(&mut house, "visit-open", Some(visit), true);
    }
    let (one, other) = (live(&mut house, Some("V-0001")), live(&mut house, Some("V-0002")));
    assert_eq!(
        house.world.to_be_heard().into_iter().collect::<Vec<_>>(),
        ["V-0001", "V-0002"].map(|visit| ("visit-open".to_owned(), Some(visit.to_owned())))
    );
    hear(&mut house, "visit-open", Some("V-0001"), false);
    house.obey();
    assert_eq!((house.phase(one), house.phase(other)), (Phase::Ended(End::CutShort), Phase::Live));
    // Whoever asks about whatever they like leaves nothing; what nobody rests on is forgotten.
    assert_eq!(hear(&mut house, "visit-open", Some("V-9999"), false).facts, []);
    assert_eq!(hear(&mut house, "no-such", None, true).facts, []);
    house.now = later(house.now, Seconds::hours(3));
    house.tick();
    house.obey();
    hear(&mut house, "visit-open", Some("V-0003"), true);
    assert_eq!(house.world.heard.len(), 1, "{:?}", house.world.heard);
    house.check();
    house.replay();
}

#[test]
fn a_rule_that_comes_to_want_it_ends_what_is_held_as_soon_as_it_is_heard_not_to_hold() {
    for heard_before in [None, Some(false), Some(true)] {
        let mut house = house(&[]);
        let id = live(&mut house, None);
        heard_before.map(|holds| hear(&mut house, "incident", None, holds));
        let terms = rule(house.target(), only_while(&["incident"]));
        house.well(Who::Administrator, TermsCommand::Set { terms });
        hear(&mut house, "incident", None, true);
        assert_eq!(house.phase(id), Phase::Live);
        hear(&mut house, "incident", None, false);
        assert_eq!(house.phase(id), Phase::Closing, "{heard_before:?}");
    }
    let mut house = house(&[]);
    let id = live(&mut house, None);
    let terms = rule(house.target(), only_while(&["incident"]));
    house.well(Who::Administrator, TermsCommand::Set { terms });
    hear(&mut house, "incident", None, false);
    assert_eq!(house.phase(id), Phase::Closing, "what was never heard to hold");
    house.replay();
}

#[test]
fn what_is_held_ends_where_another_question_is_not_answered_as_the_one_before() {
    for (names, of, address) in [
        (["incident"], None, "https://other.example/incidents"),
        (["visit-open"], Some("V-0001"), "https://other.example/visits/{visit}"),
    ] {
        let mut house = house(&names);
        hear(&mut house, names[0], of, true);
        let id = live(&mut house, of);
        let known = house.world.circumstances[&names[0].to_owned()].clone();
        let looked_at = LookedAt::This(known.digest());
        let circumstance = Circumstance { address: address.to_owned(), ..known };
        house.change(looked_at, CircumstanceCommand::Set { circumstance }).unwrap();
        assert_eq!(house.phase(id), Phase::Live, "until it was asked");
        let said: Vec<&str> = hear(&mut house, names[0], of, false).facts.iter().map(|fact| fact.what.kind()).collect();
        assert_eq!(said, ["circumstance-heard", "closing"], "{address}");
    }
}

#[test]
fn whoever_breaks_the_glass_rests_on_nothing_elsewhere() {
    let mut house = house(&["incident"]);
    let by = [house.id(Who::Asker)].into();
    let glass = Glass { by, accepts: [ProofMethod::TotpCode].into() };
    let terms = rule(house.target(), Settings { glass: Some(glass), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let id = house.break_glass(Who::Asker, 600).unwrap();
    house.obey();
    hear(&mut house, "incident", None, true);
    hear(&mut house, "incident", None, false);
    assert_eq!(house.phase(id), Phase::Live);
}

#[test]
fn only_the_service_says_what_was_heard() {
    let mut house = house(&["incident"]);
    let report = || Report::Heard { circumstance: "incident".to_owned(), of: None, holds: true };
    for who in [Who::Administrator, Who::Asker] {
        assert!(house.try_as(who, report()).is_err());
    }
    assert!(house.act(Caller::keeper_of(house.target()), report()).is_err(), "nor a target's keeper");
    assert!(house.act(Caller::machine(), report()).is_err());
    assert!(house.world.heard.is_empty());
}

#[test]
fn another_question_is_answered_anew_and_whoever_asks_it_is_held_to_that() {
    let mut house = house(&["incident"]);
    hear(&mut house, "incident", None, true);
    let known = house.world.circumstances[&"incident".to_owned()].clone();
    let elsewhere = Circumstance { address: "https://mine.example/yes".to_owned(), ..known.clone() };
    let looked_at = LookedAt::This(known.digest());
    house.change(looked_at, CircumstanceCommand::Set { circumstance: elsewhere.clone() }).unwrap();
    assert!(!house.world.holds("incident", None), "what the one before said is not known of this one");
    let stale = house.change(looked_at, CircumstanceCommand::Set { circumstance: elsewhere });
    assert!(matches!(stale, Err(Refusal::Caller(CallerRefusal::Stale { .. }))), "{stale:?}");
    let hands = house.world.influences.values().filter(|hand| hand.by == Some(hand.touched));
    assert_eq!(hands.filter(|hand| later(hand.at, Seconds(60)) > house.now).count(), 1);
    let ended = house.try_as(Who::Administrator, CircumstanceCommand::End { name: "incident".to_owned() });
    assert_eq!(cause(ended), "only-while-wanted");
}

#[test]
fn what_can_not_be_asked_is_not_taken_in() {
    let mut house = House::new(&settings(1));
    for (address, why) in [
        ("https://desk.example/visits/{visit}/{ticket}", "bad-place"),
        ("https://desk.example/visits/x{visit}", "bad-place"),
        ("https://{visit}/visits", "bad-place"),
        ("https://desk.example/visits/}visit{", "bad-place"),
        ("https://desk.example/visits?id={visit}", "bad-question"),
    ] {
        assert_eq!(cause(set(&mut house, circumstance("one", address))), why, "{address}");
    }
    let one = || circumstance("one", "https://desk.example/state");
    assert_eq!(cause(set(&mut house, Circumstance { pointer: "state".to_owned(), ..one() })), "bad-pointer");
    assert_eq!(cause(set(&mut house, Circumstance { is: String::new(), ..one() })), "bad-question");
    let nobody = TermsCommand::Set { terms: rule(house.target(), only_while(&["nothing"])) };
    assert!(matches!(house.try_as(Who::Administrator, nobody), Err(Refusal::Unknown { what: "circumstance", .. })));
    let many = TermsCommand::Set { terms: rule(house.target(), only_while(&["a", "b", "c", "d", "e"])) };
    assert_eq!(cause(house.try_as(Who::Administrator, many)), "too-many-circumstances");
}

#[test]
fn of_a_reference_that_the_terms_let_nobody_bring_it_is_said_that_nobody_could() {
    let mut house = house(&["visit-open"]);
    let rule = Terms { settings: only_while(&["visit-open"]), ..house.world.terms.values().last().unwrap().clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule });
    hear(&mut house, "visit-open", Some("V-0001"), true);
    assert_eq!(cause(ask(&mut house, None, StartChoice::AtYes)), "unaskable");
    assert_eq!(cause(ask(&mut house, Some("V-0001"), StartChoice::AtYes)), "reference-unwanted");
}

#[test]
fn the_demand_says_it_and_whether_it_holds() {
    let mut house = house(&["incident", "visit-open"]);
    let says = |house: &House| {
        let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
        assert!(demand.brief(&house.world).contains("only while incident and visit-open"));
        demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now)
    };
    let said = says(&house);
    assert!(said.contains(", only while `incident` holds, which it does not at present, only while"), "{said}");
    assert!(said.contains("only while `visit-open` holds of the visit that you give"), "{said}");
    hear(&mut house, "incident", None, true);
    assert!(says(&house).contains(", only while `incident` holds, only while"));
}

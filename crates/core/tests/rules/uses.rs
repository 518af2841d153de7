//! What is good for one use: it ends with the first that is seen, and at its time where none was.

use jiff::SignedDuration;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// Says how often what is given may be used, from now on.
fn set_uses(house: &mut House, uses: UsesRule) {
    let settings = Settings { uses: Some(uses), ..Settings::default() };
    let command = TermsCommand::Set { terms: rule(house.target(), settings) };
    house.well(Who::Administrator, command);
}

/// A house where what is asked for is good for so many uses.
fn house(uses: UsesRule) -> House {
    let mut house = House::new(&settings(1));
    set_uses(&mut house, uses);
    house
}

fn open(house: &mut House, id: ElevationId) {
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
}

fn live(uses: UsesRule) -> (House, ElevationId) {
    let mut house = house(uses);
    let id = house.ask(Who::Asker, 1800, StartChoice::AtYes).unwrap();
    open(&mut house, id);
    (house, id)
}

/// The keeper saw it used so many seconds ago.
fn used(house: &mut House, id: ElevationId, ago: i64) {
    let at = house.now.checked_sub(SignedDuration::from_secs(ago)).unwrap();
    let grant = house.grant(id);
    house.keeper(Report::GrantUsed { grant, at });
}

#[test]
fn what_is_good_for_one_use_ends_with_the_first_that_is_seen() {
    let (mut house, id) = live(UsesRule::One);
    let on_target = house.world.good_for_one_use(house.target());
    assert_eq!(on_target.iter().map(|grant| grant.elevation).collect::<Vec<_>>(), [id]);
    house.now = later(house.now, Seconds(60));
    used(&mut house, id, 20);
    assert_eq!(house.phase(id), Phase::Closing);
    assert!(house.world.good_for_one_use(house.target()).is_empty(), "its uses are looked for no more");
    used(&mut house, id, 10);
    house.obey();
    assert_eq!(house.phase(id).to_string(), "used");
    house.check();
    house.replay();
}

#[test]
fn without_a_use_it_ends_at_its_time() {
    let (mut house, id) = live(UsesRule::One);
    house.now = later(house.now, Seconds(1800));
    house.tick();
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
}

#[test]
fn what_may_be_used_as_often_as_they_like_does_not_end_by_a_use() {
    let (mut house, id) = live(UsesRule::Any);
    assert!(house.world.good_for_one_use(house.target()).is_empty());
    used(&mut house, id, 0);
    assert_eq!(house.phase(id), Phase::Live);
}

#[test]
fn what_the_account_did_long_before_is_no_use_of_it() {
    let (mut house, id) = live(UsesRule::One);
    used(&mut house, id, 60);
    assert_eq!(house.phase(id), Phase::Live);
    // The target's clock may be a little behind ours.
    used(&mut house, id, 4);
    assert_eq!(house.phase(id), Phase::Closing);
}

#[test]
fn what_is_asked_for_again_does_not_end_by_the_use_before() {
    let (mut house, first) = live(UsesRule::One);
    house.now = later(house.now, Seconds(60));
    let use_before = house.now;
    used(&mut house, first, 0);
    house.obey();
    let again = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, again, Verdict::Yes).unwrap();
    let grant = house.grant(again);
    // By the target's clock, which may be behind ours.
    let after = use_before.checked_add(SignedDuration::from_micros(1)).unwrap();
    house.keeper(Report::GrantGiven { grant, at: after });
    assert_eq!(house.phase(again), Phase::Live);
    house.keeper(Report::GrantUsed { grant, at: use_before });
    assert_eq!(house.phase(again), Phase::Live);
    house.keeper(Report::GrantUsed { grant, at: after });
    assert_eq!(house.phase(again), Phase::Closing);
    house.replay();
}

#[test]
fn the_stricter_of_then_and_the_opening_holds_and_what_is_live_stays_as_it_is() {
    let mut house = house(UsesRule::Any);
    let loose = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    set_uses(&mut house, UsesRule::One);
    open(&mut house, loose);
    assert!(house.world.grants[&house.grant(loose)].once, "tightened before it was opened");
    used(&mut house, loose, 0);
    house.obey();

    let strict = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    open(&mut house, strict);
    set_uses(&mut house, UsesRule::Any);
    assert!(house.world.grants[&house.grant(strict)].once, "relaxing comes too late for it");
}

#[test]
fn where_no_use_is_told_of_nothing_good_for_one_is_given() {
    let mut house = house(UsesRule::One);
    let (asker, right) = (house.id(Who::Asker), house.right());
    assert!(demand_for(&house.world, asker, right, house.now).is_ok());
    let mut target = house.world.targets[&house.target()].clone();
    target.connector = Connector::Described { form: String::new() };
    let fact = Fact { put: vec![Row::Target(target)], ..house.facts.last().unwrap().clone() };
    house.world.apply(&fact);
    let refused = demand_for(&house.world, asker, right, house.now).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::UsesUntold { .. })), "{refused}");
}

#[test]
fn the_demand_says_that_it_is_good_for_one_use() {
    let house = house(UsesRule::One);
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    assert!(demand.brief(&house.world).contains(" · one use · "), "{}", demand.brief(&house.world));
    let sentence = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(sentence.contains("it ends once its first use is seen, and at its end"), "{sentence}");
}

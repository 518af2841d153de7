//! Stop, and a yes to less.

use tempestas_core::*;

use crate::house::{House, Who, settings};

fn stop(reach: Reach) -> Command {
    StopCommand::Order { reach, word: Said::new("an odd sign-in at night") }.into()
}

fn stopped(house: &House) -> StopId {
    *house.world.stops.keys().last().unwrap()
}

/// A second administrator, made long enough ago.
fn with_two_administrators(yes: u16) -> House {
    let mut house = House::new(&settings(yes));
    let (root, other) = (house.world.root.unwrap(), house.id(Who::Other));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: other, kind: DutyKind::Administrator, scope: root },
    );
    house.now = later(house.now, Seconds::hours(48));
    house
}

#[test]
fn a_stop_ends_everything_it_reaches_and_bars_new_asks_until_two_lift_it() {
    for reach in ["person", "second sign-in", "part below the right", "target", "everything"] {
        let mut house = with_two_administrators(0);
        let (live, waiting) = (house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap(), {
            house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap()
        });
        house.obey();
        let reach = match reach {
            "person" => Reach::Person(house.id(Who::Asker)),
            "second sign-in" => Reach::Person(house.id(Who::Second)),
            "target" => Reach::Scope(house.target()),
            "part below the right" => Reach::Scope(house.world.child(house.target(), "lake").unwrap().id),
            _ => Reach::Scope(house.world.root.unwrap()),
        };
        house.well(Who::Administrator, stop(reach));
        assert_eq!((house.phase(live), house.phase(waiting)), (Phase::Closing, Phase::Ended(End::Revoked)));
        house.obey();
        assert_eq!(house.phase(live), Phase::Ended(End::Revoked));
        let barred = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err().to_string();
        assert!(barred.contains("is stopped since") && barred.contains("an odd sign-in at night"), "{barred}");

        let lift = StopCommand::Lift { stop: stopped(&house) };
        house.well(Who::Administrator, lift.clone());
        let alone = house.try_as(Who::Administrator, lift.clone()).unwrap_err().to_string();
        assert!(alone.contains("takes two"), "{alone}");
        house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
        house.well(Who::Other, lift);
        house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
        house.check();
        house.replay();
    }
}

#[test]
fn the_two_who_lift_a_stop_are_two_humans_within_an_hour_and_neither_is_the_stopped_or_the_others_hand() {
    let mut house = with_two_administrators(0);
    house.well(Who::Administrator, stop(Reach::Person(house.id(Who::Other))));
    let lift = StopCommand::Lift { stop: stopped(&house) };
    let own = house.try_as(Who::Other, lift.clone()).unwrap_err().to_string();
    assert!(own.contains("nobody lifts the stop that holds themselves"), "{own}");
    let stranger = house.try_as(Who::First, lift.clone()).unwrap_err().to_string();
    assert!(stranger.contains("only an administrator"), "{stranger}");

    house.well(Who::Administrator, lift.clone());
    let (root, first) = (house.world.root.unwrap(), house.id(Who::First));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: first, kind: DutyKind::Administrator, scope: root },
    );
    let made = house.try_as(Who::First, lift.clone()).unwrap_err().to_string();
    assert!(made.contains("within a day"), "{made}");
    house.now = later(house.now, Seconds::hours(25));
    house.well(Who::First, lift.clone());
    assert!(house.world.stops[&stopped(&house)].lifted_at.is_none(), "the first voice had run out");
    house.well(Who::Administrator, lift);
    assert!(house.world.stops[&stopped(&house)].lifted_at.is_some());
}

#[test]
fn only_an_administrator_stops_and_without_a_fresh_proof() {
    let mut house = with_two_administrators(0);
    let everything = stop(Reach::Scope(house.world.root.unwrap()));
    house.try_as(Who::First, everything.clone()).unwrap_err();
    let stale = Caller { proof: None, ..house.caller(Who::Administrator) };
    house.act(stale.clone(), everything.clone()).unwrap();
    let again = house.act(stale.clone(), everything.clone()).unwrap_err().to_string();
    assert!(again.contains("stopped already"), "{again}");
    let lift = StopCommand::Lift { stop: stopped(&house) };
    assert!(matches!(house.act(stale, lift.clone()), Err(Refusal::StepUp { .. })), "lifting wants a fresh proof");
}

#[test]
fn a_yes_to_less_is_what_opens_and_whoever_looked_at_more_looks_again() {
    let mut house = House::new(&settings(2));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let wide = house.world.elevations[&id].digest;
    let lake = house.world.child(house.target(), "lake").unwrap().id;
    let yes = |less, shown| {
        ElevationCommand::Answer(AnswerInput {
            elevation: id,
            verdict: Verdict::Yes,
            less: Some(less),
            reason: None,
            shown,
        })
    };
    for (less, why) in [
        (Less { duration: Some(Seconds(601)), ..Less::default() }, "not-shorter"),
        (Less { duration: Some(Seconds(0)), ..Less::default() }, "not-shorter"),
        (Less { scope: house.world.root, ..Less::default() }, "not-narrower"),
        (Less { start: Some(StartChoice::At { time: house.now }), ..Less::default() }, "start-past"),
    ] {
        let refused = house.try_as(Who::First, yes(less, wide)).unwrap_err();
        assert_eq!(refused.cause(), Some(why), "{refused}");
    }
    let less = Less { duration: Some(Seconds(60)), scope: Some(lake), start: None };
    house.well(Who::First, yes(less, wide));
    assert_eq!(house.try_as(Who::Other, yes(Less::default(), wide)), Err(AnswerRefusal::AskChanged { id }.into()));
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    let elevation = &house.world.elevations[&id];
    let grant = &house.world.grants[&elevation.grants[0]];
    assert_eq!((grant.right.scope, elevation.asked.unwrap().right.scope), (lake, house.target()));
    assert!(grant.until <= later(grant.opened_at, Seconds(60)));
    house.check();
    house.replay();
}

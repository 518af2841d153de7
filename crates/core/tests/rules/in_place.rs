//! What is changed in place is changed as it was looked at, or not at all.

use tempestas_core::*;

use crate::house::{House, Who, settings};

/// Something that is changed in place: how it stands, and a change of it.
struct Place {
    name: &'static str,
    present: fn(&House) -> Option<Digest>,
    change: fn(&House, u32) -> Command,
}

fn eligibility(house: &House) -> &Eligibility {
    house.world.eligibilities.values().next().unwrap()
}

fn longest(house: &House, hours: u32) -> Command {
    let looked_at = house.world.terms.values().next().unwrap().clone();
    let settings = Settings { longest: Some(Longest(Seconds::hours(hours))), ..looked_at.settings };
    TermsCommand::Set { terms: Terms { settings, ..looked_at } }.into()
}

fn window(house: &House, hours: u32) -> Command {
    let until = Some(Some(later(house.now, Seconds::hours(40 - hours))));
    EligibilityCommand::Change { eligibility: eligibility(house).id, from: None, until, reason: None }.into()
}

fn target_settings(house: &House, hours: u32) -> Command {
    EstateCommand::SetTarget {
        target: house.target(),
        emergency_least: None,
        alarm_after: Some(Seconds::hours(hours)),
        runs_on: None,
        own_login: None,
        labels: None,
    }
    .into()
}

fn account(house: &House, n: u32) -> Command {
    PeopleCommand::SetAccount {
        subject: house.id(Who::Other),
        target: house.target(),
        account: Said::new(format!("p.{n}")),
    }
    .into()
}

const PLACES: [Place; 4] = [
    Place {
        name: "a rule of terms",
        present: |house| house.world.terms.values().next().map(Terms::digest),
        change: longest,
    },
    Place { name: "a window", present: |house| Some(eligibility(house).digest()), change: window },
    Place {
        name: "settings of a target",
        present: |house| house.world.targets.values().next().map(Target::digest),
        change: target_settings,
    },
    Place {
        name: "whose account it is",
        present: |house| house.world.account_of(house.id(Who::Other), house.target()).map(Account::digest),
        change: account,
    },
];

#[test]
fn what_is_changed_in_place_is_as_it_was_looked_at() {
    for Place { name, present, change } in PLACES {
        let mut house = House::new(&settings(1));
        house.well(Who::Administrator, account(&house, 0));
        let looked_at = LookedAt::This(present(&house).unwrap());
        house.change(looked_at, change(&house, 1)).unwrap_or_else(|refusal| panic!("{name}: {refusal}"));
        let after = house.world.clone();
        // Whoever looked before that would undo it without knowing; so would one who thinks that nothing is there.
        for stale in [looked_at, LookedAt::Nothing] {
            let refused = house.change(stale, change(&house, 2)).unwrap_err();
            assert!(matches!(refused, Refusal::Caller(CallerRefusal::Stale { .. })), "{name}: {refused}");
        }
        assert_eq!(house.world, after, "{name}");
        let anew = LookedAt::This(present(&house).unwrap());
        house.change(anew, change(&house, 2)).unwrap_or_else(|refusal| panic!("{name}: {refusal}"));
        house.replay();
    }
}

#[test]
fn a_survey_makes_nothing_stale_that_an_administrator_looked_at() {
    let mut house = House::new(&settings(1));
    let looked_at = house.world.targets[&house.target()].clone();
    let attributes = [("site".to_owned(), "north quay".to_owned())].into();
    let survey = Survey { attributes, ..crate::house::survey(house.now, 1) };
    let (target, digest) = (house.target(), Digest::of_json(&survey));
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey) });
    assert_ne!(house.world.targets[&target], looked_at);
    house.change(LookedAt::This(looked_at.digest()), target_settings(&house, 3)).unwrap();
}

#[test]
fn only_whoever_may_know_how_it_is_hears_that_it_changed() {
    let mut house = House::new(&settings(1));
    for Place { name, change, .. } in PLACES {
        let command = change(&house, 1);
        let refused = house.act_on(Some(LookedAt::Nothing), house.caller(Who::Other), command.clone()).unwrap_err();
        assert!(!matches!(refused, Refusal::Caller(CallerRefusal::Stale { .. })), "{name}: {refused}");
    }
    let nowhere = Terms { id: TermsId(4711), ..house.world.terms.values().next().unwrap().clone() };
    let refused = house.change(LookedAt::Nothing, TermsCommand::Set { terms: nowhere }).unwrap_err();
    assert!(matches!(refused, Refusal::Unknown { .. }), "{refused}");
}

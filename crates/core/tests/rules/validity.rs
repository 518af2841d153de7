//! While a rule is valid: time wakes it and puts it to sleep, and whoever set it answers for what comes of both.

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// A rule on the target that leaves half an hour, valid for so many minutes from one to another, counted from now.
fn short_rule(house: &House, from: Option<u32>, until: Option<u32>) -> Terms {
    let at = |minutes: u32| later(house.now, Seconds::minutes(minutes));
    let valid = Validity { from: from.map(at), until: until.map(at) };
    let longest = Settings { longest: Some(Longest(Seconds::minutes(30))), ..Settings::default() };
    Terms { valid, ..rule(house.target(), longest) }
}

/// The rule that was set last.
fn last(house: &House) -> TermsId {
    house.world.terms.values().last().unwrap().id
}

fn longest(house: &House) -> Seconds {
    effective_terms(&house.world, Act::Elevate, house.right(), house.id(Who::Asker)).longest.0
}

fn pass(house: &mut House, minutes: u32) -> Vec<What> {
    house.now = later(house.now, Seconds::minutes(minutes));
    let decision = house.act(Caller::service(), Command::Tick).unwrap();
    decision.facts.into_iter().map(|fact| fact.what).collect()
}

/// Whether somebody let others through with less since then.
fn weakened_since(house: &House, who: Who, since: Timestamp) -> bool {
    let who = house.id(who);
    house.world.influences.values().any(|hand| hand.by == Some(who) && hand.touched == who && hand.at >= since)
}

#[test]
fn a_rule_holds_from_its_first_moment_until_its_last_and_each_is_a_fact() {
    let mut house = House::new(&settings(0));
    let terms = short_rule(&house, Some(10), Some(30));
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let id = last(&house);
    assert_eq!(house.world.terms[&id].dormant, Some(Dormant::NotYet));
    assert_eq!(house.world.next_due(house.now), house.world.terms[&id].valid.from);
    assert_eq!(longest(&house), Seconds::hours(2));
    assert_eq!(pass(&mut house, 9), []);
    let scope = house.target();
    assert_eq!(pass(&mut house, 1), [What::TermsBegan { terms: id, scope }]);
    assert_eq!((house.world.terms[&id].dormant, longest(&house)), (None, Seconds::minutes(30)));
    assert_eq!(pass(&mut house, 1), [], "it begins once");
    assert_eq!(pass(&mut house, 19), [What::TermsOver { terms: id, scope }]);
    assert_eq!((house.world.terms[&id].dormant, longest(&house)), (Some(Dormant::Over), Seconds::hours(2)));
    assert_eq!(house.world.next_due(house.now), None);
    house.replay();
}

#[test]
fn what_was_slept_through_is_over_and_never_began() {
    let mut house = House::new(&settings(0));
    let terms = short_rule(&house, Some(10), Some(30));
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let (id, scope) = (last(&house), house.target());
    assert_eq!(pass(&mut house, 90), [What::TermsOver { terms: id, scope }]);
}

#[test]
fn a_validity_that_could_never_be_is_refused_with_what_to_do() {
    let mut house = House::new(&settings(0));
    let set = |house: &mut House, from, until| {
        let terms = short_rule(house, from, until);
        house.try_as(Who::Administrator, TermsCommand::Set { terms }).map(drop)
    };
    let never = set(&mut house, Some(30), Some(30)).unwrap_err();
    assert!(matches!(never, Refusal::Terms(TermsRefusal::NeverValid { .. })), "{never}");
    let over = set(&mut house, None, Some(0)).unwrap_err();
    assert!(matches!(over, Refusal::Terms(TermsRefusal::ValidityOver { .. })), "{over}");
    set(&mut house, Some(0), None).unwrap();
    let rule = house.world.terms.values().last().unwrap();
    assert_eq!(rule.dormant, None, "from now on is at once");
}

#[test]
fn a_suspended_rule_that_wakes_still_fits_nothing_and_holds_once_it_is_resumed() {
    let mut house = House::new(&settings(0));
    let terms = short_rule(&house, Some(10), None);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let terms = last(&house);
    house.well(Who::Administrator, TermsCommand::Suspend { terms, reason: Said::new("not yet agreed") });
    pass(&mut house, 10);
    assert_eq!((house.world.terms[&terms].dormant, longest(&house)), (None, Seconds::hours(2)));
    house.well(Who::Administrator, TermsCommand::Resume { terms });
    assert_eq!(longest(&house), Seconds::minutes(30));
    // What is changed while it is over begins anew with its new times.
    let again = Terms { valid: short_rule(&house, Some(60), None).valid, ..house.world.terms[&terms].clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: again });
    assert_eq!((house.world.terms[&terms].dormant, longest(&house)), (Some(Dormant::NotYet), Seconds::hours(2)));
}

#[test]
fn a_stricter_rule_for_a_while_is_nobodys_hand_until_its_end_gives_back_what_it_took() {
    let mut house = House::new(&settings(0));
    let set_at = house.now;
    let terms = short_rule(&house, None, Some(30));
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let weakened = weakened_since(&house, Who::Administrator, set_at);
    assert!(!weakened, "it takes, and what it gives back was there before");
    pass(&mut house, 30);
    assert!(weakened_since(&house, Who::Administrator, set_at));
}

#[test]
fn what_a_rule_will_let_through_with_less_counts_when_it_is_set_and_when_it_begins() {
    let mut house = House::new(&settings(1));
    let lax = Settings { approval: Some(Approval::None), ..Settings::default() };
    let terms = Terms { settings: lax, ..short_rule(&house, Some(48 * 60), None) };
    let set_at = house.now;
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert!(weakened_since(&house, Who::Administrator, set_at));
    let begins = later(house.now, Seconds::minutes(47 * 60));
    pass(&mut house, 48 * 60);
    assert!(weakened_since(&house, Who::Administrator, begins));
    // To let the strictest end by itself is to weaken it, be it later.
    let all =
        Terms { valid: short_rule(&house, None, Some(60)).valid, ..house.world.terms.values().next().unwrap().clone() };
    let before = house.now;
    house.well(Who::Administrator, TermsCommand::Set { terms: all });
    assert!(weakened_since(&house, Who::Administrator, before));
}

#[test]
fn what_opens_at_the_moment_that_a_rule_begins_goes_by_that_rule() {
    let mut house = House::new(&settings(0));
    let terms = short_rule(&house, Some(10), None);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let time = later(house.now, Seconds::minutes(10));
    let asked = house.ask(Who::Asker, 3600, StartChoice::At { time }).unwrap();
    pass(&mut house, 10);
    assert_eq!(house.phase(asked), Phase::Scheduled, "first the rule");
    pass(&mut house, 0);
    assert_eq!(house.phase(asked), Phase::Opening);
    let minutes = house.until(asked).duration_since(house.now).as_mins();
    assert!((29..=30).contains(&minutes), "{minutes}");
}

#[test]
fn no_rule_begins_or_ends_by_a_clock_that_nobody_has_looked_at_since_it_was_set() {
    let mut house = House::new(&settings(0));
    let terms = short_rule(&house, None, Some(30));
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let terms = last(&house);
    house.keeper(Report::Alarm(AlarmKind::ClockStep { seconds: 3600 }));
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    pass(&mut house, 60);
    assert_eq!((house.world.terms[&terms].dormant, house.phase(asked)), (None, Phase::Scheduled));
    let alarm = house.world.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).unwrap().id;
    house.well(Who::Administrator, Command::SettleAlarm { alarm });
    let scope = house.target();
    assert_eq!(pass(&mut house, 0), [What::TermsOver { terms, scope }]);
}

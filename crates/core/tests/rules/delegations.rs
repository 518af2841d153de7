//! Who answers in the place of somebody who is away.

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

const DAY: Seconds = Seconds::hours(24);

fn delegate(house: &mut House, by: Who, absent: Who, to: Who, hours: (u32, u32)) -> Result<DelegationId, Refusal> {
    let (from, until) = (later(house.now, Seconds::hours(hours.0)), later(house.now, Seconds::hours(hours.1)));
    let (absent, delegate) = (house.id(absent), house.id(to));
    let command = DelegationCommand::Give { absent, delegate, from: Some(from), until, reason: None };
    let done = house.try_as(by, command)?;
    let made = done.facts.iter().find_map(|fact| match fact.what {
        What::Delegated { delegation, .. } => Some(delegation),
        _ => None,
    });
    Ok(made.unwrap())
}

/// A house whose right takes a yes of one of these.
fn asking(who: &[Who]) -> House {
    let mut house = House::new(&settings(1));
    let approvers = who.iter().map(|one| Approver::Subject { id: house.id(*one) }).collect();
    let approval = Some(StageTerms { approvers, ..StageTerms::default() }.into());
    let terms = rule(house.target(), Settings { approval, ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn ask(house: &mut House) -> ElevationId {
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap()
}

fn asked(house: &House, id: ElevationId) -> Vec<SubjectId> {
    house.world.elevations[&id].stage().unwrap().approvers.iter().copied().collect()
}

#[test]
fn who_is_away_is_skipped_and_that_is_said() {
    let mut house = asking(&[Who::First]);
    let (oda, piet) = (house.id(Who::First), house.id(Who::Other));
    delegate(&mut house, Who::First, Who::First, Who::Other, (1, 30)).unwrap();
    let before = ask(&mut house);
    assert_eq!(asked(&house, before), [oda], "not away yet");
    house.now = later(house.now, Seconds::hours(2));
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let sentence = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(sentence.contains("from piet (for oda, who is away)"), "{sentence}");
    let meanwhile = ask(&mut house);
    assert_eq!(asked(&house, meanwhile), [piet]);
    house.answer(Who::Other, meanwhile, Verdict::Yes).unwrap();
    assert_eq!(house.phase(meanwhile), Phase::Opening);
    house.answer(Who::First, before, Verdict::Yes).unwrap();
    house.now = later(house.now, Seconds::hours(40));
    let after = ask(&mut house);
    assert_eq!(asked(&house, after), [oda], "back again");
    house.check();
    house.replay();
}

#[test]
fn a_yes_by_a_delegate_holds_beyond_the_absence_and_what_was_asked_still_waits_for_them() {
    let mut house = asking(&[Who::First]);
    delegate(&mut house, Who::First, Who::First, Who::Other, (0, 3)).unwrap();
    let ready = house.ask(Who::Asker, 600, StartChoice::At { time: later(house.now, Seconds::hours(6)) }).unwrap();
    let waiting = ask(&mut house);
    house.answer(Who::Other, ready, Verdict::Yes).unwrap();
    house.now = later(house.now, Seconds::hours(6));
    house.tick();
    assert_eq!(house.phase(ready), Phase::Opening, "they answered while it was theirs");
    house.answer(Who::Other, waiting, Verdict::Yes).unwrap();
    assert_eq!(house.phase(waiting), Phase::Opening);
    house.check();
}

#[test]
fn a_yes_given_before_an_absence_holds_through_it() {
    let mut house = asking(&[Who::First]);
    let id = house.ask(Who::Asker, 600, StartChoice::At { time: later(house.now, Seconds::hours(6)) }).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    delegate(&mut house, Who::First, Who::First, Who::Other, (0, 30)).unwrap();
    house.now = later(house.now, Seconds::hours(6));
    house.tick();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn one_that_is_taken_back_lends_nothing_any_more() {
    let mut house = asking(&[Who::First]);
    let lent = delegate(&mut house, Who::First, Who::First, Who::Other, (0, 30)).unwrap();
    let id = ask(&mut house);
    house.well(Who::First, DelegationCommand::End { delegation: lent });
    assert_eq!(house.answer(Who::Other, id, Verdict::Yes), Err(AnswerRefusal::NoLongerNamed { id }.into()));
    house.pass_a_minute();
    assert_eq!(house.phase(id), Phase::Ended(End::Unanswered), "it is asked anew, of whom it was");
}

#[test]
fn nobody_answers_their_own_ask_as_a_delegate() {
    for own in [Who::Asker, Who::Second] {
        let mut house = asking(&[Who::First]);
        delegate(&mut house, Who::First, Who::First, own, (0, 30)).unwrap();
        let id = ask(&mut house);
        assert_eq!(asked(&house, id), [house.id(Who::First)], "{own:?} can't, so whoever is away is asked after all");
    }
}

#[test]
fn whoever_arranged_an_absence_is_not_answered_by_its_delegate_for_a_day() {
    let mut house = asking(&[Who::First]);
    let (root, tomas) = (house.world.root.unwrap(), house.id(Who::Asker));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    delegate(&mut house, Who::Asker, Who::First, Who::Other, (0, 60)).unwrap();
    let id = ask(&mut house);
    assert_eq!(asked(&house, id), [house.id(Who::First)], "the asker said who answers");
    house.now = later(house.now, DAY);
    let id = ask(&mut house);
    assert_eq!(asked(&house, id), [house.id(Who::Other)]);
}

#[test]
fn a_delegate_counts_once_however_many_they_stand_in_for() {
    let mut house = asking(&[Who::First, Who::Other]);
    let two = StageTerms {
        approvers: [Who::First, Who::Other].map(|who| Approver::Subject { id: house.id(who) }).to_vec(),
        yes: 2,
        ..StageTerms::default()
    };
    let terms = rule(house.target(), Settings { approval: Some(two.into()), ..Settings::default() });
    let terms = Terms { pins: vec!["approval".to_owned()], ..terms };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    delegate(&mut house, Who::First, Who::First, Who::Other, (0, 30)).unwrap();
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    let right = house.world.right_name(house.right());
    let short = AskRefusal::TooFewApprovers { right, stage: 1, yes: 2, free: 1, no_manager: false };
    assert_eq!(refused, short.into());
}

#[test]
fn whoever_covers_answers_where_the_terms_say_so() {
    let mut house = asking(&[Who::First]);
    let (oda, piet, right) = (house.id(Who::First), house.id(Who::Other), house.right());
    let give = EligibilityCommand::Give { subject: oda, right, from: None, until: None, reason: None };
    house.well(Who::Administrator, give);
    let until = later(house.now, Seconds::hours(72));
    let cover = EligibilityCommand::Cover { absent: oda, stand_in: piet, from: None, until, reason: None };
    house.well(Who::Administrator, cover);
    house.now = later(house.now, Seconds::hours(30));
    let id = ask(&mut house);
    assert_eq!(asked(&house, id), [oda], "the terms say nothing of covers");
    let (rule, digest) = house
        .world
        .terms
        .values()
        .find(|rule| rule.scope == house.target())
        .map(|rule| (rule.clone(), rule.digest()))
        .unwrap();
    let stage = StageTerms { cover: true, ..rule.settings.approval.as_ref().unwrap().stages()[0].clone() };
    let settings = Settings { approval: Some(stage.into()), ..Settings::default() };
    house.change(LookedAt::This(digest), TermsCommand::Set { terms: Terms { settings, ..rule } }).unwrap();
    let id = ask(&mut house);
    assert_eq!(asked(&house, id), [piet]);
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    let waiting = ask(&mut house);
    let cover = house.world.appointments.values().next_back().unwrap().id;
    house.well(Who::Administrator, EligibilityCommand::EndAppointment { appointment: cover });
    let id = waiting;
    assert_eq!(house.answer(Who::Other, id, Verdict::Yes), Err(AnswerRefusal::NoLongerNamed { id }.into()));
    house.replay();
}

#[test]
fn an_absence_is_ones_own_and_has_an_end() {
    let mut house = House::new(&settings(1));
    let other = delegate(&mut house, Who::Other, Who::First, Who::Other, (0, 1));
    assert_eq!(other, Err(DelegationRefusal::NotYoursToDelegate.into()));
    let own = delegate(&mut house, Who::Second, Who::Asker, Who::Second, (0, 1));
    assert_eq!(own, Err(DelegationRefusal::ToSelf.into()));
    let empty = delegate(&mut house, Who::First, Who::First, Who::Other, (2, 1));
    assert_eq!(empty, Err(DelegationRefusal::EmptyAbsence.into()));
    let long = delegate(&mut house, Who::First, Who::First, Who::Other, (0, 24 * 93));
    assert!(matches!(long, Err(Refusal::Delegation(DelegationRefusal::TooLongAway { .. }))), "{long:?}");
    let first = delegate(&mut house, Who::First, Who::First, Who::Other, (0, 10)).unwrap();
    let twice = delegate(&mut house, Who::First, Who::First, Who::Administrator, (9, 20));
    assert!(
        matches!(&twice, Err(Refusal::Delegation(DelegationRefusal::AwayAlready { other, .. })) if *other == first),
        "{twice:?}"
    );
    delegate(&mut house, Who::First, Who::First, Who::Administrator, (10, 20)).unwrap();
    // Strangers don't learn of it; whoever answers by it may end it.
    let unknown = house.try_as(Who::Asker, DelegationCommand::End { delegation: first });
    assert!(matches!(unknown, Err(Refusal::Unknown { .. })), "{unknown:?}");
    house.well(Who::Other, DelegationCommand::End { delegation: first });
    let piet = house.id(Who::Other);
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: piet });
    let nobody = delegate(&mut house, Who::First, Who::First, Who::Other, (30, 40));
    assert_eq!(nobody, Err(DelegationRefusal::ToNobody { name: "piet".to_owned() }.into()));
}

#[test]
fn absences_that_are_long_over_are_forgotten() {
    let mut house = House::new(&settings(1));
    let old = delegate(&mut house, Who::First, Who::First, Who::Other, (0, 10)).unwrap();
    house.now = later(house.now, Seconds::hours(24 * 30));
    delegate(&mut house, Who::First, Who::First, Who::Other, (0, 10)).unwrap();
    assert!(house.world.delegations.contains_key(&old), "something may wait for it still");
    house.now = later(house.now, Seconds::hours(24 * 3));
    delegate(&mut house, Who::First, Who::First, Who::Other, (0, 10)).unwrap();
    assert!(!house.world.delegations.contains_key(&old));
    let until: Vec<Timestamp> = house.world.delegations_of(house.id(Who::First)).map(|one| one.until).collect();
    assert_eq!(until.len(), 2);
}

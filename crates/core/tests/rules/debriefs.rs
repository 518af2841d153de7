//! Debriefs: somebody else looks at what was done, or it goes higher.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

const WITHIN: Seconds = Seconds::hours(24);

fn looked_at_by(house: &House, who: &[Who]) -> DebriefRule {
    let by = who.iter().map(|who| Approver::Subject { id: house.id(*who) }).collect();
    DebriefRule::Wanted(DebriefTerms { by, within: WITHIN, higher: vec![Approver::Administrators] })
}

fn set_debrief(house: &mut House, debrief: DebriefRule) {
    let settings = Settings { debrief: Some(debrief), ..Settings::default() };
    let terms = rule(house.target(), settings);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
}

/// A house in which these look at what was done.
fn house(who: &[Who]) -> House {
    let mut house = House::new(&settings(1));
    let debrief = looked_at_by(&house, who);
    set_debrief(&mut house, debrief);
    house
}

fn over(house: &mut House) -> ElevationId {
    let id = house.ask(Who::Asker, 1800, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    house.try_as(Who::Asker, ElevationCommand::GiveBack { elevation: id }).unwrap();
    house.obey();
    assert!(house.world.elevations[&id].is_over());
    id
}

fn signs(house: &mut House, who: Who, elevation: ElevationId, finding: Finding) -> Result<Decision, Refusal> {
    let word = Some(Said::new("looked at the log there"));
    house.try_as(who, ElevationCommand::Debrief(DebriefInput { elevation, finding, word }))
}

fn kinds(decision: &Decision) -> Vec<&'static str> {
    decision.facts.iter().map(|fact| fact.what.kind()).collect()
}

fn alarms(house: &House) -> Vec<&'static str> {
    house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| (&alarm.about).into()).collect()
}

#[test]
fn one_who_is_named_signs_it_off_and_nobody_else() {
    let mut house = house(&[Who::Other]);
    let id = over(&mut house);
    let debrief = house.world.elevations[&id].open_debrief().unwrap();
    assert_eq!(debrief.by.iter().copied().collect::<Vec<_>>(), [house.id(Who::Other)]);
    assert_eq!(signs(&mut house, Who::Asker, id, Finding::InOrder), Err(DebriefRefusal::OwnDebrief { id }.into()));
    let second = signs(&mut house, Who::Second, id, Finding::InOrder).unwrap_err();
    assert!(
        matches!(second, Refusal::Unknown { .. } | Refusal::Debrief(DebriefRefusal::OwnDebrief { .. })),
        "{second}"
    );
    for who in [Who::First, Who::Administrator] {
        assert_eq!(signs(&mut house, who, id, Finding::InOrder), Err(DebriefRefusal::NotYourDebrief { id }.into()));
    }
    let signed = signs(&mut house, Who::Other, id, Finding::InOrder).unwrap();
    assert_eq!(kinds(&signed), ["debriefed"]);
    let signed = house.world.elevations[&id].debrief.as_ref().unwrap().signed.unwrap();
    assert_eq!((signed.by, signed.finding), (house.id(Who::Other), Finding::InOrder));
    assert_eq!(house.world.text(signed.word.unwrap()), "looked at the log there");
    let again = signs(&mut house, Who::Other, id, Finding::InOrder);
    assert_eq!(again, Err(DebriefRefusal::DebriefedAlready { id, at: signed.at }.into()));
    house.now = later(house.now, Seconds::hours(72));
    house.tick();
    assert_eq!(alarms(&house), Vec::<&str>::new(), "what was signed off goes nowhere");
    house.check();
    house.replay();
}

#[test]
fn whoever_sees_it_without_being_asked_is_refused_and_what_nobody_must_look_at_isnt_signed() {
    let mut house = House::new(&settings(1));
    let id = over(&mut house);
    assert_eq!(house.world.elevations[&id].debrief, None);
    let refused = signs(&mut house, Who::First, id, Finding::InOrder);
    assert_eq!(refused, Err(DebriefRefusal::NothingToDebrief { id }.into()));
}

#[test]
fn what_never_came_to_anything_is_looked_at_by_nobody() {
    let mut house = house(&[Who::Other]);
    let id = house.ask(Who::Asker, 1800, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::No).unwrap();
    assert!(house.world.elevations[&id].is_closed());
}

#[test]
fn nobody_looks_in_time_and_it_goes_higher_again_and_again() {
    let mut house = house(&[Who::Other]);
    let id = over(&mut house);
    house.now = later(house.now, WITHIN);
    house.tick();
    assert_eq!(alarms(&house), ["debrief-late"]);
    assert_eq!(house.world.elevations[&id].debrief.as_ref().unwrap().higher, 1);
    let facts = house.facts.len();
    for _ in 0..3 {
        house.now = later(house.now, Seconds::minutes(1));
        house.tick();
    }
    assert_eq!(house.facts.len(), facts, "it is late once a day, and not at every look");
    house.now = later(house.now, WITHIN);
    house.tick();
    assert_eq!(house.world.elevations[&id].debrief.as_ref().unwrap().higher, 2);
    assert_eq!(alarms(&house), ["debrief-late"], "one alarm, however often");
    // Whoever was asked first may still look.
    signs(&mut house, Who::Administrator, id, Finding::InOrder).unwrap();
    assert_eq!(alarms(&house), Vec::<&str>::new());
    house.check();
    house.replay();
}

#[test]
fn what_was_not_in_order_needs_a_word_and_is_an_alarm_that_its_holder_cannot_settle() {
    let mut house = house(&[Who::Other]);
    let (subject, scope) = (house.id(Who::Asker), house.world.root.unwrap());
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope });
    let id = over(&mut house);
    let finding = Finding::NotInOrder;
    for word in [None, Some(Said::new(""))] {
        let said = house.try_as(Who::Other, ElevationCommand::Debrief(DebriefInput { elevation: id, finding, word }));
        assert_eq!(said, Err(DebriefRefusal::NotInOrderWithoutWord { id }.into()));
    }
    signs(&mut house, Who::Other, id, finding).unwrap();
    assert_eq!(alarms(&house), ["not-in-order"]);
    let alarm = *house.world.alarms.keys().last().unwrap();
    assert_eq!(house.try_as(Who::Asker, Command::SettleAlarm { alarm }), Err(EstateRefusal::OwnAlarm.into()));
    house.well(Who::Administrator, Command::SettleAlarm { alarm });
    assert_eq!(alarms(&house), Vec::<&str>::new());
    house.replay();
}

#[test]
fn whose_standing_its_holder_touched_within_a_day_signs_nothing_off() {
    let mut house = house(&[Who::Other]);
    let (tomas, scope) = (house.id(Who::Asker), house.world.root.unwrap());
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope });
    house.now = later(house.now, Seconds::hours(48));
    let id = over(&mut house);
    let piet = house.id(Who::Other);
    house.well(Who::Asker, PeopleCommand::GiveDuty { subject: piet, kind: DutyKind::Auditor, scope });
    let refused = signs(&mut house, Who::Other, id, Finding::InOrder);
    assert_eq!(refused, Err(DebriefRefusal::NoLongerYourDebrief { id }.into()));
    // And nobody is left for what is over by then: it goes higher at once.
    let next = over(&mut house);
    assert!(house.world.elevations[&next].debrief.as_ref().unwrap().by.is_empty());
    house.tick();
    assert_eq!(alarms(&house), ["debrief-late"]);
    signs(&mut house, Who::Administrator, next, Finding::InOrder).unwrap();
    house.replay();
}

#[test]
fn terms_that_are_relaxed_while_it_is_held_change_nothing_and_new_ones_count() {
    let mut house = house(&[Who::Other]);
    let id = house.ask(Who::Asker, 7200, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    let held = house.world.terms.values().last().unwrap().clone();
    house.well(Who::Administrator, TermsCommand::End { terms: held.id });
    house.try_as(Who::Asker, ElevationCommand::GiveBack { elevation: id }).unwrap();
    house.obey();
    assert!(house.world.elevations[&id].open_debrief().is_some(), "as it was asked for");
    signs(&mut house, Who::Other, id, Finding::InOrder).unwrap();

    let id = house.ask(Who::Asker, 7200, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    let settings = Settings { debrief: Some(looked_at_by(&house, &[Who::Other])), ..Settings::default() };
    let terms = rule(house.target(), settings);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.try_as(Who::Asker, ElevationCommand::GiveBack { elevation: id }).unwrap();
    house.obey();
    assert!(house.world.elevations[&id].open_debrief().is_some(), "as it has come to be wanted");
}

#[test]
fn what_waits_to_be_looked_at_is_not_forgotten() {
    let mut house = house(&[Who::Other]);
    house.forgetful = Some(house.world.clone());
    let (id, other) = (over(&mut house), over(&mut house));
    signs(&mut house, Who::Other, other, Finding::InOrder).unwrap();
    house.now = later(house.now, Seconds::hours(24 * 20));
    house.tick();
    let forgetful = house.forgetful.as_ref().unwrap();
    assert!(forgetful.elevations.contains_key(&id) && !forgetful.elevations.contains_key(&other));
    assert_eq!(forgetful.under_debrief().map(|one| one.id).collect::<Vec<_>>(), [id]);
    signs(&mut house, Who::Other, id, Finding::InOrder).unwrap();
    house.now = later(house.now, Seconds::hours(24));
    house.tick();
    assert!(!house.forgetful.as_ref().unwrap().elevations.contains_key(&id));
}

#[test]
fn a_debrief_by_nobody_or_at_a_time_that_cannot_be_meant_is_refused() {
    let terms = DebriefTerms::default();
    let is = |terms: DebriefTerms| {
        let settings = Settings { debrief: Some(DebriefRule::Wanted(terms)), ..Settings::default() };
        rule(ScopeId(1), settings).check()
    };
    assert_eq!(is(terms.clone()), Ok(()));
    assert_eq!(is(DebriefTerms { by: Vec::new(), ..terms.clone() }), Err(TermsRefusal::DebriefByNobody.into()));
    assert_eq!(is(DebriefTerms { higher: Vec::new(), ..terms.clone() }), Err(TermsRefusal::DebriefByNobody.into()));
    for within in [Seconds(0), Seconds(299), Seconds::hours(24 * 31)] {
        let refused = is(DebriefTerms { within, ..terms.clone() });
        let (least, most) = (Seconds::minutes(5), Seconds::hours(24 * 30));
        assert_eq!(refused, Err(TermsRefusal::DebriefTime { within, least, most }.into()));
    }
    let mut house = House::new(&settings(1));
    let by = vec![Approver::Subject { id: SubjectId(4711) }];
    let settings = Settings { debrief: Some(DebriefRule::Wanted(DebriefTerms { by, ..terms })), ..Settings::default() };
    let unknown = house.try_as(Who::Administrator, TermsCommand::Set { terms: rule(ScopeId(1), settings) });
    assert!(matches!(unknown, Err(Refusal::Unknown { what: "person or group", .. })), "{unknown:?}");
}

#[test]
fn the_demand_says_who_will_look() {
    let house = house(&[Who::Other]);
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let said = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(said.ends_with("; then what was done is looked at by piet, within 1 d."), "{said}");
    assert!(demand.brief(&house.world).ends_with(" · debrief"), "{}", demand.brief(&house.world));
}

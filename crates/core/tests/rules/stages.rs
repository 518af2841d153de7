//! Approval in stages: one after another, each by people of its own; who is asked when one has waited for its time.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings, survey};

const HOUR: Seconds = Seconds::hours(1);

fn of(house: &House, who: &[Who]) -> Vec<Approver> {
    who.iter().map(|one| Approver::Subject { id: house.id(*one) }).collect()
}

fn stage(house: &House, who: &[Who]) -> StageTerms {
    StageTerms { approvers: of(house, who), within: HOUR, ..StageTerms::default() }
}

/// A house whose right takes these stages.
fn in_stages(stages: impl FnOnce(&House) -> Vec<StageTerms>) -> House {
    let mut house = House::new(&settings(1));
    let approval = Some(Approval::Stages(stages(&house)));
    let terms = rule(house.target(), Settings { approval, ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn ask(house: &mut House) -> ElevationId {
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap()
}

fn open(house: &House, id: ElevationId) -> (usize, Vec<SubjectId>) {
    let stages = &house.world.elevations[&id].rounds.last().unwrap().stages;
    (stages.open_at().unwrap(), stages.open().unwrap().approvers.iter().copied().collect())
}

fn waits_for(house: &House, id: ElevationId, who: Who) -> bool {
    house.world.elevations[&id].waits_for(house.id(who))
}

#[test]
fn stages_are_settled_one_after_another_each_by_its_own_people() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First]), stage(house, &[Who::Other])]);
    let id = ask(&mut house);
    let begun = house.world.elevations[&id].stage().unwrap().until;
    assert_eq!(open(&house, id), (0, vec![house.id(Who::First)]));
    assert!(waits_for(&house, id, Who::First) && !waits_for(&house, id, Who::Other));
    let early = house.answer(Who::Other, id, Verdict::Yes);
    assert_eq!(early, Err(AnswerRefusal::NotNamed { id }.into()), "not before its stage");
    house.now = later(house.now, Seconds::minutes(30));
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!((house.phase(id), open(&house, id)), (Phase::Waiting, (1, vec![house.id(Who::Other)])));
    assert!(house.world.elevations[&id].stage().unwrap().until > begun, "each has its own time");
    let again = house.answer(Who::First, id, Verdict::Yes);
    assert_eq!(again, Err(AnswerRefusal::AnsweredInStage { id, stage: 1 }.into()), "a yes counts for its stage alone");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
    house.obey();
    house.check();
    house.replay();
}

#[test]
fn a_no_in_any_stage_refuses_and_one_that_waits_in_vain_runs_out() {
    let two = |house: &House| vec![stage(house, &[Who::First]), stage(house, &[Who::Other])];
    let mut house = in_stages(two);
    let refused = ask(&mut house);
    house.answer(Who::First, refused, Verdict::Yes).unwrap();
    house.answer(Who::Other, refused, Verdict::No).unwrap();
    assert_eq!(house.phase(refused), Phase::Ended(End::Refused));
    let late = ask(&mut house);
    house.answer(Who::First, late, Verdict::Yes).unwrap();
    house.now = later(house.now, HOUR);
    let too_late = house.answer(Who::Other, late, Verdict::Yes);
    assert!(matches!(too_late, Err(Refusal::Answer(AnswerRefusal::RanOut { .. }))), "{too_late:?}");
    house.tick();
    assert_eq!(house.phase(late), Phase::Ended(End::Unanswered));
    house.run_out();
}

#[test]
fn nobody_answers_in_two_stages_and_none_is_left_without_enough() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First, Who::Other]), stage(house, &[Who::Other])]);
    let id = ask(&mut house);
    let taken = house.answer(Who::Other, id, Verdict::Yes);
    assert_eq!(taken, Err(AnswerRefusal::NeededLater { id }.into()), "nobody would be left for the second");
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);

    let mut house = in_stages(|house| vec![stage(house, &[Who::First, Who::Asker]), stage(house, &[Who::First])]);
    let right = house.world.right_name(house.right());
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    assert_eq!(refused, AskRefusal::TooFewTogether { right, humans: 2 }.into());
}

#[test]
fn a_stage_for_which_too_few_are_free_is_named() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First]), stage(house, &[Who::Second, Who::Asker])]);
    let right = house.world.right_name(house.right());
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    let short = AskRefusal::TooFewApprovers { right, stage: 2, yes: 1, free: 0, no_manager: false };
    assert_eq!(refused, short.into());
    assert!(refused.to_string().contains(" in stage 2"), "{refused}");
}

#[test]
fn who_is_left_of_later_stages_is_looked_at_while_an_earlier_one_waits() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First]), stage(house, &[Who::Other])]);
    let id = ask(&mut house);
    let piet = house.id(Who::Other);
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: piet });
    house.pass_a_minute();
    assert_eq!(house.phase(id), Phase::Ended(End::Unanswered), "nobody could settle the second");
}

#[test]
fn what_waited_for_its_time_comes_to_others_once() {
    let mut house = in_stages(|house| {
        let onward = Onward::Others { approvers: of(house, &[Who::Other]) };
        vec![StageTerms { onward, ..stage(house, &[Who::First]) }]
    });
    let id = ask(&mut house);
    let early = house.answer(Who::Other, id, Verdict::Yes);
    assert!(matches!(early, Err(Refusal::Unknown { .. })), "nobody told them yet: {early:?}");
    house.now = later(house.now, HOUR);
    house.tick();
    assert_eq!(house.phase(id), Phase::Waiting);
    assert!(waits_for(&house, id, Who::First) && waits_for(&house, id, Who::Other), "whoever was asked still is");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
    house.check();

    let in_vain = ask(&mut house);
    for phase in [Phase::Waiting, Phase::Ended(End::Unanswered)] {
        house.now = later(house.now, HOUR);
        house.tick();
        assert_eq!(house.phase(in_vain), phase);
    }
    house.replay();
}

#[test]
fn those_of_the_next_stage_can_stand_in_and_are_still_wanted_there() {
    let mut house = in_stages(|house| {
        let first = StageTerms { onward: Onward::NextStage, ..stage(house, &[Who::First]) };
        vec![first, StageTerms { approvers: vec![Approver::Administrators], ..stage(house, &[Who::Other]) }]
    });
    let id = ask(&mut house);
    house.now = later(house.now, HOUR);
    house.tick();
    assert!(waits_for(&house, id, Who::Administrator));
    let alone = house.answer(Who::Administrator, id, Verdict::Yes);
    assert_eq!(alone, Err(AnswerRefusal::NeededLater { id }.into()), "there is no other for the next");
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.answer(Who::Administrator, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn others_are_asked_at_once_where_nobody_could_be_waited_for() {
    let mut house = in_stages(|house| {
        let onward = Onward::Others { approvers: of(house, &[Who::First]) };
        vec![StageTerms { approvers: vec![Approver::Manager], onward, ..StageTerms::default() }]
    });
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![house.id(Who::First)]), "the asker has no manager");
}

#[test]
fn the_manager_is_whom_somebody_else_named() {
    let mut house = in_stages(|_| vec![StageTerms { approvers: vec![Approver::Manager], ..StageTerms::default() }]);
    let right = house.world.right_name(house.right());
    let nobody = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    let short = AskRefusal::TooFewApprovers { right, stage: 1, yes: 1, free: 0, no_manager: true };
    assert_eq!(nobody, short.clone().into());
    let (root, tomas, oda, piet) =
        (house.world.root.unwrap(), house.id(Who::Asker), house.id(Who::First), house.id(Who::Other));
    let name = |house: &mut House, who, manager| {
        let looked_at = LookedAt::This(house.world.subjects[&tomas].manager_digest());
        house.act_on(Some(looked_at), house.caller(who), PeopleCommand::SetManager { subject: tomas, manager })
    };
    name(&mut house, Who::Administrator, Some(oda)).unwrap();
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![oda]));
    house.answer(Who::First, id, Verdict::Yes).unwrap();

    // An asker who administers names one of their own: for a day that is nobody.
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    name(&mut house, Who::Asker, Some(piet)).unwrap();
    assert_eq!(house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err(), short.into());
    house.now = later(house.now, Seconds::hours(24));
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![piet]));
}

#[test]
fn whoever_leaves_themselves_without_a_manager_is_not_passed_on_to_others_for_it() {
    let mut house = in_stages(|house| {
        let onward = Onward::Others { approvers: of(house, &[Who::Other]) };
        vec![StageTerms { approvers: vec![Approver::Manager], onward, ..StageTerms::default() }]
    });
    let (root, tomas, oda) = (house.world.root.unwrap(), house.id(Who::Asker), house.id(Who::First));
    let name = |house: &mut House, who, manager| {
        let looked_at = LookedAt::This(house.world.subjects[&tomas].manager_digest());
        house
            .act_on(Some(looked_at), house.caller(who), PeopleCommand::SetManager { subject: tomas, manager })
            .unwrap();
    };
    name(&mut house, Who::Administrator, Some(oda));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    house.now = later(house.now, Seconds::hours(48));
    name(&mut house, Who::Asker, None);
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::TooFewApprovers { no_manager: true, .. })), "{refused}");
    house.now = later(house.now, Seconds::hours(24));
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![house.id(Who::Other)]));
}

#[test]
fn a_manager_that_a_directory_names_answers_after_a_day() {
    let mut house = in_stages(|_| vec![StageTerms { approvers: vec![Approver::Manager], ..StageTerms::default() }]);
    let row = house.world.subjects[&house.id(Who::Asker)].clone();
    let manager_set = Some(ManagerSet { by: None, at: house.now });
    house.world.put(Row::Subject(Subject { manager: Some(house.id(Who::First)), manager_set, ..row }));
    assert!(house.ask(Who::Asker, 600, StartChoice::AtYes).is_err(), "whoever changed the directory may be the asker");
    house.now = later(house.now, Seconds::hours(24));
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![house.id(Who::First)]));
}

#[test]
fn a_manager_is_another_person_and_is_changed_as_it_was_looked_at() {
    let mut house = House::new(&settings(1));
    let [tomas, second, oda] = [Who::Asker, Who::Second, Who::First].map(|who| house.id(who));
    let mut say = |subject: SubjectId, manager, looked_at: Option<Digest>| {
        let looked_at = looked_at.unwrap_or(house.world.subjects[&subject].manager_digest());
        house.change(LookedAt::This(looked_at), PeopleCommand::SetManager { subject, manager }).map(|_| ())
    };
    let name = "tomas-admin".to_owned();
    assert_eq!(say(tomas, Some(second), None), Err(PeopleRefusal::NoManager { name: name.clone() }.into()));
    let first = "tomas".to_owned();
    assert_eq!(say(second, Some(oda), None), Err(PeopleRefusal::SecondsManager { name, first }.into()));
    let stale = say(tomas, Some(oda), Some(Digest::of(&[b"another"])));
    assert!(matches!(stale, Err(Refusal::Caller(CallerRefusal::Stale { .. }))), "{stale:?}");
    say(tomas, Some(oda), None).unwrap();
    let again = say(tomas, Some(oda), None);
    assert_eq!(again, Err(PeopleRefusal::ManagerAlready { name: "tomas".to_owned() }.into()));
    say(tomas, None, None).unwrap();
}

#[test]
fn the_owners_are_those_of_the_nearest_place_that_is_anybodys() {
    let mut house = in_stages(|_| vec![StageTerms { approvers: vec![Approver::Owners], ..StageTerms::default() }]);
    let (root, target) = (house.world.root.unwrap(), house.target());
    let own = |house: &mut House, who, scope| {
        let command = PeopleCommand::GiveDuty { subject: house.id(who), kind: DutyKind::Owner, scope };
        house.well(Who::Administrator, command);
    };
    assert!(house.ask(Who::Asker, 600, StartChoice::AtYes).is_err(), "nobody owns it");
    own(&mut house, Who::First, root);
    let id = ask(&mut house);
    assert_eq!(open(&house, id), (0, vec![house.id(Who::First)]));
    own(&mut house, Who::Other, target);
    let nearer = ask(&mut house);
    assert_eq!(open(&house, nearer), (0, vec![house.id(Who::Other)]));
    let other = house.answer(Who::Other, id, Verdict::Yes);
    assert_eq!(other, Err(AnswerRefusal::NotNamed { id }.into()), "fixed when it was asked");
    house.answer(Who::Other, nearer, Verdict::Yes).unwrap();
    // Whoever owns a place sees what is there, and runs nothing.
    let sight = Sight::of(&house.world, house.id(Who::Other));
    assert!(sight.sees_scope(&house.world, target) && !sight.sees_all(&house.world));
    let terms = rule(target, Settings { longest: Some(Longest(HOUR)), ..Settings::default() });
    assert!(house.try_as(Who::Other, TermsCommand::Set { terms }).is_err());
}

#[test]
fn the_only_owner_has_nobody_to_answer_them() {
    let mut house = in_stages(|_| vec![StageTerms { approvers: vec![Approver::Owners], ..StageTerms::default() }]);
    let (root, target, tomas, oda) =
        (house.world.root.unwrap(), house.target(), house.id(Who::Asker), house.id(Who::First));
    for (subject, scope) in [(oda, root), (tomas, target)] {
        house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Owner, scope });
    }
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    assert!(matches!(refused, Refusal::Ask(AskRefusal::TooFewApprovers { .. })), "{refused}");
}

#[test]
fn a_stage_that_terms_came_to_want_since_is_asked_before_it_opens() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First])]);
    let id = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    let stages = vec![stage(&house, &[Who::First]), StageTerms::default()];
    let terms = rule(house.target(), Settings { approval: Some(Approval::Stages(stages)), ..Settings::default() });
    let terms = Terms { pins: vec!["approval".to_owned()], ..terms };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.well(Who::Asker, ElevationCommand::Begin { elevation: id });
    assert_eq!(house.phase(id), Phase::Waiting, "the stricter of then and now");
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(open(&house, id).0, 1);
    house.now = later(house.now, Seconds::hours(24));
    house.check();
}

#[test]
fn only_the_first_stage_moves_the_start_and_every_stage_may_leave_less() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First]), stage(house, &[Who::Other])]);
    let id = ask(&mut house);
    let start = Some(StartChoice::At { time: later(house.now, Seconds::hours(3)) });
    house.answer_less(Who::First, id, Verdict::Yes, Some(Less { start, ..Less::default() })).unwrap();
    let start = Some(StartChoice::At { time: later(house.now, Seconds::hours(4)) });
    let moved = house.answer_less(Who::Other, id, Verdict::Yes, Some(Less { start, ..Less::default() }));
    assert_eq!(moved, Err(AnswerRefusal::StartAgreed { id }.into()), "whoever said yes said it to that start");
    let less = Less { duration: Some(Seconds::minutes(5)), ..Less::default() };
    house.answer_less(Who::Other, id, Verdict::Yes, Some(less)).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    assert_eq!(house.world.elevations[&id].duration, Seconds::minutes(5));
}

#[test]
fn stages_are_asked_again_for_going_on_and_no_longer_than_there_is_something_to_go_on_with() {
    let mut house = in_stages(|house| {
        let onward = Onward::Others { approvers: of(house, &[Who::Administrator]) };
        vec![
            StageTerms { onward, within: Seconds::minutes(4), ..stage(house, &[Who::First]) },
            stage(house, &[Who::Other]),
        ]
    });
    let id = ask(&mut house);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    house.obey();
    let ends = house.until(id);
    house.extend(Who::Asker, id, 300).unwrap();
    house.now = later(house.now, Seconds::minutes(4));
    house.tick();
    assert!(waits_for(&house, id, Who::Administrator), "going on comes to others as well");
    house.answer(Who::Administrator, id, Verdict::Yes).unwrap();
    let stage = house.world.elevations[&id].stage().unwrap();
    assert_eq!(stage.until, Some(ends), "an hour would be beyond its end");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    house.obey();
    assert_eq!(house.until(id), later(ends, Seconds(300)));
    house.check();
    house.replay();
}

#[test]
fn being_made_eligible_takes_stages_too() {
    let mut house = House::new(&settings(1));
    let approval = Some(Approval::Stages(vec![stage(&house, &[Who::First]), stage(&house, &[Who::Other])]));
    let terms =
        Terms { act: Act::BeMadeEligible, ..rule(house.target(), Settings { approval, ..Settings::default() }) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let (subject, right) = (house.id(Who::Second), house.right());
    let wish = EligibilityCommand::Give { subject, right, from: None, until: None, reason: None };
    house.well(Who::Administrator, wish.clone());
    let wished = |house: &House| house.world.appointments.values().next_back().unwrap().clone();
    let answer = |house: &mut House, who| {
        let one = wished(house);
        let command = EligibilityCommand::Answer {
            appointment: one.id,
            verdict: Verdict::Yes,
            reason: None,
            shown: one.digest(),
        };
        house.try_as(who, command).map(|_| ())
    };
    let id = wished(&house).id;
    assert_eq!(answer(&mut house, Who::Other), Err(EligibilityRefusal::NotYourWish { id }.into()), "not yet");
    answer(&mut house, Who::First).unwrap();
    assert_eq!(wished(&house).state, AppointmentState::Waiting);
    let again = answer(&mut house, Who::First);
    assert_eq!(again, Err(EligibilityRefusal::WishAnsweredInStage { id, stage: 1 }.into()));
    answer(&mut house, Who::Other).unwrap();
    assert_eq!(wished(&house).state, AppointmentState::Made);
    house.replay();

    // One that nobody could settle isn't wished at all.
    let approval = vec![stage(&house, &[Who::First, Who::Other]), stage(&house, &[Who::First])];
    let approval = Some(Approval::Stages(approval));
    let terms =
        Terms { act: Act::BeMadeEligible, ..rule(house.target(), Settings { approval, ..Settings::default() }) };
    let terms = Terms { role: Some("writer".to_owned().into()), ..terms };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let EligibilityCommand::Give { subject: _, right, from, until, reason } = wish else { panic!("a wish") };
    let wish = EligibilityCommand::Give { subject: house.id(Who::Other), right, from, until, reason };
    let refused = house.try_as(Who::Administrator, wish).unwrap_err();
    assert_eq!(refused, EligibilityRefusal::TooFewTogetherToAppoint { humans: 2 }.into());
}

#[test]
fn a_wish_is_not_made_by_an_earlier_stage_that_isnt_enough_any_more() {
    let strict = |house: &House, yes: u16| {
        let first = StageTerms { yes, ..stage(house, &[Who::First, Who::Asker]) };
        let approval = Some(Approval::Stages(vec![first, stage(house, &[Who::Other])]));
        let settings = Settings { approval, ..Settings::default() };
        Terms { act: Act::BeMadeEligible, pins: vec!["approval".to_owned()], ..rule(house.target(), settings) }
    };
    let more = |house: &mut House| {
        let terms = strict(house, 2);
        house.well(Who::First, TermsCommand::Set { terms });
    };
    let leaves = |house: &mut House| {
        let subject = house.id(Who::First);
        house.well(Who::Administrator, PeopleCommand::Suspend { subject });
    };
    for (changed, made) in [(None, true), (Some(&more as &dyn Fn(&mut House)), false), (Some(&leaves), false)] {
        let mut house = House::new(&settings(1));
        let (root, oda) = (house.world.root.unwrap(), house.id(Who::First));
        let duty = PeopleCommand::GiveDuty { subject: oda, kind: DutyKind::Administrator, scope: root };
        house.well(Who::Administrator, duty);
        let terms = strict(&house, 1);
        house.well(Who::Administrator, TermsCommand::Set { terms });
        let jan = PeopleCommand::AddSubject {
            kind: SubjectKind::Person,
            name: Said::new("jan"),
            about: Said::new("Jan of the pier"),
            second_of: None,
        };
        house.well(Who::Administrator, jan);
        house.now = later(house.now, Seconds::hours(48));
        let (subject, right) = (house.world.subject_named("jan").unwrap().id, house.right());
        let wish = EligibilityCommand::Give { subject, right, from: None, until: None, reason: None };
        house.well(Who::Administrator, wish);
        let id = house.world.appointments.values().next_back().unwrap().id;
        let answer = |house: &mut House, who| {
            let shown = house.world.appointments[&id].digest();
            let verdict = Verdict::Yes;
            house.try_as(who, EligibilityCommand::Answer { appointment: id, verdict, reason: None, shown }).map(|_| ())
        };
        answer(&mut house, Who::First).unwrap();
        changed.into_iter().for_each(|change| change(&mut house));
        answer(&mut house, Who::Other).unwrap();
        assert_eq!(house.world.appointments[&id].state == AppointmentState::Made, made);
        assert_eq!(house.world.eligibilities_of(subject).any(|held| held.right == right), made);
    }
}

#[test]
fn what_was_narrowed_is_answered_by_those_of_either_place() {
    let mut house = in_stages(|_| vec![StageTerms { approvers: vec![Approver::Owners], ..StageTerms::default() }]);
    let target = house.target();
    let lake = house.world.child(target, "lake").unwrap().id;
    for (who, scope) in [(Who::First, target), (Who::Other, lake)] {
        let subject = house.id(who);
        house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Owner, scope });
    }
    house.now = later(house.now, Seconds::hours(48));
    let narrowed = |house: &mut House| {
        let id = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
        let less = Less { scope: Some(lake), ..Less::default() };
        house.answer_less(Who::First, id, Verdict::Yes, Some(less)).unwrap();
        id
    };
    let id = narrowed(&mut house);
    house.well(Who::Asker, ElevationCommand::Begin { elevation: id });
    assert_eq!(house.phase(id), Phase::Opening, "whoever owns the whole says so of a part");
    let id = narrowed(&mut house);
    let (target, grown) = (house.target(), survey(house.now, 2));
    house.keeper(Report::Surveyed { target, digest: Digest::of(&[b"grown"]), survey: Box::new(grown) });
    house.well(Who::Asker, ElevationCommand::Begin { elevation: id });
    assert_eq!(open(&house, id), (0, vec![house.id(Who::Other)]), "asked anew, it is of the part's owner");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    house.well(Who::Asker, ElevationCommand::Begin { elevation: id });
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn stages_that_can_never_be_settled_are_no_terms() {
    let house = House::new(&settings(1));
    let one = stage(&house, &[Who::First]);
    let check = |stages: Vec<StageTerms>| {
        let settings = Settings { approval: Some(Approval::Stages(stages)), ..Settings::default() };
        rule(house.target(), settings).check().map(|()| "taken")
    };
    assert_eq!(check(vec![one.clone(); 5]), Ok("taken"));
    assert_eq!(check(Vec::new()), Err(TermsRefusal::EmptyApproval.into()));
    assert_eq!(check(vec![one.clone(); 6]), Err(TermsRefusal::TooManyStages { stages: 6, most: 5 }.into()));
    let onward = StageTerms { onward: Onward::NextStage, ..one.clone() };
    assert_eq!(check(vec![onward.clone(), one.clone()]), Ok("taken"));
    assert_eq!(check(vec![one.clone(), onward]), Err(TermsRefusal::NoNextStage { stage: 2 }.into()));
    let nobody = StageTerms { onward: Onward::Others { approvers: Vec::new() }, ..one.clone() };
    assert_eq!(check(vec![nobody]), Err(TermsRefusal::EmptyApproval.into()));
    assert_eq!(check(vec![StageTerms { yes: 51, ..one }]), Err(TermsRefusal::TooManyAnswers { most: 50 }.into()));
}

#[test]
fn one_stage_is_kept_as_it_was_before_there_could_be_more() {
    let kept = r#"{"is":"stage","approvers":[{"who":"administrators"}],"yes":1,"no":1,"within":28800}"#;
    assert_eq!(serde_json::to_string(&Approval::default()).unwrap(), kept);
    assert_eq!(serde_json::from_str::<Approval>(kept).unwrap(), Approval::default());
    let house = House::new(&settings(1));
    let demand = demand_for(&house.world, house.id(Who::Asker), house.right(), house.now).unwrap();
    let written = serde_json::to_value(&demand).unwrap();
    let ids: Vec<u64> = demand.stages[0].approvers.iter().map(|id| id.0).collect();
    assert_eq!(written["approvers"], serde_json::json!(ids), "so digests that were looked at stay");
    assert_eq!(serde_json::from_value::<Demand>(written).unwrap(), demand);
    let two = Approval::Stages(vec![StageTerms::default(), StageTerms::default()]);
    let written = serde_json::to_value(&two).unwrap();
    assert_eq!(written["is"], "stages");
    assert_eq!(serde_json::from_value::<Approval>(written).unwrap(), two);
}

#[test]
fn a_role_that_grew_is_asked_about_from_the_first_stage_again() {
    let mut house = in_stages(|house| vec![stage(house, &[Who::First]), stage(house, &[Who::Other])]);
    let id = house.ask(Who::Asker, 600, StartChoice::OnBegin).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    let (target, grown) = (house.target(), survey(house.now, 2));
    house.keeper(Report::Surveyed { target, digest: Digest::of(&[b"grown"]), survey: Box::new(grown) });
    house.well(Who::Asker, ElevationCommand::Begin { elevation: id });
    assert_eq!((house.phase(id), open(&house, id)), (Phase::Waiting, (0, vec![house.id(Who::First)])));
}

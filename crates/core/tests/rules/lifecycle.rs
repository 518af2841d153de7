//! The rules of asking, answering, holding and ending, one by one.

use jiff::{SignedDuration, Timestamp};
use tempestas_core::*;

use crate::{
    house::{House, Who, rule, settings, survey},
    interleavings::{Step, carry_out},
};

#[test]
fn a_grant_lives_from_its_yes_to_its_end_and_no_longer() {
    let mut house = House::new(&settings(1));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert_eq!(house.phase(id), Phase::Waiting);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
    house.now = later(house.now, Seconds(600));
    house.tick();
    assert_eq!(house.phase(id), Phase::Closing);
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
}

#[test]
fn what_is_due_next_is_known_and_what_is_done_is_due_no_more() {
    let mut house = House::new(&settings(1));
    assert_eq!(house.world.next_due(house.now), None, "nothing waits");
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let runs_out = house.world.elevations[&id].stage().unwrap().until.unwrap();
    assert_eq!(house.world.next_due(house.now), Some(runs_out));
    let later_one = house.ask(Who::Asker, 60, StartChoice::At { time: later(house.now, Seconds::hours(2)) }).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    let ends = house.world.grants[&house.grant(id)].until;
    assert_eq!(house.world.next_due(house.now), Some(ends), "of two the earlier");
    house.now = ends;
    house.tick();
    assert_eq!(house.phase(id), Phase::Closing);
    let next = house.world.elevations[&later_one].stage().unwrap().until.unwrap();
    assert_eq!(house.world.next_due(house.now), Some(next), "what is being ended waits for its target, not for time");
    house.obey();
    house.well(Who::Asker, ElevationCommand::Withdraw { elevation: later_one });
    assert_eq!(house.world.next_due(house.now), None);
}

#[test]
fn a_keeper_is_told_of_its_own_target_alone() {
    let mut house = House::new(&settings(1));
    let (target, before) = (house.target(), house.facts.len());
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert!(house.facts[before..].iter().all(|fact| targets_of(fact).next().is_none()), "an ask orders nothing");
    let before = house.facts.len();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert!(house.facts[before..].iter().any(|fact| targets_of(fact).eq([target])));
}

#[test]
fn nobody_answers_their_own_ask_by_any_route() {
    let mut house = House::new(&settings(1));
    let root = house.world.root.unwrap();
    let (tomas, first) = (house.id(Who::Asker), house.id(Who::First));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert_eq!(house.answer(Who::Asker, id, Verdict::Yes), Err(AnswerRefusal::OwnAsk.into()), "as themselves");
    let second = house.answer(Who::Second, id, Verdict::Yes).unwrap_err();
    assert_eq!(second.class(), Class::Unknown, "with a second sign-in, which doesn't even see it");
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    house.well(Who::Asker, PeopleCommand::SetCredentials { subject: first, step: CredentialStep::Issued });
    let refused = house.answer(Who::First, id, Verdict::Yes);
    assert_eq!(refused, Err(AnswerRefusal::NoLongerNamed { id }.into()), "with a factor they reset");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn a_secret_that_was_issued_early_and_used_late_is_still_its_issuers_hand() {
    let mut house = House::new(&settings(2));
    let (root, tomas, first) = (house.world.root.unwrap(), house.id(Who::Asker), house.id(Who::First));
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    house.well(Who::Asker, PeopleCommand::SetCredentials { subject: first, step: CredentialStep::Issued });
    house.now = later(house.now, Seconds::hours(30));
    house.well(Who::First, PeopleCommand::SetCredentials { subject: first, step: CredentialStep::Enrolled });
    let refused = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    let right = house.world.right_name(house.right());
    assert_eq!(refused, AskRefusal::TooFewApprovers { right, stage: 1, yes: 2, free: 1, no_manager: false }.into());
    house.now = later(house.now, Seconds::hours(25));
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
}

#[test]
fn recovery_makes_an_administrator_only_where_none_is_left() {
    let mut house = House::new(&settings(0));
    let (mara, oda) = (house.id(Who::Administrator), house.id(Who::First));
    house.machine(OperatorCommand::Recover { subject: oda });
    let root = house.world.root.unwrap();
    assert!(!Sight::is_administrator(&house.world, oda, root));
    house.act(Caller::machine(), PeopleCommand::Suspend { subject: mara }).unwrap();
    house.machine(OperatorCommand::Recover { subject: oda });
    assert!(Sight::is_administrator(&house.world, oda, root));
    assert!(house.world.open_alarm(|about| *about == AlarmKind::Recovered { person: oda }).is_some());
    house.try_as(Who::First, OperatorCommand::Recover { subject: oda }).expect_err("only on the machine");
}

#[test]
fn terms_that_the_asker_changed_while_the_ask_waits_do_not_let_them_in() {
    let mut house = House::new(&settings(2));
    let (root, tomas, target) = (house.world.root.unwrap(), house.id(Who::Asker), house.target());
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root },
    );
    let waiting = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.well(Who::Asker, TermsCommand::Set { terms: rule(target, settings(0)) });
    house.answer(Who::First, waiting, Verdict::Yes).unwrap();
    assert_eq!(house.phase(waiting), Phase::Waiting, "the second yes is still needed");
    assert_eq!(house.ask(Who::Asker, 600, StartChoice::AtYes), Err(AskRefusal::Weakened.into()));
    house.now = later(house.now, Seconds::hours(25));
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
}

#[test]
fn an_answer_to_what_was_not_shown_is_refused() {
    let mut house = House::new(&settings(1));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let shown = Digest::of(&[b"another ask"]);
    let answer =
        ElevationCommand::Answer(AnswerInput { elevation: id, verdict: Verdict::Yes, less: None, reason: None, shown });
    assert_eq!(house.try_as(Who::First, answer.clone()), Err(AnswerRefusal::AskChanged { id }.into()));
}

#[test]
fn a_role_that_grew_goes_back_to_its_approvers() {
    let mut house = House::new(&settings(1));
    let start = StartChoice::At { time: later(house.now, Seconds::hours(2)) };
    let id = house.ask(Who::Asker, 600, start).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    carry_out(&mut house, &Step::Grow(2));
    house.now = later(house.now, Seconds::hours(2));
    house.tick();
    assert_eq!(house.phase(id), Phase::Waiting);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn a_target_with_overdue_ends_gets_no_new_grant() {
    let mut house = House::new(&settings(0));
    let id = house.ask(Who::Asker, 60, StartChoice::AtYes).unwrap();
    house.obey();
    house.now = later(house.now, Seconds(60));
    house.tick();
    house.now = later(house.now, Seconds(61));
    house.tick();
    assert!(house.world.open_alarm(|about| matches!(about, AlarmKind::TakeLate { .. })).is_some());
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let tasks: Vec<Task> =
        orders(&house.world, house.target(), house.now).into_iter().map(|order| order.task).collect();
    assert!(matches!(tasks.as_slice(), [Task::Take(_), Task::Hold(..)]), "{tasks:?}");
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
    assert_eq!(house.world.open_alarm(|_| true), None);
}

#[test]
fn a_survey_that_lost_half_of_everything_changes_nobodys_rights() {
    let mut house = House::new(&settings(0));
    let target = house.target();
    let holder = |n: u32| RightFound {
        account: format!("account-{n}"),
        role: "writer".to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(format!("po-{n}")),
        since: None,
        last_used: None,
    };
    let mut whole = survey(house.now, 1);
    whole.rights = (0..10).map(holder).collect();
    let record =
        |survey: Survey| Report::Surveyed { target, digest: Digest::of_json(&survey), survey: Box::new(survey) };
    house.keeper(record(whole.clone()));
    assert_eq!(house.world.standing.len(), 10);
    house.keeper(record(Survey { rights: whole.rights[..4].to_vec(), ..whole.clone() }));
    house.keeper(record(Survey { complete: false, ..whole.clone() }));
    assert_eq!(house.world.standing.len(), 10);
    // However few there are, an answer that is empty is none.
    let mut small = House::new(&settings(0));
    let few = Survey { rights: whole.rights[..2].to_vec(), ..whole.clone() };
    small.keeper(record(few.clone()));
    small.keeper(record(Survey { rights: Vec::new(), ..few.clone() }));
    assert_eq!(small.world.standing.len(), 2);
    assert!(small.world.open_alarm(|about| matches!(about, AlarmKind::SurveyHeld { .. })).is_some());
    small.keeper(record(Survey { rights: whole.rights[..1].to_vec(), ..few }));
    assert_eq!(small.world.standing.len(), 1, "one of two may well be gone");
    assert!(house.world.open_alarm(|about| *about == AlarmKind::SurveyHeld { target }).is_some());
    house.keeper(record(Survey { rights: whole.rights[..9].to_vec(), ..whole }));
    assert_eq!(house.world.standing.len(), 9);
    assert_eq!(house.world.open_alarm(|_| true), None);
}

#[test]
fn one_person_takes_the_target_and_the_writer_from_nobody() {
    let mut house = House::new(&settings(0));
    let (other, right, target) = (house.id(Who::Other), house.right(), house.target());
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject: other, target, account: Said::new("p.sol") });
    let eligible = EligibilityCommand::Give { subject: other, right, from: None, until: None, reason: None };
    house.well(Who::Administrator, eligible);
    for _ in 0..10 {
        house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    }
    let eleventh = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_err();
    assert_eq!(eleventh, AskRefusal::TooManyOpen { open: 10, most: 10 }.into());
    // The last to ask is served second, and not eleventh.
    let late = house.ask(Who::Other, 600, StartChoice::AtYes).unwrap();
    let orders = orders(&house.world, target, house.now);
    let given = |order: &Order| match &order.task {
        Task::Give(grant) => Some(grant.elevation),
        _ => None,
    };
    let at = orders.iter().filter_map(given).position(|elevation| elevation == late);
    assert_eq!(at, Some(1));

    // Asking and taking back is no way round: what is asked within a minute is counted.
    let mut house = House::new(&settings(1));
    let mut asked = 0;
    let refused = loop {
        match house.ask(Who::Asker, 600, StartChoice::AtYes) {
            Ok(elevation) => house.well(Who::Asker, ElevationCommand::Withdraw { elevation }),
            Err(refusal) => break refusal,
        };
        asked += 1;
        assert!(asked <= 1000, "asked for ever");
    };
    assert_eq!(refused, AskRefusal::TooOften { most: asked }.into());
    house.now = later(house.now, Seconds::minutes(1));
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
}

#[test]
fn time_is_checked_against_the_longest_and_the_eligibility() {
    let mut house = House::new(&settings(0));
    let (right, duration, longest) = (house.world.right_name(house.right()), Seconds(7201), Seconds(7200));
    let too_long = AskRefusal::TooLong { right, duration, longest };
    assert_eq!(house.ask(Who::Asker, 7201, StartChoice::AtYes), Err(too_long.into()));
    assert_eq!(house.ask(Who::Asker, 0, StartChoice::AtYes), Err(AskRefusal::NoDuration.into()));
    let past = StartChoice::At { time: house.now - SignedDuration::from_secs(1) };
    let refused = house.ask(Who::Asker, 60, past).unwrap_err();
    assert_eq!((refused.class(), refused.cause()), (Class::Invalid, Some("start-past")));
    let (subject, right) = (house.id(Who::Asker), house.right());
    let until = Some(later(house.now, Seconds(100)));
    house.well(Who::Administrator, EligibilityCommand::Give { subject, right, from: None, until, reason: None });
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let grant = house.grant(id);
    let down_to_the_second = until.map(|until| Timestamp::from_second(until.as_second()).unwrap());
    assert_eq!(Some(house.world.grants[&grant].until), down_to_the_second);
}

#[test]
fn an_ask_ends_when_too_few_of_those_who_could_answer_are_left() {
    let suspend = |house: &mut House, who: Who| {
        let subject = house.id(who);
        house.well(Who::Administrator, PeopleCommand::Suspend { subject });
    };
    let mut house = House::new(&settings(2));
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.pass_a_minute();
    assert_eq!(house.world.elevations[&asked].phase, Phase::Waiting, "two may answer, and two are needed");
    suspend(&mut house, Who::Other);
    house.pass_a_minute();
    let ended = &house.world.elevations[&asked];
    assert_eq!((ended.phase, ended.trouble.as_deref()), (Phase::Ended(End::Unanswered), Some(LEFT_ALONE)));

    // Where one yes is enough it goes on waiting for whoever is left.
    let mut house = House::new(&settings(1));
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    suspend(&mut house, Who::Other);
    house.pass_a_minute();
    assert_eq!(house.world.elevations[&asked].phase, Phase::Waiting);
    house.answer(Who::First, asked, Verdict::Yes).unwrap();
    assert!(house.world.elevations[&asked].phase != Phase::Waiting);
    house.replay();
}

#[test]
fn what_terms_have_come_to_want_beside_a_yes_cannot_be_brought_afterwards() {
    let purposes = Some(Purposes(vec!["patching".to_owned()]));
    let ticket = Some(TicketRule(ReferenceRule::Required { pattern: None }));
    let visit = ReferenceRule::Required { pattern: None };
    let references = Some(References([("visit".to_owned(), visit)].into()));
    let reason = |rule| Settings { reason: Some(rule), ..Settings::default() };
    for (wanted, lacks) in [
        (Settings { purposes, ..Settings::default() }, Some("no-purpose")),
        (Settings { ticket, ..Settings::default() }, Some("no-ticket")),
        (Settings { references, ..Settings::default() }, Some("no-reference")),
        (reason(ReasonRule::Required { at_least: 60 }), Some("reason-too-short")),
        (reason(ReasonRule::Required { at_least: 20 }), None),
        (reason(ReasonRule::Hidden), None),
    ] {
        let mut house = House::new(&settings(1));
        let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
        let terms = crate::house::rule(house.target(), wanted);
        house.well(Who::Administrator, TermsCommand::Set { terms });
        house.answer(Who::First, id, Verdict::Yes).unwrap();
        let (phase, trouble) = (house.phase(id), house.world.elevations[&id].trouble.clone());
        match lacks {
            Some(cause) => {
                assert_eq!(phase, Phase::Ended(End::Failed), "{cause}");
                let why = format!("it lacks what the terms have come to want ({cause}); ask anew with it");
                assert_eq!(trouble, Some(why));
            }
            None => assert_eq!((phase, trouble), (Phase::Opening, None)),
        }
        house.replay();
    }
}

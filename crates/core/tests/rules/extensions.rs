//! Going on with what is live: by its own terms, within the longest, and moved only once the target was read back.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// A house in which tomas holds something for 1,800 s, of two hours at most.
fn live(settings: &Settings) -> (House, ElevationId) {
    let mut house = House::new(settings);
    let id = house.ask(Who::Asker, 1800, StartChoice::AtYes).unwrap();
    if house.phase(id) == Phase::Waiting {
        house.answer(Who::First, id, Verdict::Yes).unwrap();
    }
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
    (house, id)
}

/// Sets what extending takes, everywhere.
fn extending(house: &mut House, settings: Settings) {
    let root = house.world.root.unwrap();
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { act: Act::Extend, ..rule(root, settings) } });
}

/// Something that happens in the house meanwhile.
type Change = fn(&mut House);

fn extension(house: &House, id: ElevationId) -> Option<&Extension> {
    house.world.elevations[&id].extension.as_deref()
}

#[test]
fn an_end_moves_once_the_target_was_read_back_with_it_and_no_sooner() {
    let (mut house, id) = live(&settings(1));
    let ends = house.until(id);
    house.extend(Who::Asker, id, 600).unwrap();
    let round = house.world.elevations[&id].rounds.last().unwrap();
    assert_eq!(round.extends.as_ref().map(|asked| asked.until), Some(later(ends, Seconds(600))));
    assert_eq!(round.stages.all()[0].until, Some(ends), "it waits no longer than there is something to go on with");
    assert_eq!(house.until(id), ends, "asking moves nothing");
    assert!(house.world.elevations[&id].waits_for(house.id(Who::First)));
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.until(id), ends, "nor does a yes");
    assert_eq!(house.world.grants[&house.grant(id)].ends_by(), later(ends, Seconds(600)));
    house.obey();
    assert_eq!(house.until(id), later(ends, Seconds(600)));
    assert_eq!(house.world.elevations[&id].extended, 1);
    house.now = ends;
    house.tick();
    assert_eq!(house.phase(id), Phase::Live, "it goes on beyond its first end");
    house.now = later(ends, Seconds(600));
    house.tick();
    assert_eq!(house.phase(id), Phase::Closing);
    house.obey();
    house.check();
    house.replay();
}

#[test]
fn what_the_target_is_not_read_back_with_ends_at_its_first_end() {
    let (mut house, id) = live(&settings(0));
    let (ends, grant) = (house.until(id), house.grant(id));
    house.extend(Who::Asker, id, 600).unwrap();
    assert_eq!(house.world.grants[&grant].moving_to, Some(later(ends, Seconds(600))), "nobody had to be asked");
    house.keeper(Report::GrantDelayed { grant, trouble: "no answer".to_owned() });
    house.keeper(Report::GrantMoved { grant, until: later(ends, Seconds(601)) });
    assert_eq!(house.until(id), ends, "another end than was ordered is none");
    house.now = ends;
    house.keeper(Report::GrantMoved { grant, until: later(ends, Seconds(600)) });
    house.tick();
    assert_eq!(house.phase(id), Phase::Closing, "what is read back at the end comes too late");
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
}

#[test]
fn only_its_holder_goes_on_and_nobody_lets_themselves() {
    let (mut house, id) = live(&settings(1));
    assert_eq!(house.extend(Who::First, id, 600), Err(ExtendRefusal::NotHolderToExtend.into()));
    assert_eq!(
        house.try_as(Who::First, ElevationCommand::TakeGrace { elevation: id }),
        Err(ExtendRefusal::NotHolderToExtend.into())
    );
    house.extend(Who::Asker, id, 600).unwrap();
    assert_eq!(house.answer(Who::Asker, id, Verdict::Yes), Err(AnswerRefusal::OwnAsk.into()));
    assert_eq!(house.answer(Who::Second, id, Verdict::Yes).unwrap_err().class(), Class::Unknown);
    let until = extension(&house, id).unwrap().until;
    assert_eq!(house.extend(Who::Asker, id, 60), Err(ExtendRefusal::UnderWay { id, until }.into()));
    house.check();
}

#[test]
fn nothing_goes_on_beyond_the_longest_nor_beyond_the_eligibility() {
    let (mut house, id) = live(&settings(0));
    let (ends, opened) = (house.until(id), house.world.grants[&house.grant(id)].opened_at);
    let latest = jiff::Timestamp::from_second(later(opened, Seconds::hours(2)).as_second()).unwrap();
    let left = Seconds(u32::try_from(latest.duration_since(ends).as_secs()).unwrap());
    let more = Seconds(left.0 + 1);
    assert_eq!(house.extend(Who::Asker, id, more.0), Err(ExtendRefusal::TooLate { id, latest, left }.into()));
    house.extend(Who::Asker, id, left.0).unwrap();
    house.obey();
    assert_eq!(house.until(id), latest);
    assert_eq!(house.extend(Who::Asker, id, 1), Err(ExtendRefusal::NoRoom { id, latest }.into()));

    let (mut house, id) = live(&settings(0));
    let held = house.world.eligibilities.values().next().unwrap().clone();
    let until = later(house.until(id), Seconds(90));
    house.world.put(Row::Eligibility(Eligibility { until: Some(until), ..held }));
    let refused = house.extend(Who::Asker, id, 600).unwrap_err();
    assert!(matches!(refused, Refusal::Extend(ExtendRefusal::TooLate { .. })), "{refused}");
    house.extend(Who::Asker, id, 60).unwrap();
}

#[test]
fn terms_of_its_own_say_how_often_how_long_and_whose_yes_it_takes() {
    let (mut house, id) = live(&settings(0));
    let longest = Seconds::minutes(5);
    extending(
        &mut house,
        Settings { longest: Some(Longest(longest)), extensions: Some(Extensions(2)), ..Settings::default() },
    );
    let more = Seconds(301);
    assert_eq!(house.extend(Who::Asker, id, 301), Err(ExtendRefusal::TooMuch { id, more, longest }.into()));
    assert_eq!(house.extend(Who::Asker, id, 0), Err(ExtendRefusal::ByNothing.into()));
    for _ in 0..2 {
        house.extend(Who::Asker, id, 300).unwrap();
        house.obey();
    }
    assert_eq!(house.extend(Who::Asker, id, 300), Err(ExtendRefusal::TimesUsed { id, times: 2 }.into()));
    extending(&mut house, Settings { extensions: Some(Extensions(0)), ..Settings::default() });
    assert_eq!(house.extend(Who::Asker, id, 60), Err(ExtendRefusal::TimesUsed { id, times: 0 }.into()));

    let (mut house, id) = live(&settings(0));
    let approvers = vec![Approver::Subject { id: house.id(Who::Other) }];
    let approval =
        Approval::from(StageTerms { approvers, yes: 1, no: 1, within: Seconds::minutes(10), ..StageTerms::default() });
    extending(&mut house, Settings { approval: Some(approval), ..Settings::default() });
    house.extend(Who::Asker, id, 300).unwrap();
    let stage = house.world.elevations[&id].stage().unwrap();
    assert_eq!(stage.approvers, [house.id(Who::Other)].into(), "holding it takes nobody, going on takes piet");
    house.answer(Who::Other, id, Verdict::No).unwrap();
    assert_eq!((house.phase(id), extension(&house, id)), (Phase::Live, None), "a no ends nothing that is live");
}

#[test]
fn what_is_pinned_for_holding_it_holds_for_going_on() {
    let (mut house, _) = live(&settings(1));
    let right = house.right();
    let root = house.world.root.unwrap();
    let nobody = Settings { approval: Some(Approval::None), ..Settings::default() };
    extending(&mut house, nobody);
    let takes = |house: &House| effective_terms(&house.world, Act::Extend, right, house.id(Who::Asker)).approval;
    assert_eq!(takes(&house), Approval::None, "a rule of its own comes before one that it follows");
    let approval = Approval::from(StageTerms {
        approvers: vec![Approver::Administrators],
        yes: 1,
        no: 1,
        within: Seconds(60),
        ..StageTerms::default()
    });
    let pinned = Settings { approval: Some(approval.clone()), ..Settings::default() };
    let terms = Terms { pins: vec!["approval".to_owned()], ..rule(root, pinned) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert_eq!(takes(&house), approval);
}

#[test]
fn a_shorter_yes_moves_it_less_and_nothing_else_can_be_made_less() {
    let (mut house, id) = live(&settings(1));
    let ends = house.until(id);
    house.extend(Who::Asker, id, 600).unwrap();
    let shorter = |seconds| Some(Less { duration: Some(Seconds(seconds)), ..Less::default() });
    let not = AnswerRefusal::NotShorter { id, duration: Seconds(601), asked: Seconds(600) };
    assert_eq!(house.answer_less(Who::First, id, Verdict::Yes, shorter(601)), Err(not.into()));
    let start = Some(StartChoice::At { time: ends });
    let refused = house.answer_less(Who::First, id, Verdict::Yes, Some(Less { start, ..Less::default() }));
    assert_eq!(refused, Err(AnswerRefusal::OnlyShorter { id }.into()));
    let before = house.world.demand_of(id).cloned();
    house.answer_less(Who::First, id, Verdict::Yes, shorter(120)).unwrap();
    house.obey();
    assert_eq!(house.until(id), later(ends, Seconds(120)));
    assert_eq!(house.world.demand_of(id).cloned(), before, "what was demanded for holding it stands");
    house.check();
    house.replay();
}

#[test]
fn an_answer_to_the_ask_before_is_no_answer_to_going_on() {
    let (mut house, id) = live(&settings(1));
    let shown = house.world.elevations[&id].digest;
    house.extend(Who::Asker, id, 600).unwrap();
    let answer = AnswerInput { elevation: id, verdict: Verdict::Yes, less: None, reason: None, shown };
    assert_eq!(
        house.try_as(Who::Other, ElevationCommand::Answer(answer)),
        Err(AnswerRefusal::AskChanged { id }.into())
    );
}

#[test]
fn what_changed_between_the_ask_and_the_yes_wins_where_it_is_stricter() {
    let stricter: [(&str, Change); 5] = [
        ("the role grew", |house| {
            let (target, found) = (house.target(), crate::house::survey(house.now, 2));
            let digest = Digest::of_json(&found);
            house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
        }),
        ("the eligibility ended", |house| {
            let eligibility = *house.world.eligibilities.keys().next().unwrap();
            house.well(Who::Administrator, EligibilityCommand::End { eligibility });
        }),
        ("nothing is extended any more", |house| {
            extending(house, Settings { extensions: Some(Extensions(0)), ..Settings::default() });
        }),
        ("a ticket is wanted now", |house| {
            let ticket = Some(TicketRule(ReferenceRule::Required { pattern: None }));
            extending(house, Settings { ticket, ..Settings::default() });
        }),
        ("two have to say yes now", |house| {
            let approvers = [Who::First, Who::Other].map(|who| Approver::Subject { id: house.id(who) }).to_vec();
            let approval = Approval::from(StageTerms {
                approvers,
                yes: 2,
                no: 1,
                within: Seconds::hours(1),
                ..StageTerms::default()
            });
            extending(house, Settings { approval: Some(approval), ..Settings::default() });
        }),
    ];
    for (what, change) in stricter {
        let (mut house, id) = live(&settings(1));
        let ends = house.until(id);
        house.extend(Who::Asker, id, 600).unwrap();
        change(&mut house);
        house.answer(Who::First, id, Verdict::Yes).unwrap();
        let over = house.facts.iter().rev().find_map(|fact| match &fact.what {
            What::ExtensionOver { end, why, .. } => Some((*end, why.clone())),
            _ => None,
        });
        let (end, why) = over.unwrap_or_else(|| panic!("{what}, and it goes on"));
        assert!(end == End::Failed && why.is_some(), "{what}");
        house.obey();
        assert_eq!((house.until(id), house.phase(id)), (ends, Phase::Live), "{what}");
        house.replay();
    }
}

#[test]
fn an_ask_to_go_on_is_taken_back_runs_out_and_can_not_be_repeated_for_ever() {
    let (mut house, id) = live(&settings(1));
    house.extend(Who::Asker, id, 600).unwrap();
    house.well(Who::Asker, ElevationCommand::Withdraw { elevation: id });
    assert_eq!((house.phase(id), extension(&house, id)), (Phase::Live, None));
    house.extend(Who::Asker, id, 600).unwrap();
    let runs_out = house.world.elevations[&id].stage().unwrap().until.unwrap();
    assert_eq!(house.world.next_due(house.now), Some(runs_out));
    for _ in 0..8 {
        house.well(Who::Asker, ElevationCommand::Withdraw { elevation: id });
        house.extend(Who::Asker, id, 600).unwrap();
    }
    house.well(Who::Asker, ElevationCommand::Withdraw { elevation: id });
    assert_eq!(house.extend(Who::Asker, id, 600), Err(ExtendRefusal::AskedTooOften { id, most: 10 }.into()));

    let (mut house, id) = live(&settings(1));
    extending(
        &mut house,
        Settings {
            approval: Some(Approval::from(StageTerms {
                approvers: vec![Approver::Administrators],
                yes: 1,
                no: 1,
                within: Seconds(60),
                ..StageTerms::default()
            })),
            ..Settings::default()
        },
    );
    house.extend(Who::Asker, id, 600).unwrap();
    house.now = later(house.now, Seconds(61));
    house.tick();
    assert_eq!((house.phase(id), extension(&house, id)), (Phase::Live, None), "nobody answered");
}

#[test]
fn an_end_given_meanwhile_wins_over_what_was_asked_and_what_moves() {
    let (mut house, id) = live(&settings(1));
    house.extend(Who::Asker, id, 600).unwrap();
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: id });
    assert!(extension(&house, id).is_none());
    assert_eq!(
        house.answer(Who::First, id, Verdict::Yes),
        Err(AnswerRefusal::NotWaiting { id, phase: Phase::Closing }.into())
    );

    let (mut house, id) = live(&settings(0));
    house.extend(Who::Asker, id, 600).unwrap();
    let (grant, until) = (house.grant(id), house.world.grants[&house.grant(id)].ends_by());
    house.well(Who::Administrator, ElevationCommand::Revoke { elevation: id, word: Said::new("enough") });
    house.keeper(Report::GrantMoved { grant, until });
    assert_eq!(house.phase(id), Phase::Closing);
    assert!(orders(&house.world, house.target(), house.now).iter().all(|order| matches!(order.task, Task::Take(_))));
    house.obey();
    house.check();
}

#[test]
fn grace_is_taken_once_beyond_the_longest_and_with_nobody_asked() {
    let grace = Seconds::minutes(10);
    let (mut house, id) =
        live(&Settings { grace: Some(Grace(grace)), longest: Some(Longest(Seconds(1800))), ..settings(1) });
    let ends = house.until(id);
    let latest = ends;
    assert_eq!(house.extend(Who::Asker, id, 60), Err(ExtendRefusal::NoRoom { id, latest }.into()));
    house.well(Who::Asker, ElevationCommand::TakeGrace { elevation: id });
    house.obey();
    assert_eq!(house.until(id), later(ends, grace));
    assert_eq!(
        house.try_as(Who::Asker, ElevationCommand::TakeGrace { elevation: id }),
        Err(ExtendRefusal::GraceTaken { id }.into())
    );
    house.check();
    house.replay();

    let (mut house, id) = live(&settings(1));
    let right = house.world.right_name(house.right());
    assert_eq!(
        house.try_as(Who::Asker, ElevationCommand::TakeGrace { elevation: id }),
        Err(ExtendRefusal::NoGrace { right }.into())
    );
}

#[test]
fn grace_that_was_given_up_since_the_ask_is_gone_and_what_came_since_is_not_had() {
    for (asked, now, held) in [(10, 4, 4), (4, 20, 4), (4, 0, 0)] {
        let grace = |minutes| Some(Grace(Seconds::minutes(minutes)));
        let (mut house, id) = live(&Settings { grace: grace(asked), ..settings(1) });
        let rule = house.world.terms.values().next().unwrap().clone();
        let changed = Settings { grace: grace(now), ..rule.settings.clone() };
        house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings: changed, ..rule } });
        let known = grace_of(&house.world, &house.world.elevations[&id]);
        assert_eq!(known.0, Seconds::minutes(held), "{asked} when it was asked, {now} now");
    }
}

#[test]
fn a_target_that_can_not_move_an_end_is_not_asked_to() {
    let (mut house, id) = live(&Settings { grace: Some(Grace(Seconds(60))), ..settings(0) });
    let role = house.world.roles.values().next().unwrap().clone();
    house.world.put(Row::Role(Role { lapse: Lapse { movable: false, ..role.lapse.clone() }, ..role }));
    let right = house.world.right_name(house.right());
    let fixed = ExtendRefusal::EndIsFixed { right };
    assert_eq!(house.extend(Who::Asker, id, 60), Err(fixed.clone().into()));
    assert_eq!(house.try_as(Who::Asker, ElevationCommand::TakeGrace { elevation: id }), Err(fixed.into()));
}

#[test]
fn no_end_moves_by_a_clock_that_nobody_has_looked_at_since_it_was_set() {
    let (mut house, id) = live(&Settings { grace: Some(Grace(Seconds(60))), ..settings(1) });
    house.extend(Who::Asker, id, 60).unwrap();
    house.keeper(Report::Alarm(AlarmKind::ClockStep { seconds: 9 }));
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!((extension(&house, id), house.world.grants[&house.grant(id)].moving_to), (None, None));
    assert_eq!(house.extend(Who::Asker, id, 60), Err(ExtendRefusal::ClockHeld.into()));
    let grace = ElevationCommand::TakeGrace { elevation: id };
    assert_eq!(house.try_as(Who::Asker, grace.clone()), Err(ExtendRefusal::ClockHeld.into()));
    let alarm = house.world.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).unwrap().id;
    house.well(Who::Administrator, Command::SettleAlarm { alarm });
    house.well(Who::Asker, grace);
}

#[test]
fn a_target_that_owes_an_end_moves_none() {
    let (mut house, id) = live(&settings(0));
    let other = house.ask(Who::Asker, 60, StartChoice::AtYes).unwrap();
    house.obey();
    house.extend(Who::Asker, id, 600).unwrap();
    house.now = later(house.now, Seconds(61));
    house.tick();
    assert_eq!(house.phase(other), Phase::Closing);
    house.now = later(house.now, Seconds(61));
    let tasks: Vec<Task> =
        orders(&house.world, house.target(), house.now).into_iter().map(|order| order.task).collect();
    assert!(tasks.iter().any(|task| matches!(task, Task::Hold(..))), "{tasks:?}");
    assert!(!tasks.iter().any(|task| matches!(task, Task::Move(..))), "{tasks:?}");
}

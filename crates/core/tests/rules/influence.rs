//! What somebody could do to answer themselves, or to get through with less, by way of others and of other commands. Each
//! is judged by what it lets them do.

use std::collections::BTreeMap;

use tempestas_core::*;

use crate::house::{EVERYONE, House, Who, rule, settings, survey};

/// The asker is an administrator, since long ago.
fn house(yes: u16) -> House {
    let mut house = House::new(&settings(yes));
    make_administrator(&mut house, Who::Administrator, Who::Asker);
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn make_administrator(house: &mut House, by: Who, who: Who) {
    let (subject, scope) = (house.id(who), house.world.root.unwrap());
    house.well(by, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope });
}

fn group(house: &mut House, name: &str, members: &[Who]) -> SubjectId {
    let new = PeopleCommand::AddSubject {
        kind: SubjectKind::Group,
        name: Said::new(name),
        about: Said::new("some of us"),
        second_of: None,
    };
    house.well(Who::Administrator, new);
    let group = house.world.subject_named(name).unwrap().id;
    for who in members {
        let member = house.id(*who);
        house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    }
    house.now = later(house.now, Seconds::hours(48));
    group
}

fn refused(outcome: Result<Decision, Refusal>, why: &str) {
    let said = outcome.expect_err(why).to_string();
    assert!(said.contains(why), "`{why}` is not in: {said}");
}

fn lets_in(house: &House, who: Who) -> bool {
    demand_for(&house.world, house.id(who), house.right(), house.now).is_ok()
}

fn eligible(house: &mut House, who: SubjectId) {
    let right = house.right();
    house.machine(EligibilityCommand::Give { subject: who, right, from: None, until: None, reason: None });
}

/// Being made eligible wants a yes of oda's.
fn wants_a_yes_to_be_eligible(house: &mut House) {
    let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
    let settings = Settings {
        approval: Some(Approval::from(StageTerms { approvers, within: Seconds::hours(72), ..StageTerms::default() })),
        ..Settings::default()
    };
    let terms = Terms { act: Act::BeMadeEligible, ..rule(house.world.root.unwrap(), settings) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
}

#[test]
fn a_puppets_puppet_answers_no_ask_and_lifts_no_stop() {
    let mut house = house(1);
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    make_administrator(&mut house, Who::Asker, Who::First);
    make_administrator(&mut house, Who::First, Who::Other);
    refused(house.answer(Who::Other, asked, Verdict::Yes), "you may not answer");
    assert!(!lets_in(&house, Who::Asker), "nobody is left who is free to answer");

    let reach = Reach::Person(house.id(Who::Asker));
    house.well(Who::Administrator, StopCommand::Order { reach, word: Said::new("enough") });
    let stop = *house.world.stops.keys().next().unwrap();
    for who in [Who::First, Who::Other] {
        refused(house.try_as(who, StopCommand::Lift { stop }), "had a hand in your duties");
    }
    // A day later they are themselves again.
    house.now = later(house.now, Seconds::hours(25));
    house.well(Who::First, StopCommand::Lift { stop });
    house.well(Who::Other, StopCommand::Lift { stop });
    house.check();
}

#[test]
fn two_voices_of_which_one_made_the_other_are_one() {
    let mut house = house(0);
    let reach = Reach::Scope(house.world.root.unwrap());
    house.well(Who::Administrator, StopCommand::Order { reach, word: Said::new("enough") });
    let stop = *house.world.stops.keys().next().unwrap();
    make_administrator(&mut house, Who::Asker, Who::First);
    make_administrator(&mut house, Who::First, Who::Other);
    // The one that was made says so first.
    house.well(Who::Other, StopCommand::Lift { stop });
    refused(house.try_as(Who::Asker, StopCommand::Lift { stop }), "are not two voices");
    house.well(Who::Administrator, StopCommand::Lift { stop });
}

#[test]
fn a_suspended_group_swallows_no_hands_and_closes_no_circle() {
    let mut house = house(1);
    let (inner, outer) = (group(&mut house, "tide", &[Who::Other]), group(&mut house, "watch", &[]));
    house.well(Who::Asker, PeopleCommand::Suspend { subject: inner });
    let asked = Approval::from(StageTerms {
        approvers: [inner, house.id(Who::Second)].map(|id| Approver::Subject { id }).to_vec(),
        yes: 1,
        no: 1,
        within: Seconds::hours(8),
        ..StageTerms::default()
    });
    let terms = rule(house.target(), Settings { approval: Some(asked), ..settings(0) });
    house.well(Who::Asker, TermsCommand::Set { terms });
    house.well(Who::Asker, PeopleCommand::Resume { subject: inner });
    assert!(!lets_in(&house, Who::Asker), "piet was made an approver by the asker, within a day");

    // A circle by way of a suspended group would be walked for ever.
    house.well(Who::Administrator, PeopleCommand::AddMember { group: outer, member: inner });
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: outer });
    refused(
        house.try_as(Who::Administrator, PeopleCommand::AddMember { group: inner, member: outer }),
        "would be a circle",
    );
}

#[test]
fn a_circle_that_is_there_already_ends_nothing() {
    let mut house = house(1);
    let (one, other) = (group(&mut house, "tide", &[Who::Other]), group(&mut house, "watch", &[]));
    // As an edition before this one could have written it down.
    for (id, member) in [(one, other), (other, one)] {
        house.world.put(Row::Member(Membership { group: id, member }));
    }
    let piet = house.id(Who::Other);
    assert!(house.world.belongs_to(piet, other) && house.world.people_in(other).contains(&piet));
    let third = group(&mut house, "berth", &[]);
    refused(house.try_as(Who::Administrator, PeopleCommand::AddMember { group: third, member: one }), "nest at most");
    house.tick();
}

/// The rule that demands a yes of the administrator, in the words of each way to weaken it.
#[test]
fn whoever_weakens_what_would_hold_them_up_waits_a_day_however_it_is_done() {
    let other = |house: &House| {
        let root = house.world.root.unwrap();
        house.world.scopes.values().find(|scope| scope.parent == Some(root) && scope.name == "elsewhere").unwrap().id
    };
    type Weaken = (&'static str, fn(&mut House, Terms, ScopeId) -> Command);
    let ways: [Weaken; 8] = [
        ("its approval", |_, terms, _| {
            let settings = Settings { approval: Some(Approval::None), ..terms.settings };
            TermsCommand::Set { terms: Terms { settings, ..terms } }.into()
        }),
        ("its place", |_, terms, elsewhere| TermsCommand::Set { terms: Terms { scope: elsewhere, ..terms } }.into()),
        ("its role", |_, terms, _| TermsCommand::Set { terms: Terms { role: Some("reader".into()), ..terms } }.into()),
        ("its weight", |_, terms, _| {
            TermsCommand::Set { terms: Terms { weight: Some(Weight::Critical), ..terms } }.into()
        }),
        ("whom it is for", |house, terms, _| {
            TermsCommand::Set { terms: Terms { asker: Some(house.id(Who::Other)), ..terms } }.into()
        }),
        ("its labels", |_, terms, _| {
            let labels = BTreeMap::from([("stage".to_owned(), "trial".to_owned())]);
            TermsCommand::Set { terms: Terms { labels, ..terms } }.into()
        }),
        ("its act", |_, terms, _| {
            let settings = Settings { starts: None, ..terms.settings.clone() };
            TermsCommand::Set { terms: Terms { act: Act::Extend, settings, ..terms } }.into()
        }),
        ("all of it, for a while", |_, terms, _| {
            TermsCommand::Suspend { terms: terms.id, reason: Said::new("for now") }.into()
        }),
    ];
    for (what, weaken) in ways {
        let mut house = house(0);
        let (root, target) = (house.world.root.unwrap(), house.target());
        house.well(Who::Administrator, EstateCommand::AddFolder { parent: root, name: "elsewhere".to_owned() });
        let strict = settings(1);
        let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
        let approval = Some(Approval::from(StageTerms { approvers, ..StageTerms::default() }));
        house.well(Who::Administrator, TermsCommand::Set { terms: rule(target, Settings { approval, ..strict }) });
        house.now = later(house.now, Seconds::hours(48));
        assert!(house.ask(Who::Asker, 600, StartChoice::AtYes).is_ok(), "with a yes");
        let strict = house.world.terms.values().find(|rule| rule.scope == target).unwrap().clone();
        let elsewhere = other(&house);
        let command = weaken(&mut house, strict, elsewhere);
        house.well(Who::Asker, command);
        let said = house.ask(Who::Asker, 600, StartChoice::AtYes).expect_err(what).to_string();
        assert!(said.contains("within a day you"), "{what}: {said}");
        house.now = later(house.now, Seconds::hours(25));
        let asked =
            house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap_or_else(|refusal| panic!("{what}: {refusal}"));
        assert_eq!(house.phase(asked), Phase::Opening, "{what}");
    }
}

#[test]
fn a_change_that_only_tightens_holds_nobody_up() {
    let mut house = house(0);
    let mut tighter = settings(0);
    tighter.longest = Some(Longest(Seconds::minutes(30)));
    let terms = rule(house.target(), tighter);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert!(lets_in(&house, Who::Asker), "the asker changed nothing");
    let mine = house.id(Who::Administrator);
    let own = |hand: &&Influence| hand.touched == mine && hand.by == Some(mine);
    assert!(!house.world.influences.values().filter(own).any(|hand| later(hand.at, Seconds::hours(24)) > house.now));
}

#[test]
fn leaving_a_group_whose_rule_demands_more_is_a_hand_of_whoever_did_it() {
    let mut house = house(0);
    let group = group(&mut house, "suppliers", &[Who::Asker]);
    let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
    let approval = Some(Approval::from(StageTerms { approvers, ..StageTerms::default() }));
    let strict = Terms { asker: Some(group), ..rule(house.target(), Settings { approval, ..settings(1) }) };
    house.well(Who::Administrator, TermsCommand::Set { terms: strict });
    house.now = later(house.now, Seconds::hours(48));
    let me = house.id(Who::Asker);
    house.well(Who::Asker, PeopleCommand::RemoveMember { group, member: me });
    assert!(!lets_in(&house, Who::Asker));
    house.now = later(house.now, Seconds::hours(25));
    assert!(lets_in(&house, Who::Asker));
}

#[test]
fn terms_that_somebodys_hand_sets_in_their_favour_are_an_alarm_and_count_as_theirs() {
    let mut house = house(1);
    make_administrator(&mut house, Who::Asker, Who::First);
    let alarm = |house: &House| {
        let about = |about: &AlarmKind| matches!(about, AlarmKind::HandedOn { .. });
        house.world.open_alarm(about).map(|alarm| alarm.id)
    };
    assert_eq!(alarm(&house), None, "an administrator of long standing made one");
    house.well(Who::First, TermsCommand::Set { terms: rule(house.target(), settings(0)) });
    let raised = alarm(&house).expect("a hand's terms are no alarm");
    assert!(!lets_in(&house, Who::Asker), "they count as the asker's own");
    for who in [Who::Asker, Who::First] {
        refused(house.try_as(who, Command::SettleAlarm { alarm: raised }), "about you");
    }
    house.well(Who::Administrator, Command::SettleAlarm { alarm: raised });
    // So is a fresh administrator who makes another.
    make_administrator(&mut house, Who::First, Who::Other);
    assert!(alarm(&house).is_some());
}

#[test]
fn no_group_makes_anybody_eligible_past_the_yes_that_the_terms_demand() {
    let mut house = house(0);
    let (eligible_group, above) = (group(&mut house, "crew", &[]), group(&mut house, "night-crew", &[]));
    eligible(&mut house, eligible_group);
    wants_a_yes_to_be_eligible(&mut house);
    for (who, by) in [(Who::Administrator, Who::Administrator), (Who::Other, Who::Administrator)] {
        let member = house.id(who);
        refused(house.try_as(by, PeopleCommand::AddMember { group: eligible_group, member }), "would be eligible");
        assert!(!lets_in(&house, who));
    }
    // Nor by way of a group that is in it, or comes to be.
    house.machine(PeopleCommand::AddMember { group: above, member: house.id(Who::Other) });
    refused(
        house.try_as(Who::Administrator, PeopleCommand::AddMember { group: eligible_group, member: above }),
        "would be eligible",
    );
    // Whoever is eligible already may join.
    let tomas = house.id(Who::Asker);
    house.well(Who::Administrator, PeopleCommand::AddMember { group: eligible_group, member: tomas });
}

#[test]
fn nobody_resumes_their_own_eligibility_nor_that_of_their_group() {
    let mut house = house(0);
    let eligibility = *house.world.eligibilities.keys().next().unwrap();
    let reason = Said::new("until it is clear");
    house.well(Who::Administrator, EligibilityCommand::Suspend { eligibility, reason });
    refused(
        house.try_as(Who::Asker, EligibilityCommand::Resume { eligibility }),
        "resumes an eligibility of their own",
    );
    house.well(Who::Administrator, EligibilityCommand::Resume { eligibility });

    let crew = group(&mut house, "crew", &[Who::Administrator, Who::Other]);
    eligible(&mut house, crew);
    wants_a_yes_to_be_eligible(&mut house);
    house.well(Who::Asker, PeopleCommand::Suspend { subject: crew });
    refused(house.try_as(Who::Administrator, PeopleCommand::Resume { subject: crew }), "would be eligible");
    house.well(Who::Asker, PeopleCommand::Resume { subject: crew });
}

fn with_rights(house: &mut House, rights: &[(&str, &str)], accepted: bool) {
    let mut found = survey(house.now, 1);
    found.rights = rights
        .iter()
        .map(|(account, handle)| RightFound {
            account: (*account).to_owned(),
            role: "writer".to_owned(),
            part: Vec::new(),
            chain: Vec::new(),
            handle: Some((*handle).to_owned()),
            since: None,
            last_used: None,
        })
        .collect();
    let (target, digest) = (house.target(), Digest::of_json(&found));
    let survey = Box::new(found);
    if accepted {
        house.well(Who::Administrator, EstateCommand::AcceptSurvey { target, digest, survey });
    } else {
        house.keeper(Report::Surveyed { target, digest, survey });
    }
}

fn held_by(house: &House, account: &str) -> StandingId {
    let held = |one: &&Standing| house.world.text(one.account) == account;
    house.world.standing.values().find(held).unwrap().id
}

#[test]
fn an_account_that_was_said_to_be_ones_own_converts_to_no_eligibility_on_ones_own_word() {
    let mut house = house(0);
    let rights: Vec<(String, String)> = (0..4).map(|n| (format!("old-{n}"), format!("h{n}"))).collect();
    let rights: Vec<(&str, &str)> =
        rights.iter().map(|(a, h)| (a.as_str(), h.as_str())).chain([("deploy", "d")]).collect();
    with_rights(&mut house, &rights, false);
    wants_a_yes_to_be_eligible(&mut house);
    let (target, me, friend) = (house.target(), house.id(Who::Administrator), house.id(Who::Other));
    for owner in [me, friend] {
        house.well(
            Who::Administrator,
            PeopleCommand::SetAccount { subject: owner, target, account: Said::new("deploy") },
        );
        let chosen = vec![held_by(&house, "deploy")];
        let shown = plan_conversion(&house.world, &chosen).unwrap().digest;
        let convert = ConversionCommand::Convert { chosen, shown, until: None, plan: WavePlan::default() };
        refused(house.try_as(Who::Administrator, convert.clone()), "on your word alone");
        let own = house.world.account_of(owner, target).cloned().unwrap();
        let again = Fact { put: Vec::new(), cut: vec![Row::Account(own).key()], ..house.facts[0].clone() };
        house.world.apply(&again);
    }
}

#[test]
fn nobody_puts_back_what_was_theirs_nor_settles_a_drift_about_themselves() {
    let mut house = house(1);
    let rights: Vec<(String, String)> = (0..4).map(|n| (format!("old-{n}"), format!("h{n}"))).collect();
    let mut rights: Vec<(&str, &str)> = rights.iter().map(|(a, h)| (a.as_str(), h.as_str())).collect();
    rights.push(("t.reyes", "t"));
    with_rights(&mut house, &rights, false);
    let held = held_by(&house, "t.reyes");
    let shown = plan_conversion(&house.world, &[held]).unwrap().digest;
    house.well(
        Who::Administrator,
        ConversionCommand::Convert { chosen: vec![held], shown, until: None, plan: WavePlan::default() },
    );
    let conversion = *house.world.conversions.keys().next().unwrap();
    house.keeper(Report::StandingTaken { conversion, standing: held });
    refused(house.try_as(Who::Asker, ConversionCommand::Undo { conversion }), "on your word alone");

    // Somebody put it on the target by hand: the holder decides nothing about it.
    house.now = later(house.now, Seconds::hours(1));
    rights.pop();
    rights.push(("t.reyes", "t2"));
    with_rights(&mut house, &rights, false);
    let is_his = |drift: &&Drift| drift.is_pending() && house.world.text(drift.standing.account) == "t.reyes";
    let drift = house.world.drifts.values().rfind(is_his).expect("it is no drift").id;
    let until = later(house.now, Seconds::hours(24));
    refused(house.try_as(Who::Asker, DriftCommand::Adopt { drift }), "a right of your own");
    let ignore = DriftCommand::Ignore { drift, reason: Said::new("it is nothing"), until };
    refused(house.try_as(Who::Asker, ignore.clone()), "a right of your own");
    house.well(Who::Administrator, ignore);
    house.well(Who::Administrator, ConversionCommand::Undo { conversion });
}

#[test]
fn a_survey_that_a_person_took_in_shows_what_is_new_like_any_other() {
    let mut house = house(0);
    let rights: Vec<(String, String)> = (0..8).map(|n| (format!("old-{n}"), format!("h{n}"))).collect();
    let all: Vec<(&str, &str)> = rights.iter().map(|(a, h)| (a.as_str(), h.as_str())).collect();
    with_rights(&mut house, &all, false);
    let fewer = [("old-0", "h0"), ("ironquay", "new")];
    with_rights(&mut house, &fewer, false);
    assert_eq!(house.world.standing.len(), 8, "it is held");
    // The very reading that was held.
    let held = house.world.targets[&house.target()].held.unwrap();
    let mut found = survey(house.now, 1);
    let right = |account: &str, handle: &str| RightFound {
        account: account.to_owned(),
        role: "writer".to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(handle.to_owned()),
        since: None,
        last_used: None,
    };
    found.rights = fewer.iter().map(|(account, handle)| right(account, handle)).collect();
    let record = EstateCommand::AcceptSurvey { target: house.target(), digest: held, survey: Box::new(found) };
    house.well(Who::Administrator, record);
    let is_new = |drift: &&Drift| house.world.text(drift.standing.account) == "ironquay";
    let new: Vec<&Drift> = house.world.drifts.values().filter(is_new).collect();
    assert_eq!(new.len(), 1, "what appeared in it is nobody's news");
    assert!(house.world.drifts.values().all(|drift| drift.kind != DriftKind::Lost), "what is gone was looked at");
}

#[test]
fn a_yes_to_one_account_gives_nothing_to_another() {
    let mut house = house(1);
    let (target, tomas) = (house.target(), house.id(Who::Asker));
    let demand = demand_for(&house.world, tomas, house.right(), house.now).unwrap();
    let said = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(said.contains("with the account `t.reyes`"), "{said}");
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    // An administrator of the target alone sends it elsewhere.
    let deploy = PeopleCommand::SetAccount { subject: tomas, target, account: Said::new("deploy") };
    house.well(Who::Administrator, deploy);
    house.answer(Who::First, asked, Verdict::Yes).unwrap();
    assert_eq!(house.phase(asked), Phase::Waiting, "it opened on an account that nobody said yes to");
    let shown = house.world.demands[&asked].demand.account.map(|account| house.world.text(account));
    assert_eq!(shown.as_deref(), Some("deploy"));
    house.answer(Who::Other, asked, Verdict::Yes).unwrap();
    assert_eq!(house.phase(asked), Phase::Opening);

    // The same name said again is no change; and whoever names their own waits.
    let mut house = self::house(0);
    let asked = house.ask(Who::Asker, 600, StartChoice::At { time: later(house.now, Seconds(900)) }).unwrap();
    let again = PeopleCommand::SetAccount { subject: tomas, target, account: Said::new("t.reyes") };
    house.well(Who::Administrator, again);
    house.now = later(house.now, Seconds(1000));
    house.tick();
    assert_eq!(house.phase(asked), Phase::Opening);
    house.well(Who::Asker, PeopleCommand::SetAccount { subject: tomas, target, account: Said::new("deploy") });
    assert!(!lets_in(&house, Who::Asker), "an account of one's own naming opens without a yes");
}

#[test]
fn a_yes_counts_once_for_what_is_asked_now_and_for_when() {
    // To a role that has grown: earlier yes were to another thing.
    let mut house = house(2);
    let asked = house.ask(Who::Asker, 600, StartChoice::At { time: later(house.now, Seconds(3600)) }).unwrap();
    for who in [Who::First, Who::Other] {
        house.answer(who, asked, Verdict::Yes).unwrap();
    }
    let (target, found) = (house.target(), survey(house.now, 2));
    let digest = Digest::of_json(&found);
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
    house.now = later(house.now, Seconds(3700));
    house.tick();
    assert_eq!(house.phase(asked), Phase::Waiting);
    house.answer(Who::First, asked, Verdict::Yes).unwrap();
    assert_eq!(house.phase(asked), Phase::Waiting, "two yes of the first round made up for one of this");
    house.answer(Who::Other, asked, Verdict::Yes).unwrap();
    assert_eq!(house.phase(asked), Phase::Opening);

    // To another time than the first was asked about.
    let mut house = self::house(2);
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, asked, Verdict::Yes).unwrap();
    let start = StartChoice::At { time: later(house.now, Seconds::hours(3)) };
    house.answer_less(Who::Other, asked, Verdict::Yes, Some(Less { start: Some(start), ..Less::default() })).unwrap();
    assert_eq!(house.phase(asked), Phase::Waiting, "the first yes was to now, not to three in the morning");
    house.answer(Who::First, asked, Verdict::Yes).unwrap();
    assert_eq!(house.phase(asked), Phase::Scheduled);
    house.check();
}

#[test]
fn terms_that_were_raised_since_hold_for_a_wish_that_waits() {
    let mut house = house(0);
    wants_a_yes_to_be_eligible(&mut house);
    let (subject, right) = (house.id(Who::Other), house.right());
    let wish = EligibilityCommand::Give { subject, right, from: None, until: None, reason: None };
    house.well(Who::Administrator, wish);
    let appointment = *house.world.appointments.keys().next_back().unwrap();
    let old = house.world.terms.values().find(|rule| rule.act == Act::BeMadeEligible).unwrap().clone();
    let approvers = [Who::First, Who::Asker].map(|who| Approver::Subject { id: house.id(who) }).to_vec();
    let approval = Some(Approval::from(StageTerms {
        approvers,
        yes: 2,
        no: 1,
        within: Seconds::hours(8),
        ..StageTerms::default()
    }));
    let raised = Terms { settings: Settings { approval, ..old.settings.clone() }, ..old };
    house.well(Who::Administrator, TermsCommand::Set { terms: raised });
    house.now = later(house.now, Seconds::hours(25));
    let shown = house.world.appointments[&appointment].digest();
    let yes = EligibilityCommand::Answer { appointment, verdict: Verdict::Yes, reason: None, shown };
    house.well(Who::First, yes);
    assert_ne!(house.world.appointments[&appointment].state, AppointmentState::Made, "one yes was enough");
}

#[test]
fn a_target_that_lies_about_itself_puts_nobody_in_an_approvers_place() {
    // Who would be asked before and after a target says that it is the workshop, where a rule names these for workshops.
    let asked = |named: &[Who], wanted: u16| {
        let mut house = house(1);
        let site = BTreeMap::from([("site".to_owned(), "workshop".to_owned())]);
        let approvers = named.iter().map(|who| Approver::Subject { id: house.id(*who) }).collect();
        let stage = Approval::from(StageTerms {
            approvers,
            yes: wanted,
            no: 1,
            within: Seconds::hours(8),
            ..StageTerms::default()
        });
        let settings = Settings { approval: Some(stage), ..Settings::default() };
        let of_workshops = Terms { attributes: site.clone(), ..rule(house.target(), settings) };
        house.well(Who::Administrator, TermsCommand::Set { terms: of_workshops });
        house.now = later(house.now, Seconds::hours(48));
        let who_is_asked = |house: &House| {
            let effective = effective_terms(&house.world, Act::Elevate, house.right(), house.id(Who::Other));
            let [StageTerms { approvers, yes, .. }] = effective.approval.stages() else { panic!("nobody is asked") };
            let is_asked = |who: &Who| approvers.contains(&Approver::Subject { id: house.id(*who) });
            (EVERYONE.into_iter().filter(is_asked).collect::<Vec<_>>(), *yes)
        };
        let before = who_is_asked(&house);
        let found = Survey { attributes: site, ..survey(house.now, 1) };
        let (target, digest) = (house.target(), Digest::of_json(&found));
        house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
        (before, who_is_asked(&house))
    };
    let all = vec![Who::Asker, Who::Second, Who::First, Who::Other];
    let (before, after) = asked(&[Who::First], 1);
    assert_eq!((before, after), ((all.clone(), 1), (vec![Who::First], 1)), "it may leave fewer");
    let (before, after) = asked(&[Who::First, Who::Administrator], 1);
    assert_eq!((before, after), ((all.clone(), 1), (vec![Who::First], 1)), "and no other");
    let (before, after) = asked(&[Who::Administrator], 2);
    assert_eq!((before, after), ((all.clone(), 1), (all, 2)), "where it names none of them, theirs stay");
}

#[test]
fn what_runs_on_a_system_is_for_an_administrator_of_both_to_say() {
    let mut house = house(0);
    let (root, target, piet) = (house.world.root.unwrap(), house.target(), house.id(Who::Other));
    let other = EstateCommand::AddTarget {
        parent: root,
        name: "pier".to_owned(),
        connector: Connector::Brightwater { url: "http://127.0.0.1:2".to_owned() },
        emergency_least: 1,
        alarm_after: Seconds(60),
    };
    house.well(Who::Administrator, other);
    let pier = house.world.child(root, "pier").unwrap().id;
    house.well(
        Who::Administrator,
        PeopleCommand::GiveDuty { subject: piet, kind: DutyKind::Administrator, scope: target },
    );
    let set = EstateCommand::SetTarget {
        target,
        emergency_least: None,
        alarm_after: None,
        runs_on: Some(Some(pier)),
        own_login: None,
        labels: None,
    };
    refused(house.try_as(Who::Other, set.clone()), "only an administrator of /pier");
    house.well(Who::Administrator, set);
}

#[test]
fn a_directory_makes_nobody_eligible_past_the_yes_that_the_terms_demand_and_closes_no_circle() {
    let mut house = house(0);
    let parent = house.world.root.unwrap();
    let connector = Connector::Ldap {
        url: "ldap://127.0.0.1:1".to_owned(),
        user: "cn=keeper".to_owned(),
        base: "dc=quillhaven".to_owned(),
        grants: "ou=grants".to_owned(),
        sweep: 1,
    };
    let name = "directory".to_owned();
    house.well(
        Who::Administrator,
        EstateCommand::AddTarget { parent, name, connector, emergency_least: 1, alarm_after: Seconds(60) },
    );
    let target = house.world.child(parent, "directory").unwrap().id;
    let mapping = Mapping {
        people: "ou=people,dc=quillhaven".to_owned(),
        groups: Some("ou=groups,dc=quillhaven".to_owned()),
        name: "uid".to_owned(),
        about: "cn".to_owned(),
        manager: None,
    };
    house.well(Who::Administrator, SourceCommand::Set { target, mapping });
    // As a directory numbers its entries: by something that is nobody's name.
    let key = |name: &str| name.chars().rev().collect::<String>();
    let person = |name: &str| PersonFound {
        key: key(name),
        account: name.to_owned(),
        name: name.to_owned(),
        about: "somebody".to_owned(),
        manager: None,
    };
    let group = |name: &str, members: &[&str]| GroupFound {
        key: key(name),
        name: name.to_owned(),
        about: "some".to_owned(),
        members: members.iter().map(|one| key(one)).collect(),
    };
    let record = |house: &mut House, groups: Vec<GroupFound>, accepted: bool| {
        let people = vec![person("signe"), person("jonas")];
        let imported = Imported { complete: true, people, groups };
        let (digest, imported) = (Digest::of_json(&imported), Box::new(imported));
        if accepted {
            house.try_as(Who::First, SourceCommand::Accept { target, digest, imported })
        } else {
            house.reported(Report::Imported { target, digest, imported })
        }
    };
    record(&mut house, vec![group("crew", &["signe"]), group("watch", &["crew"])], false).unwrap();
    let crew = house.world.subject_named("crew").unwrap().id;
    // A circle from the directory leaves a link out.
    record(&mut house, vec![group("crew", &["signe", "watch"]), group("watch", &["crew"])], false).unwrap();
    let watch = house.world.subject_named("watch").unwrap().id;
    assert!(!house.world.is_member(crew, watch), "a circle was taken in");

    eligible(&mut house, crew);
    wants_a_yes_to_be_eligible(&mut house);
    let joins = vec![group("crew", &["signe", "jonas"]), group("watch", &["crew"])];
    record(&mut house, joins.clone(), false).unwrap();
    let jonas = house.world.subject_named("jonas").unwrap().id;
    assert!(!house.world.belongs_to(jonas, crew), "joining by the directory made him eligible past the yes");
    assert!(house.world.sources[&target].held.is_some(), "and nobody is told");
    // Taken in by hand it is a yes, for those who may say it.
    make_administrator(&mut house, Who::Administrator, Who::First);
    record(&mut house, joins, true).unwrap();
    assert!(house.world.belongs_to(jonas, crew));
    // Where too few could say it, nobody says it by taking a reading in.
    record(&mut house, vec![group("crew", &["signe"]), group("watch", &[])], false).unwrap();
    let piet = house.id(Who::Other);
    let his = StageTerms { approvers: vec![Approver::Subject { id: piet }], ..StageTerms::default() };
    let settings = Settings { approval: Some(his.into()), ..Settings::default() };
    let terms = Terms { act: Act::BeMadeEligible, ..rule(house.target(), settings) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: piet });
    let joins = vec![group("crew", &["signe", "jonas"]), group("watch", &[])];
    record(&mut house, joins.clone(), false).unwrap();
    assert!(!house.world.belongs_to(jonas, crew), "that nobody could say yes was taken for a yes");
    let refused = record(&mut house, joins, true).unwrap_err();
    assert!(matches!(refused, Refusal::People(PeopleRefusal::GainByReading { .. })), "{refused}");
    house.replay();
}

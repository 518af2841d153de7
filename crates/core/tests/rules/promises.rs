//! Promises: what must hold whatever terms, groups and labels say; by whatever command it would be broken, and by what comes from
//! outside.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use tempestas_core::*;

use crate::{
    conversions::found,
    house::{EVERYONE, House, Who, rule, settings, survey},
    unasked::hours,
};

/// A house with the groups `night` and `relief` (below `night`), of which nobody is a member.
fn house() -> House {
    let mut house = House::new(&settings(1));
    for name in ["night", "relief"] {
        let (name, about) = (Said::new(name), Said::new("some of us"));
        let add = PeopleCommand::AddSubject { kind: SubjectKind::Group, name, about, second_of: None };
        house.well(Who::Administrator, add);
    }
    let (group, member) = (named(&house, "night"), named(&house, "relief"));
    house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    house
}

fn named(house: &House, name: &str) -> SubjectId {
    house.world.subject_named(name).unwrap().id
}

fn everything(house: &House) -> RightSet {
    RightSet::from_text(&house.world, "/").unwrap()
}

fn promise(name: &str, of: RightSet, promised: Promised) -> Promise {
    Promise { name: name.to_owned(), of, by: None, promised, set_by: None, set_at: None }
}

fn set(house: &mut House, promise: Promise) {
    house.well(Who::Administrator, PromiseCommand::Set { promise });
}

fn promised(house: &mut House, promised: Promised) {
    let of = everything(house);
    set(house, promise("kept", of, promised));
}

fn give(to: SubjectId, right: Right) -> Command {
    EligibilityCommand::Give { subject: to, right, from: None, until: None, reason: None }.into()
}

fn new_rule(scope: ScopeId, settings: Settings) -> TermsCommand {
    TermsCommand::Set { terms: rule(scope, settings) }
}

fn assured(house: &mut House) -> Assurance {
    let assurance = Assurance {
        name: "sure".to_owned(),
        accepts: BTreeSet::from([ProofMethod::Passkey]),
        within: Seconds::hours(1),
        networks: BTreeSet::new(),
        bypass: None,
        pilot: None,
        watch_only: false,
        set_by: None,
        set_at: None,
    };
    house.well(Who::Administrator, AssuranceCommand::Set { assurance: assurance.clone() });
    assurance
}

fn unasked() -> Settings {
    Settings { approval: Some(Approval::None), ..Settings::default() }
}

/// The sentence by which somebody is refused to break the promise.
fn refused(house: &mut House, command: impl Into<Command>) -> String {
    let before = house.world.clone();
    let refusal = house.try_as(Who::Administrator, command).unwrap_err();
    assert_eq!(refusal.cause(), Some("would-break"), "{refusal}");
    assert_eq!(house.world, before);
    refusal.to_string()
}

fn breaches(house: &House) -> Vec<String> {
    let kept = house.world.promises.get("kept").unwrap();
    kept.breaches(&house.world, house.now).iter().map(|breach| breach.words(&house.world)).collect()
}

fn alarmed(house: &House) -> bool {
    house.world.open_alarm(|about| matches!(about, AlarmKind::PromiseBroken { .. })).is_some()
}

fn lake(house: &House) -> ScopeId {
    house.world.scope_at("/cloud/lake").unwrap().id
}

/// What rules could come to set that break a promise, with what is then said.
fn breaking(house: &House) -> Vec<(Promised, Settings, &'static str)> {
    let stages = house.world.terms.values().find_map(|rule| rule.settings.approval.clone()).unwrap();
    let glass = Glass { by: BTreeSet::from([house.id(Who::Asker)]), accepts: BTreeSet::from([ProofMethod::Passkey]) };
    let within = Approval::OutsideHours { hours: hours("mon-fri 08:00-16:00"), stages: stages.stages().to_vec() };
    let none = Settings::default;
    let (one, two) = (Promised::Answered { yes: 1 }, Promised::Brief { longest: Seconds::hours(2) });
    vec![
        (one.clone(), unasked(), "tomas may ask for writer@/cloud, and nobody is asked"),
        (one.clone(), Settings { approval: Some(within), ..none() }, "and within some hours nobody is asked"),
        (one, Settings { glass: Some(glass), ..none() }, "and may break the glass for it"),
        (two.clone(), Settings { longest: Some(Longest(Seconds::hours(3))), ..none() }, "and may hold it for 3 h"),
        (two, Settings { grace: Some(Grace(Seconds::minutes(30))), ..none() }, "and may hold it for 2 h 30 min"),
        (
            Promised::Assured { assurance: "sure".to_owned() },
            Settings { assured: Some(Assured::default()), ..none() },
            "and needn't meet that assurance",
        ),
        (
            Promised::Answerable { people: 2 },
            Settings { approval: Some(of_one(house)), ..none() },
            "and only 1 person could answer in stage 1",
        ),
    ]
}

fn of_one(house: &House) -> Approval {
    let approvers = vec![Approver::Subject { id: house.id(Who::First) }];
    StageTerms { approvers, ..StageTerms::default() }.into()
}

#[test]
fn each_form_is_kept_by_what_keeps_it_and_refuses_what_would_break_it() {
    for (form, settings, says) in breaking(&house()) {
        let mut house = house();
        let root = house.world.root.unwrap();
        assured(&mut house);
        let wanted = Settings { assured: Some(Assured(BTreeSet::from(["sure".to_owned()]))), ..Settings::default() };
        house.well(Who::Administrator, new_rule(root, wanted));
        promised(&mut house, form);
        assert_eq!(breaches(&house), Vec::<String>::new());
        let target = house.target();
        let said = refused(&mut house, new_rule(target, settings));
        assert!(said.contains(says), "{said}");
    }
}

#[test]
fn whom_an_assurance_lets_through_breaks_what_is_promised_of_it() {
    let mut house = house();
    let (root, night, member) = (house.world.root.unwrap(), named(&house, "night"), house.id(Who::Asker));
    let mut sure = assured(&mut house);
    let wanted = Settings { assured: Some(Assured(BTreeSet::from(["sure".to_owned()]))), ..Settings::default() };
    house.well(Who::Administrator, new_rule(root, wanted));
    promised(&mut house, Promised::Assured { assurance: "sure".to_owned() });
    sure.bypass = Some(night);
    house.well(Who::Administrator, AssuranceCommand::Set { assurance: sure.clone() });
    refused(&mut house, PeopleCommand::AddMember { group: night, member });
    sure.bypass = None;
    sure.watch_only = true;
    refused(&mut house, AssuranceCommand::Set { assurance: sure });
}

#[test]
fn whatever_the_command_what_would_break_it_is_refused_and_changes_nothing() {
    let mut house = house();
    let (target, right, root, lake) = (house.target(), house.right(), house.world.root.unwrap(), lake(&house));
    let (night, relief, oda) = (named(&house, "night"), named(&house, "relief"), house.id(Who::First));
    let give_night = give(night, right);
    house.well(Who::Administrator, give_night);
    // Whoever is of the night is asked for nothing, wherever; nobody is, yet.
    let lax = Terms { asker: Some(night), ..rule(root, unasked()) };
    house.well(Who::Administrator, TermsCommand::Set { terms: lax });
    let lax = house.world.terms.keys().next_back().copied().unwrap();
    promised(&mut house, Promised::Answered { yes: 1 });
    // By joining the group, or one within it; by a rule that names nobody; by ending the rule that asks; for a system labelled so.
    let said = refused(&mut house, PeopleCommand::AddMember { group: relief, member: oda });
    assert!(
        said.contains(&format!("oda may ask for writer@/cloud through night, and nobody is asked ({lax})")),
        "{said}"
    );
    refused(&mut house, PeopleCommand::AddMember { group: night, member: oda });
    refused(&mut house, new_rule(target, unasked()));
    refused(&mut house, new_rule(lake, unasked()));
    let asks = house.world.terms.values().find(|rule| rule.asker.is_none()).unwrap().id;
    let none = Settings { approval: Some(Approval::None), ..house.world.terms[&asks].settings.clone() };
    let lenient = Terms { settings: none, ..house.world.terms[&asks].clone() };
    refused(&mut house, TermsCommand::Set { terms: lenient });
    // A rule for some systems, and then a system that is one of them.
    let on_test = Terms { labels: BTreeMap::from([("stage".to_owned(), "test".to_owned())]), ..rule(root, unasked()) };
    house.well(Who::Administrator, TermsCommand::Set { terms: on_test });
    let label = EstateCommand::SetTarget {
        target,
        emergency_least: None,
        alarm_after: None,
        runs_on: None,
        own_login: None,
        labels: Some(BTreeMap::from([("stage".to_owned(), "test".to_owned())])),
    };
    refused(&mut house, label);
    // Whoever is let through already by a rule of their own can't be made eligible.
    let own = Terms { asker: Some(oda), ..rule(root, unasked()) };
    house.well(Who::Administrator, TermsCommand::Set { terms: own });
    let give_oda = give(oda, right);
    refused(&mut house, give_oda);
    // Nor can one be let back in who is eligible under it.
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: oda });
    let give_oda = give(oda, right);
    house.well(Who::Administrator, give_oda);
    refused(&mut house, PeopleCommand::Resume { subject: oda });
    // What tightens goes through, and what is about somebody else.
    let terms = rule(lake, Settings { longest: Some(Longest(Seconds::minutes(5))), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert!(!alarmed(&house));
}

#[test]
fn a_suspended_group_and_one_who_leaves_break_it_by_what_held_for_them_alone() {
    let mut house = house();
    let (root, night, tomas) = (house.world.root.unwrap(), named(&house, "night"), house.id(Who::Asker));
    house.well(Who::Administrator, PeopleCommand::AddMember { group: night, member: tomas });
    let asks = house.world.terms.values().next().unwrap().clone();
    let strict = Terms { asker: Some(night), ..rule(root, asks.settings.clone()) };
    house.well(Who::Administrator, TermsCommand::Set { terms: strict });
    let none = Settings { approval: Some(Approval::None), ..asks.settings.clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings: none, ..asks } });
    promised(&mut house, Promised::Answered { yes: 1 });
    assert_eq!(breaches(&house), Vec::<String>::new());
    refused(&mut house, PeopleCommand::RemoveMember { group: night, member: tomas });
    // Nobody is kept in their power: that is done, and an alarm.
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: night });
    assert!(alarmed(&house));
    house.well(Who::Administrator, PeopleCommand::Resume { subject: night });
    assert!(!alarmed(&house));
}

#[test]
fn a_rule_that_alone_keeps_it_is_neither_ended_nor_suspended() {
    let mut house = house();
    let (root, target) = (house.world.root.unwrap(), house.target());
    let asks = house.world.terms.values().next().unwrap().clone();
    house.well(Who::Administrator, new_rule(target, asks.settings.clone()));
    let keeps = house.world.terms.values().next_back().unwrap().id;
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings: unasked(), scope: root, ..asks } });
    promised(&mut house, Promised::Answered { yes: 1 });
    refused(&mut house, TermsCommand::Suspend { terms: keeps, reason: Said::new("for a while") });
    refused(&mut house, TermsCommand::End { terms: keeps });
}

#[test]
fn an_ask_for_more_that_goes_past_the_rules_of_what_is_below_is_seen() {
    let mut house = house();
    let (target, lake) = (house.target(), lake(&house));
    let none = rule(target, unasked());
    house.well(Who::Administrator, TermsCommand::Set { terms: none });
    let stages = house.world.terms.values().find_map(|rule| rule.settings.approval.clone()).unwrap();
    let asks = rule(lake, Settings { approval: Some(stages), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms: asks });
    let of = RightSet { scope: lake, role: None, weight: None };
    set(&mut house, promise("kept", of, Promised::Answered { yes: 1 }));
    let rule = house.world.terms.values().find(|rule| rule.scope == target).unwrap().id;
    assert_eq!(breaches(&house), [format!("tomas may ask for writer@/cloud, and nobody is asked ({rule})")]);
}

#[test]
fn nobody_counts_as_their_own_answer_nor_twice() {
    let mut house = house();
    // The asker and a second sign-in of theirs, and two others.
    promised(&mut house, Promised::Answerable { people: 2 });
    assert_eq!(breaches(&house), Vec::<String>::new());
    promised(&mut house, Promised::Answerable { people: 3 });
    assert!(breaches(&house)[0].contains("only 2 people could answer in stage 1"), "{:?}", breaches(&house));
    promised(&mut house, Promised::Answerable { people: 2 });
    // One who could answer comes to be one who asks.
    let (oda, right) = (house.id(Who::First), house.right());
    let give_oda = give(oda, right);
    house.well(Who::Administrator, give_oda);
    // Nobody else could answer tomas once one of the two is gone; that isn't held up.
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: house.id(Who::Other) });
    assert!(alarmed(&house));
    house.well(Who::Administrator, PeopleCommand::Resume { subject: house.id(Who::Other) });
    assert!(!alarmed(&house));
}

#[test]
fn the_manager_counts_for_whose_manager_they_are() {
    let mut house = house();
    let (root, tomas, piet) = (house.world.root.unwrap(), house.id(Who::Asker), house.id(Who::Other));
    let stage = StageTerms { approvers: vec![Approver::Manager], ..StageTerms::default() };
    let asks = house.world.terms.values().next().unwrap().clone();
    let settings = Settings { approval: Some(Approval::from(stage)), ..asks.settings.clone() };
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { scope: root, settings, ..asks } });
    promised(&mut house, Promised::Answerable { people: 1 });
    assert_eq!(breaches(&house).len(), 1);
    house.well(Who::Administrator, PeopleCommand::SetManager { subject: tomas, manager: Some(piet) });
    assert_eq!(breaches(&house), Vec::<String>::new());
    refused(&mut house, PeopleCommand::SetManager { subject: tomas, manager: None });
}

fn stands(house: &mut House, accounts: &[&str]) {
    let rights = accounts.iter().map(|account| found(account, "writer")).collect();
    let survey = Survey { rights, ..survey(house.now, 1) };
    let (target, digest) = (house.target(), Digest::of_json(&survey));
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey.clone()) });
    if house.world.open_alarm(|about| matches!(about, AlarmKind::SurveyHeld { .. })).is_some() {
        let survey = Box::new(survey);
        house.well(Who::Administrator, EstateCommand::AcceptSurvey { target, digest, survey });
    }
}

#[test]
fn what_comes_from_outside_is_an_alarm_that_settles_once_it_is_gone() {
    for form in [Promised::NeverStanding, Promised::Answered { yes: 1 }, Promised::Brief { longest: Seconds::hours(2) }]
    {
        let mut house = house();
        promised(&mut house, form);
        assert!(!alarmed(&house));
        stands(&mut house, &["t.reyes", "stranger"]);
        assert!(alarmed(&house));
        let said = breaches(&house);
        assert!(said.contains(&"tomas holds writer@/cloud all the time, as `t.reyes`".to_owned()), "{said:?}");
        assert!(
            said.contains(&"`stranger`, which is nobody's, holds writer@/cloud all the time".to_owned()),
            "{said:?}"
        );
        stands(&mut house, &["stranger"]);
        assert!(alarmed(&house));
        stands(&mut house, &[]);
        assert!(!alarmed(&house), "{:?}", breaches(&house));
        house.replay();
    }
}

#[test]
fn only_some_may_and_whose_an_account_is_counts() {
    let mut house = house();
    let (night, tomas, oda) = (named(&house, "night"), house.id(Who::Asker), house.id(Who::First));
    promised(&mut house, Promised::Only { to: night });
    assert_eq!(breaches(&house), ["tomas may ask for writer@/cloud"]);
    house.well(Who::Administrator, PeopleCommand::AddMember { group: night, member: tomas });
    assert_eq!(breaches(&house), Vec::<String>::new());
    let give_oda = give(oda, house.right());
    refused(&mut house, give_oda);
    stands(&mut house, &["t.reyes"]);
    assert!(!alarmed(&house), "{:?}", breaches(&house));
    // The account comes to be another's.
    let (subject, target, account) = (oda, house.target(), Said::new("o.else"));
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account });
    stands(&mut house, &["t.reyes", "o.else"]);
    assert!(alarmed(&house));
}

#[test]
fn a_rule_that_time_wakes_is_an_alarm() {
    let mut house = house();
    let from = later(house.now, Seconds::hours(2));
    let wakes = Terms { valid: Validity { from: Some(from), until: None }, ..rule(house.target(), unasked()) };
    house.well(Who::Administrator, TermsCommand::Set { terms: wakes });
    promised(&mut house, Promised::Answered { yes: 1 });
    house.now = from;
    house.tick();
    assert!(alarmed(&house));
    assert!(breaches(&house)[0].contains("nobody is asked"));
    house.well(Who::Administrator, PromiseCommand::End { name: "kept".to_owned() });
    assert!(!alarmed(&house));
}

#[test]
fn a_rule_that_sleeps_is_held_to_what_it_would_break_awake_and_one_that_ends_to_what_comes_then() {
    let mut house = house();
    let (target, root) = (house.target(), house.world.root.unwrap());
    promised(&mut house, Promised::Answered { yes: 1 });
    let soon = later(house.now, Seconds::hours(2));
    let wakes = Terms { valid: Validity { from: Some(soon), until: None }, ..rule(target, unasked()) };
    refused(&mut house, TermsCommand::Set { terms: wakes });
    // A strict rule that ends leaves what a laxer one above it says.
    let asks = house.world.terms.values().next().unwrap().clone();
    house.well(Who::Administrator, new_rule(target, asks.settings.clone()));
    let keeps = house.world.terms.values().next_back().unwrap().clone();
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { settings: unasked(), scope: root, ..asks } });
    let ends = Terms { valid: Validity { from: None, until: Some(soon) }, ..keeps };
    refused(&mut house, TermsCommand::Set { terms: ends });
}

#[test]
fn what_a_program_may_ask_for_counts() {
    let mut house = house();
    let (name, about) = (Said::new("night-batch"), Said::new("a program"));
    let add = PeopleCommand::AddSubject { kind: SubjectKind::Program, name, about, second_of: None };
    house.well(Who::Administrator, add);
    let (program, night) = (named(&house, "night-batch"), named(&house, "night"));
    let member = house.id(Who::Asker);
    house.well(Who::Administrator, PeopleCommand::AddMember { group: night, member });
    promised(&mut house, Promised::Only { to: night });
    let give_it = give(program, house.right());
    assert!(refused(&mut house, give_it).contains("night-batch may ask for writer@/cloud"));
}

#[test]
fn what_is_broken_already_is_in_nobodys_way() {
    let mut house = house();
    promised(&mut house, Promised::Brief { longest: Seconds::hours(1) });
    assert!(breaches(&house)[0].contains("may hold it for 2 h"));
    assert!(!alarmed(&house));
    // As long as before: nothing new is broken. For one more person it is.
    let terms = rule(house.target(), Settings { usual: Some(Usual(Seconds::minutes(5))), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    let give_oda = give(house.id(Who::First), house.right());
    refused(&mut house, give_oda);
}

#[test]
fn of_several_examples_the_shortest_is_told() {
    let mut house = house();
    let (night, relief, target) = (named(&house, "night"), named(&house, "relief"), house.target());
    for (group, who) in [(relief, Who::Other), (night, Who::First)] {
        let member = house.id(who);
        house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    }
    let give_night = give(night, house.right());
    house.well(Who::Administrator, give_night);
    promised(&mut house, Promised::Answered { yes: 1 });
    let said = refused(&mut house, new_rule(target, unasked()));
    assert!(said.contains("tomas may ask for writer@/cloud, and nobody is asked"), "{said}");
    // For everybody but tomas: who is in the group itself, before who is in one within it.
    let own = house.world.terms.values().next().unwrap().settings.clone();
    let strict = Terms { asker: Some(house.id(Who::Asker)), ..rule(house.target(), own) };
    house.well(Who::Administrator, TermsCommand::Set { terms: strict });
    let said = refused(&mut house, new_rule(target, unasked()));
    assert!(said.contains("oda may ask for writer@/cloud through night, as 1 other may, and nobody"), "{said}");
}

#[test]
fn who_administers_a_part_is_told_of_no_example_elsewhere() {
    let mut house = house();
    let (piet, root) = (house.id(Who::Other), house.world.root.unwrap());
    let folder = EstateCommand::AddFolder { parent: root, name: "quay".to_owned() };
    house.well(Who::Administrator, folder);
    let scope = house.world.scope_at("/quay").unwrap().id;
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject: piet, kind: DutyKind::Administrator, scope });
    promised(&mut house, Promised::Answered { yes: 1 });
    house.now = later(house.now, Seconds::hours(48));
    let sight = Sight::of(&house.world, piet);
    assert!(sight.see(&house.world, house.world.promises.get("kept").unwrap()).is_none());
    let end = PromiseCommand::End { name: "kept".to_owned() };
    assert_eq!(house.try_as(Who::Other, end).unwrap_err().class(), Class::NotAllowed);
}

#[test]
fn what_cant_be_promised_is_refused_with_what_could() {
    let mut house = house();
    let of = everything(&house);
    let unknown = RightSet { role: Some(Words::Clear("wrtier".to_owned())), ..of.clone() };
    for (promise, cause) in [
        (promise("kept", unknown, Promised::NeverStanding), "no-such-role"),
        (promise("kept", of.clone(), Promised::Answered { yes: 0 }), "promises-nothing"),
        (promise("kept", of.clone(), Promised::Answerable { people: 0 }), "promises-nothing"),
        (promise("kept", of.clone(), Promised::Brief { longest: Seconds(0) }), "promises-nothing"),
        (promise("Not a name", of.clone(), Promised::NeverStanding), "bad-name"),
    ] {
        let refusal = house.try_as(Who::Administrator, PromiseCommand::Set { promise }).unwrap_err();
        assert_eq!(refusal.cause(), Some(cause), "{refusal}");
    }
    for promise in [
        promise("kept", of.clone(), Promised::Assured { assurance: "none".to_owned() }),
        promise("kept", of.clone(), Promised::Only { to: SubjectId(999) }),
        Promise { by: Some(SubjectId(999)), ..promise("kept", of.clone(), Promised::NeverStanding) },
    ] {
        assert_eq!(
            house.try_as(Who::Administrator, PromiseCommand::Set { promise }).unwrap_err().class(),
            Class::Unknown
        );
    }
    let ended = house.try_as(Who::Administrator, PromiseCommand::End { name: "kept".to_owned() });
    assert_eq!(ended.unwrap_err().class(), Class::Unknown);
    set(&mut house, promise("kept", of.clone(), Promised::NeverStanding));
    let stale = PromiseCommand::Set { promise: promise("kept", of, Promised::Answered { yes: 1 }) };
    assert_eq!(house.change(LookedAt::Nothing, stale).unwrap_err().cause(), Some("stale"));
}

/// Who breaks a promise by what, found by looking at each person and each place with nothing remembered.
fn looked_at_one_by_one(house: &House, kept: &Promise) -> BTreeSet<(SubjectId, Right)> {
    let world = &house.world;
    let places: Vec<ScopeId> = world.scopes.keys().copied().collect();
    let mut found = BTreeSet::new();
    for who in EVERYONE.map(|who| house.id(who)).into_iter().filter(|who| !world.is_suspended(*who)) {
        if kept.by.is_some_and(|by| !world.belongs_to(who, by)) {
            continue;
        }
        let held = world
            .eligibilities_of(who)
            .filter(|held| held.paused.is_none() && held.until.is_none_or(|end| end > house.now));
        for held in held.filter(|held| kept.of.has(world, held.right)) {
            let below = places.iter().filter(|place| world.is_within(**place, held.right.scope));
            for right in
                below.map(|place| Right { scope: *place, ..held.right }).filter(|right| kept.of.has(world, *right))
            {
                let terms = effective_terms(world, Act::Elevate, right, who);
                let breaks = match &kept.promised {
                    Promised::Answered { yes } => {
                        terms.approval.stages().iter().map(|stage| stage.yes).sum::<u16>() < *yes
                            || matches!(terms.approval, Approval::OutsideHours { .. })
                            || terms.glass.is_for(world, who)
                    }
                    Promised::Brief { longest } => terms.longest.0.0 + terms.grace.0.0 > longest.0,
                    Promised::Only { to } => !world.belongs_to(who, *to),
                    _ => false,
                };
                if breaks {
                    found.insert((who, right));
                }
            }
        }
    }
    found
}

/// Everybody in what is found broken, and each right.
fn found_broken(house: &House, kept: &Promise) -> BTreeSet<(SubjectId, Right)> {
    let all = kept.breaches(&house.world, house.now).into_iter();
    all.flat_map(|breach| breach.everybody.iter().map(move |who| (*who, breach.right)).collect::<Vec<_>>()).collect()
}

/// A change of what promises are about, by numbers.
fn changed(house: &House, step: (u8, u8, u8)) -> Command {
    let (what, one, other) = step;
    let pick = |all: Vec<SubjectId>, at: u8| all[usize::from(at) % all.len()];
    let people: Vec<SubjectId> = EVERYONE.map(|who| house.id(who)).to_vec();
    let groups = vec![named(house, "night"), named(house, "relief")];
    let (member, group) = (pick(people.clone(), one), pick(groups.clone(), other));
    let scope = [house.world.root.unwrap(), house.target(), lake(house)][usize::from(one) % 3];
    let rules: Vec<TermsId> = house.world.terms.keys().copied().collect();
    let of_rule = rules.get(usize::from(one) % rules.len().max(1)).copied().unwrap_or(TermsId(0));
    let asker = [None, Some(groups[0]), Some(groups[1]), Some(member)][usize::from(other) % 4];
    let with = |settings| TermsCommand::Set { terms: Terms { asker, ..rule(scope, settings) } }.into();
    let holder = [member, groups[0], groups[1]][usize::from(other) % 3];
    match what % 10 {
        0 => with(unasked()),
        1 => with(settings(1 + u16::from(other % 2))),
        2 => with(Settings { longest: Some(Longest(Seconds::hours(1 + u32::from(one % 4)))), ..Settings::default() }),
        3 => TermsCommand::End { terms: of_rule }.into(),
        4 => PeopleCommand::AddMember { group, member }.into(),
        5 => PeopleCommand::RemoveMember { group, member }.into(),
        6 => give(holder, Right { scope: if one % 2 == 0 { house.target() } else { lake(house) }, ..house.right() }),
        7 => PeopleCommand::Suspend { subject: [groups[0], groups[1], member][usize::from(other) % 3] }.into(),
        8 => PeopleCommand::Resume { subject: [groups[0], groups[1], member][usize::from(other) % 3] }.into(),
        _ => TermsCommand::Suspend { terms: of_rule, reason: Said::new("for now") }.into(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever is done in whatever order: nothing new is broken without a refusal or an alarm, and what is looked at together, and
    /// only as far as a change reaches, is what looking at each person and place finds.
    #[test]
    fn nothing_is_broken_unheard_and_nothing_is_overlooked(
        form in 0u8..4,
        steps in prop::collection::vec((0u8..10, 0u8..12, 0u8..12), 1..40),
    ) {
        let mut house = house();
        let night = named(&house, "night");
        let form = match form {
            0 => Promised::Answered { yes: 1 },
            1 => Promised::Answered { yes: 2 },
            2 => Promised::Brief { longest: Seconds::hours(2) },
            _ => Promised::Only { to: night },
        };
        let of = RightSet { scope: lake(&house), role: None, weight: None };
        let kept = Promise { by: (steps.len() % 3 == 0).then_some(night), ..promise("kept", of, form) };
        set(&mut house, kept);
        let kept = house.world.promises.get("kept").unwrap().clone();
        let mut before = found_broken(&house, &kept);
        prop_assert_eq!(&before, &looked_at_one_by_one(&house, &kept));
        for step in steps {
            house.now = later(house.now, Seconds::hours(25));
            let was_alarmed = alarmed(&house);
            let done = house.try_as(Who::Administrator, changed(&house, step));
            let after = found_broken(&house, &kept);
            prop_assert_eq!(&after, &looked_at_one_by_one(&house, &kept));
            let is_new = after.difference(&before).next().is_some();
            if done.is_err() {
                prop_assert_eq!(&after, &before);
            }
            prop_assert!(!is_new || alarmed(&house), "{:?} broke {:?} unheard", step, after.difference(&before));
            prop_assert!(!was_alarmed || alarmed(&house) || after.is_empty());
            before = after;
        }
    }
}

//! Precedence and pins, in a table.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// Sets rules at the root and the target, and gives what then holds for the asker.
fn holds(rules: &[(bool, Terms)]) -> Effective {
    let mut house = House::new(&Settings::default_for_test());
    let ids: Vec<TermsId> = house.world.terms.keys().copied().collect();
    for terms in ids {
        house.well(Who::Administrator, TermsCommand::End { terms });
    }
    let (root, target) = (house.world.root.unwrap(), house.target());
    for who in [Who::First, Who::Other] {
        let subject = house.id(who);
        house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope: root });
    }
    for (at_target, terms) in rules {
        let scope = if *at_target { target } else { root };
        house.well(Who::Administrator, TermsCommand::Set { terms: Terms { scope, ..terms.clone() } });
    }
    effective_terms(&house.world, Act::Elevate, house.right(), house.id(Who::Asker))
}

trait ForTest {
    fn default_for_test() -> Settings;
}

impl ForTest for Settings {
    fn default_for_test() -> Settings {
        Settings { longest: Some(Longest(Seconds::hours(1))), ..Settings::default() }
    }
}

fn longest(hours: u32) -> Terms {
    rule(ScopeId(0), Settings { longest: Some(Longest(Seconds::hours(hours))), ..Settings::default() })
}

fn with(settings: Settings) -> Terms {
    rule(ScopeId(0), settings)
}

fn pinned(pins: &[&str], terms: Terms) -> Terms {
    Terms { pins: pins.iter().map(|pin| (*pin).to_owned()).collect(), ..terms }
}

/// A name, rules with whether each stands at the target, and the longest duration that then holds, in hours.
type Case = (&'static str, Vec<(bool, Terms)>, u32);

#[test]
fn the_most_specific_rule_wins_each_setting_and_a_pin_above_only_tightens() {
    let (root, target) = (false, true);
    let weight = |terms| Terms { weight: Some(Weight::Privileged), ..terms };
    let named = |terms| Terms { role: Some("writer".into()), ..terms };
    let other = |terms| Terms { role: Some("reader".into()), ..terms };
    let cases: [Case; 10] = [
        ("nothing set: the house's hour", vec![], 1),
        ("the deeper scope", vec![(root, longest(2)), (target, longest(3))], 3),
        ("a role before a weight", vec![(target, weight(longest(2))), (target, named(longest(4)))], 4),
        ("a weight before any role", vec![(target, longest(2)), (target, weight(longest(5)))], 5),
        ("scope before role", vec![(root, named(longest(2))), (target, longest(6))], 6),
        ("of equals the stricter", vec![(target, longest(7)), (target, longest(2))], 2),
        ("another role's rule does not fit", vec![(root, longest(2)), (target, other(longest(9)))], 2),
        ("a pin holds against relaxing", vec![(root, pinned(&["longest"], longest(2))), (target, longest(8))], 2),
        ("a pin lets tighten", vec![(root, pinned(&["longest"], longest(6))), (target, longest(3))], 3),
        ("a pin of another setting does nothing", vec![(root, longest(2)), (target, longest(8))], 8),
    ];
    for (name, rules, hours) in cases {
        assert_eq!(holds(&rules).longest.0, Seconds::hours(hours), "{name}");
    }
}

#[test]
fn pins_tighten_tickets_and_approvals_in_their_own_way() {
    let ticket = |pattern: &str| TicketRule(ReferenceRule::Required { pattern: Some(pattern.to_owned()) });
    let setting = |ticket| with(Settings { ticket: Some(ticket), ..Settings::default() });
    let held =
        holds(&[(false, pinned(&["ticket"], setting(ticket("CHG-[0-9]+")))), (true, setting(TicketRule::default()))]);
    assert_eq!(held.ticket, ticket("CHG-[0-9]+"));
    let trace = held.traces.iter().find(|trace| trace.setting == "ticket").unwrap();
    assert_eq!((trace.tightened_by.len(), trace.passed_over.len()), (1, 1));

    let stage = |approvers: Vec<Approver>, yes| {
        Approval::from(StageTerms { approvers, yes, no: 1, within: Seconds::hours(1), ..StageTerms::default() })
    };
    let approval = |approval| with(Settings { approval: Some(approval), ..Settings::default() });
    let owners = vec![Approver::Administrators];
    let above = pinned(&["approval"], approval(stage(owners.clone(), 2)));
    let none = holds(&[(false, above.clone()), (true, approval(Approval::None))]);
    assert_eq!(none.approval, stage(owners.clone(), 2), "a pinned approval can't be left out below");
    let friends = vec![Approver::Subject { id: SubjectId(4) }];
    let elsewhere = holds(&[(false, above.clone()), (true, approval(stage(friends, 1)))]);
    assert_eq!(elsewhere.approval, stage(owners.clone(), 2), "nor moved to other people");
    let more = holds(&[(false, above), (true, approval(stage(owners.clone(), 3)))]);
    assert_eq!(more.approval, stage(owners, 3), "but more may be wanted");
}

#[test]
fn pins_narrow_purposes_and_add_references() {
    let purposes = |all: &[&str]| Purposes(all.iter().map(|one| (*one).to_owned()).collect());
    let setting = |all: &[&str]| with(Settings { purposes: Some(purposes(all)), ..Settings::default() });
    let above = pinned(&["purposes"], setting(&["patching", "incident"]));
    for (below, held) in [
        (&["incident", "testing"][..], &["incident"][..]),
        (&["testing"], &["patching", "incident"]),
        (&[], &["patching", "incident"]),
    ] {
        assert_eq!(holds(&[(false, above.clone()), (true, setting(below))]).purposes, purposes(held), "{below:?}");
    }
    let rule = |pattern: &str| ReferenceRule::Required { pattern: Some(pattern.to_owned()) };
    let loose = ReferenceRule::Optional { pattern: None };
    let references = |all: &[(&str, ReferenceRule)]| {
        References(all.iter().map(|(name, rule)| ((*name).to_owned(), rule.clone())).collect())
    };
    let setting = |all: &[_]| with(Settings { references: Some(references(all)), ..Settings::default() });
    let above = pinned(&["references"], setting(&[("visit", rule("V-[0-9]+"))]));
    let held = holds(&[(false, above), (true, setting(&[("visit", loose.clone()), ("order", loose.clone())]))]);
    assert_eq!(held.references, references(&[("order", loose), ("visit", rule("V-[0-9]+"))]));
    assert_eq!(held.wanted(), ["a reason of at least 8 letters", "a visit of the form V-[0-9]+"]);
}

#[test]
fn a_rule_that_cant_be_used_says_why() {
    let wrong = |terms: Terms| terms.check().unwrap_err().to_string();
    let starts = Starts { at_yes: false, at_time_within: None, begin_within: None };
    for (said, expected) in [
        (wrong(with(Settings::default())), "this rule sets nothing"),
        (wrong(pinned(&["reason"], longest(1))), "`reason` is pinned but not set"),
        (wrong(pinned(&["colour"], longest(1))), "`colour` is not a setting that can be pinned"),
        (wrong(longest(24 * 40)), "`longest` must lie between"),
        (
            wrong(with(Settings { assurance: Some(ProofMaxAge(Seconds::hours(13))), ..Settings::default() })),
            "it always needs a fresh proof",
        ),
        (
            wrong(with(Settings { usual: Some(Usual(Seconds::hours(3))), ..longest(2).settings })),
            "is longer than `longest`",
        ),
        (wrong(with(Settings { starts: Some(starts), ..Settings::default() })), "allows no way to start"),
        (
            wrong(with(Settings {
                ticket: Some(TicketRule(ReferenceRule::Required { pattern: Some("(".to_owned()) })),
                ..Settings::default()
            })),
            "is not a regular expression",
        ),
    ] {
        assert!(said.contains(expected), "{said:?} does not say {expected:?}");
    }
}

#[test]
fn rules_go_by_labels_and_a_target_that_lies_about_itself_only_tightens() {
    let mut house = House::new(&Settings { approval: Some(Approval::None), ..settings(0) });
    let (root, target, right) = (house.world.root.unwrap(), house.target(), house.right());
    let named = |text: &str| {
        text.split_once('=').map(|(name, value)| (name.to_owned(), value.to_owned())).into_iter().collect()
    };
    let on = |terms: Terms, labels: &str, attributes: &str| Terms {
        scope: root,
        labels: named(labels),
        attributes: named(attributes),
        ..terms
    };
    let stage = Settings {
        approval: Some(Approval::from(StageTerms {
            approvers: vec![Approver::Administrators],
            yes: 1,
            no: 1,
            within: Seconds(60),
            ..StageTerms::default()
        })),
        longest: Some(Longest(Seconds::hours(1))),
        ..Settings::default()
    };
    house.well(Who::Administrator, TermsCommand::Set { terms: on(with(stage), "stage=production", "") });
    let loose =
        Settings { approval: Some(Approval::None), longest: Some(Longest(Seconds::hours(9))), ..Settings::default() };
    house.well(Who::Administrator, TermsCommand::Set { terms: on(with(loose), "", "site=test*") });
    house.well(
        Who::Administrator,
        TermsCommand::Set {
            terms: on(
                with(Settings { longest: Some(Longest(Seconds::minutes(20))), ..Settings::default() }),
                "",
                "system=old*",
            ),
        },
    );
    let effective = |house: &House| effective_terms(&house.world, Act::Elevate, right, house.id(Who::Asker));
    assert_eq!(effective(&house).approval, Approval::None, "no label yet");
    let label = |labels| EstateCommand::SetTarget {
        target,
        emergency_least: None,
        alarm_after: None,
        runs_on: None,
        own_login: None,
        labels: Some(labels),
    };
    assert!(house.try_as(Who::Asker, label(named("stage=production"))).is_err());
    house.well(Who::Administrator, label(named("stage=production")));
    assert!(matches!(effective(&house).approval, Approval::Stages(_)));
    assert_eq!(effective(&house).longest.0, Seconds::hours(1));

    let mut says = |site: &str, system: &str| {
        let attributes = [("site".to_owned(), site.to_owned()), ("system".to_owned(), system.to_owned())].into();
        let survey = Survey { attributes, ..crate::house::survey(house.now, 1) };
        let digest = Digest::of_json(&survey);
        house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey) });
        effective(&house)
    };
    let lied = says("test bench", "new");
    assert!(matches!(lied.approval, Approval::Stages(_)), "it says of itself that nobody need be asked");
    assert_eq!(lied.longest.0, Seconds::hours(1));
    let trace = lied.traces.iter().find(|trace| trace.setting == "longest").unwrap();
    assert!(trace.tightened_by.is_empty() && !trace.passed_over.is_empty(), "the rule is shown as passed over");
    assert_eq!(says("north quay", "old 7").longest.0, Seconds::minutes(20), "it may be stricter");
    house.replay();
}

#[test]
fn a_rule_for_a_group_fits_whoever_belongs_to_it_through_groups_that_are_not_suspended() {
    let mut house = House::new(&settings(0));
    let people = [Who::Asker, Who::First, Who::Other].map(|who| house.id(who));
    let groups = ["crew", "pier", "port"].map(|name| crate::people::group(&mut house, name));
    let join = |group, member| PeopleCommand::AddMember { group, member };
    for (group, member) in
        [(groups[0], people[0]), (groups[1], groups[0]), (groups[2], groups[1]), (groups[1], people[1])]
    {
        house.well(Who::Administrator, join(group, member));
    }
    let (right, target) = (house.right(), house.target());
    let fitting = |house: &House| {
        let rule = |group| Terms { asker: Some(group), ..rule(target, settings(1)) };
        let fits = |person, group| rule(group).fits(&house.world, Act::Elevate, right, person);
        let all: Vec<(bool, bool)> = people
            .iter()
            .flat_map(|person| groups.iter().chain(&people).map(move |group| (*person, *group)))
            .map(|(person, group)| (fits(person, group), house.world.belongs_to(person, group)))
            .collect();
        assert!(all.iter().all(|(fits, belongs)| fits == belongs), "{all:?}");
        all.iter().filter(|(fits, _)| *fits).count()
    };
    // Each fits their own rule; the asker three groups, another two, the third none.
    assert_eq!(fitting(&house), 3 + 3 + 2);
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: groups[1] });
    assert_eq!(fitting(&house), 3 + 1, "what is suspended gives nothing on");
    house.well(Who::Administrator, PeopleCommand::Resume { subject: groups[1] });
    assert_eq!(fitting(&house), 3 + 3 + 2);
}

#[test]
fn stages_that_nobody_who_is_there_could_settle_are_refused_when_they_are_set() {
    let mut house = House::new(&settings(1));
    let set = |house: &mut House, stages: Vec<StageTerms>| {
        let settings = Settings { approval: Some(Approval::Stages(stages)), ..Settings::default() };
        let terms = rule(house.target(), settings);
        house.try_as(Who::Administrator, TermsCommand::Set { terms }).map(drop)
    };
    let stage = |house: &House, who: &[Who]| {
        let approvers = who.iter().map(|one| Approver::Subject { id: house.id(*one) }).collect();
        StageTerms { approvers, ..StageTerms::default() }
    };
    let two = stage(&house, &[Who::First, Who::Other]);
    let three = StageTerms { yes: 3, ..two.clone() };
    let short = TermsRefusal::TooFewCould { stage: 2, yes: 3, could: 2 };
    assert_eq!(set(&mut house, vec![two.clone(), three]), Err(short.into()));
    // One human with two sign-ins is one.
    let one = StageTerms { yes: 2, ..stage(&house, &[Who::Asker, Who::Second]) };
    assert_eq!(set(&mut house, vec![one]), Err(TermsRefusal::TooFewCould { stage: 1, yes: 2, could: 1 }.into()));
    let together = TermsRefusal::TooFewCouldTogether { humans: 3 };
    let both = StageTerms { yes: 2, ..two.clone() };
    let his = stage(&house, &[Who::Other]);
    assert_eq!(set(&mut house, vec![both.clone(), his]), Err(together.into()));
    let piet = house.id(Who::Other);
    set(&mut house, vec![both.clone()]).unwrap();
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: piet });
    let gone = TermsRefusal::TooFewCould { stage: 1, yes: 2, could: 1 };
    assert_eq!(set(&mut house, vec![both.clone()]), Err(gone.into()), "whoever is suspended says nothing");
    // Those who are asked later, owners and managers who may be named yet, and administrators of a part count.
    let onward = Onward::Others { approvers: vec![Approver::Administrators] };
    set(&mut house, vec![StageTerms { onward, ..both.clone() }]).unwrap();
    for unknown in [Approver::Owners, Approver::Manager] {
        let approvers = [both.approvers.clone(), vec![unknown]].concat();
        set(&mut house, vec![StageTerms { approvers, ..both.clone() }]).unwrap();
    }
    let two_of_them = StageTerms { approvers: vec![Approver::Administrators], yes: 2, ..both };
    assert!(set(&mut house, vec![two_of_them.clone()]).is_err());
    let (subject, scope) = (house.id(Who::First), house.target());
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope });
    set(&mut house, vec![two_of_them]).unwrap();
}

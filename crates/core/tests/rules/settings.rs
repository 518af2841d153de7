//! What every setting of terms keeps to, whichever it is.

use std::fmt::Debug;

use tempestas_core::*;

use crate::house::{House, Who, settings};

const ACTS: [Act; 5] = [Act::Elevate, Act::Extend, Act::OpenSession, Act::SeeSecret, Act::BeMadeEligible];

/// What holds of a setting, whatever its values are.
fn keeps_to_the_rules<S: Setting + Debug>(world: &World, values: &[S]) {
    let none = |name: &str| -> Result<SubjectId, String> {
        world.subject_named(name).map(|known| known.id).ok_or_else(|| name.to_owned())
    };
    assert!(S::default().is_as_before());
    for act in ACTS.into_iter().filter(|act| act.knows(S::NAME)) {
        let house = S::house_default(act);
        assert!(!house.words(world).is_empty(), "{} has no words", S::NAME);
        assert_eq!(S::read(house.written(world), &mut { none }), Ok(house.clone()));
    }
    for below in values {
        below.check(Act::Elevate, &Settings::default()).unwrap();
        assert!(!below.words(world).is_empty(), "{below:?} has no words");
        assert_eq!(S::read(below.written(world), &mut { none }).as_ref(), Ok(below), "{below:?} is read as another");
        assert_eq!(S::stricter(below.clone(), below.clone()), *below, "the stricter of one and the same");
        assert!(!below.demands_less_than(below));
        for above in values {
            let held = S::stricter(below.clone(), above.clone());
            assert!(!held.demands_less_than(above), "{below:?} relaxes {above:?} to {held:?}");
            assert_eq!(
                S::stricter(held.clone(), above.clone()),
                held,
                "{below:?} below {above:?} isn't settled at once"
            );
            held.check(Act::Elevate, &Settings::default()).unwrap();
            let reported = S::tightened_by_report(below.clone(), above.clone());
            assert!(!reported.demands_less_than(below), "a report of {above:?} relaxes {below:?} to {reported:?}");
        }
    }
}

#[test]
fn of_two_values_the_stricter_relaxes_neither_rule_that_it_is_held_to() {
    let house = House::new(&settings(1));
    let world = &house.world;
    let spans = [Seconds(1), Seconds::minutes(20), Seconds::hours(11)];
    keeps_to_the_rules(world, &spans.map(Longest));
    keeps_to_the_rules(world, &spans.map(Usual));
    keeps_to_the_rules(world, &spans.map(ProofMaxAge));
    keeps_to_the_rules(world, &[0, 1, 5].map(Extensions));
    keeps_to_the_rules(world, &[Grace(Seconds(0)), Grace(Seconds::minutes(10)), Grace(Seconds::hours(1))]);
    keeps_to_the_rules(world, &[LapseRule::Any, LapseRule::ByItself]);
    let assured = |names: &[&str]| Assured(names.iter().map(|name| (*name).to_owned()).collect());
    keeps_to_the_rules(
        world,
        &[assured(&[]), assured(&["hardware"]), assured(&["port"]), assured(&["hardware", "port"])],
    );
    let week = |open: &str| Week { zone: "UTC".to_owned(), open: [open.parse().unwrap()].into() };
    let (day, night) = (week("mon-fri 07:00-17:00"), week("sat 22:00-06:00"));
    let [one, both] = [&["quay-freeze"][..], &["holidays", "quay-freeze"]]
        .map(|names| Closed(names.iter().map(|name| (*name).to_owned()).collect()));
    keeps_to_the_rules(world, &[Closed::default(), one, both]);
    let only_while = |names: &[&str]| OnlyWhile(names.iter().map(|name| (*name).to_owned()).collect());
    keeps_to_the_rules(world, &[only_while(&[]), only_while(&["incident"]), only_while(&["incident", "visit"])]);
    keeps_to_the_rules(world, &[Hours::default(), Hours([day.clone()].into()), Hours([day, night].into())]);
    keeps_to_the_rules(world, &[UsesRule::Any, UsesRule::One]);
    keeps_to_the_rules(world, &[OfferRule::Open, OfferRule::Closed]);
    keeps_to_the_rules(world, &[StandingRule::Allowed, StandingRule::Never]);
    let reasons = [1, 8, 200].map(|at_least| ReasonRule::Required { at_least });
    keeps_to_the_rules(world, &[&[ReasonRule::Hidden, ReasonRule::Optional], &reasons[..]].concat());
    let start = |at_yes, ahead: Option<u32>, begin: Option<u32>| Starts {
        at_yes,
        at_time_within: ahead.map(Seconds),
        begin_within: begin.map(Seconds),
    };
    keeps_to_the_rules(
        world,
        &[
            start(true, None, None),
            start(false, Some(60), None),
            start(false, None, Some(60)),
            start(true, Some(600), Some(5)),
            start(false, Some(5), Some(600)),
        ],
    );
    let of = |pattern: &str| Some(pattern.to_owned());
    let rules = [
        ReferenceRule::Off,
        ReferenceRule::Optional { pattern: None },
        ReferenceRule::Required { pattern: None },
        ReferenceRule::Required { pattern: of("QH-[0-9]+") },
        ReferenceRule::Optional { pattern: of("PR-[0-9]+") },
    ];
    keeps_to_the_rules(world, &rules.clone().map(TicketRule));
    let [_, given, needed, formed, other] = rules;
    let references = |all: &[(&str, &ReferenceRule)]| {
        References(all.iter().map(|(name, rule)| ((*name).to_owned(), (*rule).clone())).collect())
    };
    keeps_to_the_rules(
        world,
        &[
            references(&[]),
            references(&[("visit", &given)]),
            references(&[("visit", &formed), ("order", &needed)]),
            references(&[("visit", &other), ("berth", &needed)]),
        ],
    );
    let purposes = |all: &[&str]| Purposes(all.iter().map(|one| (*one).to_owned()).collect());
    keeps_to_the_rules(
        world,
        &[purposes(&[]), purposes(&["patching"]), purposes(&["incident", "patching"]), purposes(&["survey"])],
    );
    let [oda, piet] = [Who::First, Who::Other].map(|who| Approver::Subject { id: house.id(who) });
    let stage = |approvers: &[Approver], yes, no, hours| {
        Approval::from(StageTerms {
            approvers: approvers.to_vec(),
            yes,
            no,
            within: Seconds::hours(hours),
            ..StageTerms::default()
        })
    };
    let outside = |open: &str, approval: Approval| Approval::OutsideHours {
        hours: Hours([week(open)].into()),
        stages: approval.stages().to_vec(),
    };
    keeps_to_the_rules(
        world,
        &[
            outside("mon-fri 07:00-17:00", stage(&[oda], 1, 1, 4)),
            outside("sat 07:00-17:00", stage(&[oda, piet], 2, 1, 4)),
            Approval::None,
            stage(&[Approver::Administrators], 1, 1, 8),
            stage(&[oda], 1, 2, 1),
            stage(&[oda, piet], 2, 1, 4),
            stage(&[piet], 1, 1, 4),
        ],
    );
}

#[test]
fn so_do_the_few_who_break_the_glass_and_those_who_look_at_what_was_done() {
    let house = House::new(&settings(1));
    let world = &house.world;
    let [oda, piet] = [Who::First, Who::Other].map(|who| house.id(who));
    let of = |id| Approver::Subject { id };
    let debrief = |by: &[Approver], hours, higher: &[Approver]| {
        DebriefRule::Wanted(DebriefTerms { by: by.to_vec(), within: Seconds::hours(hours), higher: higher.to_vec() })
    };
    keeps_to_the_rules(
        world,
        &[
            DebriefRule::None,
            debrief(&[of(oda)], 24, &[Approver::Administrators]),
            debrief(&[of(oda), of(piet)], 48, &[Approver::Administrators, Approver::Owners]),
            debrief(&[Approver::Manager], 4, &[of(piet)]),
        ],
    );
    let glass = |by: &[SubjectId], accepts: &[ProofMethod]| Glass {
        by: by.iter().copied().collect(),
        accepts: accepts.iter().copied().collect(),
    };
    keeps_to_the_rules(
        world,
        &[
            Glass::default(),
            glass(&[oda], &[ProofMethod::Passkey]),
            glass(&[oda, piet], &[ProofMethod::Passkey, ProofMethod::TotpCode]),
            glass(&[piet], &[ProofMethod::TotpCode]),
        ],
    );
}

#[track_caller]
fn cant_be_set(settings: Settings, why: TermsRefusal) {
    assert_eq!(crate::house::rule(ScopeId(1), settings).check(), Err(why.into()));
}

#[test]
fn a_value_that_cannot_be_meant_is_refused_with_what_could_be() {
    let refused = cant_be_set;
    let span = |setting| TermsRefusal::BadSpan { setting, most: Seconds::hours(31 * 24) };
    let set = Settings::default;
    refused(set(), TermsRefusal::SetsNothing);
    refused(Settings { longest: Some(Longest(Seconds(0))), ..set() }, span("longest"));
    refused(Settings { longest: Some(Longest(Seconds::hours(745))), ..set() }, span("longest"));
    refused(Settings { usual: Some(Usual(Seconds(0))), ..set() }, span("usual"));
    refused(Settings { assurance: Some(ProofMaxAge(Seconds(0))), ..set() }, span("assurance"));
    refused(
        Settings { assurance: Some(ProofMaxAge(Seconds::hours(13))), ..set() },
        TermsRefusal::ProofTooOld { act: Act::Elevate, oldest: Seconds::hours(12) },
    );
    refused(
        Settings { grace: Some(Grace(Seconds::hours(2))), ..set() },
        TermsRefusal::GraceTooLong { grace: Seconds::hours(2), most: Seconds::hours(1) },
    );
    let shut = Starts { at_yes: false, at_time_within: None, begin_within: None };
    refused(Settings { starts: Some(shut), ..set() }, TermsRefusal::NoWayToStart);
    let broken = TicketRule(ReferenceRule::Required { pattern: Some("QH-[".to_owned()) });
    let rule = crate::house::rule(ScopeId(1), Settings { ticket: Some(broken), ..set() });
    assert_eq!(rule.check().unwrap_err().cause(), Some("bad-pattern"));
    for (yes, no, within) in [(0, 1, 60), (1, 0, 60), (1, 1, 0)] {
        let approvers = vec![Approver::Administrators];
        let approval =
            Approval::from(StageTerms { approvers, yes, no, within: Seconds(within), ..StageTerms::default() });
        refused(Settings { approval: Some(approval), ..set() }, TermsRefusal::EmptyApproval);
    }
    let longest = Some(Longest(Seconds::hours(1)));
    refused(
        Settings { usual: Some(Usual(Seconds::hours(2))), longest, ..set() },
        TermsRefusal::UsualTooLong { usual: Seconds::hours(2), longest: Seconds::hours(1) },
    );
}

#[test]
fn a_setting_that_says_nothing_about_an_act_is_refused_for_it() {
    for name in ["usual", "starts", "ticket", "lapse", "purposes", "references"] {
        assert!(!Act::BeMadeEligible.knows(name) && Act::Elevate.knows(name), "{name}");
    }
    assert!(!Act::Elevate.knows("grace of the house"), "nobody knows that");
    let mut rule = crate::house::rule(ScopeId(1), Settings { lapse: Some(LapseRule::ByItself), ..Settings::default() });
    rule.act = Act::BeMadeEligible;
    let known = ["`longest`", "`reason`", "`assurance`", "`assured`", "`approval`", "`offered`"];
    let known = known.map(str::to_owned).to_vec();
    assert_eq!(
        rule.check(),
        Err(TermsRefusal::NotOfThisAct { setting: "lapse".to_owned(), act: Act::BeMadeEligible, known }.into())
    );
}

#[test]
fn a_rule_about_what_nothing_asks_about_is_refused_and_not_kept_to_no_effect() {
    let set = Settings { longest: Some(Longest(Seconds::hours(1))), ..Settings::default() };
    for act in [Act::OpenSession, Act::SeeSecret] {
        let refused = Terms { act, ..crate::house::rule(ScopeId(1), set.clone()) }.check();
        let known = ["elevating", "extending", "making somebody eligible", "answering", "administering"];
        let known = known.map(str::to_owned).to_vec();
        assert_eq!(refused, Err(TermsRefusal::ActNotAsked { act, known }.into()));
    }
}

#[test]
fn a_demand_that_was_frozen_before_a_setting_was_there_goes_by_what_held_then() {
    let house = House::new(&settings(1));
    let effective = effective_terms(&house.world, Act::Elevate, house.right(), house.id(Who::Asker));
    let mut frozen = serde_json::to_value(&effective).unwrap();
    frozen.as_object_mut().unwrap().remove("lapse");
    let read: Effective = serde_json::from_value(frozen).unwrap();
    assert_eq!(read, effective);
}

#[test]
fn purposes_and_references_that_cant_be_meant_are_refused() {
    let purposes = |all: &[&str]| Settings {
        purposes: Some(Purposes(all.iter().map(|one| (*one).to_owned()).collect())),
        ..Settings::default()
    };
    for bad in
        [&["patching", "patching"][..], &[""], &[" patching"], &["two\nlines"], &["of `yours`"], &["\u{202e}gnihctap"]]
    {
        cant_be_set(purposes(bad), TermsRefusal::BadPurpose { most: 60 });
    }
    let many: Vec<String> = (0..31).map(|n| format!("purpose {n}")).collect();
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    cant_be_set(purposes(&many), TermsRefusal::TooManyPurposes { purposes: 31, most: 30 });
    crate::house::rule(ScopeId(1), purposes(&[])).check().unwrap();

    let references = |all: Vec<(String, ReferenceRule)>| Settings {
        references: Some(References(all.into_iter().collect())),
        ..Settings::default()
    };
    let wanted = |pattern: Option<&str>| ReferenceRule::Required { pattern: pattern.map(str::to_owned) };
    for name in ["", "Visit", "visit no", "-visit", "ticket", "a-name-that-is-longer-than-thirty"] {
        let named = TermsRefusal::ReferenceName { name: name.to_owned(), most: 30 };
        cant_be_set(references(vec![(name.to_owned(), wanted(None))]), named);
    }
    let off = references(vec![("visit".to_owned(), ReferenceRule::Off)]);
    cant_be_set(off, TermsRefusal::ReferenceOff { name: "visit".to_owned() });
    let many = (0..9).map(|n| (format!("r{n}"), wanted(None))).collect();
    cant_be_set(references(many), TermsRefusal::TooManyReferences { references: 9, most: 8 });
    let broken = crate::house::rule(ScopeId(1), references(vec![("visit".to_owned(), wanted(Some("V-[")))]));
    assert_eq!(broken.check().unwrap_err().cause(), Some("bad-pattern"));
}

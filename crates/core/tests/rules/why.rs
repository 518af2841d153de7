//! Why surveys are held and asks sent back: as facts have it, today and before there were kinds of it.

use std::fmt::{Debug, Display};

use serde::{Serialize, de::DeserializeOwned};
use tempestas_core::*;

use crate::house::{House, Who, rule, settings, survey};

fn is_kept<T: Serialize + DeserializeOwned + Debug + PartialEq + Display>(why: T, written: &str, said: &str) {
    assert_eq!(serde_json::to_string(&why).unwrap(), written);
    assert_eq!(serde_json::from_str::<T>(written).unwrap(), why);
    assert_eq!(why.to_string(), said);
    // A fact of an earlier edition says the same in words.
    let before: T = serde_json::from_value(said.into()).unwrap();
    assert_eq!((before.to_string(), serde_json::to_value(&before).unwrap()), (said.to_owned(), said.into()));
}

#[test]
fn each_is_read_as_it_is_written_and_as_it_was_before() {
    is_kept(HeldBecause::InPart, r#""in-part""#, "the target answered only in part");
    is_kept(
        HeldBecause::NoneLeft { known: 12 },
        r#"{"none-left":{"known":12}}"#,
        "it answered with no standing right at all, and 12 were known",
    );
    is_kept(
        HeldBecause::Vanishing { vanishing: 9, known: 12 },
        r#"{"vanishing":{"vanishing":9,"known":12}}"#,
        "9 of 12 standing rights would be gone",
    );
    let than = "than when it was asked for";
    is_kept(SentBackBecause::OtherPermits, r#""other-permits""#, &format!("the role permits something else {than}"));
    is_kept(SentBackBecause::OtherAccount, r#""other-account""#, &format!("it would be put on another account {than}"));
    is_kept(
        SentBackBecause::MoreYes { yes: 2, stage: 1 },
        r#"{"more-yes":{"yes":2,"stage":1}}"#,
        "the terms now want 2 yes from those who may answer",
    );
    is_kept(
        SentBackBecause::MoreYes { yes: 1, stage: 3 },
        r#"{"more-yes":{"yes":1,"stage":3}}"#,
        "the terms now want 1 yes in stage 3 from those who may answer",
    );
}

#[test]
fn a_survey_is_held_with_how_much_it_would_change() {
    let mut house = House::new(&settings(1));
    let target = house.target();
    let right = |n: u32| RightFound {
        account: format!("a{n}"),
        role: "writer".to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: None,
        since: None,
        last_used: None,
    };
    let mut surveyed = |rights: u32, complete| {
        let found = Survey { rights: (0..rights).map(right).collect(), complete, ..survey(house.now, 1) };
        let digest = Digest::of(&[&house.drawn.to_be_bytes()]);
        let decision = house.reported(Report::Surveyed { target, digest, survey: Box::new(found) }).unwrap();
        decision.facts.into_iter().find_map(|fact| match fact.what {
            What::SurveyHeld { why, .. } => Some(why),
            _ => None,
        })
    };
    assert_eq!(surveyed(40, true), None);
    assert_eq!(surveyed(40, false), Some(HeldBecause::InPart));
    assert_eq!(surveyed(0, true), Some(HeldBecause::NoneLeft { known: 40 }));
    assert_eq!(surveyed(4, true), Some(HeldBecause::Vanishing { vanishing: 36, known: 40 }));
    house.replay();
}

#[test]
fn an_ask_goes_back_with_how_many_yes_it_takes_by_now() {
    let mut house = House::new(&settings(1));
    let start = StartChoice::At { time: later(house.now, Seconds(600)) };
    let id = house.ask(Who::Asker, 600, start).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    let approvers = [Who::First, Who::Other].map(|who| Approver::Subject { id: house.id(who) }).to_vec();
    let stage = StageTerms { approvers, yes: 2, ..StageTerms::default() };
    let two = Settings { approval: Some(Approval::from(stage)), ..Settings::default() };
    let terms = rule(house.target(), two);
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds(601));
    house.tick();
    let back = house.facts.iter().rev().find_map(|fact| match &fact.what {
        What::SentBack { elevation, why } if *elevation == id => Some(why.clone()),
        _ => None,
    });
    assert_eq!(back, Some(SentBackBecause::MoreYes { yes: 2, stage: 1 }));
    house.replay();
}

//! Requests as people and programs write them: what is left out, what is refused, and what a reply looks like.

use serde::de::DeserializeOwned;
use serde_json::{Value, json};
use tempestas_api::{AnswerRequest, AskRequest, ConvertRequest, NewEligibility, NewSubject, NewTarget, NewTerms};
use tempestas_core::{
    Act, Approval, Part, Seconds, Sentence, Settings, SubjectId, World, WrittenApproval, WrittenStage,
};

fn refused<T: DeserializeOwned>(body: Value) -> String {
    serde_json::from_value::<T>(body).err().map(|error| error.to_string()).unwrap_or_default()
}

#[test]
fn a_field_that_nobody_knows_is_refused_by_its_name() {
    let digest = "0".repeat(64);
    let subject = json!({"kind": "person", "name": "tomas", "about": "T", "phone": "1"});
    assert!(refused::<NewSubject>(subject).contains("`phone`"));
    let target = json!({"parent": "/", "name": "x", "connector": {"kind": "brightwater", "url": "http://x"}, "secret": "s", "colour": 1});
    assert!(refused::<NewTarget>(target).contains("colour"));
    let eligibility = json!({"who": "tomas", "right": "r@/x", "till": "2026-01-01T00:00:00Z"});
    assert!(refused::<NewEligibility>(eligibility).contains("`till`"));
    let answer = json!({"verdict": "yes", "shown": digest, "because": "x"});
    assert!(refused::<AnswerRequest>(answer).contains("`because`"));
    let ask = json!({"right": "r@/x", "shown": digest, "hours": 1});
    assert!(refused::<AskRequest>(ask).contains("`hours`"));
    let convert = json!({"chosen": ["h1"], "shown": digest, "waves": 2});
    assert!(refused::<ConvertRequest>(convert).contains("`waves`"));
    let terms = json!({"scope": "/", "settings": {"longst": 60}});
    assert!(refused::<NewTerms>(terms).contains("`longst`"));
    let stage = json!({"scope": "/", "settings": {"approval": {"is": "stage", "approvers": [], "yes": 1, "no": 1, "within": 60, "maybe": 1}}});
    assert!(refused::<NewTerms>(stage).contains("`maybe`"));
}

#[test]
fn a_rule_says_no_more_than_it_has_to() {
    let terms: NewTerms = serde_json::from_value(json!({"scope": "/", "settings": {"longest": 3600}})).unwrap();
    assert_eq!((terms.act, terms.settings.longest), (Act::Elevate, Some(Seconds::hours(1))));
    assert!(terms.role.is_none() && terms.labels.is_empty() && terms.pins.is_empty() && terms.settings.usual.is_none());
}

#[test]
fn a_rule_is_read_by_names_and_an_unknown_one_is_the_readers_to_refuse() {
    let written = |approvers: Value| -> tempestas_core::WrittenSettings {
        serde_json::from_value(
            json!({"approval": {"is": "stage", "approvers": approvers, "yes": 1, "no": 1, "within": 60}}),
        )
        .unwrap()
    };
    let find = |name: &str| (name == "oda").then_some(SubjectId(7)).ok_or_else(|| format!("nobody is {name}"));
    let read = Settings::read(written(json!(["oda", "administrators"])), find).unwrap();
    let stages = read.approval.as_ref().map_or(&[][..], Approval::stages);
    assert_eq!(stages.iter().map(|stage| stage.approvers.len()).collect::<Vec<_>>(), [2]);
    assert_eq!(Settings::read(written(json!(["piet"])), find), Err("nobody is piet".to_owned()));
    // Nobody is known to an empty World, so an id stands for the name.
    let Some(WrittenApproval::Stage(WrittenStage { approvers, .. })) = read.written(&World::default()).approval else {
        panic!("a stage")
    };
    assert_eq!(approvers, [SubjectId(7).to_string(), "administrators".to_owned()]);
}

#[test]
fn a_sentence_is_a_list_of_parts_that_say_what_they_are() {
    let at = "2026-11-29T12:00:00Z".parse().unwrap();
    let words = Sentence(vec![
        Part::Who { name: "tomas".to_owned() },
        Part::Text { text: " until ".to_owned() },
        Part::Time { at },
        Part::Count { count: 2 },
    ]);
    let written = serde_json::to_value(&words).unwrap();
    assert_eq!(
        written,
        json!([
            {"is": "who", "name": "tomas"},
            {"is": "text", "text": " until "},
            {"is": "time", "at": "2026-11-29T12:00:00Z"},
            {"is": "count", "count": 2},
        ])
    );
    assert_eq!(serde_json::from_value::<Sentence>(written).unwrap(), words);
    assert_eq!(words.to_string(), "tomas until 2026-11-29 12:00 UTC2");
}

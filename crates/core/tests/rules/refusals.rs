//! Refusals as programs read them: a class, and a cause whose word never stands for two things.

use std::collections::BTreeSet;

use strum::VariantNames as _;
use tempestas_core::*;

use crate::house::{House, Who, settings};

#[test]
fn each_cause_has_a_word_of_its_own() {
    let all = [
        AskRefusal::VARIANTS,
        AnswerRefusal::VARIANTS,
        HoldRefusal::VARIANTS,
        StopRefusal::VARIANTS,
        ConversionRefusal::VARIANTS,
        EligibilityRefusal::VARIANTS,
        PeopleRefusal::VARIANTS,
        EstateRefusal::VARIANTS,
        TermsRefusal::VARIANTS,
        AssuranceRefusal::VARIANTS,
        CircumstanceRefusal::VARIANTS,
        SeparationRefusal::VARIANTS,
        FilingRefusal::VARIANTS,
        PromiseRefusal::VARIANTS,
        CalendarRefusal::VARIANTS,
        TextRefusal::VARIANTS,
        CallerRefusal::VARIANTS,
    ]
    .concat();
    let words: BTreeSet<&str> = all.iter().copied().collect();
    assert_eq!(words.len(), all.len());
    assert!(words.iter().all(|word| word.chars().all(|letter| letter.is_ascii_lowercase() || letter == '-')));
}

#[test]
fn a_refusal_tells_its_class_its_cause_and_one_sentence() {
    let at = "2026-11-20T12:00:00Z".parse().unwrap();
    let id = ElevationId(1042);
    for (refusal, class, cause, says) in [
        (
            Refusal::from(AskRefusal::TooLong {
                right: "root@/pier".to_owned(),
                duration: Seconds(7200),
                longest: Seconds(3600),
            }),
            Class::Invalid,
            "too-long",
            "2 h is too long: the terms allow 1 h at most for root@/pier",
        ),
        (
            AskRefusal::NoTicket { form: Some("OPS-[0-9]+".to_owned()) }.into(),
            Class::Invalid,
            "no-ticket",
            "a ticket is required, of the form OPS-[0-9]+: `--ticket`",
        ),
        (AskRefusal::NoTicket { form: None }.into(), Class::Invalid, "no-ticket", "a ticket is required: `--ticket`"),
        (AnswerRefusal::RanOut { id, at }.into(), Class::Conflict, "ran-out", "E1042 ran out at 2026-11-20 12:00 UTC"),
        (
            HoldRefusal::PastWithdrawing { id, phase: Phase::Live }.into(),
            Class::Conflict,
            "past-withdrawing",
            "E1042 is live and can't be withdrawn any more; `tempestas give-back` ends it",
        ),
        (
            HoldRefusal::PastWithdrawing { id, phase: Phase::Ended(End::Lapsed) }.into(),
            Class::Conflict,
            "past-withdrawing",
            "E1042 is lapsed and can't be withdrawn any more",
        ),
        (
            StopRefusal::OwnStop.into(),
            Class::NotAllowed,
            "own-stop",
            "nobody lifts the stop that holds themselves; two other administrators can",
        ),
        (
            ConversionRefusal::PlanChanged.into(),
            Class::Changed,
            "plan-changed",
            "this is not what you were shown any more: who holds what on the targets has changed since the preview; look again and decide anew",
        ),
    ] {
        assert_eq!((refusal.class(), refusal.cause(), refusal.to_string().as_str()), (class, Some(cause), says));
    }
    let told_by_class = Refusal::Unknown { what: "scope", name: "/x".to_owned(), remedy: "look".to_owned() };
    assert_eq!((told_by_class.code(), told_by_class.cause()), ("unknown", None));
}

#[test]
fn what_an_ask_lacks_is_told_by_its_cause() {
    let reason = Some(ReasonRule::Required { at_least: 10 });
    let ticket = Some(TicketRule(ReferenceRule::Required { pattern: Some("OPS-[0-9]+".to_owned()) }));
    let purposes = Some(Purposes(["patching", "an incident"].map(str::to_owned).to_vec()));
    let visit = ReferenceRule::Required { pattern: Some("V-[0-9]+".to_owned()) };
    let order = ReferenceRule::Optional { pattern: None };
    let references = Some(References([("visit".to_owned(), visit), ("order".to_owned(), order)].into()));
    let mut house = House::new(&Settings { reason, ticket, purposes, references, ..settings(0) });
    let (asker, right) = (house.id(Who::Asker), house.right());
    let shown = Digest::of_json(&demand_for(&house.world, asker, right, house.now).unwrap());
    let said = |text: &str| Some(Said::new(text));
    let refers = |all: &[(&str, &str)]| all.iter().map(|(name, to)| ((*name).to_owned(), Said::new(to))).collect();
    let brings = Brings {
        purpose: said("an incident"),
        ticket: said("OPS-12"),
        references: refers(&[("visit", "V-2031")]),
        ..Brings::reason("the crane of quay 4")
    };
    let whole = Ask {
        right,
        duration: Some(Seconds(60)),
        start: Some(StartChoice::AtYes),
        glass: false,
        brings: brings.clone(),
        shown,
    };
    let with = |brings| Ask { brings, ..whole.clone() };
    let too_far = StartChoice::At { time: later(house.now, Seconds::hours(24 * 400)) };
    for (ask, cause) in [
        (with(Brings { reason: None, ..brings.clone() }), "reason-too-short"),
        (with(Brings { reason: said("c r a n e . . ."), ..brings.clone() }), "reason-too-short"),
        (with(Brings { ticket: None, ..brings.clone() }), "no-ticket"),
        (with(Brings { ticket: said("12"), ..brings.clone() }), "ticket-form"),
        (with(Brings { purpose: None, ..brings.clone() }), "no-purpose"),
        (with(Brings { purpose: said("patching "), ..Brings::default() }), "reason-too-short"),
        (with(Brings { purpose: said("Patching"), ..brings.clone() }), "purpose-unlisted"),
        (with(Brings { references: refers(&[]), ..brings.clone() }), "no-reference"),
        (with(Brings { references: refers(&[("visit", " ")]), ..brings.clone() }), "no-reference"),
        (with(Brings { references: refers(&[("visit", "2031")]), ..brings.clone() }), "reference-form"),
        (
            with(Brings { references: refers(&[("visit", "V-1"), ("crane", "4")]), ..brings.clone() }),
            "reference-unwanted",
        ),
        (with(Brings { references: refers(&[("visit", "V-1"), ("order", "a\nb")]), ..brings.clone() }), "over-lines"),
        (Ask { start: Some(too_far), ..whole.clone() }, "start-too-far"),
        (Ask { duration: Some(Seconds(0)), ..whole.clone() }, "no-duration"),
        (Ask { shown: Digest::of(&[b"other terms"]), ..whole.clone() }, "demand-changed"),
    ] {
        let refused = house.try_as(Who::Asker, ElevationCommand::Ask(ask)).unwrap_err();
        assert_eq!(refused.cause(), Some(cause), "{refused}");
    }
    house.well(Who::Asker, ElevationCommand::Ask(whole.clone()));
    let kept = &house.world.elevations.values().next_back().unwrap().brought;
    let text = |digest: Option<Digest>| digest.map(|digest| house.world.text(digest));
    assert_eq!(text(kept.purpose).as_deref(), Some("an incident"));
    assert_eq!(text(kept.references.get("visit").copied()).as_deref(), Some("V-2031"));
    assert_eq!((kept.references.len(), kept.texts().count()), (1, 4), "an empty text is none");
}

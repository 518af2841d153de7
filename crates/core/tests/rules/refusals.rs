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
    let ticket = Some(TicketRule::Required { pattern: Some("OPS-[0-9]+".to_owned()) });
    let mut house = House::new(&Settings { reason, ticket, ..settings(0) });
    let (asker, right) = (house.id(Who::Asker), house.right());
    let shown = Digest::of_json(&demand_for(&house.world, asker, right, house.now).unwrap());
    let whole = Ask {
        right,
        duration: Some(Seconds(60)),
        start: Some(StartChoice::AtYes),
        reason: Some(Said::new("the crane of quay 4")),
        ticket: Some(Said::new("OPS-12")),
        shown,
    };
    let too_far = StartChoice::At { time: later(house.now, Seconds::hours(24 * 400)) };
    for (ask, cause) in [
        (Ask { reason: None, ..whole.clone() }, "reason-too-short"),
        (Ask { reason: Some(Said::new("c r a n e . . .")), ..whole.clone() }, "reason-too-short"),
        (Ask { ticket: None, ..whole.clone() }, "no-ticket"),
        (Ask { ticket: Some(Said::new("12")), ..whole.clone() }, "ticket-form"),
        (Ask { start: Some(too_far), ..whole.clone() }, "start-too-far"),
        (Ask { duration: Some(Seconds(0)), ..whole.clone() }, "no-duration"),
        (Ask { shown: Digest::of(&[b"other terms"]), ..whole.clone() }, "demand-changed"),
    ] {
        let refused = house.try_as(Who::Asker, ElevationCommand::Ask(ask)).unwrap_err();
        assert_eq!(refused.cause(), Some(cause), "{refused}");
    }
    house.well(Who::Asker, ElevationCommand::Ask(whole));
}

//! What is noted is noted of whoever gives it, and each thing by those alone who can know it.

use tempestas_core::*;

use crate::house::{House, Who, settings};

#[test]
fn each_note_is_taken_from_those_who_can_know_it_and_is_about_them() {
    let mut house = House::new(&settings(1));
    let (tomas, target) = (house.id(Who::Asker), house.target());
    let mara = || house.caller(Who::Administrator);
    let callers = [
        ("an administrator", mara()),
        ("somebody", house.caller(Who::Asker)),
        ("nobody", Caller::nobody(Said::new("192.0.2.7"))),
        ("a keeper", Caller::keeper_of(target)),
        ("the machine", Caller::machine()),
    ];
    let refused = Note::Refused { command: "ask".to_owned(), code: "conflict".to_owned(), elevation: None };
    let signed_in: &[&str] = &["an administrator", "somebody"];
    let table: [(Note, &[&str]); 15] = [
        (Note::SignedIn, signed_in),
        (Note::Proved, signed_in),
        (Note::ProofFailed, signed_in),
        (Note::SignInEnded, signed_in),
        (Note::PasskeyDropped, signed_in),
        (Note::DeviceLetIn { program: "tempestas".to_owned() }, signed_in),
        (Note::DeviceRefused, signed_in),
        (Note::Exported(Export::Ledger), signed_in),
        (refused, signed_in),
        (Note::SurveyAsked(target), &["an administrator", "the machine"]),
        (Note::AuthoritiesChanged { step: "announced".to_owned() }, &["an administrator", "the machine"]),
        (Note::SignInFailed(tomas), &["nobody"]),
        (Note::NameUnknown, &["nobody"]),
        (Note::KeyRotated { key: "k2".to_owned() }, &["the machine"]),
        (Note::SurveyAsked(ScopeId(4711)), &["the machine"]),
    ];
    for (note, may) in table {
        for (who, caller) in &callers {
            let rows = house.world.rows().collect::<Vec<_>>();
            let noted = house.act(caller.clone(), Command::Note(note.clone()));
            assert_eq!(noted.is_ok(), may.contains(who), "{note:?} by {who}: {noted:?}");
            assert_eq!(house.world.rows().collect::<Vec<_>>(), rows, "a note changes no row");
            let Ok(noted) = noted else { continue };
            let [fact] = noted.facts.as_slice() else { panic!("{note:?} is one fact") };
            let about = fact.what.about().subject;
            let own = caller.subject().filter(|_| about.is_some());
            assert!(own.is_none() || own == about, "{note:?} by {who} is about {about:?}");
        }
    }
}

#[test]
fn a_suspended_caller_is_still_noted_as_refused() {
    let mut house = House::new(&settings(1));
    let subject = house.id(Who::Asker);
    house.well(Who::Administrator, PeopleCommand::Suspend { subject });
    let refused = Note::Refused { command: "ask".to_owned(), code: "not-allowed".to_owned(), elevation: None };
    house.well(Who::Asker, Command::Note(refused));
}

#[test]
fn everybody_enrols_themselves_and_is_reset_by_another() {
    let mut house = House::new(&settings(1));
    let (mara, tomas) = (house.id(Who::Administrator), house.id(Who::Asker));
    use CredentialStep::{Enrolled, Issued, PasskeyAdded};
    for (who, subject, step, may) in [
        (Who::Administrator, tomas, Issued, true),
        (Who::Administrator, mara, Issued, false),
        (Who::Asker, tomas, Issued, false),
        (Who::Asker, mara, Issued, false),
        (Who::Asker, tomas, Enrolled, true),
        (Who::Administrator, tomas, Enrolled, false),
        (Who::Asker, tomas, PasskeyAdded, true),
        (Who::Administrator, tomas, PasskeyAdded, false),
    ] {
        let done = house.try_as(who, PeopleCommand::SetCredentials { subject, step });
        assert_eq!(done.is_ok(), may, "{step:?} of {subject} by {who:?}: {done:?}");
    }
}

#[test]
fn refusals_that_were_counted_are_noted_of_whoever_they_were_of() {
    let house = House::new(&settings(1));
    let context = Context { now: house.now, caller: house.caller(Who::Asker), chance: [7; 32], looked_at: None };
    let dropped = refusals_dropped(&context, house.id(Who::Asker), 12);
    let [fact] = dropped.facts.as_slice() else { panic!("one fact") };
    assert_eq!(fact.what, What::RefusalsDropped { subject: house.id(Who::Asker), count: 12 });
    assert_eq!((fact.from, dropped.texts.len(), fact.by), (None, 0, Actor::Subject(house.id(Who::Asker))));
}

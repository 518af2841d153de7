//! Groups, accounts and duties.

use tempestas_core::*;

use crate::house::{House, Who, settings};

pub(crate) fn group(house: &mut House, name: &str) -> SubjectId {
    let add = PeopleCommand::AddSubject {
        kind: SubjectKind::Group,
        name: Said::new(name),
        about: Said::new("a group"),
        second_of: None,
    };
    house.well(Who::Administrator, add);
    house.world.subject_named(name).unwrap().id
}

#[test]
fn groups_nest_to_a_depth_and_never_in_a_circle() {
    let mut house = House::new(&settings(0));
    let groups: Vec<SubjectId> = (0..9).map(|n| group(&mut house, &format!("group-{n}"))).collect();
    let join = |group: SubjectId, member: SubjectId| PeopleCommand::AddMember { group, member };
    let tomas = house.id(Who::Asker);
    house.well(Who::Administrator, join(groups[0], tomas));
    let mut deepest = 0;
    for pair in groups.windows(2) {
        match house.try_as(Who::Administrator, join(pair[1], pair[0])) {
            Ok(_) => deepest += 1,
            Err(refusal) => {
                assert_eq!(refusal.cause(), Some("too-deep"), "{refusal}");
                break;
            }
        }
    }
    assert!((4..8).contains(&deepest), "nested {deepest} deep");
    assert!(house.world.belongs_to(tomas, groups[deepest]));
    let circle = house.try_as(Who::Administrator, join(groups[0], groups[2])).unwrap_err();
    assert_eq!(circle.cause(), Some("circle"), "{circle}");
    let itself = house.try_as(Who::Administrator, join(groups[0], groups[0])).unwrap_err();
    assert_eq!(itself.cause(), Some("circle"), "{itself}");
}

#[test]
fn one_account_has_one_owner_and_the_last_administrator_stays() {
    let mut house = House::new(&settings(0));
    let (target, oda) = (house.target(), house.id(Who::First));
    let account = PeopleCommand::SetAccount { subject: oda, target, account: Said::new("t.reyes") };
    let taken = house.try_as(Who::Administrator, account.clone()).unwrap_err();
    let (target, owner) = (house.world.path(target), house.world.subject_name(house.id(Who::Asker)));
    assert_eq!(taken, PeopleRefusal::AccountTaken { account: "t.reyes".to_owned(), target, owner }.into());
    let duty = *house.world.duties.keys().next().unwrap();
    let last = house.try_as(Who::Administrator, PeopleCommand::EndDuty { duty }).unwrap_err();
    assert_eq!(last, PeopleRefusal::LastAdministrator.into());
    let stranger = house.try_as(Who::First, PeopleCommand::EndDuty { duty }).unwrap_err();
    assert_eq!(stranger, CallerRefusal::NotAdministrator { scope: "/".to_owned() }.into());
    let mut stale = house.caller(Who::Administrator);
    stale.proof = None;
    let command = PeopleCommand::Suspend { subject: oda };
    assert!(matches!(house.act(stale, command.clone()), Err(Refusal::StepUp { .. })));
}

#[test]
fn an_overseer_of_one_scope_sees_only_the_people_there() {
    let mut house = House::new(&settings(0));
    let (target, oda, piet, tomas) = (house.target(), house.id(Who::First), house.id(Who::Other), house.id(Who::Asker));
    let duty = PeopleCommand::GiveDuty { subject: oda, kind: DutyKind::Auditor, scope: target };
    house.well(Who::Administrator, duty);
    let sight = Sight::of(&house.world, oda);
    assert!(sight.sees_subject(&house.world, oda), "herself");
    assert!(sight.sees_subject(&house.world, tomas), "he has an account and an eligibility there");
    assert!(!sight.sees_subject(&house.world, piet), "he has nothing there");
    let everything = Sight::of(&house.world, house.id(Who::Administrator));
    assert!(everything.sees_subject(&house.world, piet));
}

#[test]
fn whose_names_look_alike_is_known_as_soon_as_somebody_is_added() {
    let mut house = House::new(&settings(1));
    let oda = house.id(Who::First);
    assert_eq!(house.world.alike(oda), Vec::<String>::new());
    let add = |name: &str, about: &str| PeopleCommand::AddSubject {
        kind: SubjectKind::Person,
        name: Said::new(name),
        about: Said::new(about),
        second_of: None,
    };
    house.well(Who::Administrator, add("0da", "Somebody Else"));
    assert_eq!(house.world.alike(oda), ["0da"], "asked before, and again after");
    let other = house.world.subject_named("0da").unwrap().id;
    assert_eq!(house.world.alike(other), ["oda"]);
    // By a full name that reads like another's name, too; and nobody looks like their own second sign-in.
    house.well(Who::Administrator, add("quay.master", "O.D.A."));
    assert_eq!(house.world.alike(oda), ["0da", "quay.master"]);
    assert_eq!(house.world.alike(house.id(Who::Asker)), Vec::<String>::new());
    house.replay();
}

#[test]
fn a_copy_of_the_world_knows_whose_names_look_alike_as_of_its_own_names() {
    let mut house = House::new(&settings(1));
    let oda = house.id(Who::First);
    // One copy that was asked before the name came, one that wasn't.
    let (asked, not_asked) = (house.world.clone(), house.world.clone());
    assert!(asked.alike(oda).is_empty());
    let add = PeopleCommand::AddSubject {
        kind: SubjectKind::Person,
        name: Said::new("0da"),
        about: Said::new("Somebody Else"),
        second_of: None,
    };
    house.well(Who::Administrator, add);
    assert_eq!(house.world.clone().alike(oda), ["0da"]);
    assert!(asked.alike(oda).is_empty() && not_asked.alike(oda).is_empty());
    assert_eq!(house.world.alike(oda), ["0da"]);
    // A text that comes to be known after its row, as at a start.
    let mut late = World::default();
    for row in house.world.rows() {
        late.put(row);
    }
    assert!(late.alike(oda).is_empty(), "nothing is known of names yet");
    let other = house.world.subject_named("0da").unwrap();
    for digest in [house.world.subjects[&oda].name, other.name] {
        late.know(digest, house.world.text(digest));
    }
    assert_eq!(late.alike(oda), ["0da"]);
}

#[test]
fn nobody_is_called_what_sentences_and_forms_mean_otherwise() {
    let mut house = House::new(&settings(1));
    for kind in [SubjectKind::Person, SubjectKind::Group, SubjectKind::Program] {
        let mut add = |name: &str| {
            let (name, about) = (Said::new(name), Said::new(format!("about {name}")));
            house.try_as(Who::Administrator, PeopleCommand::AddSubject { kind, name, about, second_of: None })
        };
        for taken in ["machine", "everything", "administrators", "nobody", "keeper"] {
            assert_eq!(add(taken).unwrap_err().cause(), Some("taken-by-us"), "{taken}");
        }
        for ragged in ["oda.brandt.", "oda-", "oda_", ".oda", "-oda", "o", "Oda", "oda brandt"] {
            assert_eq!(add(ragged).unwrap_err().cause(), Some("bad-name"), "{ragged}");
        }
        let name = format!("nobody.much-{}", u8::from(kind == SubjectKind::Person));
        let name = if kind == SubjectKind::Group { "machines".to_owned() } else { name };
        add(&name).unwrap();
    }
}

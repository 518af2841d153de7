//! People from a directory, on virtual time.

use tempestas_core::*;

use crate::house::{House, Who, settings};

fn found(name: &str) -> PersonFound {
    PersonFound {
        key: format!("key-{name}"),
        name: name.to_owned(),
        about: format!("Officer {name}"),
        account: format!("uid={name},dc=pier"),
        manager: None,
    }
}

fn reading(names: &[&str]) -> Box<Imported> {
    let people = names.iter().map(|name| found(name)).collect();
    Box::new(Imported { complete: true, people, groups: Vec::new() })
}

fn read(house: &mut House, target: ScopeId, names: &[&str]) {
    let imported = reading(names);
    house.keeper(Report::Imported { target, digest: Digest::of_json(&(&imported, house.now)), imported });
}

#[test]
fn the_last_administrator_is_never_let_go_and_nothing_is_guessed_from_equal_names() {
    let mut house = House::new(&settings(1));
    let connector = Connector::Ldap {
        url: "ldap://127.0.0.1:1".to_owned(),
        user: "cn=t,dc=pier".to_owned(),
        base: "dc=pier".to_owned(),
        grants: "ou=grants,dc=pier".to_owned(),
        sweep: 5,
    };
    let (parent, name) = (house.world.root.unwrap(), "pier".to_owned());
    house.well(
        Who::Administrator,
        EstateCommand::AddTarget { parent, name, connector, emergency_least: 0, alarm_after: Seconds(60) },
    );
    let target = *house.world.targets.keys().next_back().unwrap();
    let mara = house.id(Who::Administrator);
    let account = Said::new("uid=mara,dc=pier");
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject: mara, target, account });
    let mapping = Mapping {
        people: "dc=pier".to_owned(),
        groups: None,
        name: "uid".to_owned(),
        about: "cn".to_owned(),
        manager: None,
    };
    house.well(Who::Administrator, SourceCommand::Set { target, mapping });
    read(&mut house, target, &["mara", "oda", "noor"]);
    let links: Vec<SubjectId> = house.world.links.values().map(|link| link.subject).collect();
    assert!(links.contains(&mara) && !links.contains(&house.id(Who::First)), "oda's account was named by nobody");
    assert_eq!(house.world.sources[&target].unusable, 1);

    read(&mut house, target, &["oda", "noor"]);
    assert!(!house.world.is_suspended(mara));
    let held = house.world.sources[&target].held.unwrap();
    assert!(house.world.open_alarm(|about| matches!(about, AlarmKind::ImportHeld { .. })).is_some());
    let accept = SourceCommand::Accept { target, digest: held, imported: reading(&["oda", "noor"]) };
    let refused = house.try_as(Who::Administrator, accept.clone()).unwrap_err();
    assert_eq!(refused.cause(), Some("last-would-leave"), "{refused}");
    let root = house.world.root.unwrap();
    let oda = house.id(Who::First);
    house
        .well(Who::Administrator, PeopleCommand::GiveDuty { subject: oda, kind: DutyKind::Administrator, scope: root });
    house.well(Who::First, accept);
    assert!(house.world.is_suspended(mara), "now another can let people in");
    house.replay();
}

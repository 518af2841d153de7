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

fn import(house: &House, target: ScopeId, names: &[&str], accepted: bool) -> (Command, Digest) {
    let people = names.iter().map(|name| found(name)).collect();
    let imported = Imported { complete: true, people, groups: Vec::new() };
    let digest = Digest::of_json(&(&imported, house.now));
    (Command::RecordImport { target, digest, imported: Box::new(imported), accepted }, digest)
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
        Command::AddTarget { parent, name, connector, emergency_least: 0, alarm_after: Seconds(60) },
    );
    let target = *house.world.targets.keys().next_back().unwrap();
    let mara = house.id(Who::Administrator);
    let account = Said::new("uid=mara,dc=pier");
    house.well(Who::Administrator, Command::SetAccount { subject: mara, target, account });
    let mapping = Mapping {
        people: "dc=pier".to_owned(),
        groups: None,
        name: "uid".to_owned(),
        about: "cn".to_owned(),
        manager: None,
    };
    house.well(Who::Administrator, Command::SetSource { target, mapping });
    let (all, _) = import(&house, target, &["mara", "oda", "noor"], false);
    house.keeper(all);
    let links: Vec<SubjectId> = house.world.links.values().map(|link| link.subject).collect();
    assert!(links.contains(&mara) && !links.contains(&house.id(Who::First)), "oda's account was named by nobody");
    assert_eq!(house.world.sources[&target].unusable, 1);

    let (without, _) = import(&house, target, &["oda", "noor"], false);
    house.keeper(without);
    assert!(!house.world.is_suspended(mara));
    let held = house.world.sources[&target].held.unwrap();
    assert!(house.world.open_alarm(|about| matches!(about, AlarmKind::ImportHeld { .. })).is_some());
    let (Command::RecordImport { imported, .. }, _) = import(&house, target, &["oda", "noor"], true) else { panic!() };
    let accept = Command::RecordImport { target, digest: held, imported, accepted: true };
    let refused = house.try_as(Who::Administrator, &accept).unwrap_err().to_string();
    assert!(refused.contains("the last administrator of everything"), "{refused}");
    let root = house.world.root.unwrap();
    let oda = house.id(Who::First);
    house.well(Who::Administrator, Command::GiveDuty { subject: oda, kind: DutyKind::Administrator, scope: root });
    house.well(Who::First, accept);
    assert!(house.world.is_suspended(mara), "now another can let people in");
    house.replay();
}

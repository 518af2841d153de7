//! What somebody sees: all of it, a part with nothing beside it, or no more than their own.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings, survey};

/// A house with a second target and the same things on both, of which oda oversees the second.
fn house_of_two() -> (House, ScopeId) {
    let mut house = House::new(&settings(0));
    let root = house.world.root.unwrap();
    let connector = Connector::Brightwater { url: "http://127.0.0.1:2".to_owned() };
    let (name, emergency_least) = ("quay".to_owned(), 1);
    let alarm_after = Seconds(60);
    house.well(
        Who::Administrator,
        EstateCommand::AddTarget { parent: root, name, connector, emergency_least, alarm_after },
    );
    let quay = house.world.scope_at("/quay").unwrap().id;
    let piet = house.id(Who::Other);
    for target in [house.target(), quay] {
        let mut found = survey(house.now, 1);
        found.rights.extend(["p.dekker", "left-over"].map(|account| RightFound {
            account: account.to_owned(),
            role: "writer".to_owned(),
            part: Vec::new(),
            chain: Vec::new(),
            handle: Some(account.to_owned()),
            since: None,
            last_used: None,
        }));
        house.keeper(Report::Surveyed { target, digest: Digest::of_json(&found), survey: Box::new(found) });
        house.keeper(Report::Alarm(AlarmKind::Skew { target, seconds: 9 }));
        house.well(Who::Administrator, TermsCommand::Set { terms: rule(target, settings(0)) });
    }
    let own = house.target();
    house.well(
        Who::Administrator,
        PeopleCommand::SetAccount { subject: piet, target: own, account: Said::new("p.dekker") },
    );
    let duty = |subject, scope| PeopleCommand::GiveDuty { subject, kind: DutyKind::Auditor, scope };
    house.well(Who::Administrator, duty(house.id(Who::First), quay));
    let role = house.world.roles.values().find(|role| role.target == quay).unwrap().id;
    let tomas = house.id(Who::Asker);
    let right = Right { role, scope: quay };
    house.well(
        Who::Administrator,
        PeopleCommand::SetAccount { subject: tomas, target: quay, account: Said::new("tomas") },
    );
    house.well(
        Who::Administrator,
        EligibilityCommand::Give { subject: tomas, right, from: None, until: None, reason: None },
    );
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.ask_for(Who::Asker, right, 600, StartChoice::AtYes).unwrap();
    (house, quay)
}

/// How many of some things somebody sees.
fn seen<'w, T: InSight + 'w>(world: &World, sight: &Sight, all: impl Iterator<Item = &'w T>) -> usize {
    all.filter(|one| sight.sees(world, *one)).count()
}

#[test]
fn who_sees_a_part_sees_what_is_there_and_nothing_beside_it() {
    let (house, quay) = house_of_two();
    let world = &house.world;
    let sight = Sight::of(world, house.id(Who::First));
    let all = Sight::of(world, house.id(Who::Administrator));
    macro_rules! by_place {
        ($($table:ident, |$it:ident| $place:expr;)*) => {$(
            for $it in world.$table.values() {
                assert_eq!(sight.sees(world, $it), world.is_within($place, quay), "{:?}", $it);
                assert!(all.sees(world, $it));
            }
            let count = seen(world, &sight, world.$table.values());
            assert!((1..world.$table.len()).contains(&count), "{}: {count}", stringify!($table));
        )*};
    }
    by_place! {
        targets, |it| it.scope;
        roles, |it| it.target;
        standing, |it| it.right.scope;
        terms, |it| it.scope;
        eligibilities, |it| it.right.scope;
        elevations, |it| it.right.scope;
        duties, |it| it.scope;
        alarms, |it| it.about.target(world).unwrap();
    }
    let people: Vec<String> =
        world.subjects.values().filter(|one| sight.sees(world, *one)).map(|one| world.text(one.name)).collect();
    assert_eq!(people, ["tomas", "oda"], "who has something there, and herself");
}

#[test]
fn who_has_no_duty_sees_their_own() {
    let (house, _) = house_of_two();
    let world = &house.world;
    let (piet, tomas) = (Sight::of(world, house.id(Who::Other)), Sight::of(world, house.id(Who::Asker)));
    for nothing in [
        seen(world, &piet, world.targets.values()),
        seen(world, &piet, world.roles.values()),
        seen(world, &piet, world.terms.values()),
        seen(world, &piet, world.eligibilities.values()),
        seen(world, &piet, world.elevations.values()),
        seen(world, &piet, world.duties.values()),
        seen(world, &piet, world.alarms.values()),
    ] {
        assert_eq!(nothing, 0);
    }
    let own = world.standing.values().filter(|held| piet.sees(world, *held)).map(|held| world.text(held.account));
    assert_eq!(own.collect::<Vec<_>>(), ["p.dekker"], "of the two of that name, the one that is his");
    assert_eq!(seen(world, &tomas, world.eligibilities.values()), 2);
    assert_eq!(seen(world, &tomas, world.elevations.values()), 2);
    assert_eq!(seen(world, &tomas, world.standing.values()), 0);
}

#[test]
fn of_the_record_everybody_reads_what_they_did_and_what_is_about_what_they_see() {
    let (house, quay) = house_of_two();
    let world = &house.world;
    let read = |who: Who| {
        let sight = Sight::of(world, house.id(who));
        house.facts.iter().filter(|fact| sight.sees(world, *fact)).collect::<Vec<_>>()
    };
    assert_eq!(read(Who::Administrator).len(), house.facts.len());
    let (asker, id) = (read(Who::Asker), house.id(Who::Asker));
    assert!(asker.iter().all(|fact| {
        let own = fact.what.about().elevation.is_some_and(|one| world.elevations[&one].asker == id);
        own || fact.by == Actor::Subject(id)
    }));
    assert!(asker.iter().any(|fact| fact.by == Actor::Keeper || matches!(fact.what, What::Opening { .. })));
    let overseer = read(Who::First);
    assert!(overseer.iter().any(|fact| matches!(fact.what, What::Surveyed { .. })));
    for fact in overseer {
        let about = fact.what.about();
        let place = about.scope.or(about.elevation.map(|one| world.elevations[&one].right.scope));
        assert!(place.is_some_and(|place| world.is_within(place, quay)), "{fact:?}");
    }
}

#[test]
fn beside_an_ask_its_approver_sees_the_askers_others_for_the_same_right_alone() {
    let (mut house, quay) = house_of_two();
    let role = house.world.roles.values().find(|role| role.target == quay).unwrap().id;
    let right = Right { role, scope: quay };
    let by = Approver::Subject { id: house.id(Who::Other) };
    let mut asked = rule(quay, settings(1));
    if let Some(Approval::Stages(stages)) = &mut asked.settings.approval {
        stages[0].approvers = vec![by];
    }
    house.well(Who::Administrator, TermsCommand::Set { terms: asked });
    let id = house.ask_for(Who::Asker, right, 600, StartChoice::AtYes).unwrap();
    let world = &house.world;
    let sight = Sight::of(world, house.id(Who::Other));
    let shown = sight.see(world, &world.elevations[&id]).expect("he is asked");
    for other in world.elevations.values().filter(|other| other.id != id) {
        assert!(!sight.sees(world, other), "he was not asked then");
        assert_eq!(sight.beside(world, shown, other).is_some(), other.right == right);
    }
}

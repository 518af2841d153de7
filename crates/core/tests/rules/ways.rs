//! Who reaches what: through groups, accounts, systems below systems, and by asking.

use tempestas_core::{
    ways::{How, Place, Ways},
    *,
};

use crate::house::{House, Who, settings, survey};

/// Surveys a target in which these accounts hold the role, each through a chain, and none else.
fn surveyed(house: &mut House, target: ScopeId, role: &str, held: &[(&str, &[&str])]) {
    let right = |(account, chain): &(&str, &[&str])| RightFound {
        account: (*account).to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        chain: chain.iter().map(|step| (*step).to_owned()).collect(),
        handle: None,
        since: None,
        last_used: None,
    };
    let mut found = survey(house.now, 1);
    found.roles[0].name = role.to_owned();
    found.roles[0].weight = Weight::Critical;
    found.rights = held.iter().map(right).collect();
    let digest = Digest::of_json(&found);
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
}

fn target(house: &mut House, name: &str, connector: Connector) -> ScopeId {
    let parent = house.world.root.unwrap();
    let (name, alarm_after) = (name.to_owned(), Seconds(60));
    house.well(
        Who::Administrator,
        EstateCommand::AddTarget { parent, name, connector, emergency_least: 1, alarm_after },
    );
    *house.world.targets.keys().next_back().unwrap()
}

fn hows(way: &tempestas_core::ways::Way) -> Vec<How> {
    way.steps.iter().map(|step| step.how).collect()
}

#[test]
fn ways_go_through_groups_accounts_and_what_runs_on_what_and_asking_comes_last() {
    let mut house = House::new(&settings(1));
    let crane = target(
        &mut house,
        "crane",
        Connector::Linux { host: "crane".to_owned(), port: 22, user: "t".to_owned(), host_key: "k".to_owned() },
    );
    let berths = target(
        &mut house,
        "berths",
        Connector::Postgres {
            host: "b".to_owned(),
            port: 1,
            user: "t".to_owned(),
            database: "d".to_owned(),
            own_login: false,
        },
    );
    let (oda, piet, tomas) = (house.id(Who::First), house.id(Who::Other), house.id(Who::Asker));
    surveyed(&mut house, crane, "root", &[("oda", &["%wheel in /etc/sudoers"])]);
    surveyed(&mut house, berths, "SUPERUSER", &[("piet", &["owners", "harbour_dba"])]);
    for (subject, target, account) in [(oda, crane, "oda"), (piet, berths, "piet")] {
        house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account: Said::new(account) });
    }
    let set = |target, host| EstateCommand::SetTarget {
        target,
        emergency_least: None,
        alarm_after: None,
        runs_on: Some(host),
        own_login: None,
        labels: None,
    };
    house.well(Who::Administrator, set(berths, Some(crane)));
    for wrong in [set(crane, Some(berths)), set(crane, Some(crane))] {
        assert_eq!(house.try_as(Who::Administrator, wrong.clone()), Err(EstateRefusal::RunsOnItself.into()));
    }
    let right = Right { role: house.world.role_named(berths, "SUPERUSER").unwrap().id, scope: berths };
    house.well(
        Who::Administrator,
        EligibilityCommand::Give { subject: tomas, right, from: None, until: None, reason: None },
    );

    let ways = Ways::of(&house.world);
    let to_berths = ways.to(&house.world, berths, None, 99).ways;
    let who: Vec<SubjectId> = to_berths.iter().map(|way| way.who).collect();
    assert_eq!(who[..2], [piet, oda], "{to_berths:?}");
    assert_eq!(hows(&to_berths[0]), [How::Owns, How::Holds, How::Holds, How::Gives]);
    assert_eq!(
        hows(&to_berths[1]),
        [How::Owns, How::Holds, How::Gives, How::DoesEverything, How::RunsOn],
        "root of the host is everything on what runs there"
    );
    let asked: Vec<SubjectId> = to_berths.iter().filter(|way| way.on_request).map(|way| way.who).collect();
    assert!(asked.contains(&tomas) && !asked.contains(&oda), "{asked:?}");
    let said: Vec<String> = to_berths[0].steps.iter().map(|step| step.sentence(&house.world)).collect();
    assert_eq!(
        said,
        [
            "owns `piet` on /berths",
            "which is in owners on /berths",
            "which is in harbour_dba on /berths",
            "which gives SUPERUSER@/berths"
        ]
    );
    // A superuser of the database starts programs on the crane's host, and isn't root there.
    let to_crane = ways.to(&house.world, crane, None, 99).ways;
    let piets = to_crane.iter().find(|way| way.who == piet).unwrap();
    assert_eq!((piets.to.clone(), piets.on_request), (Place::Programs(crane, berths), false));
    let root = Right { role: house.world.role_named(crane, "root").unwrap().id, scope: crane };
    let rooted: Vec<SubjectId> = ways.to(&house.world, crane, Some(root), 99).ways.iter().map(|way| way.who).collect();
    assert_eq!(rooted, [oda]);

    let odas = ways.of_subject(&house.world, oda, 99, |_| true).ways;
    assert!(odas.iter().any(|way| way.to == Place::Everything(berths)), "{odas:?}");
    assert!(ways.of_subject(&house.world, SubjectId(9999), 99, |_| true).total == 0);
    for subject in [piet, tomas] {
        house.well(Who::Administrator, PeopleCommand::Suspend { subject });
    }
    let left: Vec<SubjectId> =
        Ways::of(&house.world).to(&house.world, berths, None, 99).ways.iter().map(|way| way.who).collect();
    assert!(left.contains(&piet), "his account there is none the weaker for it");
    assert!(!left.contains(&tomas), "who is suspended can't ask");
}

#[test]
fn of_two_ways_the_one_to_more_is_shown_and_the_one_that_needs_no_ask_beside_it() {
    let mut house = House::new(&settings(1));
    let target = house.target();
    let mut found = survey(house.now, 1);
    let mut other = found.roles[0].clone();
    (other.name, other.weight) = ("keeper".to_owned(), Weight::Critical);
    found.roles[0].weight = Weight::Ordinary;
    found.roles.push(other);
    let held = |account: &str, role: &str| RightFound {
        account: account.to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(format!("{account}-{role}")),
        since: None,
        last_used: None,
    };
    found.rights = vec![held("t.reyes", "writer"), held("oda", "writer"), held("oda", "keeper")];
    for (who, account) in [(Who::Asker, "t.reyes"), (Who::First, "oda")] {
        let subject = house.id(who);
        if house.world.account_of(subject, target).is_none() {
            house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account: Said::new(account) });
        }
    }
    let digest = Digest::of_json(&found);
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
    let keeper = Right { role: house.world.role_named(target, "keeper").unwrap().id, scope: target };
    let subject = house.id(Who::Asker);
    let give = EligibilityCommand::Give { subject, right: keeper, from: None, until: None, reason: None };
    house.well(Who::Administrator, give);
    let ways = Ways::of(&house.world).to(&house.world, target, None, 100);
    let of = |who: Who| -> Vec<(Weight, bool)> {
        let own = ways.ways.iter().filter(|way| way.who == house.id(who));
        own.map(|way| (way.to.weight(&house.world), way.on_request)).collect()
    };
    assert_eq!(of(Who::Asker), [(Weight::Ordinary, false), (Weight::Critical, true)], "{ways:?}");
    assert_eq!(of(Who::First), [(Weight::Critical, false)], "what she holds besides is less: {ways:?}");
    assert_eq!(ways.total, ways.ways.len());
}

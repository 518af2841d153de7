//! What is over leaves memory, and comes back where somebody asks for it; nothing that is decided rests on it. (That the same is
//! decided without it is shown by the simulation, whose every command is decided twice.)

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, settings};

/// A grant of ten minutes that came to its end, with something left of it.
fn lapsed(house: &mut House) -> (ElevationId, GrantId) {
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    house.obey();
    house.now = later(house.now, Seconds(600));
    house.tick();
    let grant = house.grant(id);
    house.keeper(Report::GrantGone { grant, leftovers: vec![(Said::new("a key of t.reyes"), None, false)] });
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
    (id, grant)
}

fn forgotten(house: &House, before: Timestamp) -> World {
    let mut world = house.world.clone();
    world.forget(before);
    world
}

#[test]
fn what_is_over_is_forgotten_with_its_grant_and_its_texts_and_recalled_as_it_was() {
    let mut house = House::new(&settings(1));
    let (id, grant) = lapsed(&mut house);
    let waiting = house.ask(Who::Asker, 60, StartChoice::AtYes).unwrap();
    let whole = house.world.clone();
    let (elevation, gone) = (&whole.elevations[&id], &whole.grants[&grant]);
    let (reason, leftover) = (elevation.brought.reason.unwrap(), gone.leftovers.as_ref().unwrap()[0].what);
    assert_eq!(whole.text(reason), "a reason that is long enough");

    let mut world = forgotten(&house, house.now);
    assert!(world.elevations.get(&id).is_none() && world.demand_of(id).is_none() && world.grants.get(&grant).is_none());
    assert!(world.is_forgotten(id) && !world.is_forgotten(waiting) && !world.is_forgotten(ElevationId(9999)));
    assert_eq!([reason, leftover].map(|text| world.text(text)), ["(withheld)", "(withheld)"]);
    assert_eq!(world.text(whole.demand_of(id).unwrap().account.unwrap()), "t.reyes", "what others name as well stays");
    assert_eq!(world.active().map(|one| one.id).collect::<Vec<_>>(), [waiting]);
    assert_eq!(world.asked_by(house.id(Who::Asker)).count(), 1);
    assert!(whole.elevations.get(&id).is_some(), "who kept the World from before keeps it as it was");

    house.recall(&mut world, Recall::from(id));
    assert_eq!(world, whole);
    assert_eq!([reason, leftover].map(|text| world.text(text)), ["a reason that is long enough", "a key of t.reyes"]);
    // By its grant alone as well, and what is there is not put in the place of anything newer.
    let mut world = forgotten(&house, house.now);
    house.recall(&mut world, Recall { grants: [grant].into(), ..Recall::default() });
    assert_eq!(world, whole);
    house.well(Who::Asker, ElevationCommand::Withdraw { elevation: waiting });
    let mut newer = house.world.clone();
    newer.recall(vec![Row::Elevation(whole.elevations[&waiting].clone())], Vec::new());
    assert_eq!(newer, house.world);
}

#[test]
fn nothing_is_forgotten_while_it_may_be_of_use() {
    let mut house = House::new(&settings(1));
    // Given back at once: a login made for it might be good until its end.
    let early = house.ask(Who::Asker, 3600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, early, Verdict::Yes).unwrap();
    house.obey();
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: early });
    house.obey();
    let until = house.world.grants[&house.grant(early)].until;
    assert!(until > later(house.now, Seconds(3000)));
    assert!(!forgotten(&house, until).is_forgotten(early));
    assert!(forgotten(&house, later(until, Seconds(1))).is_forgotten(early));
    // In force, or asked for, however long ago.
    let live = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, live, Verdict::Yes).unwrap();
    house.obey();
    let waiting = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let world = forgotten(&house, Timestamp::MAX);
    assert!(!world.is_forgotten(live) && !world.is_forgotten(waiting));
}

#[test]
fn a_grant_that_an_alarm_names_stays_since_who_may_see_the_alarm_follows_from_it() {
    let mut house = House::new(&settings(1));
    let (id, grant) = lapsed(&mut house);
    let about = AlarmKind::LoginKept { grant };
    house.keeper(Report::Alarm(about.clone()));
    let world = forgotten(&house, Timestamp::MAX);
    assert!(!world.is_forgotten(id));
    assert_eq!(world.alarm_scope(&about), Some(house.target()));
    assert_eq!(world.alarmed_grants().collect::<Vec<_>>(), [grant]);
    let alarm = house.world.alarms.values().next().unwrap().id;
    house.well(Who::Administrator, Command::SettleAlarm { alarm });
    assert!(!forgotten(&house, Timestamp::MAX).is_forgotten(id), "a settled alarm is still listed");
}

#[test]
fn facts_say_what_has_to_be_recalled_to_show_them() {
    let mut house = House::new(&settings(1));
    let begun = house.facts.len();
    let (id, _) = lapsed(&mut house);
    let facts = &house.facts[begun..];
    assert_eq!(Recall::elevations_of(facts), Recall::from(id));
    let texts = Recall::texts_of(facts).texts;
    let from = facts.iter().filter_map(|fact| fact.from);
    assert!(from.clone().count() > 0);
    assert!(from.into_iter().all(|from| texts.contains(&from)), "where each came from");
    let sealed = What::AlarmRaised {
        alarm: AlarmId(1),
        about: AlarmKind::SealedUsed {
            target: house.target(),
            account: Digest([7; 32]),
            at: house.now,
            claimed: false,
        },
    };
    let fact = Fact { what: sealed, ..house.facts[begun].clone() };
    assert!(Recall::texts_of([&fact]).texts.contains(&Digest([7; 32])), "whatever a fact's words name");
    let none = Recall::texts_of(facts).missing(&house.world);
    assert!(none.is_empty(), "what a World has is not looked for");
}

#[test]
fn digests_are_told_by_their_form() {
    let digest = Digest([0xab; 32]);
    let found = |json: &str| digests_in(json).collect::<Vec<_>>();
    assert_eq!(found(&format!(r#"{{"a":"{digest}","b":["{digest}"]}}"#)), [digest, digest]);
    let upper = digest.to_string().to_uppercase();
    for nothing in [upper.as_str(), &digest.to_string()[1..], "", "\"\"", "{}"] {
        assert_eq!(found(&format!("[\"{nothing}\"]")), []);
    }
}

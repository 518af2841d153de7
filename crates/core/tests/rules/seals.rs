//! Sealed emergency holders are tried by a date, which we keep.

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, settings, survey};

fn surveyed(house: &mut House, sealed: &[&str]) {
    let target = house.target();
    let sealed = sealed.iter().map(|name| (*name).to_owned()).collect();
    let survey = Box::new(Survey { sealed, ..survey(house.now, 1) });
    let digest = Digest::of(&[&house.drawn.to_be_bytes()]);
    house.keeper(Report::Surveyed { target, digest, survey });
}

/// A house whose target keeps two of them.
fn house() -> House {
    let mut house = House::new(&settings(1));
    surveyed(&mut house, &["break-glass-1", "break-glass-2"]);
    house
}

fn trials(house: &House) -> &[Trial] {
    &house.world.targets[&house.target()].trials
}

fn trial<'h>(house: &'h House, account: &str) -> &'h Trial {
    trials(house).iter().find(|trial| house.world.text(trial.account) == account).unwrap()
}

fn days(house: &mut House, days: u32) {
    house.now = later(house.now, Seconds::hours(24 * days));
    house.tick();
}

fn used(house: &mut House, account: &str, claimed: bool) {
    let (target, at) = (house.target(), house.now);
    house.keeper(Report::SealedUsed { target, account: Said::new(account), at, claimed });
}

fn tried(house: &mut House, who: Who, account: &str, next: Option<Timestamp>) -> Result<Decision, Refusal> {
    let (target, account) = (house.target(), Said::new(account));
    house.try_as(who, EstateCommand::SealTried { target, account, next })
}

fn open(house: &House) -> Vec<&'static str> {
    house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| (&alarm.about).into()).collect()
}

#[test]
fn one_that_was_not_tried_by_its_date_is_an_alarm_until_it_is() {
    let mut house = house();
    days(&mut house, 29);
    assert_eq!(open(&house), Vec::<&str>::new());
    days(&mut house, 2);
    assert_eq!(open(&house), ["seal-untried", "seal-untried"], "one of each");
    let alarm = *house.world.alarms.keys().next().unwrap();
    let settled = house.try_as(Who::Administrator, Command::SettleAlarm { alarm });
    assert!(matches!(settled, Err(Refusal::Estate(EstateRefusal::SettlesByItself { .. }))), "{settled:?}");
    let seen = house.now;
    used(&mut house, "break-glass-1", false);
    tried(&mut house, Who::Administrator, "break-glass-1", None).unwrap();
    assert_eq!(open(&house), ["seal-untried"], "and its use is explained");
    let known = trial(&house, "break-glass-1");
    let by = Some(house.id(Who::Administrator));
    assert_eq!(known.tried.map(|tried| (tried.by, tried.at)), Some((by, seen)));
    assert_eq!(known.due.duration_since(house.now).as_hours(), 24 * 90);
    days(&mut house, 91);
    assert_eq!(open(&house), ["seal-untried", "seal-untried"]);
    house.replay();
}

#[test]
fn it_was_tried_only_where_its_system_saw_it_used_since_and_lately() {
    let mut house = house();
    let (account, target) = ("break-glass-1".to_owned(), house.world.path(house.target()));
    let unused = Err(EstateRefusal::SealUnused { account, target }.into());
    assert_eq!(tried(&mut house, Who::Administrator, "break-glass-1", None), unused, "nobody used it");
    used(&mut house, "break-glass-2", false);
    assert_eq!(tried(&mut house, Who::Administrator, "break-glass-1", None), unused, "somebody used the other one");
    used(&mut house, "break-glass-1", false);
    days(&mut house, 8);
    assert_eq!(tried(&mut house, Who::Administrator, "break-glass-1", None), unused, "that was long ago");
    // What was said of it before is settled first: one alarm stands for all uses until somebody looked.
    let settle = house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| alarm.id);
    for alarm in settle.collect::<Vec<_>>() {
        house.well(Who::Administrator, Command::SettleAlarm { alarm });
    }
    // What any account there could have written will do: an administrator vouches for it.
    used(&mut house, "break-glass-1", true);
    tried(&mut house, Who::Administrator, "break-glass-1", None).unwrap();
    assert_eq!(tried(&mut house, Who::Administrator, "break-glass-1", None), unused, "one use is one trial");
    house.replay();
}

#[test]
fn only_an_administrator_says_so_of_one_that_is_sealed_and_names_a_date_that_lies_ahead() {
    let mut house = house();
    used(&mut house, "break-glass-1", false);
    let refused = tried(&mut house, Who::First, "break-glass-1", None).unwrap_err();
    assert!(matches!(refused, Refusal::Caller(CallerRefusal::NotAdministrator { .. })), "{refused}");
    let unknown = tried(&mut house, Who::Administrator, "t.reyes", None).unwrap_err();
    assert!(matches!(unknown, Refusal::Unknown { what: "sealed account", .. }), "{unknown}");
    let (now, year) = (house.now, Seconds::hours(24 * 366));
    for next in [now, later(now, Seconds::hours(24 * 367))] {
        let refused = tried(&mut house, Who::Administrator, "break-glass-1", Some(next));
        assert_eq!(refused, Err(EstateRefusal::TrialDate { next, within: year }.into()));
    }
    let next = later(now, Seconds::hours(24 * 14));
    tried(&mut house, Who::Administrator, "break-glass-1", Some(next)).unwrap();
    assert_eq!(trial(&house, "break-glass-1").due, next);
}

#[test]
fn what_is_sealed_no_more_is_not_late_and_what_stays_keeps_its_date() {
    let mut house = house();
    let due = trial(&house, "break-glass-2").due;
    days(&mut house, 31);
    surveyed(&mut house, &["break-glass-2", "break-glass-3"]);
    assert_eq!(open(&house), ["seal-untried"]);
    assert_eq!((trial(&house, "break-glass-2").due, trials(&house).len()), (due, 2));
    assert!(trial(&house, "break-glass-3").due > later(house.now, Seconds::hours(24 * 29)));
    surveyed(&mut house, &[]);
    assert_eq!((open(&house), trials(&house)), (Vec::new(), &[][..]));
    house.replay();
}

#[test]
fn by_a_clock_that_nobody_has_looked_at_none_is_late() {
    let mut house = house();
    house.reported(Report::Alarm(AlarmKind::ClockStep { seconds: 5_000_000 })).unwrap();
    days(&mut house, 60);
    assert_eq!(open(&house), ["clock-step"]);
}

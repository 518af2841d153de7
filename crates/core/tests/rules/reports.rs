//! What a target shows is said by its own keeper alone, whoever else may do whatever.

use tempestas_core::*;

use crate::house::{House, Who, settings, survey};

/// A second target, which has a keeper too.
fn other_target(house: &mut House) -> ScopeId {
    let connector = Connector::Brightwater { url: "http://127.0.0.1:2".to_owned() };
    let (parent, name) = (house.world.root.unwrap(), "quay".to_owned());
    let new = EstateCommand::AddTarget { parent, name, connector, emergency_least: 1, alarm_after: Seconds(60) };
    house.well(Who::Administrator, new);
    house.world.scope_at("/quay").unwrap().id
}

#[test]
fn what_is_seen_on_a_target_is_taken_from_its_own_keeper_alone() {
    let mut house = House::new(&settings(1));
    let (target, other) = (house.target(), other_target(&mut house));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    let grant = house.grant(id);
    let account = Said::new("break-glass");
    let survey = Box::new(survey(house.now, 2));
    let reports = [
        Report::GrantSeen { grant, there: true },
        Report::GrantDelayed { grant, trouble: "no answer".to_owned() },
        Report::GrantGone { grant, leftovers: Vec::new() },
        Report::Surveyed { target, digest: Digest([1; 32]), survey },
        Report::Searched { target, marked: vec![Marked { grant: 1, name: "tpstray".to_owned() }] },
        Report::StrayEnded { target, name: "tpstray".to_owned() },
        Report::SealedUsed { target, account, at: house.now, claimed: false },
        Report::Alarm(AlarmKind::Skew { target, seconds: 9 }),
        Report::Alarm(AlarmKind::LoginKept { grant }),
    ];
    for report in reports {
        assert_eq!(report.target(&house.world), Some(target), "{report:?}");
        let before = house.world.clone();
        for caller in [
            Caller::keeper_of(other),
            Caller::service(),
            Caller::machine(),
            Caller::nobody(Said::new("192.0.2.7")),
            house.caller(Who::Administrator),
        ] {
            let refused = house.act(caller.clone(), report.clone());
            assert_eq!(refused.unwrap_err().class(), Class::NotAllowed, "{report:?} by {caller:?}");
        }
        assert_eq!(house.world, before);
        house.act(Caller::keeper_of(target), report.clone()).unwrap();
    }
    // About what is known no more it says nothing, and only a keeper says even that.
    let gone = Report::GrantGone { grant: GrantId(4711), leftovers: Vec::new() };
    assert_eq!(house.act(Caller::keeper_of(other), gone.clone()).unwrap(), Decision::default());
    house.act(Caller::service(), gone.clone()).unwrap_err();
    house.act(Caller::machine(), gone.clone()).unwrap_err();
}

#[test]
fn what_the_service_sees_of_itself_is_no_keepers_to_say() {
    let mut house = House::new(&settings(1));
    let target = house.target();
    for about in [AlarmKind::ClockStep { seconds: 9 }, AlarmKind::LedgerDiffers { places: 1 }] {
        let raise = Report::Alarm(about);
        for caller in [Caller::keeper_of(target), Caller::machine(), house.caller(Who::Administrator)] {
            house.act(caller, raise.clone()).unwrap_err();
        }
        house.act(Caller::service(), raise.clone()).unwrap();
    }
    let nobody = Caller::nobody(Said::new("192.0.2.7"));
    for caller in [Caller::machine(), nobody, house.caller(Who::Administrator)] {
        house.act(caller, Command::Tick).unwrap_err();
    }
    house.act(Caller::service(), Command::Tick).unwrap();
}

#[test]
fn a_clock_that_is_right_again_is_said_by_the_keeper_who_sees_it() {
    let mut house = House::new(&settings(1));
    let (target, other) = (house.target(), other_target(&mut house));
    let skewed = |house: &House| {
        house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| alarm.about.clone()).collect()
    };
    let both: Vec<AlarmKind> =
        [target, other].into_iter().map(|target| AlarmKind::Skew { target, seconds: 9 }).collect();
    for about in &both {
        house.keeper(Report::Alarm(about.clone()));
    }
    let alarm = house.world.alarms.values().next().unwrap().id;
    for caller in [Caller::keeper_of(target), Caller::service(), house.caller(Who::Administrator)] {
        house.act(caller, Command::SettleAlarm { alarm }).unwrap_err();
    }
    for caller in [Caller::keeper_of(other), Caller::service(), house.caller(Who::Administrator)] {
        house.act(caller, Report::ClockAgrees { target }).unwrap_err();
    }
    assert_eq!(skewed(&house), both);
    house.keeper(Report::ClockAgrees { target });
    let left: Vec<AlarmKind> = skewed(&house);
    assert_eq!(left, both[1..], "the other's clock is still wrong");
}

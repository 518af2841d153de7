//! Conversions in waves, drift, and what a rehearsal foretells.

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use tempestas_core::{
    rehearsal::{Advice, Fate, Presence, Recorded, Rhythm, Script, advise, rehearse, use_of},
    *,
};

use crate::house::{House, Who, settings, survey};

/// That an account holds a role, by a posting of its own.
pub fn found(account: &str, role: &str) -> RightFound {
    RightFound {
        account: account.to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(format!("po-{account}")),
        since: None,
        last_used: None,
    }
}

/// A survey in which these accounts hold the role.
fn held(house: &House, accounts: &[&str]) -> Survey {
    let rights = accounts.iter().map(|account| found(account, "writer")).collect();
    Survey { rights, ..survey(house.now, 1) }
}

fn surveyed(house: &mut House, accounts: &[&str]) {
    let survey = held(house, accounts);
    let digest = Digest::of_json(&survey);
    let target = house.target();
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey) });
}

/// A house in which three people hold the role all the time.
fn house() -> House {
    let mut house = House::new(&settings(1));
    let target = house.target();
    for who in [Who::First, Who::Other] {
        let subject = house.id(who);
        let account = Said::new(who.name());
        house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account });
    }
    surveyed(&mut house, &["t.reyes", "oda", "piet"]);
    adopt_all(&mut house);
    house
}

fn open(house: &House) -> Vec<Drift> {
    house.world.drifts.values().filter(|drift| drift.state == DriftState::Open).cloned().collect()
}

fn adopt_all(house: &mut House) {
    for drift in open(house) {
        house.well(Who::Administrator, DriftCommand::Adopt { drift: drift.id });
    }
}

fn holding(house: &House, account: &str) -> StandingId {
    house.world.standing.values().find(|held| house.world.text(held.account) == account).unwrap().id
}

fn convert(house: &mut House, pilot: &[&str], plan: WavePlan) -> Result<Conversion, Refusal> {
    let chosen: Vec<StandingId> = house.world.standing.keys().copied().collect();
    let pilot = pilot.iter().map(|account| holding(house, account)).collect();
    let shown = plan_conversion(&house.world, &chosen)?.digest;
    let plan = WavePlan { pilot, ..plan };
    house.try_as(Who::Administrator, ConversionCommand::Convert { chosen, shown, until: None, plan })?;
    Ok(house.world.conversions.values().next_back().unwrap().clone())
}

fn states(house: &House, id: ConversionId) -> Vec<ItemState> {
    house.world.items_of(id).map(|item| item.state).collect()
}

fn taken(house: &mut House, conversion: ConversionId) {
    for order in orders(&house.world, house.target(), house.now) {
        match order.task {
            Task::TakeStanding(id, held) if id == conversion => {
                house.keeper(Report::StandingTaken { conversion, standing: held.id });
            }
            Task::RestoreStanding(id, held) if id == conversion => {
                house.keeper(Report::StandingRestored { conversion, standing: held.id, by_others: false });
            }
            _ => {}
        }
    }
}

use ItemState::{Restored, Taken, Taking, Untouched, Waiting};

#[test]
fn waves_begin_with_the_pilot_and_go_on_by_hand_or_by_themselves_and_undo_touches_only_what_was_taken() {
    let mut house = house();
    let size = Some(1);
    let name = Some("Oda and her watch".to_owned());
    let plan = WavePlan { name, size, pace: Some(Seconds::hours(8)), ..WavePlan::default() };
    let Conversion { id, waves, .. } = convert(&mut house, &["oda"], plan).unwrap();
    let name = waves.unwrap().name.unwrap();
    assert!(matches!(name, Words::Private { .. }), "what a person calls it may name somebody");
    assert_eq!(house.world.words(&name), "Oda and her watch");
    assert_eq!(states(&house, id), [Waiting, Taking, Waiting]);
    let next = ConversionCommand::NextWave { conversion: id };
    let refused = house.try_as(Who::Administrator, next.clone());
    assert_eq!(refused, Err(ConversionRefusal::WaveNotWhole { id }.into()));
    taken(&mut house, id);
    house.now = later(house.now, Seconds::hours(7));
    house.tick();
    assert_eq!(states(&house, id), [Waiting, Taken, Waiting], "before its time");
    house.now = later(house.now, Seconds::hours(2));
    house.tick();
    assert_eq!(states(&house, id), [Taking, Taken, Waiting], "by itself");
    assert!(house.try_as(Who::Asker, next.clone()).is_err(), "only an administrator goes on");
    taken(&mut house, id);
    house.well(Who::Administrator, ConversionCommand::Undo { conversion: id });
    taken(&mut house, id);
    assert_eq!(states(&house, id), [Restored, Restored, Untouched]);
    assert_eq!(house.world.standing.len(), 3);
    house.replay();
}

#[test]
fn a_wave_of_which_too_much_fails_stops_by_itself_until_a_person_goes_on() {
    let mut house = house();
    let plan = WavePlan { size: Some(2), stop_percent: Some(40), undo_days: Some(2), ..WavePlan::default() };
    let conversion = convert(&mut house, &[], plan).unwrap();
    let items: Vec<StandingId> = house.world.items_of(conversion.id).map(|item| item.standing.id).collect();
    let delayed = |n: usize, trouble: &str| Report::StandingDelayed {
        conversion: conversion.id,
        standing: items[n],
        trouble: trouble.to_owned(),
    };
    house.keeper(delayed(0, "the target refused"));
    let stopped = |house: &House| house.world.conversions[&conversion.id].waves.as_ref().unwrap().stopped.clone();
    assert!(stopped(&house).unwrap().contains("1 of the 2"), "{:?}", stopped(&house));
    let alarm = |about: &AlarmKind| matches!(about, AlarmKind::ConversionStopped { .. });
    assert!(house.world.open_alarm(alarm).is_some());
    house.now = later(house.now, Seconds::hours(40));
    house.tick();
    assert_eq!(states(&house, conversion.id)[2], Waiting);
    house.well(Who::Administrator, ConversionCommand::NextWave { conversion: conversion.id });
    assert_eq!((stopped(&house), states(&house, conversion.id)[2]), (None, Taking));
    assert!(house.world.open_alarm(alarm).is_none());
    house.now = later(house.now, Seconds::hours(9));
    let late = house.try_as(Who::Administrator, ConversionCommand::Undo { conversion: conversion.id }).unwrap_err();
    assert_eq!(late.cause(), Some("past-undoing"), "{late}");
}

#[test]
fn a_plan_that_can_not_be_meant_is_refused() {
    let mut house = house();
    let none = WavePlan::default;
    for (plan, why) in [
        (WavePlan { size: Some(0), ..none() }, ConversionRefusal::EmptyWave),
        (WavePlan { stop_percent: Some(101), ..none() }, ConversionRefusal::BadPercent),
        (WavePlan { undo_days: Some(0), ..none() }, ConversionRefusal::BadUndoDays),
        (WavePlan { name: Some(" ".to_owned()), ..none() }, ConversionRefusal::BadConversionName),
    ] {
        assert_eq!(convert(&mut house, &[], plan).unwrap_err(), why.into());
    }
    convert(&mut house, &["oda"], none()).unwrap();
    let twice = convert(&mut house, &[], none()).unwrap_err();
    assert_eq!((twice.class(), twice.cause()), (Class::Conflict, Some("converted-already")), "{twice}");
}

#[test]
fn what_was_done_behind_our_back_is_noticed_once_and_decided_by_a_person() {
    let mut house = house();
    assert_eq!(open(&house), [], "what was adopted is not heard of again");
    surveyed(&mut house, &["t.reyes", "oda", "piet", "stranger"]);
    let [gained] = &open(&house)[..] else { panic!("{:?}", open(&house)) };
    assert_eq!(gained.kind, DriftKind::Gained);
    surveyed(&mut house, &["t.reyes", "oda", "piet", "stranger"]);
    assert_eq!(open(&house).len(), 1);
    let ignore =
        |until: Timestamp, reason: &str| DriftCommand::Ignore { drift: gained.id, reason: Said::new(reason), until };
    let soon = later(house.now, Seconds::hours(1));
    for (command, why) in [
        (ignore(house.now, "later"), ConversionRefusal::BadIgnoring),
        (ignore(later(house.now, Seconds::hours(24 * 400)), "later"), ConversionRefusal::BadIgnoring),
        (ignore(soon, " "), ConversionRefusal::DriftWithoutReason),
    ] {
        assert_eq!(house.try_as(Who::Administrator, command.clone()), Err(why.into()));
    }
    assert!(house.try_as(Who::Asker, ignore(soon, "mine")).is_err());
    house.well(Who::Administrator, ignore(soon, "until the move"));
    assert_eq!(open(&house), []);
    house.now = later(house.now, Seconds::hours(2));
    house.tick();
    assert_eq!(open(&house).len(), 1, "it is open again");
    house.well(Who::Administrator, DriftCommand::PutBack { drift: gained.id });
    let conversion = *house.world.conversions.keys().next_back().unwrap();
    taken(&mut house, conversion);
    assert_eq!(states(&house, conversion), [Taken]);
    // A survey that was read before that, and comes in after it, is not drift.
    surveyed(&mut house, &["t.reyes", "oda", "piet", "stranger"]);
    assert_eq!(open(&house), []);
    house.now = later(house.now, Seconds::minutes(5));
    surveyed(&mut house, &["t.reyes", "oda", "piet", "stranger"]);
    let [back] = &open(&house)[..] else { panic!("{:?}", open(&house)) };
    assert_eq!(back.kind, DriftKind::CameBack { conversion });
    let cautions = cautions(&house.world, &back.standing, None);
    assert!(cautions.iter().any(|one| matches!(one, Caution::OwnedElsewhere { .. })), "{cautions:?}");
    surveyed(&mut house, &["t.reyes", "oda"]);
    assert!(open(&house).iter().all(|drift| drift.kind == DriftKind::Lost), "what came back is gone again");
    assert_eq!(open(&house).len(), 1, "piet's is lost; what came back and went again is as it was");
    surveyed(&mut house, &["t.reyes", "oda", "piet"]);
    assert_eq!(open(&house), [], "what was lost and is there again is as it was");
    let mut anew = held(&house, &["t.reyes", "oda", "piet"]);
    anew.rights[0].handle = Some("po-back-1".to_owned());
    let target = house.target();
    let digest = Digest::of_json(&anew);
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(anew) });
    assert_eq!(open(&house), [], "another posting of the same right is no drift");
    house.replay();
}

const DAY: i64 = 24;

/// So many hours into a Monday.
fn at(hours: i64) -> Timestamp {
    "2026-01-05T00:00:00Z".parse::<Timestamp>().unwrap() + SignedDuration::from_hours(hours)
}

#[test]
fn a_rehearsal_counts_asks_waits_refusals_and_batches_by_terms_and_by_when_people_are_there() {
    let house = house();
    let right = house.right();
    let (tomas, oda) = (house.id(Who::Asker), house.id(Who::First));
    let from = at(0);
    let to = at(28 * DAY);
    // By day: an ask, three uses under its grant of half an hour, and again an hour later.
    let mut uses: Vec<Timestamp> = [0, 5, 10, 75].map(|minute| at(9) + SignedDuration::from_mins(minute)).to_vec();
    // Saturday night: nobody is there before Monday.
    uses.push(at(5 * DAY + 23));
    // Tuesday at five in the morning: three hours, which is within four.
    uses.push(at(8 * DAY + 5));
    // A machine, every day at 02:15 in four weeks.
    uses.extend((0..28).map(|day| at(day * DAY + 2) + SignedDuration::from_mins(15)));
    uses.sort_unstable();
    let rights = [Recorded { standing: holding(&house, "t.reyes"), holder: tomas, right, uses: uses.clone() }];
    let rules: Vec<Terms> = house.world.terms.values().cloned().collect();
    let seen = Presence::default();
    let zone = TimeZone::UTC;
    let answered_after = Seconds::minutes(10);
    let script = Script { rights: &rights, seen: &seen, rules: &rules, from, to, zone: &zone, answered_after };
    let done = rehearse(&house.world, &script);
    assert_eq!((done.all.uses, done.all.asks), (34, 4));
    assert_eq!((done.all.unattended, done.all.at_night), (2, 2));
    assert_eq!((done.all.clockwork, done.all.refused), (28, 29), "the batch, and Saturday night");
    assert_eq!(done.all.longest, Some((Seconds(3 * 3600 + 600), at(8 * DAY + 5))));
    assert_eq!(done.hours[&(9, Fate::Soon)], 2, "the first, and the one that waits with it");
    assert_eq!(done.hours[&(9, Fate::Free)], 1, "under the grant");
    assert_eq!(done.batches[0].clockwork.says(), "every day at 02:15");
    assert!(done.approvers.iter().any(|(who, asks)| *who == oda && *asks == 4), "{:?}", done.approvers);
    assert!(done.approvers.iter().all(|(who, _)| *who != tomas), "nobody answers themselves");

    let used = use_of(&uses, true, from, to, &zone);
    assert_eq!((used.rhythm, advise(&used, SubjectKind::Person)), (Rhythm::Daily, Advice::KeepForProgram));
    let by_hand = use_of(&uses[..4], true, from, to, &zone);
    assert_eq!((by_hand.rhythm, advise(&by_hand, SubjectKind::Person)), (Rhythm::Rarely, Advice::Convert));
    assert_eq!(use_of(&[], true, from, to, &zone).rhythm, Rhythm::Never);
    assert_eq!(use_of(&[], false, from, to, &zone).rhythm, Rhythm::Unknown);

    // What goes by UTC is found although the place's clock is put back in between; what goes by that clock, too.
    let lisbon = TimeZone::get("Europe/Lisbon").unwrap();
    let autumn: Timestamp = "2026-09-21T00:00:00Z".parse().unwrap();
    let nightly = |local: bool| -> Vec<Timestamp> {
        let at = |day| autumn + SignedDuration::from_hours(day * DAY) + SignedDuration::from_mins(135);
        let shift = |at: Timestamp| at - SignedDuration::from_secs(i64::from(lisbon.to_offset(at).seconds()));
        (0..70).map(|day| if local { shift(at(day)) } else { at(day) }).collect()
    };
    let until = autumn + SignedDuration::from_hours(70 * DAY);
    for (local, says) in [(false, "every day at 02:15 UTC"), (true, "every day at 02:15")] {
        let used = use_of(&nightly(local), true, autumn, until, &lisbon);
        assert_eq!(used.clockwork.iter().map(|one| one.says()).collect::<Vec<_>>(), [says]);
    }

    // With terms under which nobody need be asked, only what runs by the clock is refused.
    let none = Terms { settings: settings(0), ..rules[0].clone() };
    let free = rehearse(&house.world, &Script { rules: &[none], ..script });
    assert_eq!((free.all.refused, free.all.unattended, free.approvers.len()), (28, 0, 0));
}

#[test]
fn a_sealed_emergency_holder_loses_nothing_and_each_use_of_it_is_an_alarm_once() {
    let mut house = house();
    let target = house.target();
    let survey = Survey { sealed: vec!["oda".to_owned()], ..held(&house, &["t.reyes", "oda", "piet"]) };
    let digest = Digest::of_json(&survey);
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey) });
    let refused = convert(&mut house, &[], WavePlan::default()).unwrap_err();
    assert!(
        matches!(&refused, Refusal::Conversion(ConversionRefusal::Sealed { account, target, .. }) if account == "oda" && target == "/cloud"),
        "{refused}"
    );

    let used = |house: &mut House, account: &str, at: Timestamp| {
        house.keeper(Report::SealedUsed { target, account: Said::new(account), at, claimed: false });
        let open = house.world.alarms.values().filter(|alarm| alarm.settled.is_none());
        open.map(|alarm| (alarm.id, alarm.about.sentence(&house.world).to_string())).collect::<Vec<_>>()
    };
    let at = |house: &House, seconds| later(house.now, Seconds(seconds));
    let (first, second, third) = (at(&house, 10), at(&house, 20), at(&house, 30));
    assert_eq!(used(&mut house, "piet", first), [], "piet is not sealed");
    let raised = used(&mut house, "oda", second);
    assert!(raised[0].1.starts_with("`oda`, a sealed emergency holder of /cloud, was used at "), "{raised:?}");
    assert_eq!(used(&mut house, "oda", third), raised, "one alarm until somebody looked");
    let settle = Command::SettleAlarm { alarm: raised[0].0 };
    assert!(house.try_as(Who::Asker, settle.clone()).is_err());
    // Who may settle it is offered to, and nobody else; once it is settled, to nobody.
    let offered = |house: &House, who: Who| house.world.may_settle(&house.world.alarms[&raised[0].0], house.id(who));
    assert_eq!([Who::Asker, Who::Administrator].map(|who| offered(&house, who)), [false, true]);
    house.well(Who::Administrator, settle);
    assert!(!offered(&house, Who::Administrator));
    assert_eq!(used(&mut house, "oda", second), [], "what the log told before is told again");
    assert_eq!(used(&mut house, "oda", third).len(), 1, "a use after the one that was looked at");
    let by = house.caller(Who::Administrator);
    let forged = Report::SealedUsed { target, account: Said::new("oda"), at: at(&house, 60), claimed: true };
    assert!(house.act(by, forged.clone()).is_err(), "only keepers report what targets show");
    house.replay();
}

fn labelled(target: ScopeId) -> Command {
    EstateCommand::SetTarget {
        target,
        emergency_least: Some(0),
        alarm_after: None,
        runs_on: None,
        own_login: None,
        labels: Some([("stage".to_owned(), "production".to_owned())].into()),
    }
    .into()
}

#[test]
fn a_target_is_let_go_only_when_nothing_hangs_on_it_and_its_name_can_be_taken_again() {
    let mut house = house();
    let (target, right) = (house.target(), house.right());
    let tomas = house.id(Who::Asker);
    let end = EstateCommand::EndTarget { target, reason: Said::new("sold with the tug") };
    let elevation = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let refused = house.try_as(Who::Administrator, end.clone());
    assert_eq!(refused, Err(EstateRefusal::OpenThere { open: vec![elevation.to_string()] }.into()));
    house.well(Who::Asker, ElevationCommand::Withdraw { elevation });
    let conversion = convert(&mut house, &["piet"], WavePlan::default()).unwrap();
    let changing = EstateRefusal::ChangingThere { conversion: conversion.id };
    assert_eq!(house.try_as(Who::Administrator, end.clone()), Err(changing.clone().into()));
    house.well(Who::Administrator, ConversionCommand::Undo { conversion: conversion.id });
    let refused = house.try_as(Who::Administrator, end.clone());
    assert_eq!(refused, Err(changing.into()), "what an undo has still to put back would be lost");
    taken(&mut house, conversion.id);
    let taken_away = convert(&mut house, &[], WavePlan::default()).unwrap();
    taken(&mut house, taken_away.id);
    house.well(Who::Administrator, labelled(target));
    house.now = later(house.now, Seconds::hours(25));
    house.keeper(Report::Alarm(AlarmKind::Skew { target, seconds: 9 }));
    assert!(house.try_as(Who::Asker, end.clone()).is_err(), "whoever may only ask lets nothing go");

    house.well(Who::Administrator, end.clone());
    assert!(house.world.standing.is_empty() && house.world.targets.is_empty());
    assert_eq!(house.world.eligibilities_of(tomas).count(), 0);
    assert!(house.world.open_alarm(|_| true).is_none());
    assert_eq!(house.world.right_name(right), "writer@/cloud", "what is on the record keeps its name");
    assert!(house.try_as(Who::Administrator, end.clone()).is_err());
    let undo = ConversionCommand::Undo { conversion: taken_away.id };
    let refused = house.try_as(Who::Administrator, undo.clone());
    assert_eq!(refused, Err(ConversionRefusal::TargetsGone { id: taken_away.id }.into()));
    let own_influence =
        |hand: &Influence| hand.by == Some(hand.touched) && later(hand.at, Seconds::hours(1)) > house.now;
    assert!(
        house.world.influences.values().any(own_influence),
        "its labels went with it, and with them what terms demanded"
    );
    let parent = house.world.root.unwrap();
    let folder = EstateCommand::AddFolder { parent, name: "cloud".to_owned() };
    assert!(house.try_as(Who::Administrator, folder.clone()).is_err(), "the name stays that system's");
    house.well(
        Who::Administrator,
        EstateCommand::AddTarget {
            parent,
            name: "cloud".to_owned(),
            connector: Connector::Brightwater { url: "http://127.0.0.1:2".to_owned() },
            emergency_least: 1,
            alarm_after: Seconds(60),
        },
    );
    assert_eq!(house.target(), target, "the same system, taken in again");
    surveyed(&mut house, &["oda"]);
    assert_eq!(house.right(), right);
    assert_eq!(open(&house), [], "its first survey is what there is");
    house.replay();
}

#[test]
fn what_could_not_be_taken_away_yet_is_untouched_by_an_undo() {
    let mut house = house();
    let conversion = convert(&mut house, &["piet", "oda"], WavePlan::default()).unwrap().id;
    let (refused, gone) = (holding(&house, "piet"), holding(&house, "oda"));
    let trouble = "the target refused: it is the last member".to_owned();
    house.keeper(Report::StandingDelayed { conversion, standing: refused, trouble });
    house.keeper(Report::StandingTaken { conversion, standing: gone });
    house.well(Who::Administrator, ConversionCommand::Undo { conversion });
    for standing in [refused, gone] {
        house.keeper(Report::StandingRestored { conversion, standing, by_others: true });
    }
    let of = |id| &house.world.items[&Pair(conversion, id)];
    assert_eq!((of(refused).state, of(refused).trouble.as_deref()), (ItemState::Untouched, None));
    assert_eq!(of(gone).state, ItemState::Superseded, "it was gone, and somebody put it back before us");
    house.replay();
}

#[test]
fn the_last_member_of_a_group_that_must_have_one_is_a_caution_of_its_own() {
    let mut house = House::new(&settings(1));
    surveyed(&mut house, &["piet"]);
    let right = house.world.standing[&holding(&house, "piet")].clone();
    assert_eq!(cautions(&house.world, &right, None), [Caution::LastHolder]);
    let target = house.world.targets[&house.target()].clone();
    let role = house.world.roles[&right.right.role].clone();
    let connector = Connector::Ldap {
        url: "ldap://127.0.0.1:1".to_owned(),
        user: String::new(),
        base: String::new(),
        grants: String::new(),
        sweep: 1,
    };
    house.world.put(Row::Target(Target { connector, ..target }));
    assert_eq!(
        cautions(&house.world, &right, None),
        [Caution::LastHolder],
        "one that lapses by itself gathers entries"
    );
    house.world.put(Row::Role(Role { lapse: Lapse { by_itself: false, ..role.lapse.clone() }, ..role }));
    assert_eq!(cautions(&house.world, &right, None), [Caution::LastMember]);
}

/// Sets whether the rights of this house may be held all the time.
fn standing_rule(house: &mut House, asker: Option<SubjectId>, standing: StandingRule) -> TermsId {
    let set = Settings { standing: Some(standing), ..Settings::default() };
    let rule = Terms { asker, ..crate::house::rule(house.target(), set) };
    house.well(Who::Administrator, TermsCommand::Set { terms: rule });
    *house.world.terms.keys().next_back().unwrap()
}

#[test]
fn what_may_not_be_held_all_the_time_is_a_finding_and_nobody_brings_it_back() {
    let mut house = house();
    let Conversion { id, .. } = convert(&mut house, &[], WavePlan::default()).unwrap();
    let against = |house: &House, account: &str| {
        let held = house.world.standing.get(&holding(house, account)).unwrap();
        held.stands_against(&house.world)
    };
    assert_eq!(against(&house, "oda"), None, "nothing says so");
    let never = standing_rule(&mut house, None, StandingRule::Never);
    for account in ["t.reyes", "oda", "piet"] {
        assert_eq!(against(&house, account), Some(never), "{account}");
    }
    // Whose account it is makes a difference, as with any terms; a stranger's goes by the rules for everybody.
    let oda = house.world.subject_named("oda").unwrap().id;
    standing_rule(&mut house, Some(oda), StandingRule::Allowed);
    assert_eq!((against(&house, "oda"), against(&house, "piet")), (None, Some(never)));
    taken(&mut house, id);
    let refused = house.try_as(Who::Administrator, ConversionCommand::Undo { conversion: id }).unwrap_err();
    assert_eq!(refused.cause(), Some("never-standing"));
    assert!(refused.to_string().contains(&format!("{never} says so")), "{refused}");

    // What somebody gave behind our back is not adopted, and what is lost not put back.
    house.now = later(house.now, Seconds::hours(1));
    surveyed(&mut house, &["oda", "stranger"]);
    let came: Vec<Drift> = open(&house);
    for drift in &came {
        let adopted = house.try_as(Who::Administrator, DriftCommand::Adopt { drift: drift.id });
        let account = house.world.text(drift.standing.account);
        let expected = (account == "stranger").then_some("never-standing");
        assert_eq!(adopted.err().and_then(|refusal| refusal.cause()), expected, "{account}");
    }
    surveyed(&mut house, &["oda"]);
    house.well(Who::Administrator, TermsCommand::End { terms: never });
    house.well(Who::Administrator, ConversionCommand::Undo { conversion: id });
    house.replay();
}

#[test]
fn what_was_lost_is_not_put_back_where_it_may_not_be_held_all_the_time() {
    let mut house = house();
    house.now = later(house.now, Seconds::hours(1));
    surveyed(&mut house, &["t.reyes", "oda"]);
    let [lost] = &open(&house)[..] else { panic!("{:?}", open(&house)) };
    let put_back = DriftCommand::PutBack { drift: lost.id };
    let never = standing_rule(&mut house, None, StandingRule::Never);
    let refused = house.try_as(Who::Administrator, put_back.clone()).unwrap_err();
    assert_eq!(refused.cause(), Some("never-standing"));
    house.well(Who::Administrator, TermsCommand::Suspend { terms: never, reason: Said::new("moving the watch") });
    house.well(Who::Administrator, put_back);
}

#[test]
fn nobody_has_their_own_back_on_the_day_they_let_somebody_through_with_less() {
    let mut house = House::new(&settings(0));
    let (subject, target) = (house.id(Who::Administrator), house.target());
    let account = Said::new("mara");
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account });
    house.now = later(house.now, Seconds::hours(25));
    surveyed(&mut house, &["mara", "oda", "piet"]);
    let chosen = vec![holding(&house, "mara")];
    let shown = plan_conversion(&house.world, &chosen).unwrap().digest;
    let convert = ConversionCommand::Convert { chosen, shown, until: None, plan: WavePlan::default() };
    house.well(Who::Administrator, convert);
    let conversion = *house.world.conversions.keys().next_back().unwrap();
    taken(&mut house, conversion);
    let never = standing_rule(&mut house, None, StandingRule::Never);
    house.well(Who::Administrator, TermsCommand::End { terms: never });
    let undo = ConversionCommand::Undo { conversion };
    assert_eq!(house.try_as(Who::Administrator, undo.clone()), Err(AskRefusal::Weakened.into()));
    house.now = later(house.now, Seconds::hours(25));
    house.well(Who::Administrator, undo);
    taken(&mut house, conversion);
    assert_eq!(states(&house, conversion), [Restored]);
    house.replay();
}

//! Separation of duties: what nobody has together, how much one person gathers, and how many people have something; wherever it is
//! offered, asked for and opened, by whatever way it is had.

use tempestas_core::*;

use crate::{
    conversions::found,
    house::{House, Who, rule, settings, survey},
};

/// A house with a second system, `vault`, and three roles on it: `payer`, `clerk` and `keys`, which is critical.
fn house() -> House {
    let mut house = House::new(&settings(1));
    let parent = house.world.root.unwrap();
    let connector = Connector::Brightwater { url: "http://127.0.0.1:2".to_owned() };
    let (name, emergency_least, alarm_after) = ("vault".to_owned(), 0, Seconds(60));
    house.well(Who::Administrator, EstateCommand::AddTarget { parent, name, connector, emergency_least, alarm_after });
    stands(&mut house, &[]);
    for who in [Who::Asker, Who::First, Who::Other] {
        let (subject, target, account) = (house.id(who), vault(&house), Said::new(format!("v.{}", who.name())));
        house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account });
    }
    let (subject, target, account) = (house.id(Who::First), house.target(), Said::new("oda"));
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject, target, account });
    house
}

fn vault(house: &House) -> ScopeId {
    house.world.scope_at("/vault").unwrap().id
}

/// What is seen on the vault, with the rights that accounts hold all the time.
fn stands(house: &mut House, rights: &[(&str, &str)]) {
    let base = survey(house.now, 1);
    let role = |name: &str, weight| RoleFound { name: name.to_owned(), weight, ..base.roles[0].clone() };
    let survey = Survey {
        roles: vec![
            role("payer", Weight::Privileged),
            role("clerk", Weight::Privileged),
            role("keys", Weight::Critical),
        ],
        rights: rights.iter().map(|(account, role)| found(account, role)).collect(),
        ..base.clone()
    };
    let (target, digest) = (vault(house), Digest::of(&[format!("{rights:?}").as_bytes()]));
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(survey) });
}

fn right(house: &House, text: &str) -> Right {
    house.world.right_from(text).unwrap()
}

fn set_of(house: &House, text: &str) -> RightSet {
    RightSet::from_text(&house.world, text).unwrap()
}

fn separation(name: &str, keeps: Keeps, counts: Counts) -> Separation {
    Separation { name: name.to_owned(), keeps, counts, tolerated: Vec::new(), set_by: None, set_at: None }
}

fn apart(house: &House, one: &str, other: &str, counts: Counts) -> Separation {
    separation("apart", Keeps::Apart { one: set_of(house, one), other: set_of(house, other) }, counts)
}

fn few(house: &House, of: &str, most: u16, counts: Counts) -> Separation {
    separation("few", Keeps::Few { of: set_of(house, of), most }, counts)
}

fn holders(house: &House, of: &str, least: u16, most: Option<u16>, counts: Counts) -> Separation {
    separation("holders", Keeps::Holders { of: set_of(house, of), least, most }, counts)
}

fn set(house: &mut House, separation: Separation) {
    house.well(Who::Administrator, SeparationCommand::Set { separation });
}

fn give(house: &mut House, subject: SubjectId, text: &str) -> Result<Decision, Refusal> {
    let (right, from) = (right(house, text), None);
    house.try_as(Who::Administrator, EligibilityCommand::Give { subject, right, from, until: None, reason: None })
}

fn ask(house: &mut House, who: Who, text: &str) -> Result<ElevationId, Refusal> {
    house.ask_for(who, right(house, text), 600, StartChoice::AtYes)
}

/// Asked for, answered, and read back.
fn hold(house: &mut House, who: Who, text: &str) -> ElevationId {
    let id = ask(house, who, text).unwrap();
    yes(house, who, id);
    id
}

fn yes(house: &mut House, who: Who, id: ElevationId) {
    let by = if who == Who::First { Who::Other } else { Who::First };
    house.answer(by, id, Verdict::Yes).unwrap();
    obey(house);
}

/// Such a house in which two may pay, of whom one at a time does.
fn house_of_one_payer() -> House {
    let mut house = house();
    let (tomas, oda) = (house.id(Who::Asker), house.id(Who::First));
    for who in [tomas, oda] {
        give(&mut house, who, "payer@/vault").unwrap();
    }
    let one = holders(&house, "payer@/vault", 0, Some(1), Counts::Held);
    set(&mut house, one);
    house
}

fn obey(house: &mut House) {
    for target in [house.target(), vault(house)] {
        for order in orders(&house.world, target, house.now) {
            match order.task {
                Task::Give(grant) => house.keeper(Report::GrantSeen { grant: grant.id, there: true }),
                Task::Take(grant) => house.keeper(Report::GrantGone { grant: grant.id, leftovers: Vec::new() }),
                _ => {}
            }
        }
    }
}

fn cause<T: std::fmt::Debug>(result: Result<T, Refusal>) -> &'static str {
    result.unwrap_err().cause().unwrap()
}

fn breaches(house: &House, name: &str) -> Vec<(Option<SubjectId>, String, bool)> {
    let all = house.world.separations[&name.to_owned()].breaches(&house.world, house.now);
    all.into_iter().map(|one| (one.who, one.words(&house.world), one.tolerated.is_some())).collect()
}

fn tolerate(house: &mut House, by: Who, name: &str, who: Option<Who>, hours: u32) -> Result<Decision, Refusal> {
    let (name, who) = (name.to_owned(), who.map(|who| house.id(who)));
    let (until, reason) = (Some(later(house.now, Seconds::hours(hours))), Said::new("until the second clerk is back"));
    house.try_as(by, SeparationCommand::Tolerate { name, who, until, reason })
}

fn group_of(house: &mut House, name: &str, members: &[Who]) -> SubjectId {
    let (kind, about) = (SubjectKind::Group, Said::new(""));
    house.well(Who::Administrator, PeopleCommand::AddSubject { kind, name: Said::new(name), about, second_of: None });
    let group = house.world.subject_named(name).unwrap().id;
    for member in members {
        let member = house.id(*member);
        house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    }
    group
}

#[test]
fn nobody_is_made_eligible_for_both_whatever_the_way_they_have_the_first() {
    let mut house = house();
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Eligible);
    set(&mut house, one);
    let (tomas, second) = (house.id(Who::Asker), house.id(Who::Second));
    let refused = give(&mut house, tomas, "payer@/vault").unwrap_err();
    assert_eq!(refused.cause(), Some("kept-apart"));
    let said = refused.to_string();
    assert!(said.contains("`apart` keeps payer@/vault from tomas, who may ask for writer@/cloud;"), "{said}");
    // By another sign-in of the same human.
    assert_eq!(cause(give(&mut house, second, "payer@/vault")), "kept-apart");
    // Through a group that has one, joined by whoever has the other; and given to a group that somebody is in.
    let payers = group_of(&mut house, "payers", &[Who::First]);
    give(&mut house, payers, "payer@/vault").unwrap();
    let joined = PeopleCommand::AddMember { group: payers, member: second };
    assert_eq!(cause(house.try_as(Who::Administrator, joined)), "kept-apart");
    let crew = group_of(&mut house, "crew", &[Who::Asker]);
    assert_eq!(cause(give(&mut house, crew, "payer@/vault")), "kept-apart");
    // A group with both lets nobody in, who has neither.
    let both = group_of(&mut house, "both", &[]);
    give(&mut house, both, "payer@/vault").unwrap();
    give(&mut house, both, "writer@/cloud").unwrap();
    let member = house.id(Who::Other);
    let joined = PeopleCommand::AddMember { group: both, member };
    assert_eq!(cause(house.try_as(Who::Administrator, joined)), "kept-apart");
    // By what an account of theirs holds all the time.
    let one = apart(&house, "payer@/vault", "clerk@/vault", Counts::Eligible);
    set(&mut house, one);
    stands(&mut house, &[("v.piet", "clerk")]);
    let piet = house.id(Who::Other);
    let refused = give(&mut house, piet, "payer@/vault").unwrap_err().to_string();
    assert!(refused.contains("piet, who holds clerk@/vault all the time;"), "{refused}");
    house.replay();
}

#[test]
fn whoever_breaks_it_already_is_found_and_asks_for_neither_until_it_is_put_right_or_tolerated() {
    let mut house = house();
    let tomas = house.id(Who::Asker);
    give(&mut house, tomas, "payer@/vault").unwrap();
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Eligible);
    set(&mut house, one);
    let found = "may ask for writer@/cloud and payer@/vault".to_owned();
    assert_eq!(breaches(&house, "apart"), [(Some(tomas), found.clone(), false)]);
    assert_eq!(cause(ask(&mut house, Who::Asker, "payer@/vault")), "kept-apart");
    assert_eq!(cause(ask(&mut house, Who::Asker, "writer@/cloud")), "kept-apart");

    tolerate(&mut house, Who::Administrator, "apart", Some(Who::Second), 1).unwrap();
    assert_eq!(breaches(&house, "apart"), [(Some(tomas), found.clone(), true)]);
    let id = ask(&mut house, Who::Asker, "payer@/vault").unwrap();
    // What runs out before it is opened is not opened.
    house.now = later(house.now, Seconds::hours(2));
    assert_eq!(breaches(&house, "apart"), [(Some(tomas), found, false)]);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Ended(End::Failed));
    let why = house.world.elevations[&id].trouble.clone().unwrap();
    assert!(why.contains("kept-apart"), "{why}");
    // Put right, it is none any more.
    let writer = house.world.eligibilities.values().find(|held| held.right == house.right()).unwrap().id;
    house.well(
        Who::Administrator,
        EligibilityCommand::Suspend { eligibility: writer, reason: Said::new("one is enough") },
    );
    assert_eq!(breaches(&house, "apart"), []);
    ask(&mut house, Who::Asker, "payer@/vault").unwrap();
    house.check();
    house.replay();
}

#[test]
fn only_what_is_so_is_tolerated_by_another_for_a_while_and_it_does_not_grow() {
    let mut house = house();
    let (tomas, mara) = (house.id(Who::Asker), house.id(Who::Administrator));
    give(&mut house, tomas, "payer@/vault").unwrap();
    let one = few(&house, "/", 1, Counts::Eligible);
    set(&mut house, one);
    assert_eq!(cause(tolerate(&mut house, Who::Administrator, "few", Some(Who::First), 1)), "nothing-to-tolerate");
    assert_eq!(cause(tolerate(&mut house, Who::Administrator, "few", Some(Who::Asker), 24 * 400)), "tolerate-until");
    let wordless = SeparationCommand::Tolerate {
        name: "few".to_owned(),
        who: Some(tomas),
        until: Some(later(house.now, Seconds(60))),
        reason: Said::new("  "),
    };
    assert_eq!(cause(house.try_as(Who::Administrator, wordless)), "tolerate-without-word");
    assert!(tolerate(&mut house, Who::First, "few", Some(Who::Asker), 1).is_err(), "who administers nothing");
    tolerate(&mut house, Who::Administrator, "few", Some(Who::Asker), 24).unwrap();
    ask(&mut house, Who::Asker, "payer@/vault").unwrap();
    // Two were put up with, and not a third.
    assert_eq!(cause(give(&mut house, tomas, "clerk@/vault")), "too-much");
    // Nobody puts up with their own.
    let one = few(&house, "/", 3, Counts::Eligible);
    set(&mut house, one);
    house.now = later(house.now, Seconds::hours(48));
    give(&mut house, mara, "payer@/vault").unwrap();
    give(&mut house, mara, "clerk@/vault").unwrap();
    let one = few(&house, "/", 1, Counts::Eligible);
    set(&mut house, one);
    assert_eq!(cause(tolerate(&mut house, Who::Administrator, "few", Some(Who::Administrator), 1)), "own-breach");
    // What was put up with of another one went with it; ended, it is a finding again.
    assert!(house.world.separations[&"few".to_owned()].tolerated.is_empty());
    tolerate(&mut house, Who::Administrator, "few", Some(Who::Asker), 24).unwrap();
    let (name, who) = ("few".to_owned(), Some(tomas));
    let no_longer = SeparationCommand::Tolerate { name, who, until: None, reason: Said::new("") };
    house.well(Who::Administrator, no_longer.clone());
    assert_eq!(cause(ask(&mut house, Who::Asker, "payer@/vault")), "too-much");
    assert_eq!(cause(house.try_as(Who::Administrator, no_longer)), "nothing-to-tolerate");
    house.replay();
}

#[test]
fn of_what_is_held_at_one_time_the_second_waits_until_the_first_is_over() {
    let mut house = house();
    let tomas = house.id(Who::Asker);
    give(&mut house, tomas, "payer@/vault").unwrap();
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Held);
    set(&mut house, one);
    assert_eq!(breaches(&house, "apart"), [], "being eligible holds nothing");
    // Both asked for: whichever is opened second is not.
    let (payer, writer) =
        (ask(&mut house, Who::Asker, "payer@/vault").unwrap(), ask(&mut house, Who::Asker, "writer@/cloud").unwrap());
    yes(&mut house, Who::Asker, payer);
    yes(&mut house, Who::Asker, writer);
    assert_eq!(house.phase(payer), Phase::Live);
    assert_eq!(house.phase(writer), Phase::Ended(End::Failed));
    assert_eq!(cause(ask(&mut house, Who::Asker, "writer@/cloud")), "kept-apart");
    // It counts until it was read back as gone.
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: payer });
    assert_eq!(house.phase(payer), Phase::Closing);
    assert_eq!(cause(ask(&mut house, Who::Asker, "writer@/cloud")), "kept-apart");
    obey(&mut house);
    hold(&mut house, Who::Asker, "writer@/cloud");
    // What an account holds all the time is held as well: that is a finding.
    stands(&mut house, &[("v.tomas", "payer")]);
    let found = "holds writer@/cloud and holds payer@/vault all the time".to_owned();
    assert_eq!(breaches(&house, "apart"), [(Some(tomas), found, false)]);
    house.check();
    house.replay();
}

#[test]
fn one_person_gathers_no_more_than_the_ceiling_each_right_counted_once() {
    let mut house = house();
    let tomas = house.id(Who::Asker);
    let one = few(&house, "weight:privileged@/", 2, Counts::Eligible);
    set(&mut house, one);
    let crew = group_of(&mut house, "crew", &[Who::Asker]);
    give(&mut house, crew, "writer@/cloud").unwrap();
    give(&mut house, tomas, "writer@/cloud/lake").unwrap();
    give(&mut house, tomas, "payer@/vault").unwrap();
    assert_eq!(breaches(&house, "few"), [], "the same right by three ways is one");
    let refused = give(&mut house, tomas, "keys@/vault").unwrap_err();
    assert!(refused.to_string().contains("more than 2 of weight:privileged@/"), "{refused}");
    let one = few(&house, "weight:critical@/", 2, Counts::Eligible);
    set(&mut house, one);
    give(&mut house, tomas, "keys@/vault").unwrap();
    let one = few(&house, "/vault", 1, Counts::Eligible);
    set(&mut house, one);
    let found = "may ask for payer@/vault and keys@/vault".to_owned();
    assert_eq!(breaches(&house, "few"), [(Some(tomas), found, false)]);
    house.replay();
}

#[test]
fn a_right_has_so_many_holders_and_no_fewer() {
    let mut house = house();
    let (tomas, oda, piet) = (house.id(Who::Asker), house.id(Who::First), house.id(Who::Other));
    let one = holders(&house, "payer@/vault", 2, Some(2), Counts::Eligible);
    set(&mut house, one);
    assert_eq!(breaches(&house, "holders"), [(None, "it is 0 people".to_owned(), false)]);
    give(&mut house, tomas, "payer@/vault").unwrap();
    assert_eq!(breaches(&house, "holders"), [(None, "it is 1 person".to_owned(), false)]);
    tolerate(&mut house, Who::Administrator, "holders", None, 24).unwrap();
    assert!(breaches(&house, "holders")[0].2);
    stands(&mut house, &[("v.oda", "payer")]);
    assert_eq!(breaches(&house, "holders"), [], "who holds it all the time is one of them");
    assert_eq!(cause(give(&mut house, piet, "payer@/vault")), "too-many-holders");
    give(&mut house, oda, "payer@/vault").unwrap();
    let crew = group_of(&mut house, "crew", &[Who::Other]);
    assert_eq!(cause(give(&mut house, crew, "payer@/vault")), "too-many-holders");
    let nobody = group_of(&mut house, "nobody-yet", &[]);
    give(&mut house, nobody, "payer@/vault").unwrap();
    let joined = PeopleCommand::AddMember { group: nobody, member: piet };
    assert_eq!(cause(house.try_as(Who::Administrator, joined)), "too-many-holders");
    // Nobody who is eligible is kept from asking by how many there are.
    ask(&mut house, Who::Asker, "payer@/vault").unwrap();
    house.replay();
}

#[test]
fn while_as_many_hold_it_as_may_the_next_begins_when_one_of_them_is_done() {
    let mut house = house();
    let (tomas, oda) = (house.id(Who::Asker), house.id(Who::First));
    give(&mut house, tomas, "payer@/vault").unwrap();
    give(&mut house, oda, "payer@/vault").unwrap();
    let one = holders(&house, "payer@/vault", 0, Some(1), Counts::Held);
    set(&mut house, one);
    let first = hold(&mut house, Who::Asker, "payer@/vault");
    let right = right(&house, "payer@/vault");
    let demand = demand_for(&house.world, oda, right, house.now).unwrap();
    let said = demand.sentence(&house.world, Seconds(600), Some(StartChoice::AtYes), house.now);
    assert!(said.contains("1 at most holds one like it at one time, as many do until"), "{said}");
    assert!(demand.brief(&house.world).contains("1 at a time"));
    let next = ask(&mut house, Who::First, "payer@/vault").unwrap();
    yes(&mut house, Who::First, next);
    assert_eq!(house.phase(next), Phase::Scheduled);
    assert!(house.world.elevations[&next].trouble.as_ref().unwrap().contains("`holders`"));
    house.now = house.until(first);
    house.tick();
    assert_eq!(house.phase(next), Phase::Scheduled, "it waits until the first was read back as gone");
    obey(&mut house);
    house.tick();
    obey(&mut house);
    assert_eq!((house.phase(first), house.phase(next)), (Phase::Ended(End::Lapsed), Phase::Live));
    assert_eq!(house.world.elevations[&next].trouble, None);
    // Where one holds it all the time, there is nothing to wait for.
    stands(&mut house, &[("v.piet", "payer")]);
    house.now = later(house.now, Seconds(601));
    house.tick();
    obey(&mut house);
    assert_eq!(cause(ask(&mut house, Who::Asker, "payer@/vault")), "no-room");
    house.check();
    house.replay();
}

#[test]
fn whoever_breaks_the_glass_waits_for_nobody_and_is_kept_from_what_they_may_not_have_together() {
    let mut house = house();
    let (tomas, oda) = (house.id(Who::Asker), house.id(Who::First));
    give(&mut house, oda, "writer@/cloud").unwrap();
    let by = [tomas, oda].into();
    let glass = Glass { by, accepts: [ProofMethod::TotpCode].into() };
    let terms = rule(house.target(), Settings { glass: Some(glass), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let one = holders(&house, "writer@/cloud", 0, Some(1), Counts::Held);
    set(&mut house, one);
    hold(&mut house, Who::First, "writer@/cloud");
    let broken = house.break_glass(Who::Asker, 600).unwrap();
    obey(&mut house);
    assert_eq!(house.phase(broken), Phase::Live);
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: broken });
    obey(&mut house);
    give(&mut house, tomas, "payer@/vault").unwrap();
    let one = apart(&house, "payer@/vault", "/cloud", Counts::Held);
    set(&mut house, one);
    hold(&mut house, Who::Asker, "payer@/vault");
    assert_eq!(cause(house.break_glass(Who::Asker, 600)), "kept-apart");
    house.check();
}

/// Something that leaves somebody with more, and how it is done.
type Loosened = (&'static str, fn(&mut House));

#[test]
fn whoever_loosens_or_ends_one_or_tolerates_is_let_in_without_a_yes_a_day_later_at_the_earliest() {
    let loosen: [Loosened; 4] = [
        ("ending it", |house| drop(house.well(Who::Administrator, SeparationCommand::End { name: "few".to_owned() }))),
        ("raising the ceiling", |house| {
            let one = few(house, "/", 3, Counts::Eligible);
            set(house, one);
        }),
        ("counting less", |house| {
            let one = few(house, "/", 1, Counts::Held);
            set(house, one);
        }),
        ("tolerating", |house| drop(tolerate(house, Who::Administrator, "few", Some(Who::Asker), 1).unwrap())),
    ];
    for (how, loosen) in loosen {
        let mut house = house();
        let (mara, tomas) = (house.id(Who::Administrator), house.id(Who::Asker));
        give(&mut house, tomas, "payer@/vault").unwrap();
        let (target, account) = (vault(&house), Said::new("v.mara"));
        house.well(Who::Administrator, PeopleCommand::SetAccount { subject: mara, target, account });
        house.now = later(house.now, Seconds::hours(48));
        give(&mut house, mara, "payer@/vault").unwrap();
        let alone = Settings { approval: Some(Approval::None), ..Settings::default() };
        let terms = rule(vault(&house), alone);
        house.well(Who::Administrator, TermsCommand::Set { terms });
        let one = few(&house, "/", 1, Counts::Eligible);
        set(&mut house, one);
        house.now = later(house.now, Seconds::hours(48));
        // As strict as before is nobody's doing.
        let one = few(&house, "/", 1, Counts::Eligible);
        set(&mut house, one);
        let early = ask(&mut house, Who::Administrator, "payer@/vault").unwrap();
        obey(&mut house);
        house.well(Who::Administrator, ElevationCommand::GiveBack { elevation: early });
        obey(&mut house);
        loosen(&mut house);
        assert_eq!(cause(ask(&mut house, Who::Administrator, "payer@/vault")), "weakened", "{how}");
        house.now = later(house.now, Seconds::hours(25));
        assert!(ask(&mut house, Who::Administrator, "payer@/vault").is_ok(), "{how}");
    }
}

#[test]
fn what_comes_to_its_time_at_one_moment_is_opened_one_after_another() {
    let mut house = house_of_one_payer();
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Held);
    set(&mut house, one);
    let start = StartChoice::At { time: later(house.now, Seconds::hours(1)) };
    let asks = [(Who::Asker, "payer@/vault"), (Who::First, "payer@/vault"), (Who::Asker, "writer@/cloud")];
    let asks = asks.map(|(who, text)| {
        let right = right(&house, text);
        let id = house.ask_for(who, right, 600, start).unwrap();
        yes(&mut house, who, id);
        assert_eq!(house.phase(id), Phase::Scheduled);
        id
    });
    house.now = later(house.now, Seconds::hours(1));
    (0..4).for_each(|_| house.tick());
    obey(&mut house);
    let phases = asks.map(|id| house.phase(id));
    assert_eq!(phases, [Phase::Live, Phase::Scheduled, Phase::Ended(End::Failed)]);
    // Whoever is first in line begins as soon as it is read back that the one before is done.
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: asks[0] });
    obey(&mut house);
    house.tick();
    obey(&mut house);
    assert_eq!(house.phase(asks[1]), Phase::Live);
    house.check();
    house.replay();
}

#[test]
fn whoever_sees_a_part_is_told_no_more_of_what_somebody_else_has() {
    let mut house = house();
    let (tomas, piet) = (house.id(Who::Asker), house.id(Who::Other));
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Eligible);
    set(&mut house, one);
    let (kind, scope) = (DutyKind::Administrator, vault(&house));
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject: piet, kind, scope });
    let right = right(&house, "payer@/vault");
    let give = EligibilityCommand::Give { subject: tomas, right, from: None, until: None, reason: None };
    let refused = house.try_as(Who::Other, give).unwrap_err().to_string();
    assert!(refused.contains("tomas, who may ask for what you don't see;"), "{refused}");
    assert!(!refused.contains("cloud") && !refused.contains("writer"), "{refused}");
    let sight = Sight::of(&house.world, piet);
    assert!(sight.see(&house.world, &house.world.separations[&"apart".to_owned()]).is_none());
    // Nor do they set one that binds everybody.
    let one = few(&house, "/vault", 1, Counts::Eligible);
    assert!(house.try_as(Who::Other, SeparationCommand::Set { separation: one }).is_err());
}

#[test]
fn what_was_lost_is_not_put_back_where_it_would_be_held_together_with_another() {
    let mut house = house();
    stands(&mut house, &[("v.tomas", "payer"), ("v.piet", "clerk"), ("v.oda", "keys")]);
    for drift in house.world.drifts.keys().copied().collect::<Vec<_>>() {
        house.well(Who::Administrator, DriftCommand::Adopt { drift });
    }
    house.now = later(house.now, Seconds::hours(1));
    stands(&mut house, &[("v.piet", "clerk"), ("v.oda", "keys")]);
    let is_theirs = |drift: &&Drift| house.world.text(drift.standing.account) == "v.tomas";
    let lost = house.world.drifts.values().rfind(is_theirs).unwrap().id;
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Held);
    set(&mut house, one);
    let held = hold(&mut house, Who::Asker, "writer@/cloud");
    let put_back = DriftCommand::PutBack { drift: lost };
    assert_eq!(cause(house.try_as(Who::Administrator, put_back.clone())), "not-back");
    house.well(Who::Asker, ElevationCommand::GiveBack { elevation: held });
    obey(&mut house);
    house.well(Who::Administrator, put_back);
}

#[test]
fn what_a_system_calls_otherwise_by_now_is_told_to_be_kept_from_nobody() {
    let mut house = house();
    let one = apart(&house, "payer@/vault", "writer@/cloud", Counts::Eligible);
    set(&mut house, one);
    let kept = |house: &House| {
        let separation = &house.world.separations[&"apart".to_owned()];
        separation.keeps.sets().map(|set| set.holds_any(&house.world)).collect::<Vec<_>>()
    };
    assert_eq!(kept(&house), [true, true]);
    let base = survey(house.now, 1);
    let roles = vec![RoleFound { name: "cashier".to_owned(), ..base.roles[0].clone() }];
    let (target, digest) = (vault(&house), Digest::of(&[b"renamed"]));
    house.keeper(Report::Surveyed { target, digest, survey: Box::new(Survey { roles, ..base }) });
    assert_eq!(kept(&house), [false, true]);
    let missing = RightSet::from_text(&house.world, "payer@/vault").unwrap();
    let keeps = Keeps::Few { of: missing, most: 1 };
    let one = separation("few", keeps, Counts::Eligible);
    assert_eq!(cause(house.try_as(Who::Administrator, SeparationCommand::Set { separation: one })), "no-such-right");
}

#[test]
fn of_two_limits_the_one_that_nothing_frees_is_told_and_nobody_waits_in_vain() {
    let mut house = house_of_one_payer();
    let keeps = Keeps::Holders { of: set_of(&house, "/vault"), least: 0, most: Some(2) };
    set(&mut house, separation("of-the-vault", keeps, Counts::Held));
    hold(&mut house, Who::Asker, "payer@/vault");
    stands(&mut house, &[("v.piet", "clerk")]);
    // One waits for the other to be done.
    let waits = ask(&mut house, Who::First, "payer@/vault").unwrap();
    yes(&mut house, Who::First, waits);
    assert_eq!(house.phase(waits), Phase::Scheduled);
    house.well(Who::First, ElevationCommand::Withdraw { elevation: waits });
    // One all the time of the vault, where one at most may be: no end of another's helps.
    for (name, of) in [("clerks", "clerk@/vault"), ("of-the-vault", "/vault")] {
        let keeps = Keeps::Holders { of: set_of(&house, of), least: 0, most: Some(1) };
        set(&mut house, separation(name, keeps, Counts::Held));
    }
    let clerk = house.id(Who::First);
    give(&mut house, clerk, "clerk@/vault").unwrap();
    let refused = ask(&mut house, Who::First, "clerk@/vault").unwrap_err();
    assert_eq!(refused.cause(), Some("no-room"));
    assert!(refused.to_string().starts_with("`clerks` lets"), "{refused}");
}

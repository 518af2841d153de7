//! Routes to answering oneself, or to getting through with less: each is judged by whether it opens anything within the day.

mod by_a_yes;
mod by_less;

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// Somebody who lets themselves in: what was there long before, what they then do, who says yes for them, and why it opens nothing.
/// Of what is refused outright, that is why; and whoever isn't asked knows of no such ask.
struct Route {
    name: &'static str,
    before: fn(&mut House),
    does: fn(&mut House) -> Result<(), Refusal>,
    yes_of: &'static str,
    why: &'static str,
}

fn id(house: &House, name: &str) -> SubjectId {
    house.world.subject_named(name).unwrap_or_else(|| panic!("nobody is named {name}")).id
}

/// As somebody of that name, who proved themselves just now.
fn as_one(house: &mut House, name: &str, command: impl Into<Command>) -> Result<(), Refusal> {
    let caller = Caller { actor: Actor::Subject(id(house, name)), ..house.caller(Who::Asker) };
    house.act(caller, command).map(drop)
}

fn he(house: &mut House, command: impl Into<Command>) -> Result<(), Refusal> {
    as_one(house, "tomas", command)
}

fn long_ago(house: &mut House, command: impl Into<Command>) {
    house.well(Who::Administrator, command);
}

fn new(kind: SubjectKind, name: &str) -> PeopleCommand {
    let about = Said::new(format!("somebody called {name}"));
    PeopleCommand::AddSubject { kind, name: Said::new(name), about, second_of: None }
}

fn joins(house: &House, group: &str, member: &str) -> PeopleCommand {
    PeopleCommand::AddMember { group: id(house, group), member: id(house, member) }
}

fn leaves(house: &House, group: &str, member: &str) -> PeopleCommand {
    PeopleCommand::RemoveMember { group: id(house, group), member: id(house, member) }
}

fn duty(house: &House, kind: DutyKind, who: &str) -> PeopleCommand {
    let scope = if kind == DutyKind::Owner { house.target() } else { house.world.root.unwrap() };
    PeopleCommand::GiveDuty { subject: id(house, who), kind, scope }
}

fn a_group(house: &mut House, name: &str, members: &[&str]) {
    long_ago(house, new(SubjectKind::Group, name));
    for member in members {
        let joins = joins(house, name, member);
        long_ago(house, joins);
    }
}

fn asks(approvers: Vec<Approver>) -> Settings {
    let within = Seconds::hours(8);
    let approval = Some(Approval::from(StageTerms { approvers, within, ..StageTerms::default() }));
    Settings { approval, ..Settings::default() }
}

fn asks_nobody() -> Settings {
    Settings { approval: Some(Approval::None), ..Settings::default() }
}

/// A rule on the target, in place of that one where it has its id.
fn on_target(house: &House, settings: Settings) -> Terms {
    rule(house.target(), settings)
}

fn set(terms: Terms) -> TermsCommand {
    TermsCommand::Set { terms }
}

/// The rule that was set last.
fn last_rule(house: &House) -> Terms {
    house.world.terms.values().last().unwrap().clone()
}

fn labelled(house: &House) -> EstateCommand {
    EstateCommand::SetTarget {
        target: house.target(),
        emergency_least: None,
        alarm_after: None,
        runs_on: None,
        own_login: None,
        labels: Some(BTreeMap::from([("stage".to_owned(), "trial".to_owned())])),
    }
}

fn of_trials(house: &House, settings: Settings) -> Terms {
    Terms { labels: BTreeMap::from([("stage".to_owned(), "trial".to_owned())]), ..on_target(house, settings) }
}

fn suspend(terms: TermsId) -> TermsCommand {
    TermsCommand::Suspend { terms, reason: Said::new("for now") }
}

/// What everybody else does long before: oda answers, out of a group, where tomas asks; he is an administrator.
fn oda_answers(house: &mut House) {
    a_group(house, "answering", &["oda"]);
    let terms = on_target(house, asks(vec![Approver::Subject { id: id(house, "answering") }]));
    long_ago(house, set(terms));
}

/// Everywhere nobody is asked any more.
fn nobody_is_asked(house: &mut House) {
    let everywhere = house.world.terms.values().next().unwrap().clone();
    long_ago(house, set(Terms { settings: settings(0), ..everywhere }));
}

/// Nobody is asked, but what is on the target wants more of him.
fn wants(house: &mut House, settings: Settings) {
    nobody_is_asked(house);
    let strict = on_target(house, settings);
    long_ago(house, set(strict));
}

/// Time passes, and is noticed.
fn passes(house: &mut House, time: Seconds) {
    house.now = later(house.now, time);
    house.tick();
}

/// Closed for two days from then on.
fn freeze(from: Timestamp) -> CalendarCommand {
    let until = later(from, Seconds::hours(48));
    let (name, zone) = ("freeze".to_owned(), "UTC".to_owned());
    let entries = vec![CalendarEntry { from, until, what: "everything".to_owned() }];
    CalendarCommand::Set { calendar: Calendar { name, entries, known_until: None, zone, set_by: None, set_at: None } }
}

fn wants_oda(house: &mut House) {
    let oda = Approver::Subject { id: id(house, "oda") };
    wants(house, asks(vec![oda]));
}

fn fresh(spared: Option<&str>, pilot: Option<&str>, house: &House) -> AssuranceCommand {
    let of = |name: Option<&str>| name.map(|name| id(house, name));
    AssuranceCommand::Set {
        assurance: Assurance {
            name: "fresh".to_owned(),
            accepts: BTreeSet::from([ProofMethod::TotpCode]),
            within: Seconds(5),
            networks: BTreeSet::new(),
            bypass: of(spared),
            pilot: of(pilot),
            watch_only: false,
            set_by: None,
            set_at: None,
        },
    }
}

/// Nobody is asked, but an assurance is wanted, which spares one group and is tried out with another.
fn wants_fresh(house: &mut House, spared: Option<&str>, pilot: Option<&str>) {
    let assurance = fresh(spared, pilot, house);
    long_ago(house, assurance);
    wants(house, Settings { assured: Some(Assured(BTreeSet::from(["fresh".to_owned()]))), ..asks_nobody() });
}

/// How far he gets, with a yes of everybody who says yes for him: why not, where he isn't let in.
fn gets_in(house: &mut House, yes_of: &str) -> Result<(), String> {
    let why = |refusal: Refusal| refusal.cause().unwrap_or(refusal.code()).to_owned();
    let asked = house.ask(Who::Asker, 600, StartChoice::AtYes).map_err(why)?;
    let mut told = Ok(());
    for name in yes_of.split_whitespace() {
        let shown = house.world.elevations[&asked].asked_digest();
        let reason = Some(Said::new("because"));
        let yes = AnswerInput { elevation: asked, verdict: Verdict::Yes, less: None, reason, shown };
        told = as_one(house, name, ElevationCommand::Answer(yes)).map_err(why);
    }
    match house.phase(asked) {
        Phase::Opening => Ok(()),
        Phase::Waiting => Err(told.err().unwrap_or_else(|| "nobody's yes".to_owned())),
        other => panic!("it is {other}"),
    }
}

/// The house as it was before he does anything; he is an administrator since long ago.
fn before(route: &Route) -> House {
    let mut house = House::new(&settings(1));
    let makes = duty(&house, DutyKind::Administrator, "tomas");
    long_ago(&mut house, makes);
    (route.before)(&mut house);
    house.now = later(house.now, Seconds::hours(48));
    house
}

#[test]
fn no_route_to_answering_oneself_opens_anything_within_the_day() {
    let mut otherwise = Vec::new();
    for route in by_a_yes::ROUTES.iter().chain(&by_less::ROUTES) {
        let mut house = before(route);
        let done = (route.does)(&mut house);
        let came_to = match &done {
            Ok(()) => gets_in(&mut house, route.yes_of).err().unwrap_or_else(|| "let in".to_owned()),
            Err(refusal) => refusal.cause().unwrap_or(refusal.code()).to_owned(),
        };
        if came_to != route.why {
            otherwise.push(format!("{}: {came_to}, not {}", route.name, route.why));
        }
        house.check();
    }
    assert_eq!(otherwise, [""; 0]);
}

/// Each row is a route indeed: a day later, when everybody could have noticed, it leads where it seemed to.
#[test]
fn what_is_no_route_within_the_day_is_one_after_it() {
    let mut otherwise = Vec::new();
    for route in by_a_yes::ROUTES.iter().skip(2).chain(&by_less::ROUTES) {
        let mut house = before(route);
        if (route.does)(&mut house).is_err() {
            continue;
        }
        house.now = later(house.now, Seconds::hours(25));
        let leads = gets_in(&mut house, route.yes_of);
        if leads.is_ok() == (route.yes_of == "tomas") {
            otherwise.push(format!("{}: {leads:?}", route.name));
        }
    }
    assert_eq!(otherwise, [""; 0]);
}

//! Random interleavings of commands and time, with what must always hold written as such.

#![expect(clippy::unwrap_used, clippy::indexing_slicing, reason = "a test says what it expects")]

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;
use tempestas_core::*;

/// A small house on virtual time.
struct House {
    world: World,
    facts: Vec<Fact>,
    texts: Vec<PrivateText>,
    now: Timestamp,
    drawn: u64,
}

/// Who acts. `Second` is another sign-in of the asker.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Who {
    Administrator,
    Asker,
    Second,
    First,
    Other,
}

const EVERYONE: [Who; 5] = [Who::Administrator, Who::Asker, Who::Second, Who::First, Who::Other];

impl Who {
    fn name(self) -> &'static str {
        match self {
            Self::Administrator => "mara",
            Self::Asker => "tomas",
            Self::Second => "tomas-admin",
            Self::First => "oda",
            Self::Other => "piet",
        }
    }
}

impl House {
    fn new(terms: &Settings) -> Self {
        let mut house = Self {
            world: World::default(),
            facts: Vec::new(),
            texts: Vec::new(),
            now: "2026-01-05T08:00:00Z".parse().unwrap(),
            drawn: 0,
        };
        house.machine(Command::Found { installation: "test".to_owned(), administrator: Said::new("mara") });
        let person = |name: &str, second_of| Command::AddSubject {
            kind: SubjectKind::Person,
            name: Said::new(name),
            about: Said::new("somebody"),
            second_of,
        };
        for name in ["tomas", "oda", "piet"] {
            house.well(Who::Administrator, person(name, None));
        }
        let tomas = house.id(Who::Asker);
        house.well(Who::Administrator, person("tomas-admin", Some(tomas)));
        let root = house.world.root.unwrap();
        house.well(
            Who::Administrator,
            Command::AddTarget {
                parent: root,
                name: "cloud".to_owned(),
                connector: Connector::Brightwater { url: "http://127.0.0.1:1".to_owned() },
                emergency_least: 1,
                alarm_after: Seconds(60),
            },
        );
        let target = house.target();
        house.keeper(Command::RecordSurvey {
            target,
            digest: Digest::of(&[b"survey"]),
            survey: Box::new(survey(house.now, 1)),
            accepted: false,
        });
        house.well(Who::Administrator, Command::SetAccount { subject: tomas, target, account: Said::new("t.reyes") });
        let right = house.right();
        house.well(Who::Administrator, Command::GiveEligibility { subject: tomas, right, from: None, until: None });
        let approvers = [Who::First, Who::Other, Who::Second, Who::Asker]
            .map(|who| Approver::Subject { id: house.id(who) })
            .to_vec();
        let mut settings = terms.clone();
        if let Some(Approval::Stage { approvers: named, .. }) = &mut settings.approval {
            *named = approvers;
        }
        house.well(Who::Administrator, Command::SetTerms { terms: rule(root, settings) });
        house.now = later(house.now, Seconds::hours(48));
        house
    }

    fn id(&self, who: Who) -> SubjectId {
        self.world.subject_named(who.name()).unwrap().id
    }

    fn target(&self) -> ScopeId {
        *self.world.targets.keys().next().unwrap()
    }

    fn right(&self) -> Right {
        Right { role: self.world.roles.values().next().unwrap().id, scope: self.target() }
    }

    fn act(&mut self, caller: Caller, command: &Command) -> Result<Decision, Refusal> {
        self.drawn += 1;
        // No two commands at one instant, so that what came first can be told.
        self.now = self.now.checked_add(SignedDuration::from_micros(1)).unwrap();
        let chance = Digest::of(&[&self.drawn.to_be_bytes()]).0;
        let decision = decide(&self.world, command, &Context { now: self.now, caller, chance })?;
        for fact in &decision.facts {
            self.world.apply(fact);
        }
        for text in &decision.texts {
            self.world.know(text.digest, text.text.clone());
        }
        self.facts.extend(decision.facts.clone());
        self.texts.extend(decision.texts.clone());
        Ok(decision)
    }

    fn caller(&self, who: Who) -> Caller {
        Caller {
            actor: Actor::Subject(self.id(who)),
            proven_at: Some(self.now),
            from: Some(Said::new("127.0.0.1")),
            door: Door::Api,
        }
    }

    fn try_as(&mut self, who: Who, command: &Command) -> Result<Decision, Refusal> {
        self.act(self.caller(who), command)
    }

    fn well(&mut self, who: Who, command: Command) -> Decision {
        self.try_as(who, &command).unwrap_or_else(|refusal| panic!("{command:?}: {refusal}"))
    }

    fn machine(&mut self, command: Command) {
        self.act(Caller::machine(), &command).unwrap();
    }

    fn keeper(&mut self, command: Command) {
        self.act(Caller::keeper(), &command).unwrap();
    }

    fn ask(&mut self, who: Who, seconds: u32, start: StartChoice) -> Result<ElevationId, Refusal> {
        let (asker, right) = (self.id(who), self.right());
        let shown = Digest::of_json(&demand_for(&self.world, asker, right, self.now)?);
        let command = Command::Ask {
            right,
            duration: Some(Seconds(seconds)),
            start,
            reason: Some(Said::new("a reason that is long enough")),
            ticket: None,
            shown,
        };
        let decision = self.try_as(who, &command)?;
        let asked = decision.facts.iter().find_map(|fact| match fact.what {
            What::Asked { elevation, .. } => Some(elevation),
            _ => None,
        });
        Ok(asked.unwrap())
    }

    fn answer(&mut self, who: Who, elevation: ElevationId, verdict: Verdict) -> Result<Decision, Refusal> {
        let shown = self.world.elevations[&elevation].digest;
        self.try_as(who, &Command::Answer { elevation, verdict, reason: Some(Said::new("because")), shown })
    }

    fn phase(&self, elevation: ElevationId) -> Phase {
        self.world.elevations[&elevation].phase
    }

    /// What a keeper would do at this moment, on a target that works.
    fn obey(&mut self) {
        for order in orders(&self.world, self.target(), self.now) {
            match order.task {
                Task::Give(grant) => self.keeper(Command::GrantSeen { grant: grant.id, there: true }),
                Task::Take(grant) => self.keeper(Command::GrantGone { grant: grant.id, leftovers: Vec::new() }),
                _ => {}
            }
        }
    }

    fn check(&self) {
        for grant in self.world.grants.values() {
            let elevation = &self.world.elevations[&grant.elevation];
            no_grant_past_its_end(grant, elevation);
            no_grant_without_its_stages(grant, elevation);
        }
        for elevation in self.world.elevations.values() {
            nobody_answers_themselves(self, elevation);
            assert_eq!(
                self.world.active.contains(&elevation.id),
                !elevation.is_over(),
                "{} is kept among the wrong ones",
                elevation.id
            );
        }
        assert!(self.facts.is_sorted_by_key(|fact| fact.at), "time ran backwards in the ledger");
    }

    /// Time passes and the target works: everything must come to its end.
    fn run_out(mut self) {
        for _ in 0..4 {
            self.now = later(self.now, Seconds::hours(24 * 10));
            let alarm =
                self.world.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).map(|alarm| alarm.id);
            if let Some(alarm) = alarm {
                self.well(Who::Administrator, Command::SettleAlarm { alarm });
            }
            self.keeper(Command::Tick);
            self.obey();
        }
        assert_eq!(self.world.active, BTreeSet::new(), "something has no way to its end");
    }

    /// The facts, written and read again, make the same World.
    fn replay(&self) {
        let mut again = World::default();
        for fact in &self.facts {
            again.apply(&Fact::from_bytes(&fact.to_bytes().unwrap()).unwrap());
        }
        let rows = |world: &World| world.rows().collect::<Vec<_>>();
        assert_eq!(rows(&again), rows(&self.world));
    }
}

fn no_grant_past_its_end(grant: &Grant, elevation: &Elevation) {
    let longest = elevation.demand.terms.longest;
    assert!(grant.until <= later(grant.opened_at, longest), "{} is longer than its terms", grant.id);
    assert!(grant.until <= later(grant.opened_at, elevation.duration), "{} is longer than was asked", grant.id);
    if let Phase::Ended(_) = elevation.phase {
        assert_eq!(grant.seen, Seen::No, "{} ended unseen", grant.id);
        assert!(!grant.wanted, "{} ended and is wanted", grant.id);
    }
}

fn no_grant_without_its_stages(grant: &Grant, elevation: &Elevation) {
    if let Some(stage) = elevation.stages.last() {
        assert!(stage.is_granted(), "{} was opened without its yes", grant.id);
        for answer in &stage.answers {
            assert!(stage.approvers.contains(&answer.by), "{} counted a stranger's answer", grant.id);
            assert!(answer.at <= stage.until && answer.at <= grant.opened_at, "{} counted a late answer", grant.id);
        }
    } else {
        assert_eq!(elevation.demand.terms.approval, Approval::None, "{} skipped its stage", grant.id);
    }
}

fn nobody_answers_themselves(house: &House, elevation: &Elevation) {
    for answer in elevation.stages.iter().flat_map(|stage| &stage.answers) {
        let (asker, by) = (house.world.human(elevation.asker), house.world.human(answer.by));
        assert_ne!(asker, by, "{} was answered by its asker", elevation.id);
        let touched = house.world.hands.values().any(|hand| {
            hand.touched == answer.by
                && hand.by.is_none_or(|hand| house.world.human(hand) == asker)
                && hand.at <= answer.at
                && later(hand.at, Seconds::hours(24)) > answer.at
        });
        assert!(!touched, "{} was answered by its asker's hand", elevation.id);
    }
}

fn survey(clock: Timestamp, permits: u8) -> Survey {
    let lapse =
        Lapse { by_itself: true, within: Seconds(1), holder_can_undo: false, says: "it ends by itself".to_owned() };
    Survey {
        complete: true,
        clock,
        broker: "broker".to_owned(),
        parts: vec![PartFound { path: vec!["lake".to_owned()] }],
        roles: vec![RoleFound {
            name: "writer".to_owned(),
            says: "writes".to_owned(),
            weight: Weight::Privileged,
            permits: Digest::of(&[&[permits]]),
            lapse,
        }],
        accounts: Vec::new(),
        rights: Vec::new(),
        marked: Vec::new(),
    }
}

fn rule(scope: ScopeId, settings: Settings) -> Terms {
    Terms {
        id: TermsId(0),
        act: Act::Elevate,
        scope,
        role: None,
        weight: None,
        asker: None,
        settings,
        pins: Vec::new(),
        set_by: None,
        set_at: None,
    }
}

fn settings(yes: u16) -> Settings {
    Settings {
        longest: Some(Seconds::hours(2)),
        starts: Some(Starts {
            at_yes: true,
            at_time_within: Some(Seconds::hours(24)),
            begin_within: Some(Seconds::hours(1)),
        }),
        approval: Some(match yes {
            0 => Approval::None,
            yes => Approval::Stage { approvers: Vec::new(), yes, no: 1, within: Seconds::hours(4) },
        }),
        ..Settings::default()
    }
}

#[derive(Debug, Clone)]
enum Step {
    Pass(u32),
    Tick,
    Obey,
    Ask(u8, u32, u8),
    Answer(u8, u8, bool),
    Withdraw(u8, u8),
    Begin(u8, u8),
    GiveBack(u8, u8),
    Revoke(u8, u8),
    Suspend(u8),
    Resume(u8),
    Reset(u8, u8),
    Tighten(u8, u16),
    Grow(u8),
    EndEligibility,
    Missing(u8),
    MoveClock,
    GiveLate(u8),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        4 => (1..7200_u32).prop_map(Step::Pass),
        3 => Just(Step::Tick),
        3 => Just(Step::Obey),
        4 => (any::<u8>(), 1..9000_u32, 0..3_u8).prop_map(|(who, seconds, start)| Step::Ask(who, seconds, start)),
        6 => (any::<u8>(), any::<u8>(), prop::bool::weighted(0.8)).prop_map(|(who, which, yes)| Step::Answer(who, which, yes)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Withdraw(who, which)),
        2 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Begin(who, which)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::GiveBack(who, which)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Revoke(who, which)),
        1 => any::<u8>().prop_map(Step::Suspend),
        1 => any::<u8>().prop_map(Step::Resume),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(by, whom)| Step::Reset(by, whom)),
        1 => (any::<u8>(), 0..3_u16).prop_map(|(who, yes)| Step::Tighten(who, yes)),
        1 => any::<u8>().prop_map(Step::Grow),
        1 => Just(Step::EndEligibility),
        1 => any::<u8>().prop_map(Step::Missing),
        1 => Just(Step::MoveClock),
        1 => any::<u8>().prop_map(Step::GiveLate),
    ]
}

fn who(n: u8) -> Who {
    EVERYONE[usize::from(n) % EVERYONE.len()]
}

/// Carries out one step. Refusals are part of the game; what must never happen is checked after each.
fn carry_out(house: &mut House, step: &Step) {
    let which = |house: &House, n: u8| {
        let all: Vec<ElevationId> = house.world.elevations.keys().copied().collect();
        (!all.is_empty()).then(|| all[usize::from(n) % all.len()])
    };
    let grant = |house: &House, n: u8| which(house, n).and_then(|id| house.world.elevations[&id].grant);
    match *step {
        Step::Pass(seconds) => house.now = later(house.now, Seconds(seconds)),
        Step::Tick => {
            house.keeper(Command::Tick);
            let late = house.world.grants.values().find(|grant| grant.wanted && grant.until <= house.now);
            assert_eq!(late, None, "a grant is wanted past its end");
        }
        Step::Obey => house.obey(),
        Step::Ask(n, seconds, start) => {
            let start = match start {
                0 => StartChoice::AtYes,
                1 => StartChoice::OnBegin,
                _ => StartChoice::At { time: later(house.now, Seconds(seconds * 2)) },
            };
            let _ = house.ask(if n % 3 == 0 { who(n) } else { Who::Asker }, seconds, start);
        }
        Step::Answer(n, e, yes) => {
            if let Some(id) = which(house, e) {
                let _ = house.answer(who(n), id, if yes { Verdict::Yes } else { Verdict::No });
            }
        }
        Step::Withdraw(n, e) => act_on(house, n, which(house, e), |elevation| Command::Withdraw { elevation }),
        Step::Begin(n, e) => act_on(house, n, which(house, e), |elevation| Command::Begin { elevation }),
        Step::GiveBack(n, e) => act_on(house, n, which(house, e), |elevation| Command::GiveBack { elevation }),
        Step::Revoke(n, e) => {
            let word = Said::new("enough");
            act_on(house, n, which(house, e), |elevation| Command::Revoke { elevation, word: word.clone() });
        }
        Step::Suspend(n) => {
            let subject = house.id(who(n));
            let _ = house.try_as(Who::Administrator, &Command::Suspend { subject });
        }
        Step::Resume(n) => {
            let subject = house.id(who(n));
            let _ = house.try_as(Who::Administrator, &Command::Resume { subject });
        }
        Step::Reset(by, whom) => {
            let subject = house.id(who(whom));
            let what = What::EnrolmentIssued { subject };
            // The asker becomes an administrator for this, as somebody might make them.
            let root = house.world.root.unwrap();
            let asker = house.id(who(by));
            let duty = Command::GiveDuty { subject: asker, kind: DutyKind::Administrator, scope: root };
            let _ = house.try_as(Who::Administrator, &duty);
            let _ = house.try_as(who(by), &Command::SetCredentials { subject, what });
        }
        Step::Tighten(n, yes) => {
            let approvers =
                vec![Approver::Subject { id: house.id(Who::First) }, Approver::Subject { id: house.id(Who::Other) }];
            let mut settings = settings(yes);
            if let Some(Approval::Stage { approvers: named, .. }) = &mut settings.approval {
                *named = approvers;
            }
            let terms = rule(house.target(), settings);
            let _ = house.try_as(who(n), &Command::SetTerms { terms });
        }
        Step::Grow(permits) => {
            let (target, found) = (house.target(), survey(house.now, permits % 3));
            let digest = Digest::of_json(&found);
            house.keeper(Command::RecordSurvey { target, digest, survey: Box::new(found), accepted: false });
        }
        Step::EndEligibility => {
            let held = house.world.eligibilities.keys().next().copied();
            if let Some(eligibility) = held {
                let _ = house.try_as(Who::Administrator, &Command::EndEligibility { eligibility });
            } else {
                let (subject, right) = (house.id(Who::Asker), house.right());
                let until = Some(later(house.now, Seconds::hours(1)));
                let _ =
                    house.try_as(Who::Administrator, &Command::GiveEligibility { subject, right, from: None, until });
            }
        }
        Step::Missing(e) => {
            if let Some(grant) = grant(house, e) {
                house.keeper(Command::GrantSeen { grant, there: false });
            }
        }
        Step::MoveClock => house.keeper(Command::RaiseAlarm(AlarmKind::ClockStep { seconds: 9 })),
        Step::GiveLate(e) => {
            if let Some(grant) = grant(house, e) {
                house.keeper(Command::GrantSeen { grant, there: true });
            }
        }
    }
}

fn act_on(house: &mut House, n: u8, which: Option<ElevationId>, command: impl Fn(ElevationId) -> Command) {
    if let Some(id) = which {
        let _ = house.try_as(who(n), &command(id));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn whatever_happens_in_whatever_order_the_invariants_hold(
        yes in 0..3_u16,
        steps in prop::collection::vec(step(), 1..80),
    ) {
        let mut house = House::new(&settings(yes));
        for step in &steps {
            carry_out(&mut house, step);
            house.check();
        }
        house.replay();
        house.run_out();
    }
}

#[test]
fn a_grant_lives_from_its_yes_to_its_end_and_no_longer() {
    let mut house = House::new(&settings(1));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    assert_eq!(house.phase(id), Phase::Waiting);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
    house.obey();
    assert_eq!(house.phase(id), Phase::Live);
    house.now = later(house.now, Seconds(600));
    house.keeper(Command::Tick);
    assert_eq!(house.phase(id), Phase::Closing);
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
}

#[test]
fn nobody_answers_their_own_ask_by_any_route() {
    let mut house = House::new(&settings(1));
    let root = house.world.root.unwrap();
    let (tomas, first) = (house.id(Who::Asker), house.id(Who::First));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let refused = |outcome: Result<Decision, Refusal>| matches!(outcome, Err(Refusal::NotAllowed(_)));
    assert!(refused(house.answer(Who::Asker, id, Verdict::Yes)), "as themselves");
    house.answer(Who::Second, id, Verdict::Yes).expect_err("with a second sign-in");
    house.well(Who::Administrator, Command::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root });
    let what = What::EnrolmentIssued { subject: first };
    house.well(Who::Asker, Command::SetCredentials { subject: first, what });
    assert!(refused(house.answer(Who::First, id, Verdict::Yes)), "with a factor they reset");
    house.answer(Who::Other, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn terms_that_the_asker_changed_while_the_ask_waits_do_not_let_them_in() {
    let mut house = House::new(&settings(2));
    let (root, tomas, target) = (house.world.root.unwrap(), house.id(Who::Asker), house.target());
    house.well(Who::Administrator, Command::GiveDuty { subject: tomas, kind: DutyKind::Administrator, scope: root });
    let waiting = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    house.well(Who::Asker, Command::SetTerms { terms: rule(target, settings(0)) });
    house.answer(Who::First, waiting, Verdict::Yes).unwrap();
    assert_eq!(house.phase(waiting), Phase::Waiting, "the second yes is still needed");
    assert!(matches!(house.ask(Who::Asker, 600, StartChoice::AtYes), Err(Refusal::NotAllowed(_))));
    house.now = later(house.now, Seconds::hours(25));
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
}

#[test]
fn an_answer_to_what_was_not_shown_is_refused() {
    let mut house = House::new(&settings(1));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let shown = Digest::of(&[b"another ask"]);
    let answer = Command::Answer { elevation: id, verdict: Verdict::Yes, reason: None, shown };
    assert!(matches!(house.try_as(Who::First, &answer), Err(Refusal::Changed(_))));
}

#[test]
fn a_role_that_grew_goes_back_to_its_approvers() {
    let mut house = House::new(&settings(1));
    let start = StartChoice::At { time: later(house.now, Seconds::hours(2)) };
    let id = house.ask(Who::Asker, 600, start).unwrap();
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Scheduled);
    carry_out(&mut house, &Step::Grow(2));
    house.now = later(house.now, Seconds::hours(2));
    house.keeper(Command::Tick);
    assert_eq!(house.phase(id), Phase::Waiting);
    house.answer(Who::First, id, Verdict::Yes).unwrap();
    assert_eq!(house.phase(id), Phase::Opening);
}

#[test]
fn a_target_with_overdue_ends_gets_no_new_grant() {
    let mut house = House::new(&settings(0));
    let id = house.ask(Who::Asker, 60, StartChoice::AtYes).unwrap();
    house.obey();
    house.now = later(house.now, Seconds(60));
    house.keeper(Command::Tick);
    house.now = later(house.now, Seconds(61));
    house.keeper(Command::Tick);
    assert!(house.world.open_alarm(|about| matches!(about, AlarmKind::TakeLate { .. })).is_some());
    house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let tasks: Vec<Task> =
        orders(&house.world, house.target(), house.now).into_iter().map(|order| order.task).collect();
    assert!(matches!(tasks.as_slice(), [Task::Take(_), Task::Hold(..)]), "{tasks:?}");
    house.obey();
    assert_eq!(house.phase(id), Phase::Ended(End::Lapsed));
    assert_eq!(house.world.open_alarm(|_| true), None);
}

#[test]
fn a_survey_that_lost_half_of_everything_changes_nobodys_rights() {
    let mut house = House::new(&settings(0));
    let target = house.target();
    let holder = |n: u32| RightFound {
        account: format!("account-{n}"),
        role: "writer".to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(format!("po-{n}")),
        since: None,
        last_used: None,
    };
    let mut whole = survey(house.now, 1);
    whole.rights = (0..10).map(holder).collect();
    let record = |survey: Survey| Command::RecordSurvey {
        target,
        digest: Digest::of_json(&survey),
        survey: Box::new(survey),
        accepted: false,
    };
    house.keeper(record(whole.clone()));
    assert_eq!(house.world.standing.len(), 10);
    house.keeper(record(Survey { rights: whole.rights[..4].to_vec(), ..whole.clone() }));
    house.keeper(record(Survey { complete: false, ..whole.clone() }));
    assert_eq!(house.world.standing.len(), 10);
    assert!(house.world.open_alarm(|about| *about == AlarmKind::SurveyHeld { target }).is_some());
    house.keeper(record(Survey { rights: whole.rights[..9].to_vec(), ..whole }));
    assert_eq!(house.world.standing.len(), 9);
    assert_eq!(house.world.open_alarm(|_| true), None);
}

#[test]
fn time_is_checked_against_the_longest_and_the_eligibility() {
    let mut house = House::new(&settings(0));
    assert!(matches!(house.ask(Who::Asker, 7201, StartChoice::AtYes), Err(Refusal::Invalid(_))));
    let past = StartChoice::At { time: house.now - SignedDuration::from_secs(1) };
    assert!(matches!(house.ask(Who::Asker, 60, past), Err(Refusal::Invalid(_))));
    let (subject, right) = (house.id(Who::Asker), house.right());
    let until = Some(later(house.now, Seconds(100)));
    house.well(Who::Administrator, Command::GiveEligibility { subject, right, from: None, until });
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let grant = house.world.elevations[&id].grant.unwrap();
    let down_to_the_second = until.map(|until| Timestamp::from_second(until.as_second()).unwrap());
    assert_eq!(Some(house.world.grants[&grant].until), down_to_the_second);
}

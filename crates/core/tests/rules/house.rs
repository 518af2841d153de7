//! A small house on virtual time: five sign-ins of four people, one target, one role.

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};
use tempestas_core::*;

use crate::interleavings::{
    no_grant_past_its_end, no_grant_without_its_stages, no_two_answers_of_one, nobody_answers_themselves,
};

/// A small house on virtual time.
pub struct House {
    pub world: World,
    pub facts: Vec<Fact>,
    pub texts: Vec<PrivateText>,
    pub now: Timestamp,
    pub drawn: u64,
    /// The same World, but for what is over: it forgets that as soon as it may, and is told of it where a command is about it.
    pub forgetful: Option<World>,
}

/// Who acts. `Second` is another sign-in of the asker.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Who {
    Administrator,
    Asker,
    Second,
    First,
    Other,
}

pub const EVERYONE: [Who; 5] = [Who::Administrator, Who::Asker, Who::Second, Who::First, Who::Other];

impl Who {
    pub fn name(self) -> &'static str {
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
    pub fn new(terms: &Settings) -> Self {
        let mut house = Self {
            world: World::default(),
            facts: Vec::new(),
            texts: Vec::new(),
            now: "2026-01-05T08:00:00Z".parse().unwrap(),
            drawn: 0,
            forgetful: None,
        };
        house.machine(OperatorCommand::Found { installation: "test".to_owned(), administrator: Said::new("mara") });
        let person = |name: &str, second_of| PeopleCommand::AddSubject {
            kind: SubjectKind::Person,
            name: Said::new(name),
            about: Said::new(format!("somebody called {name}")),
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
            EstateCommand::AddTarget {
                parent: root,
                name: "cloud".to_owned(),
                connector: Connector::Brightwater { url: "http://127.0.0.1:1".to_owned() },
                emergency_least: 1,
                alarm_after: Seconds(60),
            },
        );
        let target = house.target();
        house.keeper(Report::Surveyed {
            target,
            digest: Digest::of(&[b"survey"]),
            survey: Box::new(survey(house.now, 1)),
        });
        house.well(
            Who::Administrator,
            PeopleCommand::SetAccount { subject: tomas, target, account: Said::new("t.reyes") },
        );
        let right = house.right();
        house.well(
            Who::Administrator,
            EligibilityCommand::Give { subject: tomas, right, from: None, until: None, reason: None },
        );
        let approvers = [Who::First, Who::Other, Who::Second, Who::Asker]
            .map(|who| Approver::Subject { id: house.id(who) })
            .to_vec();
        let mut settings = terms.clone();
        if let Some(Approval::Stages(stages)) = &mut settings.approval {
            stages[0].approvers = approvers;
        }
        house.well(Who::Administrator, TermsCommand::Set { terms: rule(root, settings) });
        house.now = later(house.now, Seconds::hours(48));
        house
    }

    pub fn id(&self, who: Who) -> SubjectId {
        self.world.subject_named(who.name()).unwrap().id
    }

    pub fn target(&self) -> ScopeId {
        *self.world.targets.keys().next().unwrap()
    }

    pub fn right(&self) -> Right {
        Right { role: self.world.roles.values().next().unwrap().id, scope: self.target() }
    }

    pub fn act(&mut self, caller: Caller, command: impl Into<Command>) -> Result<Decision, Refusal> {
        self.act_on(None, caller, command)
    }

    /// As the administrator, who looked at what they change before.
    pub fn change(&mut self, looked_at: LookedAt, command: impl Into<Command>) -> Result<Decision, Refusal> {
        self.act_on(Some(looked_at), self.caller(Who::Administrator), command)
    }

    pub fn act_on(
        &mut self,
        looked_at: Option<LookedAt>,
        caller: Caller,
        command: impl Into<Command>,
    ) -> Result<Decision, Refusal> {
        let command = &command.into();
        self.drawn += 1;
        // No two commands at one instant, so that what came first can be told.
        self.now = self.now.checked_add(SignedDuration::from_micros(1)).unwrap();
        let chance = Digest::of(&[&self.drawn.to_be_bytes()]).0;
        let context = Context { now: self.now, caller, chance, looked_at };
        let decided = decide(&self.world, command, &context);
        if let Some(mut forgetful) = self.forgetful.take() {
            forgetful.forget(self.now.checked_sub(SignedDuration::from_hours(1)).unwrap());
            self.recall(&mut forgetful, Recall::of_command(command));
            assert_eq!(decide(&forgetful, command, &context), decided, "{command:?} rests on what is over");
            decided.iter().flat_map(|decision| &decision.facts).for_each(|fact| forgetful.apply(fact));
            self.forgetful = Some(forgetful);
        }
        let decision = decided?;
        for fact in &decision.facts {
            self.world.apply(fact);
        }
        for text in &decision.texts {
            self.world.know(text.digest, text.text.clone());
            self.forgetful.iter_mut().for_each(|world| world.know(text.digest, text.text.clone()));
        }
        self.facts.extend(decision.facts.clone());
        self.texts.extend(decision.texts.clone());
        Ok(decision)
    }

    /// The grant of an elevation that was opened.
    pub fn grant(&self, id: ElevationId) -> GrantId {
        self.world.elevations[&id].grants[0]
    }

    /// Puts into a World what it forgot, from this one.
    pub fn recall(&self, into: &mut World, wanted: Recall) {
        let mut wanted = wanted.missing(into);
        wanted
            .elevations
            .extend(wanted.grants.iter().filter_map(|id| self.world.grants.get(id)).map(|it| it.elevation));
        let mut rows = Vec::new();
        for elevation in wanted.elevations.iter().filter_map(|id| self.world.elevations.get(id)) {
            rows.push(Row::Elevation(elevation.clone()));
            rows.extend(self.world.demands.get(&elevation.id).cloned().map(Row::Demand));
            rows.extend(self.world.grants_of(elevation).cloned().map(Row::Grant));
        }
        wanted.texts.extend(digests_in(&serde_json::to_string(&rows).unwrap()));
        let texts = self.texts.iter().filter(|text| wanted.texts.contains(&text.digest));
        into.recall(rows, texts.map(|text| (text.digest, text.text.clone())).collect());
    }

    pub fn caller(&self, who: Who) -> Caller {
        Caller {
            actor: Actor::Subject(self.id(who)),
            proof: Some(Proof { at: self.now, method: ProofMethod::TotpCode }),
            from: Some(Said::new("192.0.2.7")),
            channel: Channel::Api,
            keeps: None,
        }
    }

    pub fn try_as(&mut self, who: Who, command: impl Into<Command>) -> Result<Decision, Refusal> {
        self.act(self.caller(who), command)
    }

    pub fn well(&mut self, who: Who, command: impl Into<Command>) -> Decision {
        let command = command.into();
        self.try_as(who, command.clone()).unwrap_or_else(|refusal| panic!("{command:?}: {refusal}"))
    }

    pub fn machine(&mut self, command: impl Into<Command>) {
        self.act(Caller::machine(), command).unwrap();
    }

    /// What a report comes to, from the keeper of the target that it is about.
    pub fn reported(&mut self, report: Report) -> Result<Decision, Refusal> {
        let caller = match (report.target(&self.world), &report) {
            (Some(target), _) => Caller::keeper_of(target),
            (None, Report::Alarm(_)) => Caller::service(),
            (None, _) => Caller::keeper_of(self.target()),
        };
        self.act(caller, report)
    }

    pub fn keeper(&mut self, report: Report) {
        self.reported(report).unwrap();
    }

    pub fn tick(&mut self) {
        self.act(Caller::service(), Command::Tick).unwrap();
    }

    /// A minute passes, second by second: within one, whatever waits is looked at.
    pub fn pass_a_minute(&mut self) {
        for _ in 0..60 {
            self.now = later(self.now, Seconds(1));
            self.tick();
        }
    }

    pub fn ask(&mut self, who: Who, seconds: u32, start: StartChoice) -> Result<ElevationId, Refusal> {
        self.ask_for(who, self.right(), seconds, start)
    }

    pub fn ask_for(
        &mut self,
        who: Who,
        right: Right,
        seconds: u32,
        start: StartChoice,
    ) -> Result<ElevationId, Refusal> {
        let (start, duration) = (Some(start), Some(Seconds(seconds)));
        self.ask_in(who, right, Manner { start, duration, glass: false })
    }

    /// Breaks the glass.
    pub fn break_glass(&mut self, who: Who, seconds: u32) -> Result<ElevationId, Refusal> {
        let (start, duration) = (Some(StartChoice::AtYes), Some(Seconds(seconds)));
        self.ask_in(who, self.right(), Manner { start, duration, glass: true })
    }

    fn ask_in(&mut self, who: Who, right: Right, manner: Manner) -> Result<ElevationId, Refusal> {
        let shown = Digest::of_json(&demand_to_hold(&self.world, self.id(who), right, self.now, manner)?);
        let Manner { start, duration, glass } = manner;
        let command = ElevationCommand::Ask(Ask {
            right,
            duration,
            start,
            glass,
            brings: Brings::reason("a reason that is long enough"),
            shown,
        });
        let decision = self.try_as(who, command)?;
        let asked = decision.facts.iter().find_map(|fact| match fact.what {
            What::Asked { elevation, .. } => Some(elevation),
            _ => None,
        });
        Ok(asked.unwrap())
    }

    /// Asks to go on with an elevation, by what is shown at this moment.
    pub fn extend(&mut self, who: Who, elevation: ElevationId, more: u32) -> Result<Decision, Refusal> {
        let known = &self.world.elevations[&elevation];
        let shown = extension_offer(&self.world, known, Some(Seconds(more)), self.now)?.digest;
        let brings = Brings::reason("it takes longer than was thought");
        self.try_as(who, ElevationCommand::Extend(Extend { elevation, more: Some(Seconds(more)), brings, shown }))
    }

    /// When an elevation's grant ends, as far as the target was read back.
    pub fn until(&self, elevation: ElevationId) -> Timestamp {
        self.world.grants[&self.grant(elevation)].until
    }

    pub fn answer_less(
        &mut self,
        who: Who,
        elevation: ElevationId,
        verdict: Verdict,
        less: Option<Less>,
    ) -> Result<Decision, Refusal> {
        let shown = self.world.elevations[&elevation].asked_digest();
        let reason = Some(Said::new("because"));
        self.try_as(who, ElevationCommand::Answer(AnswerInput { elevation, verdict, less, reason, shown }))
    }

    pub fn answer(&mut self, who: Who, elevation: ElevationId, verdict: Verdict) -> Result<Decision, Refusal> {
        self.answer_less(who, elevation, verdict, None)
    }

    pub fn phase(&self, elevation: ElevationId) -> Phase {
        self.world.elevations[&elevation].phase
    }

    /// What a keeper would do at this moment, on a target that works.
    pub fn obey(&mut self) {
        for order in orders(&self.world, self.target(), self.now) {
            match order.task {
                Task::Give(grant) => self.keeper(Report::GrantSeen { grant: grant.id, there: true }),
                Task::Move(grant, until) => self.keeper(Report::GrantMoved { grant: grant.id, until }),
                Task::Take(grant) => self.keeper(Report::GrantGone { grant: grant.id, leftovers: Vec::new() }),
                _ => {}
            }
        }
    }

    pub fn check(&self) {
        for grant in self.world.grants.values() {
            let elevation = &self.world.elevations[&grant.elevation];
            let demand = &self.world.demands[&elevation.id].demand;
            no_grant_past_its_end(grant, elevation, demand);
            no_grant_without_its_stages(grant, elevation, demand);
        }
        for elevation in self.world.elevations.values() {
            nobody_answers_themselves(self, elevation);
            no_two_answers_of_one(self, elevation);
            assert_eq!(
                self.world.active().any(|one| one.id == elevation.id),
                !elevation.is_over(),
                "{} is kept among the wrong ones",
                elevation.id
            );
        }
        for elevation in self.world.active() {
            let stopped = self.world.stop_on(elevation.asker, elevation.right);
            assert!(elevation.phase == Phase::Closing || stopped.is_none(), "{} goes on under a stop", elevation.id);
        }
        assert!(self.facts.is_sorted_by_key(|fact| fact.at), "time ran backwards in the ledger");
        what_is_looked_up_is_what_is_there(&self.world);
    }

    /// Time passes and the target works: everything must come to its end.
    pub fn run_out(mut self) {
        for _ in 0..4 {
            self.now = later(self.now, Seconds::hours(24 * 10));
            let alarm =
                self.world.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).map(|alarm| alarm.id);
            if let Some(alarm) = alarm {
                self.well(Who::Administrator, Command::SettleAlarm { alarm });
            }
            self.tick();
            self.obey();
        }
        assert_eq!(self.world.active().next(), None, "something has no way to its end");
    }

    /// The facts, written and read again, make the same World.
    pub fn replay(&self) {
        let mut again = World::default();
        for fact in &self.facts {
            again.apply(&Fact::from_bytes(&fact.to_bytes().unwrap()).unwrap());
        }
        let rows = |world: &World| world.rows().collect::<Vec<_>>();
        assert_eq!(rows(&again), rows(&self.world));
        self.no_private_word_in_a_fact();
    }

    /// Whatever is kept as a private text may stand in no fact, in no prose of ours either.
    fn no_private_word_in_a_fact(&self) {
        let private = self.texts.iter().map(|text| text.text.as_str()).filter(|text| text.len() > 4);
        let private: BTreeSet<&str> = private.collect();
        for fact in &self.facts {
            let written = serde_json::to_value(fact).unwrap();
            for (word, said) in private.iter().flat_map(|word| says(&written).into_iter().map(move |said| (word, said)))
            {
                assert!(!said.contains(word), "`{word}` stands in a fact: {written}");
            }
        }
    }
}

/// Every text in a fact, but for the names of its fields.
fn says(written: &serde_json::Value) -> Vec<&str> {
    match written {
        serde_json::Value::String(said) => vec![said],
        serde_json::Value::Array(all) => all.iter().flat_map(says).collect(),
        serde_json::Value::Object(named) => named.values().flat_map(says).collect(),
        _ => Vec::new(),
    }
}

pub fn survey(clock: Timestamp, permits: u8) -> Survey {
    let lapse = Lapse {
        by_itself: true,
        within: Seconds(1),
        holder_can_undo: false,
        movable: true,
        says: "it ends by itself".to_owned(),
    };
    Survey {
        attributes: Default::default(),
        sealed: Vec::new(),
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

pub fn rule(scope: ScopeId, settings: Settings) -> Terms {
    Terms::new(scope, Act::Elevate, settings)
}

pub fn settings(yes: u16) -> Settings {
    Settings {
        longest: Some(Longest(Seconds::hours(2))),
        starts: Some(Starts {
            at_yes: true,
            at_time_within: Some(Seconds::hours(24)),
            begin_within: Some(Seconds::hours(1)),
        }),
        approval: Some(match yes {
            0 => Approval::None,
            yes => Approval::from(StageTerms {
                approvers: Vec::new(),
                yes,
                no: 1,
                within: Seconds::hours(4),
                ..StageTerms::default()
            }),
        }),
        ..Settings::default()
    }
}

/// Whatever the World finds by an index is what looking at every row would find.
fn what_is_looked_up_is_what_is_there(world: &World) {
    for target in world.targets.keys() {
        let there: Vec<_> = world.standing.values().filter(|held| held.target == *target).collect();
        assert_eq!(world.standing_on(*target).collect::<Vec<_>>(), there);
        let roles: Vec<_> = world.roles.values().filter(|role| role.target == *target).collect();
        assert_eq!(world.roles_on(*target).collect::<Vec<_>>(), roles);
    }
    for held in world.standing.values() {
        let account = world.text(held.account);
        let same = |other: &&Standing| other.target == held.target && world.text(other.account) == account;
        let mut found: Vec<_> = world.standing_of(held.target, held.account).map(|one| one.id).collect();
        found.sort_unstable();
        assert_eq!(found, world.standing.values().filter(same).map(|one| one.id).collect::<Vec<_>>());
        let owns = |own: &&Account| own.target == held.target && world.text(own.name) == account;
        assert_eq!(world.owner_of(held), world.accounts.values().find(owns).map(|own| own.subject));
    }
    for subject in world.subjects.values() {
        assert_eq!(world.subject_named(&world.text(subject.name)), Some(subject));
        let own = world.accounts.values().filter(|own| own.subject == subject.id);
        assert_eq!(world.accounts_of(subject.id).count(), own.count());
        let may = |held: &&Eligibility| world.belongs_to(subject.id, held.subject);
        let mut found: Vec<_> = world.eligibilities_of(subject.id).map(|held| held.id).collect();
        found.sort_unstable();
        assert_eq!(found, world.eligibilities.values().filter(may).map(|held| held.id).collect::<Vec<_>>());
    }
    for scope in world.scopes.values() {
        assert!(scope.parent.is_none_or(|parent| world.child(parent, &scope.name) == Some(scope)));
    }
}

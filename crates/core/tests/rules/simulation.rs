//! A simulated world on virtual time: people who ask and answer, targets that fail in every way, a service that
//! crashes with calls under way, clocks that step, backups that are put back. All from one seed.

use std::collections::{BTreeMap, BTreeSet};

use jiff::{SignedDuration, Timestamp};
use tempestas_core::*;

use crate::{
    house::{EVERYONE, House, Who, rule, settings},
    interleavings::{
        no_grant_past_its_end, no_grant_without_its_stages, no_two_answers_of_one, nobody_answers_themselves,
    },
};

/// Steps of one seed in a run of the tests; a soak takes as many seeds as its time allows.
const STEPS: u32 = 3000;
/// How long most calls are under way at most, in seconds.
const SLOWEST: u32 = 90;
/// After so long without failures everything must have come to its end.
const QUIET: u32 = 60 * 60 * 24 * 40;

/// Chance from a seed.
struct Chance {
    seed: u64,
    drawn: u64,
}

impl Chance {
    fn below(&mut self, most: u32) -> u32 {
        self.drawn += 1;
        let digest = Digest::of(&[&self.seed.to_be_bytes(), &self.drawn.to_be_bytes()]);
        u32::from_be_bytes(digest.0[..4].try_into().unwrap()) % most
    }

    fn among(&mut self, count: usize) -> usize {
        self.below(u32::try_from(count).unwrap()) as usize
    }

    fn percent(&mut self, share: u32) -> bool {
        self.below(100) < share
    }
}

/// What is really on the target, whatever anybody believes.
#[derive(Default)]
struct Target {
    /// Grants in force, by their unguessable name, each with the end that the target itself keeps.
    there: BTreeMap<String, (GrantId, Timestamp)>,
    /// Names that were taken away: a late order to give them is refused.
    buried: BTreeSet<String>,
    /// Out of reach until then.
    away_until: Option<Timestamp>,
}

impl Target {
    /// The target ends by itself what ran out.
    fn keep_time(&mut self, now: Timestamp) {
        self.there.retain(|_, (_, until)| *until > now);
    }

    fn give(&mut self, grant: &Grant, now: Timestamp) -> bool {
        if grant.until <= now || self.buried.contains(&grant.name) {
            return false;
        }
        self.there.insert(grant.name.clone(), (grant.id, grant.until));
        true
    }

    /// Moves the end of what is in force; what has ended isn't brought back.
    fn prolong(&mut self, grant: &Grant, until: Timestamp, now: Timestamp) -> bool {
        let there = self.there.get_mut(&grant.name).filter(|(_, ends)| *ends > now && until > *ends);
        there.is_some_and(|(_, ends)| {
            *ends = until;
            true
        })
    }

    fn take(&mut self, name: &str) {
        self.there.remove(name);
        self.buried.insert(name.to_owned());
    }
}

/// How a call goes.
#[derive(Clone, Copy)]
enum Fate {
    Well,
    /// It never arrives.
    Lost,
    /// It is carried out, and its answer never comes back.
    Unheard,
}

/// A call under way.
struct Call {
    order: Order,
    done_at: Timestamp,
    fate: Fate,
}

struct Simulation {
    house: House,
    chance: Chance,
    target: Target,
    calls: Vec<Call>,
    /// What is durable, as of the last commit; what was decided since is lost in a crash.
    durable: World,
    backup: Option<World>,
    /// Facts looked at so far.
    checked: usize,
    crashes: u32,
    restores: u32,
}

impl Simulation {
    fn new(seed: u64) -> Self {
        let mut chance = Chance { seed, drawn: 0 };
        let settings = settings(u16::try_from(chance.below(3)).unwrap());
        let mut house = House::new(&Settings { grace: Some(Grace(Seconds(120))), ..settings });
        // Two administrators of long standing, for two lift a stop.
        let (subject, scope) = (house.id(Who::Other), house.world.root.unwrap());
        house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind: DutyKind::Administrator, scope });
        house.now = later(house.now, Seconds::hours(48));
        house.forgetful = Some(house.world.clone());
        let durable = house.world.clone();
        Self {
            house,
            chance,
            target: Target::default(),
            calls: Vec::new(),
            durable,
            backup: None,
            checked: 0,
            crashes: 0,
            restores: 0,
        }
    }

    fn who(&mut self) -> Who {
        EVERYONE[self.chance.among(EVERYONE.len())]
    }

    fn which(&mut self) -> Option<ElevationId> {
        let active: Vec<ElevationId> = self.house.world.active().map(|one| one.id).collect();
        (!active.is_empty()).then(|| active[self.chance.among(active.len())])
    }

    fn fate(&mut self, failing: bool) -> Fate {
        let away = self.target.away_until.is_some_and(|until| until > self.house.now);
        match self.chance.below(10) {
            _ if away => Fate::Lost,
            0 | 1 if failing => Fate::Lost,
            2 if failing => Fate::Unheard,
            _ => Fate::Well,
        }
    }

    /// The keeper begins what is to be done and isn't under way.
    fn begin_calls(&mut self, failing: bool) {
        // Keepers act on what is durable, never on what could still be lost.
        self.commit();
        for order in orders(&self.house.world, self.house.target(), self.house.now) {
            if self.calls.iter().any(|call| call.order.key == order.key) {
                continue;
            }
            // Some calls hang for long, and arrive when nobody wants them any more.
            let hangs = failing && self.chance.percent(25);
            let most = if hangs { SLOWEST * 20 } else { SLOWEST };
            let slow = if failing { 1 + self.chance.below(most) } else { 1 };
            let fate = self.fate(failing);
            self.calls.push(Call { order, done_at: later(self.house.now, Seconds(slow)), fate });
        }
    }

    fn finish_calls(&mut self) {
        let now = self.house.now;
        let (done, open): (Vec<Call>, Vec<Call>) = self.calls.drain(..).partition(|call| call.done_at <= now);
        self.calls = open;
        for call in done {
            self.finish(call);
        }
    }

    fn finish(&mut self, call: Call) {
        let now = self.house.now;
        self.target.keep_time(now);
        let arrives = !matches!(call.fate, Fate::Lost);
        let heard = matches!(call.fate, Fate::Well);
        let target = self.house.target();
        match call.order.task {
            Task::Give(grant) => {
                let there = arrives && self.target.give(&grant, now);
                let report = match (heard, there) {
                    (true, true) => Report::GrantSeen { grant: grant.id, there: true },
                    _ => Report::GrantDelayed { grant: grant.id, trouble: "no answer".to_owned() },
                };
                self.house.keeper(report);
            }
            Task::Move(grant, until) => {
                let there = arrives && self.target.prolong(&grant, until, now);
                let report = match (heard, there) {
                    (true, true) => Report::GrantMoved { grant: grant.id, until },
                    _ => Report::GrantDelayed { grant: grant.id, trouble: "no answer".to_owned() },
                };
                self.house.keeper(report);
            }
            Task::Take(grant) => {
                if arrives {
                    self.target.take(&grant.name);
                }
                if heard {
                    self.house.keeper(Report::GrantGone { grant: grant.id, leftovers: Vec::new() });
                }
            }
            Task::EndStray(name) => {
                if arrives {
                    self.target.take(&name);
                }
                if heard {
                    self.house.keeper(Report::StrayEnded { target, name });
                }
            }
            Task::Search if heard => {
                let found = self.target.there.iter();
                let marked = found.map(|(name, (grant, _))| Marked { grant: grant.0, name: name.clone() }).collect();
                self.house.keeper(Report::Searched { target, marked });
            }
            Task::Search | Task::Hold(..) | Task::TakeStanding(..) | Task::RestoreStanding(..) => {}
        }
    }

    /// Live grants are read back; somebody may have taken one away behind our back.
    fn read_back(&mut self) {
        self.target.keep_time(self.house.now);
        for grant in self.house.world.live_grants(self.house.target()) {
            let there = self.target.there.contains_key(&grant.name);
            self.house.keeper(Report::GrantSeen { grant: grant.id, there });
        }
    }

    fn commit(&mut self) {
        self.durable = self.house.world.clone();
    }

    /// The process ends: what was not committed never happened, and what was under way is not known.
    fn crash(&mut self) {
        self.crashes += 1;
        for call in std::mem::take(&mut self.calls) {
            // It may yet arrive, after the process that sent it is gone.
            if self.chance.percent(50) {
                match call.order.task {
                    Task::Give(grant) => drop(self.target.give(&grant, self.house.now)),
                    Task::Move(grant, until) => drop(self.target.prolong(&grant, until, self.house.now)),
                    Task::Take(grant) => self.target.take(&grant.name),
                    _ => {}
                }
            }
        }
        self.begin_with(self.durable.clone());
    }

    /// The service starts with what is on its disk.
    fn begin_with(&mut self, world: World) {
        self.house.forgetful = Some(world.clone());
        self.house.world = world;
        self.house.facts.clear();
        self.checked = 0;
    }

    fn restore(&mut self) {
        let Some(backup) = self.backup.take() else { return };
        self.restores += 1;
        self.calls.clear();
        self.begin_with(backup);
        let root = Digest::of(&[b"backup"]);
        self.house.machine(OperatorCommand::BeginEpoch { restored_size: 1, restored_root: root });
        self.commit();
    }

    fn people_act(&mut self) {
        let who = self.who();
        match self.chance.below(14) {
            0..=3 => {
                let seconds = 1 + self.chance.below(9000);
                let start = match self.chance.below(4) {
                    0 => StartChoice::OnBegin,
                    1 => StartChoice::At { time: later(self.house.now, Seconds(seconds)) },
                    _ => StartChoice::AtYes,
                };
                let _ = self.house.ask(Who::Asker, seconds, start);
            }
            4..=7 => {
                if let Some(id) = self.which() {
                    let verdict = if self.chance.percent(85) { Verdict::Yes } else { Verdict::No };
                    let less = self
                        .chance
                        .percent(15)
                        .then(|| Less { duration: Some(Seconds(1 + self.chance.below(600))), ..Less::default() });
                    let _ = self.house.answer_less(who, id, verdict, less);
                }
            }
            8 => self.on_one(who, |elevation| ElevationCommand::Begin { elevation }.into()),
            // Minds are changed most while the target is still slow to give.
            9 => self.on_one_in_force(Who::Asker, |elevation| ElevationCommand::GiveBack { elevation }.into()),
            10 => self.on_one_in_force(Who::First, |elevation| {
                ElevationCommand::Revoke { elevation, word: Said::new("enough") }.into()
            }),
            11 => {
                let live = self.house.world.active().find(|one| one.phase == Phase::Live).map(|one| one.id);
                if let Some(id) = live {
                    let more = 1 + self.chance.below(3000);
                    let _ = self.house.extend(Who::Asker, id, more);
                }
            }
            12 => self.on_one_in_force(Who::Asker, |elevation| ElevationCommand::TakeGrace { elevation }.into()),
            _ => self.rare_act(who),
        }
    }

    fn on_one(&mut self, who: Who, command: impl Fn(ElevationId) -> Command) {
        if let Some(id) = self.which() {
            let _ = self.house.try_as(who, command(id));
        }
    }

    fn on_one_in_force(&mut self, who: Who, command: impl Fn(ElevationId) -> Command) {
        let first = |phase| self.house.world.active().find(|one| one.phase == phase).map(|one| one.id);
        if let Some(id) = first(Phase::Opening).or_else(|| first(Phase::Live)) {
            let _ = self.house.try_as(who, command(id));
        }
    }

    fn rare_act(&mut self, who: Who) {
        let root = self.house.world.root.unwrap();
        let command: Command = match self.chance.below(5) {
            0 => StopCommand::Order { reach: Reach::Scope(root), word: Said::new("stop") }.into(),
            1 => PeopleCommand::Suspend { subject: self.house.id(who) }.into(),
            2 => {
                let terms = rule(self.house.target(), settings(u16::try_from(self.chance.below(3)).unwrap()));
                TermsCommand::Set { terms }.into()
            }
            _ => {
                self.mend();
                return;
            }
        };
        let _ = self.house.try_as(Who::Administrator, command);
    }

    /// Administrators put right what they can.
    fn mend(&mut self) {
        for who in EVERYONE {
            let subject = self.house.id(who);
            let _ = self.house.try_as(Who::Administrator, PeopleCommand::Resume { subject });
        }
        let stops: Vec<StopId> =
            self.house.world.stops.values().filter(|stop| stop.lifted_at.is_none()).map(|stop| stop.id).collect();
        for stop in stops {
            for who in [Who::Other, Who::Administrator] {
                let _ = self.house.try_as(who, StopCommand::Lift { stop });
            }
        }
        let alarms: Vec<AlarmId> =
            self.house.world.alarms.values().filter(|alarm| alarm.settled.is_none()).map(|alarm| alarm.id).collect();
        for alarm in alarms {
            let _ = self.house.try_as(Who::Administrator, Command::SettleAlarm { alarm });
        }
    }

    fn step(&mut self) {
        match self.chance.below(100) {
            0..=44 => self.people_act(),
            45..=74 => self.house.now = later(self.house.now, Seconds(1 + self.chance.below(120))),
            75..=77 => self.house.now = later(self.house.now, Seconds(self.chance.below(7200))),
            78..=94 => self.read_back(),
            95 => self.target.away_until = Some(later(self.house.now, Seconds(self.chance.below(3600)))),
            96 => {
                // Somebody at the target takes something away there.
                let first = self.target.there.keys().next().cloned();
                first.map(|name| self.target.there.remove(&name));
            }
            97 => self.house.keeper(Report::Alarm(AlarmKind::ClockStep { seconds: 9 })),
            98 => match self.chance.below(12) {
                0 => self.restore(),
                1..=3 => self.backup = Some(self.durable.clone()),
                4 => {
                    // The machine's clock steps back; the service's own time never does.
                    let back = self.house.now.checked_sub(SignedDuration::from_secs(30)).unwrap();
                    self.house.now = self.house.world.last_at.map_or(back, |last| last.max(back));
                }
                5..=7 => self.crash(),
                _ => self.mend(),
            },
            _ => self.mend(),
        }
        if self.chance.percent(80) {
            self.house.tick();
            self.begin_calls(true);
            self.finish_calls();
        }
        // Commands that wait together share a commit, so a crash may lose the last few.
        if self.chance.percent(70) {
            self.commit();
        }
    }

    /// What must hold after every step, for everything that the step touched and everything that is not over.
    fn check(&mut self) {
        let (house, world) = (&self.house, &self.house.world);
        let touched = house.facts[self.checked..].iter().filter_map(|fact| fact.what.about().elevation);
        let looked_at: BTreeSet<ElevationId> = touched.chain(world.active().map(|one| one.id)).collect();
        for elevation in looked_at.iter().filter_map(|id| world.elevations.get(id)) {
            nobody_answers_themselves(house, elevation);
            no_two_answers_of_one(house, elevation);
            if let Some(grant) = world.grant_of(elevation) {
                let demand = &world.demands[&elevation.id].demand;
                no_grant_past_its_end(grant, elevation, demand);
                no_grant_without_its_stages(grant, elevation, demand);
            }
            assert_eq!(world.active().any(|one| one.id == elevation.id), !elevation.is_over());
            let stopped = world.stop_on(elevation.asker, elevation.right).is_some();
            assert!(
                !stopped || matches!(elevation.phase, Phase::Closing | Phase::Ended(_)),
                "{} goes on under a stop",
                elevation.id
            );
            if let Phase::Ended(End::Lapsed | End::GivenBack | End::Revoked) = elevation.phase
                && let Some(grant) = world.grant_of(elevation)
            {
                assert!(
                    !self.target.there.contains_key(&grant.name),
                    "{} is said to be gone and is on its target",
                    elevation.id
                );
            }
        }
        self.checked = self.house.facts.len();
        // The target's own clock is the last line: nothing is there past its end, whatever became of us.
        self.target.keep_time(self.house.now);
        assert!(self.target.there.values().all(|(_, until)| *until > self.house.now));
        let target = &self.house.world.targets[&self.house.target()];
        if target.to_search || !target.strays.is_empty() {
            return;
        }
        for (name, (grant, ends)) in &self.target.there {
            let known = self.house.world.elevation_of(*grant).filter(|(_, grant)| grant.name == *name);
            let (elevation, grant) =
                known.unwrap_or_else(|| panic!("{name} is on the target and no grant explains it"));
            assert!(!elevation.is_over(), "{} is over and on its target", elevation.id);
            // A backup may know of an earlier end; then it is taken away at that.
            assert!(*ends <= grant.ends_by() || self.restores > 0, "{} ends on its target too late", elevation.id);
        }
    }

    /// Everything works again, and time passes: all that is wanted is there, and then all comes to its end.
    fn run_out(&mut self) {
        self.target.away_until = None;
        let until = later(self.house.now, Seconds(QUIET));
        let mut rounds = 0;
        while self.house.now < until {
            self.mend();
            self.house.tick();
            self.begin_calls(false);
            self.house.now = later(self.house.now, Seconds(if rounds < 60 { 2 } else { 60 * 60 * 13 }));
            self.finish_calls();
            self.commit();
            self.check();
            rounds += 1;
            if rounds == 60 {
                let held = self.house.world.live_grants(self.house.target());
                let there = held.iter().filter(|grant| self.target.there.contains_key(&grant.name)).count();
                let missing = held.iter().filter(|grant| grant.seen == Seen::No).count();
                assert!(there + missing >= held.len().saturating_sub(1), "what is live is not on its target");
            }
        }
        assert_eq!(self.house.world.active().next(), None, "something has no way to its end");
        assert!(self.target.there.is_empty(), "something is left on the target: {:?}", self.target.there);
    }
}

/// Runs one seed; says which it was where it fails.
fn run(seed: u64, steps: u32) -> (usize, u32, u32) {
    let outcome = std::panic::catch_unwind(|| {
        let mut simulation = Simulation::new(seed);
        for _ in 0..steps {
            simulation.step();
            simulation.check();
        }
        let seen = simulation.house.world.elevations.len();
        simulation.run_out();
        (seen, simulation.crashes, simulation.restores)
    });
    match outcome {
        Ok(seen) => seen,
        Err(cause) => {
            eprintln!("seed {seed} fails; `make soak SEED={seed}` replays it");
            std::panic::resume_unwind(cause)
        }
    }
}

#[test]
fn a_simulated_world_keeps_its_invariants_through_failures_crashes_and_clock_steps() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let started = std::time::Instant::now();
    let soak = number("SOAK_SECONDS").unwrap_or(0);
    let mut seed = number("SOAK_SEED").unwrap_or(1);
    let (mut seeds, mut elevations, mut crashes, mut restores) = (0, 0, 0, 0);
    loop {
        let seen = run(seed, STEPS);
        (seeds, elevations, crashes, restores) = (seeds + 1, elevations + seen.0, crashes + seen.1, restores + seen.2);
        seed += 1;
        let enough = if soak > 0 { started.elapsed().as_secs() >= soak } else { seeds >= 3 };
        if enough || number("SOAK_SEED").is_some() && soak == 0 {
            break;
        }
    }
    assert!(elevations > 100 && crashes > 0, "the world was too quiet to say anything");
    println!(
        "{seeds} seeds of {STEPS} steps: {elevations} elevations, {crashes} crashes, {restores} restores, in {:.1} s",
        started.elapsed().as_secs_f32()
    );
}

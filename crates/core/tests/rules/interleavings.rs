//! Random interleavings of commands and time, with what must always hold written as such.

use std::collections::BTreeSet;

use proptest::prelude::*;
use tempestas_core::*;

use crate::house::{EVERYONE, House, Who, rule, settings, survey};

pub fn no_grant_past_its_end(grant: &Grant, elevation: &Elevation, demand: &Demand) {
    let grace = if elevation.grace_taken { demand.terms.grace.0 } else { Seconds(0) };
    let longest = Seconds(demand.terms.longest.0.0 + grace.0);
    assert!(grant.ends_by() <= later(grant.opened_at, longest), "{} is longer than its terms", grant.id);
    if elevation.extended == 0 {
        let asked = Seconds(elevation.duration.0 + grace.0);
        assert!(grant.ends_by() <= later(grant.opened_at, asked), "{} is longer than was asked", grant.id);
    }
    if let Phase::Ended(_) = elevation.phase {
        assert_eq!(grant.seen, Seen::No, "{} ended unseen", grant.id);
        assert!(!grant.wanted, "{} ended and is wanted", grant.id);
    }
}

pub fn no_grant_without_its_stages(grant: &Grant, elevation: &Elevation, demand: &Demand) {
    for round in elevation.rounds.iter().filter(|round| round.extends.is_some()) {
        for (stage, answer) in answers_of(round) {
            assert!(stage.approvers.contains(&answer.by), "{} goes on by a stranger's answer", grant.id);
            assert!(Some(answer.at) <= stage.until, "{} goes on by a late answer", grant.id);
        }
    }
    if let Some(round) = elevation.rounds.iter().rfind(|round| round.extends.is_none()) {
        for stage in round.stages.all() {
            assert!(stage.is_granted(), "{} was opened without its yes", grant.id);
        }
        for (stage, answer) in answers_of(round) {
            assert!(stage.approvers.contains(&answer.by), "{} counted a stranger's answer", grant.id);
            let in_time = Some(answer.at) <= stage.until && answer.at <= grant.opened_at;
            assert!(in_time, "{} counted a late answer", grant.id);
        }
    } else {
        assert_eq!(demand.terms.approval, Approval::None, "{} skipped its stage", grant.id);
    }
}

fn answers_of(round: &Round) -> impl Iterator<Item = (&Stage, &Answer)> {
    round.stages.all().iter().flat_map(|stage| stage.answers.iter().map(move |answer| (stage, answer)))
}

/// One human answers in one stage, and once.
pub fn no_two_answers_of_one(house: &House, elevation: &Elevation) {
    for round in &elevation.rounds {
        let humans: Vec<SubjectId> = answers_of(round).map(|(_, answer)| house.world.human(answer.by)).collect();
        assert_eq!(humans.iter().collect::<BTreeSet<_>>().len(), humans.len(), "{} counts one twice", elevation.id);
    }
}

pub fn nobody_answers_themselves(house: &House, elevation: &Elevation) {
    for answer in elevation.answers() {
        let (asker, by) = (house.world.human(elevation.asker), house.world.human(answer.by));
        assert_ne!(asker, by, "{} was answered by its asker", elevation.id);
        assert!(!is_hand_of(&house.world, by, asker, answer.at), "{} was answered by its asker's hand", elevation.id);
    }
}

/// Whether, by the hands of a day, somebody's standing goes back to `asker`, through however many others.
fn is_hand_of(world: &World, by: SubjectId, asker: SubjectId, at: jiff::Timestamp) -> bool {
    let fresh = |hand: &&Influence| hand.at <= at && later(hand.at, Seconds::hours(24)) > at;
    let steps: Vec<(Option<SubjectId>, SubjectId)> = world
        .influences
        .values()
        .filter(fresh)
        .map(|hand| (hand.by.map(|by| world.human(by)), world.human(hand.touched)))
        .collect();
    let mut reached = std::collections::BTreeSet::from([asker]);
    // As often as there are steps is often enough.
    for _ in &steps {
        let on = steps.iter().filter(|(from, _)| from.is_none_or(|from| reached.contains(&from)));
        let on: Vec<SubjectId> = on.map(|(_, to)| *to).collect();
        reached.extend(on);
    }
    by != asker && reached.contains(&by)
}

#[derive(Debug, Clone)]
pub enum Step {
    Pass(u32),
    Tick,
    Obey,
    Ask(u8, u32, u8),
    Answer(u8, u8, bool, u8),
    Stop(u8, u8),
    Lift(u8),
    Withdraw(u8, u8),
    Begin(u8, u8),
    Extend(u8, u8, u32),
    Grace(u8, u8),
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
        6 => (any::<u8>(), any::<u8>(), prop::bool::weighted(0.8), 0..6_u8).prop_map(|(who, which, yes, less)| Step::Answer(who, which, yes, less)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, whom)| Step::Stop(who, whom)),
        3 => any::<u8>().prop_map(Step::Lift),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Withdraw(who, which)),
        2 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Begin(who, which)),
        3 => (any::<u8>(), any::<u8>(), 1..4000_u32).prop_map(|(who, which, more)| Step::Extend(who, which, more)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(who, which)| Step::Grace(who, which)),
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
pub fn carry_out(house: &mut House, step: &Step) {
    let which = |house: &House, n: u8| {
        let all: Vec<ElevationId> = house.world.elevations.keys().copied().collect();
        (!all.is_empty()).then(|| all[usize::from(n) % all.len()])
    };
    let grant =
        |house: &House, n: u8| which(house, n).and_then(|id| house.world.elevations[&id].grants.first().copied());
    match *step {
        Step::Pass(seconds) => house.now = later(house.now, Seconds(seconds)),
        Step::Tick => {
            house.tick();
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
        Step::Answer(n, e, yes, less) => {
            if let Some(id) = which(house, e) {
                let verdict = if yes { Verdict::Yes } else { Verdict::No };
                let less = match less {
                    0 => Some(Less { duration: Some(Seconds(u32::from(n) * 8)), ..Less::default() }),
                    1 => Some(Less {
                        scope: house.world.child(house.target(), "lake").map(|lake| lake.id),
                        ..Less::default()
                    }),
                    2 => Some(Less {
                        start: Some(StartChoice::At { time: later(house.now, Seconds(900)) }),
                        ..Less::default()
                    }),
                    _ => None,
                };
                let _ = house.answer_less(who(n), id, verdict, less);
            }
        }
        Step::Stop(n, whom) => {
            let reach = match whom % 4 {
                0 => Reach::Scope(house.world.root.unwrap()),
                1 => Reach::Scope(house.target()),
                _ => Reach::Person(house.id(who(whom))),
            };
            let _ = house.try_as(who(n), StopCommand::Order { reach, word: Said::new("stop") });
        }
        Step::Lift(n) => {
            let open = house.world.stops.values().find(|stop| stop.lifted_at.is_none()).map(|stop| stop.id);
            if let Some(stop) = open {
                let _ = house.try_as(who(n), StopCommand::Lift { stop });
            }
        }
        Step::Withdraw(n, e) => {
            act_on(house, n, which(house, e), |elevation| ElevationCommand::Withdraw { elevation }.into())
        }
        Step::Begin(n, e) => {
            act_on(house, n, which(house, e), |elevation| ElevationCommand::Begin { elevation }.into())
        }
        Step::Extend(n, e, more) => {
            if let Some(id) = which(house, e) {
                let _ = house.extend(if n % 3 == 0 { who(n) } else { Who::Asker }, id, more);
            }
        }
        Step::Grace(n, e) => {
            let n = if n % 3 == 0 { n } else { 1 };
            act_on(house, n, which(house, e), |elevation| ElevationCommand::TakeGrace { elevation }.into())
        }
        Step::GiveBack(n, e) => {
            act_on(house, n, which(house, e), |elevation| ElevationCommand::GiveBack { elevation }.into())
        }
        Step::Revoke(n, e) => {
            let word = Said::new("enough");
            act_on(house, n, which(house, e), |elevation| {
                ElevationCommand::Revoke { elevation, word: word.clone() }.into()
            });
        }
        Step::Suspend(n) => {
            let subject = house.id(who(n));
            let _ = house.try_as(Who::Administrator, PeopleCommand::Suspend { subject });
        }
        Step::Resume(n) => {
            let subject = house.id(who(n));
            let _ = house.try_as(Who::Administrator, PeopleCommand::Resume { subject });
        }
        Step::Reset(by, whom) => {
            let subject = house.id(who(whom));
            // The asker becomes an administrator for this, as somebody might make them.
            let root = house.world.root.unwrap();
            let asker = house.id(who(by));
            let duty = PeopleCommand::GiveDuty { subject: asker, kind: DutyKind::Administrator, scope: root };
            let _ = house.try_as(Who::Administrator, duty.clone());
            let _ = house.try_as(who(by), PeopleCommand::SetCredentials { subject, step: CredentialStep::Issued });
        }
        Step::Tighten(n, yes) => {
            let approvers =
                vec![Approver::Subject { id: house.id(Who::First) }, Approver::Subject { id: house.id(Who::Other) }];
            let mut settings = settings(yes);
            if let Some(Approval::Stages(stages)) = &mut settings.approval {
                stages[0].approvers = approvers;
            }
            let terms = rule(house.target(), settings);
            let _ = house.try_as(who(n), TermsCommand::Set { terms });
        }
        Step::Grow(permits) => {
            let (target, found) = (house.target(), survey(house.now, permits % 3));
            let digest = Digest::of_json(&found);
            house.keeper(Report::Surveyed { target, digest, survey: Box::new(found) });
        }
        Step::EndEligibility => {
            let held = house.world.eligibilities.keys().next().copied();
            if let Some(eligibility) = held {
                let _ = house.try_as(Who::Administrator, EligibilityCommand::End { eligibility });
            } else {
                let (subject, right) = (house.id(Who::Asker), house.right());
                let until = Some(later(house.now, Seconds::hours(1)));
                let _ = house.try_as(
                    Who::Administrator,
                    EligibilityCommand::Give { subject, right, from: None, until, reason: None },
                );
            }
        }
        Step::Missing(e) => {
            if let Some(grant) = grant(house, e) {
                house.keeper(Report::GrantSeen { grant, there: false });
            }
        }
        Step::MoveClock => house.keeper(Report::Alarm(AlarmKind::ClockStep { seconds: 9 })),
        Step::GiveLate(e) => {
            if let Some(grant) = grant(house, e) {
                house.keeper(Report::GrantSeen { grant, there: true });
            }
        }
    }
}

fn act_on(house: &mut House, n: u8, which: Option<ElevationId>, command: impl Fn(ElevationId) -> Command) {
    if let Some(id) = which {
        let _ = house.try_as(who(n), command(id));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn whatever_happens_in_whatever_order_the_invariants_hold(
        yes in 0..3_u16,
        steps in prop::collection::vec(step(), 1..80),
    ) {
        let mut house = House::new(&Settings { grace: Some(Grace(Seconds(300))), ..settings(yes) });
        for step in &steps {
            carry_out(&mut house, step);
            house.check();
        }
        house.replay();
        house.run_out();
    }
}

//! Promises: set, ended, and kept. Whatever is decided is held against them by its effect, not by the name of the command: what
//! would break one is refused where a person decides, and an alarm where it comes from outside or takes from somebody at once.

use super::{
    alarms::{raise, settle_where},
    checked::{checked_name, shortened},
    deciding::{Deciding, Draft},
};
use crate::{
    AlarmKind, Command, EstateCommand, Fact, Key, Kind, PeopleCommand, Promise, PromiseBreach, PromiseCommand,
    PromiseRefusal, Refusal, Row, Sight, SourceCommand, Terms, What, World, promise::Touch, terms::moments,
};

/// Most of them.
const MOST: usize = 64;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &PromiseCommand) -> Result<(), Refusal> {
    match command {
        PromiseCommand::Set { promise } => set(deciding, promise),
        PromiseCommand::End { name } => end(deciding, name),
    }
}

fn set(deciding: &mut Deciding<'_>, promise: &Promise) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    checked_name("promise", &promise.name)?;
    promise.check(deciding.world)?;
    let (world, name) = (deciding.world, promise.name.clone());
    let before = world.promises.get(&name);
    deciding.ensure_as_looked_at(&name, before.map(Promise::digest))?;
    if before.is_none() && world.promises.len() >= MOST {
        return Err(PromiseRefusal::PromisesFull { most: MOST }.into());
    }
    let draft = &mut deciding.by(administers);
    let mut promise = promise.clone();
    // In the fact stands what a role is called by its digest alone.
    let was = before.and_then(|before| before.of.role.as_ref());
    promise.of.role = promise.of.role.map(|role| draft.words_again(was, world.words(&role)));
    promise.set_by = draft.context.caller.subject();
    promise.set_at = Some(draft.now());
    // What was broken of another is not of this one.
    settle(draft, &name);
    draft.fact(What::PromiseSet { promise: name }, vec![Row::Promise(promise)]);
    Ok(())
}

fn end(deciding: &mut Deciding<'_>, name: &str) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let unknown = || Refusal::unknown("promise", shortened(name), "`tempestas promises` lists them");
    let known = deciding.world.promises.get(name).ok_or_else(unknown)?;
    deciding.ensure_as_looked_at(&known.name, Some(known.digest()))?;
    let cut = vec![Key { kind: Kind::Promise, id: known.name.clone() }];
    let what = What::PromiseEnded { promise: known.name.clone() };
    let draft = &mut deciding.by(administers);
    settle(draft, name);
    draft.fact_cutting(what, Vec::new(), cut);
    Ok(())
}

fn settle(draft: &mut Draft<'_, '_>, name: &str) {
    settle_where(draft, |about| matches!(about, AlarmKind::PromiseBroken { promise } if promise == name));
}

/// Whether a decision can be held up. Nobody is kept in their power by a promise: whoever suspends a person does so at once. What is
/// so already, outside, is taken in as it is.
fn may_be_refused(deciding: &Deciding<'_>, command: &Command) -> bool {
    let is_so_or_at_once = matches!(
        command,
        Command::People(PeopleCommand::Suspend { .. })
            | Command::Estate(EstateCommand::AcceptSurvey { .. })
            | Command::Source(SourceCommand::Accept { .. })
    );
    deciding.context.caller.subject().is_some() && !is_so_or_at_once
}

/// Holds what was decided against every promise.
///
/// # Errors
/// Names the first that it would break, with the shortest example.
pub(super) fn keep(deciding: &mut Deciding<'_>, command: &Command) -> Result<(), Refusal> {
    let world = deciding.world;
    let sets_one = |fact: &Fact| fact.put.iter().any(|row| matches!(row, Row::Promise(_)));
    if world.promises.is_empty() && !deciding.decided().iter().any(sets_one) {
        return Ok(());
    }
    let touch = Touch::of(world, deciding.decided());
    if touch.is_nothing() {
        return Ok(());
    }
    let (after, now) = (deciding.after(), deciding.now());
    let may_be_refused = may_be_refused(deciding, command);
    let at_other_times = if may_be_refused { at_other_times(deciding, &after) } else { Vec::new() };
    // Of one that is set by this very decision, what breaks it already is said by itself; what would come to is held up.
    for promise in after.promises.values() {
        let is_open =
            |about: &AlarmKind| matches!(about, AlarmKind::PromiseBroken { promise: of } if *of == promise.name);
        let newly_broken = |after| promise.newly_broken((world, after), &touch, now);
        match newly_broken(&after).or_else(|| at_other_times.iter().find_map(newly_broken)) {
            Some(breach) if may_be_refused => {
                return Err(would_break(deciding, &after, promise, &breach));
            }
            Some(_) => {
                let about = AlarmKind::PromiseBroken { promise: promise.name.clone() };
                deciding.following().iter_mut().for_each(|draft| raise(draft, about.clone()));
            }
            None if world.open_alarm(is_open).is_some() && promise.breaches(&after, now).is_empty() => {
                deciding.following().iter_mut().for_each(|draft| settle(draft, &promise.name));
            }
            None => {}
        }
    }
    Ok(())
}

/// The World as it would be at the other times of rules that are decided: nobody gets by a rule that sleeps what they wouldn't by one
/// that is awake.
fn at_other_times(deciding: &Deciding<'_>, after: &World) -> Vec<World> {
    let rules = deciding.decided().iter().flat_map(|fact| &fact.put).filter_map(|row| match row {
        Row::Terms(rule) => Some(rule),
        _ => None,
    });
    let (rules, now): (Vec<&Terms>, _) = (rules.collect(), deciding.now());
    let at = |moment| {
        let put: Vec<Row> = rules.iter().map(|rule| Row::Terms(rule.at(moment))).collect();
        after.tried(&put, &[])
    };
    moments(rules.iter().copied(), now).into_iter().filter(|moment| *moment > now).map(at).collect()
}

fn would_break(deciding: &Deciding<'_>, after: &World, promise: &Promise, breach: &PromiseBreach) -> Refusal {
    // Whoever administers a part is told that it breaks one, and an example only of what they see.
    let sees = |me| Sight::of(after, me).sees_scope(after, breach.right.scope);
    let may_know = deciding.context.caller.subject().is_none_or(sees);
    // A rule that is refused has no number that anybody could look up.
    let mut breach = breach.clone();
    breach.rule = breach.rule.filter(|rule| deciding.world.terms.contains_key(rule));
    let example = if may_know { breach.words(after) } else { "by what you don't see".to_owned() };
    let sees_promise =
        deciding.context.caller.subject().is_none_or(|me| Sight::of(after, me).see(after, promise).is_some());
    let says = if sees_promise { promise.words(after) } else { "which is about more than you see".to_owned() };
    PromiseRefusal::WouldBreak { promise: promise.name.clone(), says, example }.into()
}

//! Circumstances: set and ended, and what was heard of them.

use super::{
    checked::{checked_name, shortened},
    deciding::{Deciding, Draft},
    grants::close,
};
use crate::{
    Circumstance, CircumstanceCommand, CircumstanceRefusal, Elevation, End, Heard, Key, Kind, Phase, Refusal, Row,
    Said, Seconds, What, later,
};

/// Most of them.
const MOST: usize = 64;
/// How long is kept what was heard of a reference that nobody rests on.
const KEPT: Seconds = Seconds::hours(1);

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &CircumstanceCommand) -> Result<(), Refusal> {
    match command {
        CircumstanceCommand::Set { circumstance } => set(deciding, circumstance),
        CircumstanceCommand::End { name } => end(deciding, name),
    }
}

fn set(deciding: &mut Deciding<'_>, circumstance: &Circumstance) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    checked_name("circumstance", &circumstance.name)?;
    circumstance.check()?;
    let (world, name) = (deciding.world, circumstance.name.clone());
    let before = world.circumstances.get(&name);
    deciding.ensure_as_looked_at(&name, before.map(Circumstance::digest))?;
    if before.is_none() && world.circumstances.len() >= MOST {
        return Err(CircumstanceRefusal::CircumstancesFull { most: MOST }.into());
    }
    let (set_by, set_at) = (deciding.context.caller.subject(), Some(deciding.now()));
    // Whoever has another system asked, or asked otherwise, may have one asked that says whatever they like.
    let is_wanted = world.terms_only_while(&name).next().is_some();
    let hand = set_by.filter(|_| before.is_some() && is_wanted).map(|me| deciding.own_influence(me));
    let circumstance = Circumstance { set_by, set_at, ..circumstance.clone() };
    // What the one before was heard to be is nothing that is known of this one.
    let heard = world.heard.values().filter(|heard| heard.circumstance == name);
    let cut = heard.map(|heard| Row::Heard(heard.clone()).key()).collect();
    let put = [Row::Circumstance(circumstance)].into_iter().chain(hand).collect();
    deciding.by(administers).fact_cutting(What::CircumstanceSet { circumstance: name }, put, cut);
    Ok(())
}

fn end(deciding: &mut Deciding<'_>, name: &str) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let unknown = || Refusal::unknown("circumstance", shortened(name), "`tempestas circumstances` lists them");
    let known = deciding.world.circumstances.get(name).ok_or_else(unknown)?;
    deciding.ensure_as_looked_at(&known.name, Some(known.digest()))?;
    let rules: Vec<_> = deciding.world.terms_only_while(name).map(|rule| rule.id).collect();
    if !rules.is_empty() {
        return Err(CircumstanceRefusal::OnlyWhileWanted { name: name.to_owned(), rules }.into());
    }
    let heard = deciding.world.heard.values().filter(|heard| heard.circumstance == name);
    let mut cut: Vec<Key> = heard.map(|heard| Row::Heard(heard.clone()).key()).collect();
    cut.push(Key { kind: Kind::Circumstance, id: name.to_owned() });
    deciding.by(administers).fact_cutting(What::CircumstanceEnded { circumstance: name.to_owned() }, Vec::new(), cut);
    Ok(())
}

/// What another system says of a circumstance, or that it could not be asked: then it doesn't hold, and what may be held only while
/// it does ends. Each change of it is said once.
pub(super) fn heard(draft: &mut Draft<'_, '_>, circumstance: &str, of: Option<&Said>, holds: bool) {
    let world = draft.world;
    let of = of.map(|of| of.0.as_str());
    if !world.circumstances.contains_key(circumstance) {
        return;
    }
    let is_held = |one: &&Elevation| matches!(one.phase, Phase::Opening | Phase::Live);
    let held = world.active().filter(is_held).filter(|one| !holds && world.ends_with(one, circumstance, of));
    let ending: Vec<Elevation> = held.cloned().collect();
    // What nobody ever heard to hold needn't be heard not to, where nothing rests on it: whoever asks about whatever they like
    // leaves nothing here.
    let is_known = match world.heard_of(circumstance, of) {
        Some(known) => known.holds == holds,
        None => !holds && ending.is_empty(),
    };
    if !is_known {
        note(draft, circumstance, of, holds);
    }
    for elevation in ending {
        close(draft, elevation, End::CutShort, None);
    }
}

/// Notes what was heard, and forgets what nobody rests on any more.
fn note(draft: &mut Draft<'_, '_>, circumstance: &str, of: Option<&str>, holds: bool) {
    let (world, at) = (draft.world, draft.now());
    let digest = match world.heard_of(circumstance, of) {
        Some(known) => known.of,
        None => of.map(|of| draft.text(&Said::new(of))),
    };
    let heard = Heard { circumstance: circumstance.to_owned(), of: digest, holds, at };
    let needed = world.to_be_heard();
    let is_old = |old: &&Heard| {
        let text = old.of.map(|of| world.text(of));
        text.is_some() && later(old.at, KEPT) < at && !needed.contains(&(old.circumstance.clone(), text))
    };
    let cut = world.heard.values().filter(is_old).map(|old| Row::Heard(old.clone()).key()).collect();
    let what = What::CircumstanceHeard { circumstance: circumstance.to_owned(), of: digest, holds };
    draft.fact_cutting(what, vec![Row::Heard(heard)], cut);
}

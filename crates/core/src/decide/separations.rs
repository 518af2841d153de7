//! Separations of duties: set, ended, and what is put up with for a while.

use jiff::Timestamp;

use super::{
    checked::{checked_name, checked_text, shortened},
    deciding::Deciding,
};
use crate::{
    Counts, Key, Kind, Refusal, Right, Row, Said, Separation, SeparationCommand, SeparationRefusal, SubjectId,
    Toleration, What, later,
    separation::{Gain, TOLERATED_FOR, ensure_apart, ensure_room},
};

/// Most of them.
const MOST: usize = 64;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &SeparationCommand) -> Result<(), Refusal> {
    match command {
        SeparationCommand::Set { separation } => set(deciding, separation),
        SeparationCommand::End { name } => end(deciding, name),
        SeparationCommand::Tolerate { name, who, until: Some(until), reason } => {
            tolerate(deciding, name, *who, *until, reason)
        }
        SeparationCommand::Tolerate { name, who, until: None, .. } => end_toleration(deciding, name, *who),
    }
}

fn known(deciding: &Deciding<'_>, name: &str) -> Result<Separation, Refusal> {
    let unknown = || Refusal::unknown("separation", shortened(name), "`tempestas separations` lists them");
    deciding.world.separations.get(name).cloned().ok_or_else(unknown)
}

fn set(deciding: &mut Deciding<'_>, separation: &Separation) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    checked_name("separation", &separation.name)?;
    separation.check(deciding.world)?;
    let (world, name) = (deciding.world, separation.name.clone());
    let before = world.separations.get(&name);
    deciding.ensure_as_looked_at(&name, before.map(Separation::digest))?;
    if before.is_none() && world.separations.len() >= MOST {
        return Err(SeparationRefusal::SeparationsFull { most: MOST }.into());
    }
    let same = before.filter(|before| !separation.may_allow_more_than(before, world));
    let hand = before.filter(|_| same.is_none()).and_then(|_| deciding.context.caller.subject());
    let hand = hand.map(|me| deciding.own_influence(me));
    let draft = &mut deciding.by(administers);
    // In the fact stands what a role is called by its digest alone.
    let was: Vec<_> =
        before.iter().flat_map(|before| before.keeps.sets()).filter_map(|set| set.role.as_ref()).collect();
    let keeps = separation.keeps.clone().with(|mut set| {
        set.role = set.role.map(|role| {
            let said = world.words(&role);
            let known = was.iter().find(|known| world.are_words(known, said));
            draft.words_again(known.copied(), said)
        });
        set
    });
    let separation = Separation {
        name: name.clone(),
        keeps,
        counts: separation.counts,
        // What was put up with of another is not of this one.
        tolerated: same.map_or_else(Vec::new, |before| before.tolerated.clone()),
        set_by: draft.context.caller.subject(),
        set_at: Some(draft.now()),
    };
    let put = [Row::Separation(separation)].into_iter().chain(hand).collect();
    draft.fact(What::SeparationSet { separation: name }, put);
    Ok(())
}

fn end(deciding: &mut Deciding<'_>, name: &str) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let known = known(deciding, name)?;
    deciding.ensure_as_looked_at(&known.name, Some(known.digest()))?;
    let hand = deciding.context.caller.subject().map(|me| deciding.own_influence(me));
    let cut = vec![Key { kind: Kind::Separation, id: known.name.clone() }];
    let what = What::SeparationEnded { separation: known.name };
    deciding.by(administers).fact_cutting(what, hand.into_iter().collect(), cut);
    Ok(())
}

fn tolerate(
    deciding: &mut Deciding<'_>,
    name: &str,
    who: Option<SubjectId>,
    until: Timestamp,
    reason: &Said,
) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let (world, now, me) = (deciding.world, deciding.now(), deciding.context.caller.subject());
    let mut separation = known(deciding, name)?;
    let who = who.map(|who| world.human(who));
    if who.is_some() && who == me.map(|me| world.human(me)) {
        return Err(SeparationRefusal::OwnBreach.into());
    }
    if until <= now || until > later(now, TOLERATED_FOR) {
        return Err(SeparationRefusal::TolerateUntil { until, within: TOLERATED_FOR }.into());
    }
    if reason.0.trim().is_empty() {
        return Err(SeparationRefusal::TolerateWithoutWord.into());
    }
    checked_text("reason", reason, 500)?;
    let breach = separation.breaches(world, now).into_iter().find(|breach| breach.who == who);
    let breach = breach.ok_or_else(|| nothing_to_tolerate(deciding, name, who))?;
    let rights: Vec<Right> = breach.has.iter().map(|held| held.right).collect();
    // Whoever lets somebody go on so is held to it as for any term that they relax.
    let hand = me.map(|me| deciding.own_influence(me));
    let touched = deciding.influences(who.into_iter().flat_map(|who| world.sign_ins_of(who)));
    let draft = &mut deciding.by(administers);
    let reason = draft.text(reason);
    separation.tolerated.retain(|one| one.who != who && one.until > now);
    separation.tolerated.push(Toleration { who, rights, until, reason, by: me });
    let put = [Row::Separation(separation)].into_iter().chain(hand).chain(touched).collect();
    draft.fact(What::BreachTolerated { separation: name.to_owned(), subject: who, until, reason }, put);
    Ok(())
}

fn end_toleration(deciding: &mut Deciding<'_>, name: &str, who: Option<SubjectId>) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let mut separation = known(deciding, name)?;
    let who = who.map(|who| deciding.world.human(who));
    let before = separation.tolerated.len();
    separation.tolerated.retain(|one| one.who != who);
    if separation.tolerated.len() == before {
        return Err(nothing_to_tolerate(deciding, name, who));
    }
    let what = What::TolerationEnded { separation: name.to_owned(), subject: who };
    deciding.by(administers).fact(what, vec![Row::Separation(separation)]);
    Ok(())
}

fn nothing_to_tolerate(deciding: &Deciding<'_>, name: &str, who: Option<SubjectId>) -> Refusal {
    let who = who.map_or_else(|| "the number of people".to_owned(), |who| deciding.world.subject_name(who));
    SeparationRefusal::NothingToTolerate { separation: name.to_owned(), who }.into()
}

impl Deciding<'_> {
    /// Refuses an eligibility that separations keep from somebody, or that would be one person's too many.
    pub(super) fn ensure_may_be_eligible(&self, subject: SubjectId, rights: &[Right]) -> Result<(), Refusal> {
        let (world, now, told) = (self.world, self.now(), self.context.caller.subject());
        let people = world.people_in(subject);
        for who in &people {
            ensure_apart(world, &Gain { who: *who, rights, by: Counts::Eligible, told }, now)?;
        }
        ensure_room(world, &people, rights, now)
    }
}

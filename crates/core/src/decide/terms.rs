//! Terms: set, changed in place, suspended, resumed, ended; woken and put to sleep at their times.

use super::{
    alarms,
    deciding::{Deciding, Draft},
};
use crate::{
    AlarmKind, Approver, Dormant, Key, Kind, Refusal, Row, Said, SubjectId, Terms, TermsCommand, TermsId, TermsRefusal,
    What, World,
    due::Due,
    influence::{lets_through_with_less, touchers},
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &TermsCommand) -> Result<(), Refusal> {
    match command {
        TermsCommand::Set { terms } => set(deciding, terms),
        TermsCommand::Suspend { terms, reason } => suspend(deciding, *terms, reason),
        TermsCommand::Resume { terms } => resume(deciding, *terms),
        TermsCommand::End { terms } => end(deciding, *terms),
    }
}

fn end(deciding: &mut Deciding<'_>, id: TermsId) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    let cut = vec![Key { kind: Kind::Terms, id: rule.id.0.to_string() }];
    deciding.ensure_still_administers(&[], &cut)?;
    let hand = Changed { old: Some(&rule), new: None, beside: &[] }.own_influence(deciding);
    let what = What::TermsEnded { terms: rule.id, scope: rule.scope };
    deciding.by(administers).fact_cutting(what, hand.into_iter().collect(), cut);
    Ok(())
}

fn suspend(deciding: &mut Deciding<'_>, id: TermsId, reason: &Said) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    if rule.paused.is_some() {
        return Err(TermsRefusal::RulePausedAlready { id }.into());
    }
    let paused = Some(deciding.pause(reason)?);
    let what = What::TermsSuspended { terms: rule.id, scope: rule.scope };
    let suspended = Terms { paused, ..rule.clone() };
    ensure_still_administers(deciding, &suspended)?;
    let hand = Changed { old: Some(&rule), new: Some(&suspended), beside: &[] }.own_influence(deciding);
    deciding.by(administers).fact(what, [Row::Terms(suspended)].into_iter().chain(hand).collect());
    Ok(())
}

fn resume(deciding: &mut Deciding<'_>, id: TermsId) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    if rule.paused.is_none() {
        return Err(TermsRefusal::RuleNotPaused { id }.into());
    }
    let what = What::TermsResumed { terms: rule.id, scope: rule.scope };
    let resumed = resumed(deciding, rule.clone());
    ensure_still_administers(deciding, &resumed)?;
    let hand = Changed { old: Some(&rule), new: Some(&resumed), beside: &[] }.own_influence(deciding);
    deciding.by(administers).fact(what, [Row::Terms(resumed)].into_iter().chain(hand).collect());
    Ok(())
}

/// Whether the caller could still administer with a rule, at each of its times.
fn ensure_still_administers(deciding: &Deciding<'_>, rule: &Terms) -> Result<(), Refusal> {
    rule.at_its_times().into_iter().try_for_each(|rule| deciding.ensure_still_administers(&[Row::Terms(rule)], &[]))
}

/// A rule that is changed, with rows that are put beside it: as it stood, if it did, and as it would, if it would.
struct Changed<'c> {
    old: Option<&'c Terms>,
    new: Option<&'c Terms>,
    beside: &'c [Row],
}

impl Changed<'_> {
    /// The World before and after, at each of the rule's times: also with what time alone would have come to. Where the times
    /// themselves change, each is held against each, so that nobody puts off what would bind them.
    fn worlds(&self, world: &World) -> Vec<(World, World)> {
        let before: Vec<World> = match self.old {
            None => vec![world.clone()],
            Some(old) => old.yet_to_come().into_iter().map(|old| world.tried(&[Row::Terms(old)], &[])).collect(),
        };
        let after: Vec<World> = match (self.old, self.new) {
            (_, Some(new)) => {
                let put = |new| self.beside.iter().cloned().chain([Row::Terms(new)]).collect::<Vec<_>>();
                new.at_its_times().into_iter().map(|new| world.tried(&put(new), &[])).collect()
            }
            (old, None) => vec![
                world.tried(self.beside, &old.map(|old| Row::Terms(old.clone()).key()).into_iter().collect::<Vec<_>>()),
            ],
        };
        if before.len() == after.len() && self.old.map(|old| old.valid) == self.new.map(|new| new.valid) {
            return before.into_iter().zip(after).collect();
        }
        before.iter().flat_map(|before| after.iter().map(|after| (before.clone(), after.clone()))).collect()
    }

    /// Who of some gets through with less by it.
    fn favours(&self, world: &World, whom: &[SubjectId]) -> Option<SubjectId> {
        let (rules, worlds): (Vec<&Terms>, _) = (self.old.into_iter().chain(self.new).collect(), self.worlds(world));
        let gains =
            |who: &SubjectId| worlds.iter().any(|(before, after)| lets_through_with_less(before, after, &rules, *who));
        whom.iter().copied().find(gains)
    }

    /// That the caller lets somebody through with less by it.
    fn own_influence(&self, deciding: &Deciding<'_>) -> Option<Row> {
        let me = deciding.context.caller.subject()?;
        self.favours(deciding.world, &[me]).map(|me| deciding.own_influence(me))
    }
}

/// Wakes the rules whose time has come, and puts those to sleep whose time is over; whether there were any. What comes of that
/// is the doing of whoever set them. By a clock that nobody has looked at none is: a rule that is over doesn't come back.
pub(super) fn tick(draft: &mut Draft<'_, '_>) -> bool {
    let (world, now) = (draft.world, draft.now());
    if world.clock_is_held() {
        return false;
    }
    let due = world.due_by(now).filter_map(|due| match due {
        Due::Terms(id) => world.terms.get(&id),
        _ => None,
    });
    let due: Vec<Terms> = due.map(|rule| Terms { dormant: rule.valid.dormant(now), ..rule.clone() }).collect();
    // Together: of two that end at one moment, neither alone may be what held somebody up.
    let put: Vec<Row> = due.iter().cloned().map(Row::Terms).collect();
    let after = world.tried(&put, &[]);
    let rules: Vec<&Terms> = due.iter().collect();
    for rule in &due {
        let (terms, scope) = (rule.id, rule.scope);
        let what = match rule.dormant {
            None => What::TermsBegan { terms, scope },
            Some(Dormant::NotYet | Dormant::Over) => What::TermsOver { terms, scope },
        };
        let maker = rule.set_by.filter(|maker| lets_through_with_less(world, &after, &rules, *maker));
        let hand = maker.map(|maker| draft.own_influence(maker));
        draft.fact(what, [Row::Terms(rule.clone())].into_iter().chain(hand).collect());
    }
    !due.is_empty()
}

/// Whoever resumes a rule answers for it as if they had set it.
fn resumed(deciding: &Deciding<'_>, rule: Terms) -> Terms {
    Terms { paused: None, set_by: deciding.context.caller.subject(), set_at: Some(deciding.now()), ..rule }
}

fn known(deciding: &Deciding<'_>, id: TermsId) -> Result<Terms, Refusal> {
    deciding
        .world
        .terms
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("rule of terms", id, "`tempestas terms` lists them"))
}

fn set(deciding: &mut Deciding<'_>, terms: &Terms) -> Result<(), Refusal> {
    let administers = deciding.administers(terms.scope)?;
    terms.check()?;
    terms.valid.check(deciding.now())?;
    terms.ensure_named_is_there(deciding.world)?;
    let named = terms.settings.answered_by().filter_map(Approver::subject);
    let touched = named.flat_map(|id| deciding.world.everybody_in(id)).collect();
    if terms.asker.is_some_and(|asker| !deciding.world.subjects.contains_key(&asker)) {
        return Err(TermsRefusal::UnknownAsker.into());
    }
    let mut rule = Terms { dormant: terms.valid.dormant(deciding.now()), ..terms.clone() };
    let old = (rule.id != TermsId(0)).then(|| known(deciding, rule.id)).transpose()?;
    match &old {
        None => rule.id = deciding.id(),
        Some(old) => {
            deciding.administers(old.scope)?;
            deciding.ensure_as_looked_at(&old.id, Some(old.digest()))?;
            rule.paused = old.paused;
        }
    }
    ensure_still_administers(deciding, &rule)?;
    put_in_place(&mut deciding.by(administers), rule, old.as_ref(), touched);
    Ok(())
}

fn put_in_place(draft: &mut Draft<'_, '_>, mut rule: Terms, old: Option<&Terms>, touched: Vec<SubjectId>) {
    rule.set_by = draft.context.caller.subject();
    rule.set_at = Some(draft.now());
    let mut put = draft.influences(touched);
    // What it changes is tried with the role as it is read; in the fact stands its digest.
    rule.role = rule.role.map(|role| draft.world.words(&role).into());
    let changed = Changed { old, new: Some(&rule), beside: &put };
    let me = draft.context.caller.subject();
    // Whoever gave the caller their standing within a day.
    let givers = me.map_or_else(Vec::new, |me| touchers(draft.world, me, draft.now()));
    let favoured = changed.favours(draft.world, &givers);
    let hand = changed.own_influence(draft);
    put.extend(hand);
    let was = old.and_then(|old| old.role.as_ref());
    let role = rule.role.as_ref().map(|role| {
        let world = draft.world;
        draft.words_again(was, world.words(role))
    });
    let (terms, scope) = (rule.id, rule.scope);
    put.push(Row::Terms(Terms { role, ..rule }));
    draft.fact(What::TermsSet { terms, scope }, put);
    if let (Some(by), Some(hand)) = (favoured, me) {
        alarms::raise(draft, AlarmKind::HandedOn { by, hand });
    }
}

//! Terms: set, changed in place, suspended, resumed, ended; woken and put to sleep at their times.

use super::{
    alarms,
    deciding::{Deciding, Draft},
};
use crate::{
    AlarmKind, Approval, Approver, Dormant, Key, Kind, Refusal, Row, Said, SubjectId, Terms, TermsCommand, TermsId,
    TermsRefusal, What, World,
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
    let hand = deciding.own_influence_if_less(&[], &cut, &[&rule]);
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
    let mut put = vec![Row::Terms(Terms { paused, ..rule.clone() })];
    deciding.ensure_still_administers(&put, &[])?;
    put.extend(deciding.own_influence_if_less(&put, &[], &[&rule]));
    deciding.by(administers).fact(what, put);
    Ok(())
}

fn resume(deciding: &mut Deciding<'_>, id: TermsId) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    if rule.paused.is_none() {
        return Err(TermsRefusal::RuleNotPaused { id }.into());
    }
    let what = What::TermsResumed { terms: rule.id, scope: rule.scope };
    let rule = resumed(deciding, rule);
    ensure_still_administers(deciding, &rule)?;
    let mut put = vec![Row::Terms(rule.clone())];
    put.extend(own_influence_if_less(deciding, &[], &rule, &[&rule]));
    deciding.by(administers).fact(what, put);
    Ok(())
}

/// Whether the caller could still administer with a rule, at each of its times.
fn ensure_still_administers(deciding: &Deciding<'_>, rule: &Terms) -> Result<(), Refusal> {
    rule.at_its_times().into_iter().try_for_each(|rule| deciding.ensure_still_administers(&[Row::Terms(rule)], &[]))
}

/// What a rule, put beside some rows, lets through with less at any of its times.
fn own_influence_if_less(deciding: &Deciding<'_>, beside: &[Row], rule: &Terms, rules: &[&Terms]) -> Option<Row> {
    rule.at_its_times().into_iter().find_map(|rule| {
        let put: Vec<Row> = beside.iter().cloned().chain([Row::Terms(rule)]).collect();
        deciding.own_influence_if_less(&put, &[], rules)
    })
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
    for rule in &due {
        let (terms, scope) = (rule.id, rule.scope);
        let what = match rule.dormant {
            None => What::TermsBegan { terms, scope },
            Some(Dormant::NotYet | Dormant::Over) => What::TermsOver { terms, scope },
        };
        let mut put = vec![Row::Terms(rule.clone())];
        let hand = rule.set_by.and_then(|maker| draft.influence_if_less(maker, &put, &[], &[rule]));
        put.extend(hand);
        draft.fact(what, put);
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
    let mut touched = Vec::new();
    for (stage, next) in terms.settings.approval.iter().flat_map(Approval::in_turn) {
        for approver in stage.named(next) {
            if let Approver::Subject { id } = approver {
                let people = deciding.world.everybody_in(*id);
                if !deciding.world.subjects.contains_key(id) {
                    return Err(Refusal::unknown("approver", id, "`tempestas people` lists people and groups"));
                }
                touched.extend(people);
            }
        }
    }
    terms.ensure_named_is_there(deciding.world)?;
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
    let rules: Vec<&Terms> = old.into_iter().chain([&rule]).collect();
    let favoured = favoured(draft, &put, &rule, &rules);
    put.extend(own_influence_if_less(draft, &put, &rule, &rules));
    let was = old.and_then(|old| old.role.as_ref());
    let role = rule.role.as_ref().map(|role| {
        let world = draft.world;
        draft.words_again(was, world.words(role))
    });
    let (terms, scope) = (rule.id, rule.scope);
    put.push(Row::Terms(Terms { role, ..rule }));
    draft.fact(What::TermsSet { terms, scope }, put);
    if let (Some(by), Some(hand)) = (favoured, draft.context.caller.subject()) {
        alarms::raise(draft, AlarmKind::HandedOn { by, hand });
    }
}

/// Whoever gave the caller their standing within a day, and gets through with less by a rule, beside some rows.
fn favoured(deciding: &Deciding<'_>, beside: &[Row], rule: &Terms, rules: &[&Terms]) -> Option<SubjectId> {
    let world = deciding.world;
    let givers = touchers(world, deciding.context.caller.subject()?, deciding.now());
    let tried = |rule: Terms| world.tried(&beside.iter().cloned().chain([Row::Terms(rule)]).collect::<Vec<_>>(), &[]);
    let after: Vec<World> = rule.at_its_times().into_iter().map(tried).collect();
    let gains = |giver: &SubjectId| after.iter().any(|after| lets_through_with_less(world, after, rules, *giver));
    givers.into_iter().find(gains)
}

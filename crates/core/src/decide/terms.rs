//! Terms: set, changed in place, suspended, resumed, ended.

use super::{
    alarms,
    deciding::{Deciding, Draft},
};
use crate::{
    AlarmKind, Approval, Approver, Key, Kind, Refusal, Row, Said, SubjectId, Terms, TermsCommand, TermsId,
    TermsRefusal, What,
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
    let mut put = vec![Row::Terms(rule.clone())];
    deciding.ensure_still_administers(&put, &[])?;
    put.extend(deciding.own_influence_if_less(&put, &[], &[&rule]));
    deciding.by(administers).fact(what, put);
    Ok(())
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
    if let Some(assured) = &terms.settings.assured {
        assured.ensure_can_be_met(deciding.world)?;
    }
    if terms.asker.is_some_and(|asker| !deciding.world.subjects.contains_key(&asker)) {
        return Err(TermsRefusal::UnknownAsker.into());
    }
    let mut rule = terms.clone();
    let old = (rule.id != TermsId(0)).then(|| known(deciding, rule.id)).transpose()?;
    match &old {
        None => rule.id = deciding.id(),
        Some(old) => {
            deciding.administers(old.scope)?;
            deciding.ensure_as_looked_at(&old.id, Some(old.digest()))?;
            rule.paused = old.paused;
        }
    }
    deciding.ensure_still_administers(&[Row::Terms(rule.clone())], &[])?;
    put_in_place(&mut deciding.by(administers), rule, old.as_ref(), touched);
    Ok(())
}

fn put_in_place(draft: &mut Draft<'_, '_>, mut rule: Terms, old: Option<&Terms>, touched: Vec<SubjectId>) {
    rule.set_by = draft.context.caller.subject();
    rule.set_at = Some(draft.now());
    let mut put = draft.influences(touched);
    // What it changes is tried with the role as it is read; in the fact stands its digest.
    rule.role = rule.role.map(|role| draft.world.words(&role).into());
    let mut tried = put.clone();
    tried.push(Row::Terms(rule.clone()));
    let rules: Vec<&Terms> = old.into_iter().chain([&rule]).collect();
    put.extend(draft.own_influence_if_less(&tried, &[], &rules));
    let favoured = favoured(draft, &tried, &rules);
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

/// Whoever gave the caller their standing within a day, and gets through with less by these rows.
fn favoured(deciding: &Deciding<'_>, put: &[Row], rules: &[&Terms]) -> Option<SubjectId> {
    let givers = touchers(deciding.world, deciding.context.caller.subject()?, deciding.now());
    let after = deciding.world.tried(put, &[]);
    givers.into_iter().find(|giver| lets_through_with_less(deciding.world, &after, rules, *giver))
}

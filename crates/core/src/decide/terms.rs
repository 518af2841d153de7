//! Terms: set, changed in place, suspended, resumed, ended.

use super::{Draft, house};
use crate::{
    AlarmKind, Approval, Approver, Command, Key, Kind, Refusal, Row, SubjectId, Terms, TermsId, What,
    influence::{lets_through_with_less, touchers},
};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::SetTerms { terms } => set(draft, terms),
        Command::EndTerms { terms } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            let cut = vec![Key { kind: Kind::Terms, id: rule.id.0.to_string() }];
            let hand = draft.own_hand_if_less(&[], &cut, &[&rule]);
            let what = What::TermsEnded { terms: rule.id, scope: rule.scope };
            draft.fact_cutting(what, hand.into_iter().collect(), cut);
            Ok(())
        }
        Command::SuspendTerms { terms, reason } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            if rule.paused.is_some() {
                return Err(Refusal::conflict(format!("{terms} is suspended already")));
            }
            let paused = Some(draft.pause(reason)?);
            let what = What::TermsSuspended { terms: rule.id, scope: rule.scope };
            let mut put = vec![Row::Terms(Terms { paused, ..rule.clone() })];
            put.extend(draft.own_hand_if_less(&put, &[], &[&rule]));
            draft.fact(what, put);
            Ok(())
        }
        Command::ResumeTerms { terms } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            if rule.paused.is_none() {
                return Err(Refusal::conflict(format!("{terms} is not suspended")));
            }
            let what = What::TermsResumed { terms: rule.id, scope: rule.scope };
            let rule = resumed(draft, rule);
            let mut put = vec![Row::Terms(rule.clone())];
            put.extend(draft.own_hand_if_less(&put, &[], &[&rule]));
            draft.fact(what, put);
            Ok(())
        }
        _ => Ok(()),
    }
}

/// Whoever resumes a rule answers for it as if they had set it.
fn resumed(draft: &Draft<'_>, rule: Terms) -> Terms {
    Terms { paused: None, set_by: draft.context.caller.subject(), set_at: Some(draft.now()), ..rule }
}

fn known(draft: &Draft<'_>, id: TermsId) -> Result<Terms, Refusal> {
    draft
        .world
        .terms
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("rule of terms", id, "`tempestas terms` lists them"))
}

fn set(draft: &mut Draft<'_>, terms: &Terms) -> Result<(), Refusal> {
    draft.administrator(terms.scope)?;
    terms.check()?;
    let mut touched = Vec::new();
    if let Some(Approval::Stage { approvers, .. }) = &terms.settings.approval {
        for approver in approvers {
            if let Approver::Subject { id } = approver {
                let people = draft.world.everybody_in(*id);
                if !draft.world.subjects.contains_key(id) {
                    return Err(Refusal::unknown("approver", id, "`tempestas people` lists people and groups"));
                }
                touched.extend(people);
            }
        }
    }
    if terms.asker.is_some_and(|asker| !draft.world.subjects.contains_key(&asker)) {
        return Err(Refusal::invalid(
            "the asker of this rule is nobody that is known; `tempestas people` lists people and groups",
        ));
    }
    let mut rule = terms.clone();
    let old = (rule.id != TermsId(0)).then(|| known(draft, rule.id)).transpose()?;
    match &old {
        None => rule.id = draft.id(),
        Some(old) => {
            draft.administrator(old.scope)?;
            draft.ensure_as_looked_at(&old.id, Some(old.digest()))?;
            rule.paused = old.paused;
        }
    }
    rule.set_by = draft.context.caller.subject();
    rule.set_at = Some(draft.now());
    let mut put = draft.hands(touched);
    // What it changes is tried with the role as it is read; in the fact stands its digest.
    rule.role = rule.role.map(|role| draft.world.words(&role).into());
    let mut tried = put.clone();
    tried.push(Row::Terms(rule.clone()));
    let rules: Vec<&Terms> = old.iter().chain([&rule]).collect();
    put.extend(draft.own_hand_if_less(&tried, &[], &rules));
    let favoured = favoured(draft, &tried, &rules);
    let was = old.as_ref().and_then(|old| old.role.as_ref());
    let role = rule.role.as_ref().map(|role| draft.words_again(was, draft.world.words(role)));
    let (terms, scope) = (rule.id, rule.scope);
    put.push(Row::Terms(Terms { role, ..rule }));
    draft.fact(What::TermsSet { terms, scope }, put);
    if let (Some(by), Some(hand)) = (favoured, draft.context.caller.subject()) {
        house::raise(draft, AlarmKind::HandedOn { by, hand });
    }
    Ok(())
}

/// Whoever gave the caller their standing within a day, and gets through with less by these rows.
fn favoured(draft: &Draft<'_>, put: &[Row], rules: &[&Terms]) -> Option<SubjectId> {
    let givers = touchers(draft.world, draft.context.caller.subject()?, draft.now());
    let after = draft.world.tried(put, &[]);
    givers.into_iter().find(|giver| lets_through_with_less(draft.world, &after, rules, *giver))
}

//! Terms: set, changed in place, suspended, resumed, ended.

use super::Draft;
use crate::{Approval, Approver, Command, Hand, Key, Kind, Refusal, Row, Terms, TermsId, What};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::SetTerms { terms } => set(draft, terms),
        Command::EndTerms { terms } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            let hand = own_hand(draft, &rule);
            draft.fact_cutting(
                What::TermsEnded { terms: rule.id, scope: rule.scope },
                hand,
                vec![Key { kind: Kind::Terms, id: rule.id.0.to_string() }],
            );
            Ok(())
        }
        Command::SuspendTerms { terms, reason } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            if rule.paused.is_some() {
                return Err(Refusal::conflict(format!("{terms} is suspended already")));
            }
            let paused = Some(draft.pause(reason)?);
            let mut put = own_hand(draft, &rule);
            let what = What::TermsSuspended { terms: rule.id, scope: rule.scope };
            put.push(Row::Terms(Terms { paused, ..rule }));
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
            draft.fact(what, vec![Row::Terms(resumed(draft, rule))]);
            Ok(())
        }
        _ => Ok(()),
    }
}

/// Whoever resumes a rule answers for it as if they had set it.
fn resumed(draft: &Draft<'_>, rule: Terms) -> Terms {
    Terms { paused: None, set_by: draft.context.caller.subject(), set_at: Some(draft.now()), ..rule }
}

/// Whoever takes away a rule that demanded a yes has had a hand in their own asks (rule 10).
fn own_hand(draft: &Draft<'_>, rule: &Terms) -> Vec<Row> {
    let by = draft.context.caller.subject();
    let demands_yes = matches!(rule.settings.approval, Some(Approval::Stage { .. }));
    by.filter(|_| demands_yes && rule.paused.is_none())
        .map(|me| Row::Hand(Hand { by, touched: me, at: draft.now() }))
        .into_iter()
        .collect()
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
                let people = draft.world.people_in(*id);
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
    if rule.id == TermsId(0) {
        rule.id = draft.id();
    } else {
        let old = known(draft, rule.id)?;
        draft.administrator(old.scope)?;
        rule.paused = old.paused;
    }
    rule.set_by = draft.context.caller.subject();
    rule.set_at = Some(draft.now());
    let mut put = draft.hands(touched);
    let (id, scope) = (rule.id, rule.scope);
    put.push(Row::Terms(rule));
    draft.fact(What::TermsSet { terms: id, scope }, put);
    Ok(())
}

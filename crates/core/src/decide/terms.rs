//! Eligibilities and terms.

use super::Draft;
use crate::{
    Approval, Approver, Command, Eligibility, EligibilityId, Key, Kind, Refusal, Right, Row, SubjectId, Terms, TermsId,
    What,
};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::GiveEligibility { subject, right, from, until } => {
            draft.administrator(right.scope)?;
            let from = from.unwrap_or(draft.now());
            if until.is_some_and(|until| until <= from || until <= draft.now()) {
                return Err(Refusal::invalid(
                    "the eligibility would end before it begins, or is over already; give a later end",
                ));
            }
            if !draft.world.subjects.contains_key(subject) {
                return Err(Refusal::unknown("person, group or program", subject, "`tempestas people` lists them"));
            }
            let same = draft.world.eligibilities.values().find(|held| {
                held.subject == *subject && held.right == *right && held.until.is_none_or(|end| end > from)
            });
            // Changing the window in place: the one that is there is renewed.
            let id = same.map_or_else(|| draft.id(), |held| held.id);
            let from = same.map_or(from, |held| held.from.min(from));
            give(draft, id, *subject, *right, from, *until);
            Ok(())
        }
        Command::EndEligibility { eligibility } => {
            let held =
                draft.world.eligibilities.get(eligibility).cloned().ok_or_else(|| {
                    Refusal::unknown("eligibility", eligibility, "`tempestas eligible --all` lists them")
                })?;
            draft.administrator(held.right.scope)?;
            end(draft, &held);
            Ok(())
        }
        Command::SetTerms { terms } => set(draft, terms),
        Command::EndTerms { terms } => {
            let rule = known(draft, *terms)?;
            draft.administrator(rule.scope)?;
            draft.fact_cutting(
                What::TermsEnded { terms: rule.id, scope: rule.scope },
                Vec::new(),
                vec![Key { kind: Kind::Terms, id: rule.id.0.to_string() }],
            );
            Ok(())
        }
        _ => Ok(()),
    }
}

pub(super) fn give(
    draft: &mut Draft<'_>,
    id: EligibilityId,
    subject: SubjectId,
    right: Right,
    from: jiff::Timestamp,
    until: Option<jiff::Timestamp>,
) {
    let row = Eligibility { id, subject, right, from, until };
    draft.fact(What::EligibilityGiven { eligibility: id, subject, right }, vec![Row::Eligibility(row)]);
}

pub(super) fn end(draft: &mut Draft<'_>, held: &Eligibility) {
    draft.fact_cutting(
        What::EligibilityEnded { eligibility: held.id, subject: held.subject, right: held.right },
        Vec::new(),
        vec![Key { kind: Kind::Eligibility, id: held.id.0.to_string() }],
    );
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
    }
    rule.set_by = draft.context.caller.subject();
    rule.set_at = Some(draft.now());
    let mut put = draft.hands(touched);
    let (id, scope) = (rule.id, rule.scope);
    put.push(Row::Terms(rule));
    draft.fact(What::TermsSet { terms: id, scope }, put);
    Ok(())
}

//! Rules of terms, and what holds by them, as replies show them.

use tempestas_api::{EffectiveSetting, NewTerms, SettingWords, TermsView};
use tempestas_core::{Clause, Effective, Terms, TermsId, Visible, World};

use super::rights::pause;

pub(crate) fn terms(world: &World, rule: Visible<'_, Terms>) -> TermsView {
    let words = rule.settings.words(world).into_iter();
    TermsView {
        id: rule.id.to_string(),
        digest: rule.digest(),
        rule: NewTerms {
            scope: world.path(rule.scope),
            act: rule.act,
            role: rule.role.as_ref().map(|role| world.words(role).to_owned()),
            weight: rule.weight,
            asker: rule.asker.map(|asker| world.subject_name(asker)),
            settings: rule.settings.written(world),
            labels: rule.labels.clone(),
            attributes: rule.attributes.clone(),
            pins: rule.pins.clone(),
            valid_from: rule.valid.from,
            valid_until: rule.valid.until,
        },
        says: words.map(|(setting, words)| SettingWords { setting: setting.to_owned(), words }).collect(),
        set_by: rule.set_by.map(|by| world.subject_name(by)),
        in_files: world.name_in_files(&Clause::Rule((*rule).clone()).key()).map(str::to_owned),
        dormant: rule.dormant,
        suspended: rule.paused.as_ref().map(|paused| pause(world, paused)),
    }
}

/// What holds, setting by setting, each with where it came from.
pub(crate) fn effective(world: &World, effective: &Effective) -> Vec<EffectiveSetting> {
    effective
        .traces
        .iter()
        .map(|trace| {
            let place = |id: &TermsId| {
                world.terms.get(id).map_or_else(|| id.to_string(), |rule| format!("{id} at {}", world.path(rule.scope)))
            };
            let mut from = trace.rule.as_ref().map_or_else(|| "the house's defaults".to_owned(), place);
            if !trace.tightened_by.is_empty() {
                let pins: Vec<String> = trace.tightened_by.iter().map(place).collect();
                from = format!("{from}, tightened by {}", pins.join(" and "));
            }
            EffectiveSetting {
                setting: trace.setting.clone().into_owned(),
                value: effective.words(world, &trace.setting),
                from,
                rule: trace.rule.map(|id| id.to_string()),
                tightened_by: trace.tightened_by.iter().map(ToString::to_string).collect(),
                passed_over: trace.passed_over.iter().map(ToString::to_string).collect(),
            }
        })
        .collect()
}

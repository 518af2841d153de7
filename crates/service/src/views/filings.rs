//! What was put from files, and what would be.

use std::collections::BTreeMap;

use tempestas_api::{Becomes, ClauseChange, FilingPlanView, FilingView, SettingChange, TermsTouched};
use tempestas_core::{Amendment, Clause, FileMark, Filing, FilingPlan, Key, Refiled, Terms, Visible, World};

pub(crate) fn filing(world: &World, one: Visible<'_, Filing>) -> FilingView {
    let name = |change: &Refiled| format!("{} {}", kind(&change.key), change.called());
    FilingView {
        id: one.id.to_string(),
        within: world.path(one.within),
        by: one.by.map(|by| world.subject_name(by)),
        at: one.at,
        set: one.changes.iter().filter(|change| change.after.is_some()).count(),
        ended: one.changes.iter().filter(|change| change.after.is_none()).count(),
        clauses: one.changes.iter().map(name).collect(),
        undo_until: one.undo_until(),
        undoes: one.undoes.map(|id| id.to_string()),
        undone_by: one.undone_by.map(|id| id.to_string()),
    }
}

fn kind(key: &Key) -> &'static str {
    if key.kind == tempestas_core::Kind::Terms { "rule" } else { key.kind.word() }
}

/// What would be changed as one, with whom it touches.
pub(crate) fn filing_plan(world: &World, plan: &FilingPlan, touched: TermsTouched) -> FilingPlanView {
    let (mut by_hand, mut of_other_files) = (Vec::new(), Vec::new());
    for rule in world.terms.values().filter(|rule| world.is_within(rule.scope, plan.within)) {
        let key = Clause::Rule(rule.clone()).key();
        if plan.same.contains(&key) || plan.amendments.iter().any(|one| one.key.as_ref() == Some(&key)) {
            continue;
        }
        match world.file_mark(&key) {
            None => by_hand.push(rule.id.to_string()),
            Some(FileMark { known_as: known, .. }) if known.within != plan.within => {
                of_other_files.push(format!("{} ({} of {})", rule.id, known.name, world.path(known.within)));
            }
            Some(_) => {}
        }
    }
    FilingPlanView {
        digest: plan.digest(),
        changes: plan.amendments.iter().map(|one| clause(world, one)).collect(),
        same: plan.same.len(),
        by_hand,
        of_other_files,
        touched,
    }
}

fn clause(world: &World, one: &Amendment) -> ClauseChange {
    let mark = one.key.as_ref().and_then(|key| world.file_mark(key));
    let rule = |clause: &Option<Clause>| match clause {
        Some(Clause::Rule(rule)) => Some(rule.clone()),
        _ => None,
    };
    let (before, after) = (rule(&one.before), rule(&one.after));
    ClauseChange {
        kind: one.kind(),
        name: one.called().to_owned(),
        becomes: becomes(world, one),
        rule: before.as_ref().map(|rule| rule.id.to_string()),
        scope: after.as_ref().or(before.as_ref()).map(|rule| world.path(rule.scope)),
        says: said_otherwise(&said(world, one.before.as_ref()), &said(world, one.after.as_ref())),
        by_hand: mark.and_then(|mark| by_hand(world, mark, one.before.as_ref()?)),
    }
}

fn becomes(world: &World, one: &Amendment) -> Becomes {
    match (&one.before, &one.after, &one.name) {
        (None, _, _) => Becomes::New,
        (_, None, _) => Becomes::Ended,
        (_, _, None) if one.is_of_name_alone(world) => Becomes::Unfiled,
        (..) if one.is_of_name_alone(world) => Becomes::Filed,
        (..) => Becomes::Changed,
    }
}

/// Who changed a clause since files had it.
fn by_hand(world: &World, mark: &FileMark, clause: &Clause) -> Option<String> {
    let (by, at) = match clause {
        Clause::Rule(rule) => (rule.set_by, rule.set_at),
        Clause::Assurance(it) => (it.set_by, it.set_at),
        Clause::Separation(it) => (it.set_by, it.set_at),
        Clause::Promise(it) => (it.set_by, it.set_at),
    };
    by.filter(|_| at.is_some_and(|at| at > mark.at)).map(|by| world.subject_name(by))
}

/// What a clause says, setting by setting.
fn said(world: &World, clause: Option<&Clause>) -> BTreeMap<String, String> {
    let whole = |says: String| BTreeMap::from([("says".to_owned(), says)]);
    match clause {
        None => BTreeMap::new(),
        Some(Clause::Rule(rule)) => of_rule(world, rule),
        Some(Clause::Assurance(it)) => whole(it.words(world)),
        Some(Clause::Separation(it)) => whole(it.words(world)),
        Some(Clause::Promise(it)) => whole(it.words(world)),
    }
}

fn of_rule(world: &World, rule: &Terms) -> BTreeMap<String, String> {
    let labels = |all: &BTreeMap<String, String>| {
        let each: Vec<String> = all.iter().map(|(name, value)| format!("{name}={value}")).collect();
        (!each.is_empty()).then(|| each.join(", "))
    };
    let about = [
        ("scope", Some(world.path(rule.scope))),
        ("act", Some(rule.act.to_string())),
        ("role", rule.role.as_ref().map(|role| world.words(role).to_owned())),
        ("weight", rule.weight.map(|weight| weight.to_string())),
        ("asker", rule.asker.map(|asker| world.subject_name(asker))),
        ("labels", labels(&rule.labels)),
        ("attributes", labels(&rule.attributes)),
        ("pins", (!rule.pins.is_empty()).then(|| rule.pins.join(", "))),
        ("valid", (!rule.valid.is_always()).then(|| rule.valid.to_string())),
    ];
    let about = about.into_iter().filter_map(|(name, words)| Some((name, words?)));
    about.chain(rule.settings.words(world)).map(|(name, words)| (name.to_owned(), words)).collect()
}

/// What is said on one side alone, or otherwise; empty where nothing is.
fn said_otherwise(before: &BTreeMap<String, String>, after: &BTreeMap<String, String>) -> Vec<SettingChange> {
    let mut names: Vec<&String> = before.keys().chain(after.keys()).collect();
    names.sort_unstable();
    names.dedup();
    let value = |of: &BTreeMap<String, String>, name: &String| of.get(name).cloned().unwrap_or_default();
    let change =
        |name: &String| SettingChange { setting: name.clone(), before: value(before, name), after: value(after, name) };
    names.into_iter().map(change).filter(|change| change.before != change.after).collect()
}

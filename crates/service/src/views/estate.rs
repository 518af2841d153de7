//! Targets and sources of people, as replies show them.

use tempestas_api::{SealView, SourceView, TargetView};
use tempestas_core::{Phase, Source, SubjectKind, Target, Trial, Visible, World};

use crate::status::Statuses;

/// A target, and what was heard of it last.
pub(crate) fn target(statuses: &Statuses, world: &World, known: Visible<'_, Target>) -> TargetView {
    let id = known.scope;
    let heard = statuses.of(id);
    let live = world.active().filter(|elevation| {
        elevation.phase == Phase::Live
            && world.target_of(elevation.right.scope).is_some_and(|target| target.scope == id)
    });
    TargetView {
        path: world.path(id),
        digest: known.digest(),
        connector: known.connector.clone(),
        broker: known.broker.map(|broker| world.text(broker)),
        emergency_least: known.emergency_least,
        alarm_after: known.alarm_after.0,
        runs_on: known.runs_on.map(|host| world.path(host)),
        labels: known.labels.clone(),
        attributes: known.attributes.clone(),
        seals: known.trials.iter().map(|trial| seal(world, trial)).collect(),
        surveying: heard.surveying,
        last_survey: heard.surveyed,
        surveyed_at: known.surveyed_at,
        held: known.held.is_some(),
        trouble: heard.trouble,
        answered_at: heard.answered_at,
        standing: world.standing_on(id).count(),
        live: live.count(),
    }
}

fn seal(world: &World, trial: &Trial) -> SealView {
    SealView {
        account: world.text(trial.account),
        due: trial.due,
        tried_at: trial.tried.map(|tried| tried.at),
        tried_by: trial.tried.and_then(|tried| tried.by).map(|by| world.subject_name(by)),
    }
}

/// A source of people, and how many come from it.
pub(crate) fn source(world: &World, source: Visible<'_, Source>) -> SourceView {
    let subjects: Vec<_> = world
        .links
        .values()
        .filter(|link| link.target == source.target)
        .filter_map(|link| world.subjects.get(&link.subject))
        .collect();
    let people = || subjects.iter().filter(|subject| subject.kind == SubjectKind::Person);
    SourceView {
        target: world.path(source.target),
        mapping: source.mapping.clone(),
        people: people().count(),
        groups: subjects.len() - people().count(),
        suspended: people().filter(|person| world.is_suspended(person.id)).count(),
        taken_at: source.taken_at,
        held: source.held.is_some(),
        unusable: source.unusable,
    }
}

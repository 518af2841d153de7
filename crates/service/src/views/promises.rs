//! Promises as replies show them.

use std::convert::Infallible;

use jiff::Timestamp;
use tempestas_api::{BrokenView, ExampleView, PromiseBody, PromiseView};
use tempestas_core::{Clause, Promise, PromiseBreach, Sight, Visible, World};

/// Most examples of what breaks one.
const EXAMPLES: usize = 20;

/// One, with what breaks it of what the caller sees.
pub(crate) fn promise(world: &World, sight: &Sight, one: Visible<'_, Promise>, now: Timestamp) -> PromiseView {
    PromiseView {
        name: one.name.clone(),
        says: one.words(world),
        promise: promise_body(world, &one),
        broken: broken(world, sight, &one, now),
        set_by: one.set_by.map(|id| world.subject_name(id)),
        set_at: one.set_at,
        in_files: super::is_in_files(world, &Clause::Promise((*one).clone())),
        digest: one.digest(),
    }
}

/// It as it is set.
pub(crate) fn promise_body(world: &World, one: &Promise) -> PromiseBody {
    let Ok(promised) = one.promised.clone().naming(|to| Ok::<_, Infallible>(world.subject_name(to)));
    PromiseBody { of: one.of.text(world), by: one.by.map(|by| world.subject_name(by)), promised }
}

/// What breaks one, of what the caller sees.
pub(crate) fn broken(world: &World, sight: &Sight, one: &Promise, now: Timestamp) -> BrokenView {
    let is_seen = |breach: &PromiseBreach| sight.sees_scope(world, breach.right.scope);
    let seen: Vec<PromiseBreach> = one.breaches(world, now).into_iter().filter(is_seen).collect();
    let example = |breach: &PromiseBreach| ExampleView {
        says: breach.words(world),
        who: breach.who.map(|who| world.subject_name(who)),
        right: world.right_name(breach.right),
        rule: breach.rule.map(|rule| rule.to_string()),
    };
    BrokenView {
        times: seen.iter().map(|breach| breach.everybody.len().max(1)).sum(),
        examples: seen.iter().take(EXAMPLES).map(example).collect(),
    }
}

//! Assurances as replies show them.

use tempestas_api::{AssuranceBody, AssuranceView, LetThroughView};
use tempestas_core::{Assurance, Clause, Sight, Visible, World};

/// One, with what of it the caller sees.
pub(crate) fn assurance(world: &World, sight: &Sight, one: Visible<'_, Assurance>) -> AssuranceView {
    let name = |id| world.subject_name(id);
    let wanting = world.terms_wanting(&one.name).filter_map(|rule| sight.see(world, rule));
    let let_through = world.shortfalls_of(&one.name).filter_map(|shortfall| sight.see(world, shortfall));
    AssuranceView {
        name: one.name.clone(),
        says: one.words(world),
        assurance: assurance_body(world, &one),
        wanted_by: wanting.map(|rule| rule.id.to_string()).collect(),
        let_through: let_through
            .map(|shortfall| LetThroughView {
                who: name(shortfall.subject),
                times: shortfall.times,
                last_at: shortfall.last_at,
                lack: shortfall.lack,
            })
            .collect(),
        set_by: one.set_by.map(name),
        set_at: one.set_at,
        in_files: super::is_in_files(world, &Clause::Assurance((*one).clone())),
        digest: one.digest(),
    }
}

/// It as it is set.
pub(crate) fn assurance_body(world: &World, one: &Assurance) -> AssuranceBody {
    let name = |id| world.subject_name(id);
    AssuranceBody {
        accepts: one.accepts.clone(),
        within: one.within,
        networks: one.networks.iter().map(ToString::to_string).collect(),
        bypass: one.bypass.map(name),
        pilot: one.pilot.map(name),
        watch_only: one.watch_only,
    }
}

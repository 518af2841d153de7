//! Circumstances as replies show them.

use tempestas_api::CircumstanceView;
use tempestas_core::{Circumstance, Sight, Visible, World};

/// One, with what of it the caller sees.
pub(crate) fn circumstance(
    world: &World,
    sight: &Sight,
    one: Visible<'_, Circumstance>,
    trouble: Option<String>,
) -> CircumstanceView {
    let wanting = world.terms_only_while(&one.name).filter_map(|rule| sight.see(world, rule));
    let heard = one.of().is_none().then(|| world.heard.get(one.name.as_str())).flatten();
    CircumstanceView {
        name: one.name.clone(),
        says: one.words(),
        address: one.address.clone(),
        pointer: one.pointer.clone(),
        is: one.is.clone(),
        holds: heard.map(|heard| heard.holds),
        since: heard.map(|heard| heard.at),
        trouble,
        wanted_by: wanting.map(|rule| rule.id.to_string()).collect(),
        set_by: one.set_by.map(|id| world.subject_name(id)),
        set_at: one.set_at,
        digest: one.digest(),
    }
}

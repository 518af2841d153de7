//! Separations as replies show them.

use jiff::Timestamp;
use tempestas_api::{BreachView, HoldingView, KeepsBody, SeparationBody, SeparationView};
use tempestas_core::{Breach, Clause, Keeps, Separation, Sight, Visible, World};

/// One, with what breaks it of what the caller sees.
pub(crate) fn separation(world: &World, sight: &Sight, one: Visible<'_, Separation>, now: Timestamp) -> SeparationView {
    SeparationView {
        name: one.name.clone(),
        says: one.words(world),
        separation: separation_body(world, &one),
        without_right: one.keeps.sets().filter(|set| !set.holds_any(world)).map(|set| set.text(world)).collect(),
        breaches: breaches(world, sight, &one, now),
        set_by: one.set_by.map(|id| world.subject_name(id)),
        set_at: one.set_at,
        in_files: super::is_in_files(world, &Clause::Separation((*one).clone())),
        digest: one.digest(),
    }
}

/// It as it is set.
pub(crate) fn separation_body(world: &World, one: &Separation) -> SeparationBody {
    let keeps = match &one.keeps {
        Keeps::Apart { one, other } => KeepsBody::Apart { one: one.text(world), other: other.text(world) },
        Keeps::Few { of, most } => KeepsBody::Few { of: of.text(world), most: *most },
        Keeps::Holders { of, least, most } => KeepsBody::Holders { of: of.text(world), least: *least, most: *most },
    };
    SeparationBody { keeps, counts: one.counts }
}

/// What breaks one, of what the caller sees whole.
pub(crate) fn breaches(world: &World, sight: &Sight, one: &Separation, now: Timestamp) -> Vec<BreachView> {
    let is_seen = |breach: &Breach| breach.has.iter().all(|held| sight.sees_scope(world, held.right.scope));
    let because = |breach: &Breach| {
        let known = one.tolerated.iter().find(|known| known.who == breach.who);
        known.filter(|_| breach.tolerated.is_some()).map(|known| world.text(known.reason))
    };
    let seen = one.breaches(world, now).into_iter().filter(is_seen);
    seen.map(|breach| BreachView {
        who: breach.who.map(|who| world.subject_name(who)),
        says: breach.words(world),
        has: breach.has.iter().map(|held| HoldingView { right: world.right_name(held.right), how: held.how }).collect(),
        many: breach.many,
        tolerated_until: breach.tolerated,
        because: because(&breach),
    })
    .collect()
}

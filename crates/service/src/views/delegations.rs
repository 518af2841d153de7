//! Answers delegated for an absence, as replies show them.

use jiff::Timestamp;
use tempestas_api::DelegationView;
use tempestas_core::{Delegation, Sight, SubjectId, Visible, World};

/// A delegation as one person sees it.
pub(crate) fn delegation(world: &World, one: Visible<'_, Delegation>, me: SubjectId) -> DelegationView {
    let is_party = [one.absent, one.delegate].map(|party| world.human(party)).contains(&world.human(me));
    DelegationView {
        id: one.id.to_string(),
        absent: world.subject_name(one.absent),
        delegate: world.subject_name(one.delegate),
        from: one.from,
        until: one.until,
        set_by: one.set_by.map(|by| world.subject_name(by)),
        reason: one.reason.map(|reason| world.text(reason)),
        holds: one.holds(Timestamp::now()),
        may_end: is_party || world.root.is_some_and(|root| Sight::is_administrator(world, me, root)),
    }
}

//! Roles, standing rights and eligibilities, as replies show them.

use tempestas_api::{EligibilityView, PauseView, RoleView, StandingView, TakesView};
use tempestas_core::{Eligibility, Pause, Right, Role, Standing, Visible, Weight, World};

use crate::uses::LastUses;

pub(crate) fn role(world: &World, role: Visible<'_, Role>) -> RoleView {
    RoleView {
        role: world.words(&role.name).to_owned(),
        target: world.path(role.target),
        says: world.words(&role.says).to_owned(),
        weight: role.weight,
        lapse: role.lapse.clone(),
    }
}

/// What a role permits, and its weight.
pub(super) fn role_of(world: &World, right: Right) -> (String, Weight) {
    world
        .roles
        .get(&right.role)
        .map_or_else(|| (String::new(), Weight::Critical), |role| (world.words(&role.says).to_owned(), role.weight))
}

pub(crate) fn standing(world: &World, last: &LastUses, right: Visible<'_, Standing>) -> StandingView {
    let role = world.roles.get(&right.right.role);
    let account = world.text(right.account);
    StandingView {
        id: right.id.to_string(),
        sealed: world.is_sealed(right.target, &account),
        account,
        who: world.owner_of(&right).map(|who| world.subject_name(who)),
        role: world.role_name(right.right.role).to_owned(),
        scope: world.path(right.right.scope),
        target: world.path(right.target),
        weight: role.map_or(Weight::Critical, |role| role.weight),
        chain: right.chain.iter().map(|way| world.words(way).to_owned()).collect(),
        direct: right.handle.is_some(),
        against: right.stands_against(world).map(|rule| rule.to_string()),
        since: right.since,
        first_seen: right.first_seen,
        last_used: last.of(world, &right),
        use_is_told: last.are_told(right.target),
    }
}

pub(super) fn pause(world: &World, pause: &Pause) -> PauseView {
    PauseView { by: pause.by.map(|by| world.subject_name(by)), at: pause.at, reason: world.text(pause.reason) }
}

pub(crate) fn eligibility(world: &World, held: Visible<'_, Eligibility>, takes: Option<TakesView>) -> EligibilityView {
    let (says, weight) = role_of(world, held.right);
    EligibilityView {
        id: held.id.to_string(),
        digest: held.digest(),
        who: world.subject_name(held.subject),
        right: world.right_name(held.right),
        says,
        weight,
        from: held.from,
        until: held.until,
        covers: held.by.and_then(|id| world.appointments.get(&id)?.covers).map(|absent| world.subject_name(absent)),
        suspended: held.paused.as_ref().map(|paused| pause(world, paused)),
        takes,
    }
}

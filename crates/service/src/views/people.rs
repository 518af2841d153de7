//! People, groups, programs and duties, as replies show them.

use tempestas_api::{AccountView, DutyView, ProofView, SubjectView};
use tempestas_core::{Duty, Proof, Sight, Subject, Visible, World};

/// A person, group or program, as far as the caller sees it: whose accounts they have elsewhere, and who else is in their
/// groups, is for those with a duty there.
pub(crate) fn subject(world: &World, sight: &Sight, subject: Visible<'_, Subject>) -> SubjectView {
    SubjectView {
        id: subject.id.to_string(),
        kind: subject.kind,
        name: world.text(subject.name),
        about: world.text(subject.about),
        second_of: subject.second_of.map(|first| world.subject_name(first)),
        suspended: subject.suspended,
        manager: subject.manager.map(|manager| world.subject_name(manager)),
        members: world
            .members_of(subject.id)
            .filter(|member| sight.sees_subject(world, *member))
            .map(|member| world.subject_name(member))
            .collect(),
        alike: world.alike(subject.id),
        accounts: world
            .accounts_of(subject.id)
            .filter(|account| sight.is_of(account.subject) || sight.sees_scope(world, account.target))
            .map(|account| AccountView {
                target: world.path(account.target),
                account: world.text(account.name),
                digest: account.digest(),
            })
            .collect(),
    }
}

pub(crate) fn duty(world: &World, duty: Visible<'_, Duty>) -> DutyView {
    DutyView {
        id: duty.id.to_string(),
        who: world.subject_name(duty.subject),
        duty: duty.kind,
        scope: world.path(duty.scope),
    }
}

/// A proof, and how sure it makes.
pub(crate) fn proof(Proof { at, method }: Proof) -> ProofView {
    ProofView { at, method, level: method.level() }
}

//! Who is who on a target.

use super::World;
use crate::{Account, Digest, ScopeId, Standing, SubjectId};

impl World {
    /// The subject's own account on a target.
    #[must_use]
    pub fn account_of(&self, subject: SubjectId, target: ScopeId) -> Option<&Account> {
        self.accounts.get(&format!("{}-{}", subject.0, target.0))
    }

    /// Who owns an account on a target.
    #[must_use]
    pub fn holder_of(&self, target: ScopeId, account: Digest) -> Option<SubjectId> {
        self.owners_named(target, self.known_text(account)?).next()
    }

    /// Who owns an account of this name on a target.
    pub(crate) fn owners_named(&self, target: ScopeId, account: &str) -> impl Iterator<Item = SubjectId> {
        self.digests(account).flat_map(move |name| self.indexes.owners.of((target, name)))
    }

    /// Who owns the account that holds a standing right.
    #[must_use]
    pub fn owner_of(&self, held: &Standing) -> Option<SubjectId> {
        self.holder_of(held.target, held.account)
    }

    /// Every account that is a subject's own, by target.
    pub fn accounts_of(&self, subject: SubjectId) -> impl Iterator<Item = &Account> {
        self.indexes.accounts_of.of(subject).filter_map(move |target| self.account_of(subject, target))
    }

    /// What a subject's accounts, or those of whoever belongs to it, hold all the time; by id.
    #[must_use]
    pub fn standing_held_by(&self, subject: SubjectId) -> Vec<&Standing> {
        let own = self.accounts.values().filter(|account| self.belongs_to(account.subject, subject));
        let mut held: Vec<_> = own.flat_map(|account| self.standing_of(account.target, account.name)).collect();
        held.sort_unstable_by_key(|held| held.id);
        held
    }

    /// What stands on a target.
    pub fn standing_on(&self, target: ScopeId) -> impl DoubleEndedIterator<Item = &Standing> {
        self.indexes.standing_on.of(target).filter_map(|id| self.standing.get(&id))
    }

    /// What an account on a target holds all the time.
    pub fn standing_of(&self, target: ScopeId, account: Digest) -> impl Iterator<Item = &Standing> {
        let spelled = self.known_text(account).into_iter().flat_map(|name| self.digests(name));
        spelled
            .flat_map(move |name| self.indexes.standing_of.of((target, name)))
            .filter_map(|id| self.standing.get(&id))
    }

    /// Whether an account is the one that we ourselves work with on a target.
    #[must_use]
    pub fn is_broker(&self, target: ScopeId, account: Digest) -> bool {
        self.targets
            .get(&target)
            .and_then(|known| self.known_text(known.broker?))
            .is_some_and(|name| self.is_text(account, name))
    }

    /// Whether an account is a sealed emergency holder of a target.
    #[must_use]
    pub fn is_sealed(&self, target: ScopeId, account: &str) -> bool {
        self.targets.get(&target).is_some_and(|known| known.sealed.iter().any(|sealed| self.is_text(*sealed, account)))
    }
}

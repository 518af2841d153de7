//! What a change may have broken: so that not everybody and every right is looked at anew for each.

use std::collections::BTreeSet;

use crate::{EligibilityId, Fact, Key, Kind, RoleId, Row, ScopeId, StandingId, SubjectId, Target, World};

/// What facts may have changed in the power of anybody.
#[derive(Debug, Default)]
pub(crate) struct Touch {
    /// Of everybody.
    pub(super) all: bool,
    /// Of whoever has one less, by which what was broken may be kept again.
    less: bool,
    /// Of whoever may ask for something at these places, or below or above them.
    pub(super) scopes: BTreeSet<ScopeId>,
    /// Of these people.
    pub(super) people: BTreeSet<SubjectId>,
    /// By these.
    pub(super) eligibilities: BTreeSet<EligibilityId>,
    /// Of whoever may ask for one of these.
    pub(super) roles: BTreeSet<RoleId>,
    /// Of whoever has an account on these, all the time.
    pub(super) accounts_on: BTreeSet<ScopeId>,
    /// By holding these all the time.
    pub(super) standing: BTreeSet<StandingId>,
}

impl Touch {
    /// What facts touch that are decided and not yet applied.
    pub(crate) fn of(world: &World, facts: &[Fact]) -> Self {
        let mut touch = Self::default();
        for fact in facts {
            fact.put.iter().for_each(|row| touch.put(world, row));
            fact.cut.iter().for_each(|key| touch.cut(world, key));
        }
        touch
    }

    pub(crate) fn is_nothing(&self) -> bool {
        let Self { all, less, scopes, people, eligibilities, roles, accounts_on, standing } = self;
        !all && !less
            && scopes.is_empty()
            && people.is_empty()
            && eligibilities.is_empty()
            && roles.is_empty()
            && accounts_on.is_empty()
            && standing.is_empty()
    }

    /// Whether only some may be looked at, and not all rights there are.
    pub(super) fn is_of_people_alone(&self) -> bool {
        !self.all && self.scopes.is_empty() && self.roles.is_empty()
    }

    fn put(&mut self, world: &World, row: &Row) {
        match row {
            Row::Terms(rule) => drop(self.scopes.insert(rule.scope)),
            Row::Eligibility(held) => drop(self.eligibilities.insert(held.id)),
            Row::Target(target) if is_otherwise(world, target) => {
                self.scopes.insert(target.scope);
                self.accounts_on.insert(target.scope);
            }
            Row::Role(role) => drop(self.roles.insert(role.id)),
            Row::Standing(held) => drop(self.standing.insert(held.id)),
            Row::Account(account) => drop(self.accounts_on.insert(account.target)),
            // Whoever comes into a group, or out of one, may answer others, too; and so may who is suspended, or there again.
            Row::Member(one) => self.person(world, one.member),
            Row::Subject(subject) => {
                self.all |= world.subjects.contains_key(&subject.id);
            }
            Row::Duty(_) | Row::Assurance(_) => self.all = true,
            _ => {}
        }
    }

    fn cut(&mut self, world: &World, key: &Key) {
        match key.kind {
            Kind::Eligibility | Kind::Standing => self.less = true,
            Kind::Terms => {
                let id = key.id.parse().ok().map(crate::TermsId);
                self.scopes.extend(id.and_then(|id| world.terms.get(&id)).map(|rule| rule.scope));
            }
            Kind::Member | Kind::Duty | Kind::Assurance | Kind::Subject | Kind::Account => self.all = true,
            _ => {}
        }
    }

    /// A person, or everybody in a group; whom they could answer is for whoever asks about that to look at.
    fn person(&mut self, world: &World, member: SubjectId) {
        self.people.insert(member);
        self.people.extend(world.everybody_in(member));
    }
}

/// Whether rules that go by labels may fit a system otherwise.
fn is_otherwise(world: &World, target: &Target) -> bool {
    let before = world.targets.get(&target.scope);
    before.is_none_or(|before| (&before.labels, &before.attributes) != (&target.labels, &target.attributes))
}

//! What finds rows without looking at all of them; kept where rows are put and cut, in one place for each kind of row.

use std::sync::Arc;

use imbl::{HashMap, OrdSet};
use jiff::Timestamp;

use super::{
    ItemKey, World,
    table::{Change, Number, Pairs},
};
use crate::{
    Account, Alarm, Appointment, Assurance, Calendar, Circumstance, Conversion, ConversionId, Delegation, DelegationId,
    Demanded, Drift, Duty, Elevation, ElevationId, Eligibility, EligibilityId, FileMark, Filing, Grant, GrantId, Heard,
    Id, Influence, Item, Link, Membership, Pair, Promise, Role, RoleId, Scope, ScopeId, Separation, Shortfall, Source,
    Standing, StandingId, Stop, Subject, SubjectId, SubjectKind, Tally, Target, Terms,
    due::{Due, LOOKED_AT_IN},
    text::Digest,
};

/// Rows by what they are looked for by. No part of the state, since it follows from the rows.
#[derive(Debug, Clone, Default)]
pub(crate) struct Indexes {
    /// Elevations that are not over.
    pub(super) active: OrdSet<ElevationId>,
    /// Every group.
    pub(super) groups: OrdSet<SubjectId>,
    /// Groups by member.
    pub(crate) groups_of: Pairs<SubjectId, SubjectId>,
    /// Further sign-ins by the first of the same human.
    pub(super) seconds_of: Pairs<SubjectId, SubjectId>,
    /// Elevations by asker.
    pub(super) asked_by: Pairs<SubjectId, ElevationId>,
    /// Subjects by name.
    pub(super) named: Pairs<Digest, SubjectId>,
    /// Scopes by parent and name.
    pub(super) children: Pairs<(ScopeId, String), ScopeId>,
    /// Roles by target.
    pub(crate) roles_on: Pairs<ScopeId, RoleId>,
    /// Who owns an account, by target and name.
    pub(super) owners: Pairs<(ScopeId, Digest), SubjectId>,
    /// Targets that a subject has an account on.
    pub(crate) accounts_of: Pairs<SubjectId, ScopeId>,
    /// Standing rights by target.
    pub(crate) standing_on: Pairs<ScopeId, StandingId>,
    /// Standing rights by target and account.
    pub(super) standing_of: Pairs<(ScopeId, Digest), StandingId>,
    /// Eligibilities by who holds them.
    pub(super) eligible: Pairs<SubjectId, EligibilityId>,
    /// Delegations by who is away.
    pub(crate) delegations_of: Pairs<SubjectId, DelegationId>,
    /// Rules of terms by scope, in the order of their ids: side by side, since every ask weighs those of each place above it.
    terms_at: HashMap<ScopeId, Arc<[Terms]>>,
    /// Rights of conversions that are still to be changed, by target.
    pub(crate) pending_on: Pairs<ScopeId, ItemKey>,
    /// Grants that are not read back as gone, by target.
    pub(crate) grants_on: Pairs<ScopeId, GrantId>,
    /// What is over, by when it may be forgotten.
    pub(super) over: OrdSet<(Timestamp, ElevationId)>,
    /// What is over, and that somebody has yet to look at.
    pub(super) under_debrief: OrdSet<ElevationId>,
    /// Grants that an alarm names.
    pub(super) alarmed: OrdSet<GrantId>,
    /// What comes to its time, in that order.
    pub(crate) due: OrdSet<(Timestamp, Due)>,
    /// Asks that wait for answers, by the second of each minute in which they are looked at.
    pub(crate) looked_at: Pairs<u64, ElevationId>,
    /// Digests by the text behind them, of names that are looked for by text. What no row names any more may stay.
    pub(super) spelled: OrdSet<(Arc<str>, Digest)>,
    /// Names whose text isn't known yet.
    pub(super) unspelled: OrdSet<Digest>,
}

/// It follows from the rows, so of two Worlds with the same rows it is the same.
impl PartialEq for Indexes {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

/// Private texts by digest.
pub(super) type Texts = HashMap<Digest, Arc<str>>;

impl Indexes {
    /// Makes a name findable by its text; it stays so.
    fn spell(&mut self, change: Change, texts: &Texts, name: Digest) {
        match (change, texts.get(&name)) {
            (Change::Leave, _) => {}
            (Change::Enter, Some(text)) => drop(self.spelled.insert((Arc::clone(text), name))),
            (Change::Enter, None) => drop(self.unspelled.insert(name)),
        }
    }

    fn falls_due(&mut self, change: Change, at: Option<Timestamp>, due: Due) {
        if let Some(at) = at {
            change.of(&mut self.due, (at, due));
        }
    }

    /// A text came to be known; whether it is a name that was waiting for it.
    pub(super) fn know(&mut self, digest: Digest, text: &Arc<str>) -> bool {
        let was_waiting = self.unspelled.remove(&digest).is_some();
        if was_waiting {
            self.spelled.insert((Arc::clone(text), digest));
        }
        was_waiting
    }
}

impl World {
    /// The digests of names that have this text.
    pub(super) fn digests(&self, text: &str) -> impl Iterator<Item = Digest> {
        let text: Arc<str> = text.into();
        let (from, to) = ((Arc::clone(&text), Digest::LEAST), (text, Digest::GREATEST));
        self.indexes.spelled.range(from..=to).map(|(_, digest)| *digest)
    }
}

impl World {
    /// Rules of terms at a scope itself.
    pub(crate) fn terms_at(&self, scope: ScopeId) -> impl Iterator<Item = &Terms> {
        self.indexes.terms_at.get(&scope).into_iter().flat_map(|rules| rules.iter())
    }
}

/// How a row is found otherwise than by its key.
pub(super) trait Indexed {
    /// Enters it into the indexes, or takes it out of them.
    fn index(&self, _change: Change, _indexes: &mut Indexes, _texts: &Texts) {}
}

impl Indexed for Subject {
    fn index(&self, change: Change, indexes: &mut Indexes, texts: &Texts) {
        if self.kind == SubjectKind::Group {
            change.of(&mut indexes.groups, self.id);
        }
        if let Some(first) = self.second_of {
            indexes.seconds_of.change(change, first, self.id);
        }
        indexes.named.change(change, self.name, self.id);
        indexes.spell(change, texts, self.name);
        indexes.spell(change, texts, self.about);
    }
}

impl Indexed for Membership {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.groups_of.change(change, self.member, self.group);
    }
}

impl Indexed for Scope {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        if let Some(parent) = self.parent {
            indexes.children.change(change, (parent, self.name.clone()), self.id);
        }
    }
}

impl Indexed for Role {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.roles_on.change(change, self.target, self.id);
    }
}

impl Indexed for Account {
    fn index(&self, change: Change, indexes: &mut Indexes, texts: &Texts) {
        indexes.owners.change(change, (self.target, self.name), self.subject);
        indexes.accounts_of.change(change, self.subject, self.target);
        indexes.spell(change, texts, self.name);
    }
}

impl Indexed for Standing {
    fn index(&self, change: Change, indexes: &mut Indexes, texts: &Texts) {
        indexes.standing_on.change(change, self.target, self.id);
        indexes.standing_of.change(change, (self.target, self.account), self.id);
        indexes.spell(change, texts, self.account);
    }
}

impl Indexed for Eligibility {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.eligible.change(change, self.subject, self.id);
    }
}

impl Indexed for Elevation {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.asked_by.change(change, self.asker, self.id);
        if !self.is_over() {
            change.of(&mut indexes.active, self.id);
        } else if self.grants.is_empty() {
            change.of(&mut indexes.over, (self.asked_at, self.id));
        }
        if self.open_debrief().is_some() {
            change.of(&mut indexes.under_debrief, self.id);
        }
        if self.is_asked() {
            indexes.looked_at.change(change, self.id.0 % LOOKED_AT_IN, self.id);
        }
        indexes.falls_due(change, self.due(), Due::Elevation(self.id));
    }
}

impl Indexed for Grant {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        if self.is_gone() {
            change.of(&mut indexes.over, (self.spent_at(), self.elevation));
        } else {
            indexes.grants_on.change(change, self.target, self.id);
        }
        indexes.falls_due(change, self.due(), Due::Grant(self.id));
    }
}

impl Indexed for Appointment {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.falls_due(change, self.due(), Due::Appointment(self.id));
    }
}

impl Indexed for Delegation {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.delegations_of.change(change, self.absent, self.id);
    }
}

impl Indexed for Conversion {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.falls_due(change, self.due(), Due::Conversion(self.id));
    }
}

impl Indexed for Item {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        if self.state.is_pending() {
            indexes.pending_on.change(change, self.standing.target, self.key());
        }
    }
}

impl Indexed for Drift {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.falls_due(change, self.due(), Due::Drift(self.id));
    }
}

impl Indexed for Alarm {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        if let Some(grant) = self.about.grant() {
            change.of(&mut indexes.alarmed, grant);
        }
    }
}

impl Indexed for Target {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        indexes.falls_due(change, self.due(), Due::Target(self.scope));
    }
}

impl Indexed for Terms {
    fn index(&self, change: Change, indexes: &mut Indexes, _: &Texts) {
        let rules = indexes.terms_at.get(&self.scope);
        let mut rules: Vec<Terms> = rules.into_iter().flat_map(|rules| rules.iter()).cloned().collect();
        rules.retain(|rule| rule.id != self.id);
        if let Change::Enter = change {
            rules.insert(rules.partition_point(|rule| rule.id < self.id), self.clone());
        }
        match rules.is_empty() {
            true => indexes.terms_at.remove(&self.scope),
            false => indexes.terms_at.insert(self.scope, rules.into()),
        };
        indexes.falls_due(change, self.due(), Due::Terms(self.id));
    }
}

macro_rules! by_key_alone {
    ($($row:ty)*) => { $(impl Indexed for $row {})* };
}

by_key_alone!(Demanded Influence Duty Assurance Calendar Circumstance Heard Separation Promise Filing FileMark Shortfall Stop Source Link Tally);

macro_rules! numbers {
    ($($id:ty)*) => {$(
        impl Number for $id {
            const LEAST: Self = Self(u64::MIN);
            const GREATEST: Self = Self(u64::MAX);
        }
    )*};
}

impl<A: Number + Id, B: Number + Id> Number for Pair<A, B> {
    const LEAST: Self = Self(A::LEAST, B::LEAST);
    const GREATEST: Self = Self(A::GREATEST, B::GREATEST);
}

numbers!(ConversionId SubjectId ScopeId RoleId StandingId EligibilityId ElevationId GrantId DelegationId);

impl Digest {
    const LEAST: Self = Self([u8::MIN; 32]);
    const GREATEST: Self = Self([u8::MAX; 32]);
}

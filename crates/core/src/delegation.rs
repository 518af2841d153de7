//! Delegations: who answers in somebody's place while they are away.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Appointment, AppointmentId, AppointmentState, DelegationId, Seconds, SubjectId, World, later, text::Digest,
};

/// How long one may last.
pub(crate) const DELEGATION_LASTS: Seconds = Seconds::hours(24 * 92);
/// How long one is kept after its end, since what was asked meanwhile may still wait for it.
pub(crate) const KEPT_AFTER: Seconds = Seconds::hours(24 * 31);

/// That somebody is away, and who answers in their place meanwhile.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Delegation {
    /// Its id.
    pub id: DelegationId,
    /// Who is away, by their first sign-in: all of theirs are.
    pub absent: SubjectId,
    /// Who answers in their place.
    pub delegate: SubjectId,
    /// From when.
    pub from: Timestamp,
    /// Until when.
    pub until: Timestamp,
    /// Who said so.
    pub set_by: Option<SubjectId>,
    /// Why.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<Digest>,
}

impl Delegation {
    /// Whether it holds at `now`.
    #[must_use]
    pub fn holds(&self, now: Timestamp) -> bool {
        self.from <= now && now < self.until
    }
}

/// What lends somebody another's answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Lent {
    /// A delegation.
    Delegation(DelegationId),
    /// A cover, where the terms say so.
    Cover(AppointmentId),
}

/// That somebody who is named to answer is away, and who is asked in their place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Away {
    /// Who is away.
    pub who: SubjectId,
    /// Who is asked.
    pub delegate: SubjectId,
    /// Until when they are away.
    pub until: Timestamp,
    /// By what.
    pub by: Lent,
}

impl Away {
    /// Whether it wasn't taken back since: by its own end it was not.
    pub(crate) fn stands(&self, world: &World) -> bool {
        match self.by {
            Lent::Delegation(id) => world.delegations.contains_key(&id),
            Lent::Cover(id) => world.appointments.get(&id).is_some_and(|cover| {
                cover.state == AppointmentState::Made || cover.over_at.is_some_and(|over| over >= self.until)
            }),
        }
    }
}

/// Who answers in somebody's place at `now`: whom they said, or where `cover` lends it whoever covers for them.
pub(crate) fn away(world: &World, who: SubjectId, cover: bool, now: Timestamp) -> Option<Away> {
    let human = world.human(who);
    let delegation = world.delegations_of(human).find(|one| one.holds(now)).map(|one| Away {
        who,
        delegate: one.delegate,
        until: one.until,
        by: Lent::Delegation(one.id),
    });
    let covers = |one: &&Appointment| {
        one.covers.is_some_and(|absent| world.human(absent) == human)
            && one.state == AppointmentState::Made
            && one.from <= now
            && one.until > Some(now)
    };
    let covered = || {
        let one = world.appointments.values().filter(|_| cover).find(covers)?;
        Some(Away { who, delegate: one.subject, until: one.until?, by: Lent::Cover(one.id) })
    };
    delegation.or_else(covered)
}

/// Has those who are away skipped whose delegate is free to answer.
pub(crate) fn with_delegates(
    world: &World,
    named: BTreeSet<SubjectId>,
    cover: bool,
    is_free: impl Fn(SubjectId) -> bool,
    now: Timestamp,
) -> (BTreeSet<SubjectId>, Vec<Away>) {
    let mut skipped = Vec::new();
    let asked = named.into_iter().map(|who| match away(world, who, cover, now).filter(|one| is_free(one.delegate)) {
        Some(one) => {
            skipped.push(one);
            one.delegate
        }
        None => who,
    });
    let asked = asked.collect();
    (asked, skipped)
}

impl World {
    /// Every delegation of somebody's answers, by their first sign-in; the first one made first.
    pub fn delegations_of(&self, absent: SubjectId) -> impl Iterator<Item = &Delegation> {
        self.indexes.delegations_of.of(absent).filter_map(|id| self.delegations.get(&id))
    }

    /// Delegations that were over so long ago that nothing waits for them any more.
    pub(crate) fn spent_delegations(&self, now: Timestamp) -> impl Iterator<Item = &Delegation> {
        self.delegations.values().filter(move |one| later(one.until, KEPT_AFTER) <= now)
    }
}

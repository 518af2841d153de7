//! Orders: the difference between what is wanted and what was seen on a target, for its keeper to act on.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::{
    Connector, ConversionId, Fact, Grant, GrantId, ItemState, Row, ScopeId, Seen, Standing, SubjectId, World, later,
};

/// One thing to do on a target.
#[derive(Debug, Clone, PartialEq)]
pub struct Order {
    /// What it does to which grant, conversion item or stray; one such order at a time.
    pub key: String,
    /// What to do.
    pub task: Task,
}

/// What to do.
#[derive(Debug, Clone, PartialEq)]
pub enum Task {
    /// Take a grant away, read it back, look for leftovers.
    Take(Box<Grant>),
    /// End something with our mark that no grant explains.
    EndStray(String),
    /// Take a standing right away, and read it back.
    TakeStanding(ConversionId, Box<Standing>),
    /// Put a standing right back, and read it back.
    RestoreStanding(ConversionId, Box<Standing>),
    /// Search for our marks.
    Search,
    /// Put a grant in force, and read it back.
    Give(Box<Grant>),
    /// Move the end of a grant that is in force, and read it back.
    Move(Box<Grant>, Timestamp),
    /// Why a grant has to wait.
    Hold(GrantId, String),
}

/// What is to be done on `target`, taking before giving.
#[must_use]
pub fn orders(world: &World, target: ScopeId, now: Timestamp) -> Vec<Order> {
    let Some(known) = world.targets.get(&target) else { return Vec::new() };
    let mut orders = Vec::new();
    let grants: Vec<&Grant> = world.grants_on(target).collect();
    let mut overdue = false;
    for grant in grants.iter().filter(|grant| !grant.wanted && grant.seen != Seen::No) {
        overdue |= grant.ending_since.is_some_and(|since| now >= later(since, known.alarm_after));
        orders.push(Order { key: format!("take {}", grant.id), task: Task::Take(Box::new((*grant).clone())) });
    }
    orders.extend(known.strays.iter().map(|name| Order { key: name.clone(), task: Task::EndStray(name.clone()) }));
    if known.to_search {
        orders.push(Order { key: "search".to_owned(), task: Task::Search });
    }
    for item in world.pending_items(target) {
        let (conversion, standing) = (item.conversion, Box::new(item.standing.clone()));
        let task = match item.state {
            ItemState::Taking => Task::TakeStanding(conversion, standing),
            ItemState::Restoring => Task::RestoreStanding(conversion, standing),
            ItemState::Waiting
            | ItemState::Taken
            | ItemState::Restored
            | ItemState::Superseded
            | ItemState::Untouched => continue,
        };
        orders.push(Order { key: format!("{conversion}-{}", item.standing.id), task });
    }
    let searching = world.targets.values().find(|target| target.to_search);
    let held = if overdue {
        Some("its target has rights that should have ended and are not read back as gone".to_owned())
    } else {
        let path = searching.map(|target| world.path(target.scope));
        path.map(|path| format!("after a restore, {path} is still to be searched for our marks"))
    };
    let wanted = grants.iter().filter(|grant| grant.wanted && now < grant.until);
    let changing = wanted.filter(|grant| grant.verified_at.is_none() || grant.moving_to.is_some());
    for grant in in_turn(world, changing.copied()) {
        let (verb, task) = match grant.moving_to {
            Some(until) => ("move", Task::Move(Box::new(grant.clone()), until)),
            None => ("give", Task::Give(Box::new(grant.clone()))),
        };
        let task = held.as_ref().map_or(task, |why| Task::Hold(grant.id, why.clone()));
        orders.push(Order { key: format!("{verb} {}", grant.id), task });
    }
    orders
}

/// Targets on which a fact may give something to do, or leave less of it.
pub fn targets_of(fact: &Fact) -> impl Iterator<Item = ScopeId> {
    fact.put.iter().filter_map(|row| match row {
        Row::Target(target) => Some(target.scope),
        Row::Grant(grant) => Some(grant.target),
        Row::Item(item) => Some(item.standing.target),
        _ => None,
    })
}

/// Grants so that people are served in turn: everybody's first before anybody's second, whoever ordered how many.
fn in_turn<'w>(world: &'w World, grants: impl Iterator<Item = &'w Grant>) -> Vec<&'w Grant> {
    let mut served: BTreeMap<SubjectId, usize> = BTreeMap::new();
    let mut in_turn: Vec<(usize, &Grant)> = grants
        .map(|grant| {
            let asker = world.elevations.get(&grant.elevation).map_or(SubjectId(0), |one| world.human(one.asker));
            let turn = served.entry(asker).or_default();
            *turn += 1;
            (*turn, grant)
        })
        .collect();
    in_turn.sort_by_key(|(turn, grant)| (*turn, grant.opened_at));
    in_turn.into_iter().map(|(_, grant)| grant).collect()
}

impl World {
    /// Grants on a target whose elevations are not over, by who ordered first.
    pub(crate) fn grants_on(&self, target: ScopeId) -> impl Iterator<Item = &Grant> {
        let grants = self.indexes.grants_on.of(target).filter_map(|id| self.grants.get(&id));
        grants.filter(|grant| self.elevations.get(&grant.elevation).is_some_and(|one| !one.is_over()))
    }

    /// Grants on a target that are to be read back now and then.
    #[must_use]
    pub fn live_grants(&self, target: ScopeId) -> Vec<Grant> {
        self.grants_on(target).filter(|grant| grant.wanted && grant.verified_at.is_some()).cloned().collect()
    }

    /// Those of them whose first use ends them.
    #[must_use]
    pub fn good_for_one_use(&self, target: ScopeId) -> Vec<Grant> {
        self.live_grants(target).into_iter().filter(|grant| grant.once).collect()
    }

    /// How a target is reached.
    #[must_use]
    pub fn connector(&self, target: ScopeId) -> Option<&Connector> {
        self.targets.get(&target).map(|target| &target.connector)
    }
}

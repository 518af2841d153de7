//! What no rule tells apart: people, and rights, for which every rule of terms holds alike. What holds is worked out once for each
//! kind, and not for each of 100,000 rights and 5,000 people.

use std::collections::{BTreeSet, HashMap, HashSet};

use crate::{Right, RoleId, ScopeId, SubjectId, Terms, Weight, World};

/// Rights that no rule tells apart: by the nearest place above them that is marked, their weight, and their role and system as far
/// as rules go by those.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) struct RightKind {
    place: Option<ScopeId>,
    weight: Weight,
    role: Option<RoleId>,
    target: Option<ScopeId>,
}

/// Tells kinds apart, in one World, or in one and what becomes of it.
pub(crate) struct Kinds<'w> {
    worlds: Vec<&'w World>,
    /// Places that have rules of their own, or are marked besides.
    marked: HashSet<ScopeId>,
    /// Places with rules, by each place above them.
    below: HashMap<ScopeId, Vec<ScopeId>>,
    /// Whom rules name, or go by.
    named: BTreeSet<SubjectId>,
    /// Whether rules go by what roles are called, or by what is said of systems.
    by_role: bool,
    by_label: bool,
    people: HashMap<SubjectId, usize>,
    known: HashMap<Vec<(usize, SubjectId)>, usize>,
}

impl<'w> Kinds<'w> {
    pub(crate) fn of(worlds: &[&'w World]) -> Self {
        let rules = || worlds.iter().flat_map(|world| world.terms.values()).filter(|rule: &&Terms| rule.is_in_force());
        let places: BTreeSet<ScopeId> = rules().map(|rule| rule.scope).collect();
        let mut below: HashMap<ScopeId, Vec<ScopeId>> = HashMap::new();
        for place in &places {
            for above in worlds.last().into_iter().flat_map(|world| world.upwards(*place)) {
                below.entry(above.id).or_default().push(*place);
            }
        }
        let assurances = worlds.iter().flat_map(|world| world.assurances.values());
        let assurances = assurances.flat_map(|one| one.bypass.into_iter().chain(one.pilot));
        let few = rules().filter_map(|rule| rule.settings.glass.as_ref()).flat_map(|glass| &glass.by).copied();
        Self {
            worlds: worlds.to_vec(),
            named: rules().filter_map(|rule| rule.asker).chain(assurances).chain(few).collect(),
            by_role: rules().any(|rule| rule.role.is_some()),
            by_label: rules().any(|rule| !rule.labels.is_empty() || !rule.attributes.is_empty()),
            marked: places.into_iter().collect(),
            below,
            people: HashMap::new(),
            known: HashMap::new(),
        }
    }

    /// Tells apart by further places, too.
    pub(crate) fn mark(&mut self, places: impl IntoIterator<Item = ScopeId>) {
        self.marked.extend(places);
    }

    /// Tells apart by further people and groups, too.
    pub(crate) fn name(&mut self, named: impl IntoIterator<Item = SubjectId>) {
        self.named.extend(named);
    }

    /// The kind of a right; none where there is no such role.
    pub(crate) fn right(&self, right: Right) -> Option<RightKind> {
        let (world, role) = self.worlds.iter().find_map(|world| Some((*world, world.roles.get(&right.role)?)))?;
        let place = world.upwards(right.scope).map(|scope| scope.id).find(|scope| self.marked.contains(scope));
        let target = self.by_label.then_some(role.target);
        Some(RightKind { place, weight: role.weight, role: self.by_role.then_some(role.id), target })
    }

    /// The kind of a person or group: which of those whom rules name it is, or belongs to, as a number.
    pub(crate) fn person(&mut self, who: SubjectId) -> usize {
        if let Some(known) = self.people.get(&who) {
            return *known;
        }
        let mut of: Vec<(usize, SubjectId)> = Vec::new();
        for (n, world) in self.worlds.iter().enumerate() {
            let is_in = world.groups_above(who).into_iter().chain([who]).filter(|one| self.named.contains(one));
            of.extend(is_in.map(|one| (n, one)));
        }
        of.sort_unstable();
        let next = self.known.len();
        let kind = *self.known.entry(of).or_insert(next);
        self.people.insert(who, kind);
        kind
    }

    /// Places with rules of their own at a place and below it.
    pub(crate) fn ruled_below(&self, scope: ScopeId) -> &[ScopeId] {
        self.below.get(&scope).map_or(&[], Vec::as_slice)
    }
}

//! Whose names look alike: worked out when somebody asks, and kept until a name changes.

use std::{
    collections::{BTreeSet, HashMap},
    sync::{Arc, OnceLock},
};

use super::World;
use crate::{SubjectId, glance};

/// Everybody by what their name, or their full name, looks like. No part of the state, since it follows from it. Every copy of a
/// World has it as soon as one of them was asked, until a name changes in one: that one begins anew.
#[derive(Debug, Clone, Default)]
pub(super) struct Looks(Arc<OnceLock<HashMap<String, Vec<SubjectId>>>>);

impl PartialEq for Looks {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl World {
    /// Names of others that look like this one's at a glance.
    #[must_use]
    pub fn alike(&self, id: SubjectId) -> Vec<String> {
        let Some(own) = self.subjects.get(&id) else { return Vec::new() };
        let looks = self.looks.0.get_or_init(|| self.by_looks());
        let others: BTreeSet<SubjectId> = [own.name, own.about]
            .into_iter()
            .filter_map(|text| looks.get(&glance(self.known_text(text)?)))
            .flatten()
            .copied()
            .filter(|other| self.human(*other) != self.human(id))
            .collect();
        others.into_iter().map(|other| self.subject_name(other)).collect()
    }

    fn by_looks(&self) -> HashMap<String, Vec<SubjectId>> {
        let mut looks: HashMap<String, Vec<SubjectId>> = HashMap::new();
        for subject in self.subjects.values() {
            for look in
                [subject.name, subject.about].into_iter().filter_map(|text| Some(glance(self.known_text(text)?)))
            {
                if !look.is_empty() {
                    looks.entry(look).or_default().push(subject.id);
                }
            }
        }
        looks
    }
}

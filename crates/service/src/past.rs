//! What is over, which the store has: looked for as a caller may see it, and put into a snapshot for whoever shows it. The store
//! leaves out what is not in sight, so that nobody waits for it; [`Sight`] then decides over what it gave.

use std::{collections::BTreeSet, ops::Range};

use tempestas_core::{Elevation, ElevationId, Recall, Sight, SubjectId, World};
use tempestas_engine::Snapshot;
use tempestas_store::{Past, Seen};

use crate::{app::App, callers::SignedIn, problem::Failure};

/// Elevations that were looked for, and a snapshot that has them.
pub(crate) struct Found {
    pub(crate) world: Snapshot,
    ids: BTreeSet<ElevationId>,
}

impl Found {
    /// They themselves, by number.
    pub(crate) fn elevations(&self) -> impl DoubleEndedIterator<Item = &Elevation> {
        self.ids.iter().filter_map(|id| self.world.elevations.get(id))
    }
}

impl App {
    /// A snapshot, and in it what is wanted, however long ago it was over.
    pub(crate) async fn recall(&self, world: &Snapshot, wanted: impl Into<Recall>) -> Result<Snapshot, Failure> {
        Ok(self.engine().recall(world, wanted).await?)
    }

    /// The elevations of a snapshot that are not over, and of those that are the newest `most` that are wanted.
    pub(crate) async fn with_past(&self, world: &Snapshot, wanted: &Past, most: usize) -> Result<Found, Failure> {
        let past = self.store().past(wanted, most).await?;
        let world = self.recall(world, Recall::from_iter(past.iter().copied())).await?;
        let ids = world.active().map(|elevation| elevation.id).chain(past).collect();
        Ok(Found { world, ids })
    }
}

impl SignedIn {
    /// What they may see of what is over; none where that is everything.
    pub(crate) fn seen(&self, world: &World) -> Option<Seen> {
        let sight = Sight::of(world, self.person);
        let scopes = || world.scopes.keys().copied().filter(|scope| sight.sees_scope(world, *scope)).collect();
        (!sight.sees_all(world)).then(|| Seen { person: self.person, scopes: scopes() })
    }
}

/// Every subject that is `id` or belongs to it, whatever its kind.
pub(crate) fn belonging_to(world: &World, id: SubjectId) -> BTreeSet<SubjectId> {
    world.subjects.keys().copied().filter(|member| world.belongs_to(*member, id)).collect()
}

/// The ranges of numbers whose digits begin so, up to `end`.
pub(crate) fn beginning_with(digits: &str, end: u64) -> Vec<Range<u64>> {
    let Some(first) = digits.parse::<u64>().ok().filter(|first| *first > 0 && !digits.starts_with(['0', '+'])) else {
        return Vec::new();
    };
    let longer = |range: &Range<u64>| Some(range.start.checked_mul(10)?..range.end.checked_mul(10)?);
    let ranges = std::iter::successors(first.checked_add(1).map(|next| first..next), longer);
    ranges.take_while(|range| range.start < end).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_found_by_the_digits_they_begin_with() {
        assert_eq!(beginning_with("10", 2000), [10..11, 100..110, 1000..1100]);
        assert_eq!(beginning_with("104", 1050), [104..105, 1040..1050]);
        assert!(beginning_with("1042", 1042).is_empty());
        for nothing in ["", "0", "01", "+1", "x", "99999999999999999999999"] {
            assert!(beginning_with(nothing, u64::MAX).is_empty(), "{nothing}");
        }
        assert!(beginning_with("9", u64::MAX).iter().all(|range| range.start < range.end));
    }
}

//! Tables that cost nothing to copy: who keeps one keeps it as it is, whatever becomes of the World meanwhile.

use std::{
    borrow::Borrow,
    fmt,
    ops::{Index, RangeBounds},
    sync::Arc,
};

use imbl::{OrdMap, OrdSet};

/// Rows by key, in the order of keys. Only the World changes them.
#[derive(Clone, PartialEq)]
pub struct Table<K: Ord + Clone, V> {
    // Behind an `Arc`, since a change copies the pointers beside it, not the rows.
    rows: OrdMap<K, Arc<V>>,
}

impl<K: Ord + Clone, V> Default for Table<K, V> {
    fn default() -> Self {
        Self { rows: OrdMap::new() }
    }
}

impl<K: Ord + Clone + fmt::Debug, V: fmt::Debug> fmt::Debug for Table<K, V> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.rows.iter()).finish()
    }
}

impl<K: Ord + Clone, V> Table<K, V> {
    /// The row of that key.
    #[must_use]
    pub fn get<Q: Ord + ?Sized>(&self, key: &Q) -> Option<&V>
    where
        K: Borrow<Q>,
    {
        self.rows.get(key).map(|row| &**row)
    }

    /// Whether there is a row of that key.
    #[must_use]
    pub fn contains_key<Q: Ord + ?Sized>(&self, key: &Q) -> bool
    where
        K: Borrow<Q>,
    {
        self.rows.contains_key(key)
    }

    /// Every row, by key.
    pub fn values(&self) -> impl DoubleEndedIterator<Item = &V> {
        self.rows.values().map(|row| &**row)
    }

    /// Every key, in order.
    pub fn keys(&self) -> impl DoubleEndedIterator<Item = &K> {
        self.rows.keys()
    }

    /// The last row up to a key, that of the key included.
    #[must_use]
    pub fn last_up_to(&self, key: &K) -> Option<&V> {
        self.rows.get_prev(key).map(|(_, row)| &**row)
    }

    /// The rows whose keys lie within, in their order.
    pub(crate) fn range(&self, keys: impl RangeBounds<K>) -> impl DoubleEndedIterator<Item = &V> {
        self.rows.range(keys).map(|(_, row)| &**row)
    }

    /// How many rows there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether there is no row.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    pub(super) fn insert(&mut self, key: K, row: V) -> Option<Arc<V>> {
        self.rows.insert(key, Arc::new(row))
    }

    pub(super) fn remove(&mut self, key: &K) -> Option<Arc<V>> {
        self.rows.remove(key)
    }
}

impl<K: Ord + Clone, V> Index<&K> for Table<K, V> {
    type Output = V;

    #[expect(clippy::indexing_slicing, reason = "for whoever knows that it is there, as maps do")]
    fn index(&self, key: &K) -> &V {
        &self.rows[key]
    }
}

/// A number that rows are found by.
pub(crate) trait Number: Copy + Ord {
    /// The least there is.
    const LEAST: Self;
    /// The greatest there is.
    const GREATEST: Self;
}

/// Which rows belong to what: pairs, found by their first half.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Pairs<A: Ord + Clone, B: Ord + Clone>(OrdSet<(A, B)>);

impl<A: Ord + Clone, B: Ord + Clone> Default for Pairs<A, B> {
    fn default() -> Self {
        Self(OrdSet::new())
    }
}

impl<A: Ord + Clone, B: Number> Pairs<A, B> {
    /// The second halves that stand beside the first, in order.
    pub(crate) fn of(&self, first: A) -> impl DoubleEndedIterator<Item = B> {
        self.0.range((first.clone(), B::LEAST)..=(first, B::GREATEST)).map(|(_, second)| *second)
    }

    pub(super) fn change(&mut self, change: Change, first: A, second: B) {
        match change {
            Change::Enter => drop(self.0.insert((first, second))),
            Change::Leave => drop(self.0.remove(&(first, second))),
        }
    }
}

/// What becomes of a row, and so of what finds it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Change {
    /// It is put in place.
    Enter,
    /// It is cut, or another is put in its place.
    Leave,
}

impl Change {
    /// Enters something into a set, or takes it out.
    pub(super) fn of<T: Ord + Clone>(self, set: &mut OrdSet<T>, it: T) {
        match self {
            Self::Enter => drop(set.insert(it)),
            Self::Leave => drop(set.remove(&it)),
        }
    }
}

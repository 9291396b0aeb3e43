//! A set that is mostly one element.

use std::collections::BTreeSet;

/// The items that hold a value, the writes of an item, or the like: one as a rule, which is kept without a table, and however
/// many there may be, each comes and goes in O(log n).
#[derive(Clone)]
pub(super) enum OneOrMore<V> {
    One(V),
    More(BTreeSet<V>),
}

impl<V: Ord + Copy> OneOrMore<V> {
    pub(super) fn add(&mut self, element: V) {
        match self {
            Self::One(other) => *self = Self::More(BTreeSet::from([*other, element])),
            Self::More(elements) => drop(elements.insert(element)),
        }
    }

    /// Takes an element out; `false` when none is left.
    pub(super) fn remove(&mut self, element: V) -> bool {
        match self {
            Self::One(other) => *other != element,
            Self::More(elements) => {
                elements.remove(&element);
                !elements.is_empty()
            }
        }
    }

    pub(super) fn len(&self) -> usize {
        match self {
            Self::One(_) => 1,
            Self::More(elements) => elements.len(),
        }
    }

    /// The elements in ascending order.
    pub(super) fn iter(&self) -> impl Iterator<Item = V> {
        let (one, more) = match self {
            Self::One(element) => (Some(*element), None),
            Self::More(elements) => (None, Some(elements)),
        };
        one.into_iter().chain(more.into_iter().flatten().copied())
    }
}

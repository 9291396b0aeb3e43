//! Which waiting writes concern which items.

use super::by_key::WritesByKey;
use super::write::{Neighbours, Show, Write, WriteKind};
use crate::item::Item;
use std::hash::Hash;

/// The waiting writes by the items that they are of and put items beside, and how many put rows where.
pub(super) struct WaitingIndex<K> {
    pub(super) by_key: WritesByKey<K>,
    /// How many have added a row at the start.
    pub(super) at_start: usize,
    /// How many have added one at the end.
    pub(super) at_end: usize,
    /// How many have removed or moved one, or added one elsewhere.
    pub(super) elsewhere: usize,
}

/// What a shown write does to the order of the rows.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum RowPlace {
    Same,
    Start,
    End,
    Elsewhere,
}

impl RowPlace {
    pub(super) fn of<T: Item>(write: &Write<T>) -> Self {
        if write.show == Show::WhenConfirmed {
            return Self::Same;
        }
        match (write.kind(), &write.place) {
            (WriteKind::Edit, None) => Self::Same,
            (WriteKind::Add, None | Some(Neighbours { before: None, .. })) => Self::End,
            (WriteKind::Add, Some(Neighbours { after: None, .. })) => Self::Start,
            _ => Self::Elsewhere,
        }
    }
}

impl<K: Clone + Eq + Hash> WaitingIndex<K> {
    pub(super) fn new() -> Self {
        Self {
            by_key: WritesByKey::new(),
            at_start: 0,
            at_end: 0,
            elsewhere: 0,
        }
    }

    /// Notes a write that waits from now on, and is the latest.
    pub(super) fn add<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.by_key.add(write);
        if let Some(count) = self.count_of(write) {
            *count += 1;
        }
    }

    /// Forgets a write that waits no more.
    pub(super) fn remove<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.by_key.remove(write);
        if let Some(count) = self.count_of(write) {
            *count = count.saturating_sub(1);
        }
    }

    fn count_of<T: Item<Key = K>>(&mut self, write: &Write<T>) -> Option<&mut usize> {
        match RowPlace::of(write) {
            RowPlace::Same => None,
            RowPlace::Start => Some(&mut self.at_start),
            RowPlace::End => Some(&mut self.at_end),
            RowPlace::Elsewhere => Some(&mut self.elsewhere),
        }
    }
}

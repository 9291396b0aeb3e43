//! How the rows before become the rows after, in runs.

use crate::change::RowBlock;
use crate::item::Snapshot;
use crate::order::Slot;
use std::sync::Arc;

/// The runs of rows that stay, leave and arrive, in the order of the list.
#[derive(Default)]
pub(super) struct Plan {
    pub(super) parts: Vec<Part>,
    /// The rows that leave, in order.
    pub(super) leaving: Vec<Slot>,
}

/// A run of rows: `at` is its position before, `first` its place among those that leave or arrive.
pub(super) enum Part {
    Stays { at: usize, len: usize },
    Leaves { at: usize, first: usize, len: usize },
    Arrives { first: usize, len: usize },
}

impl Plan {
    pub(super) fn keep_or_leave(&mut self, at: usize, slot: Slot, keep: bool) {
        if !keep {
            self.leaving.push(slot);
        }
        match self.parts.last_mut() {
            Some(Part::Stays { len, .. }) if keep => *len += 1,
            Some(Part::Leaves { len, .. }) if !keep => *len += 1,
            _ if keep => self.parts.push(Part::Stays { at, len: 1 }),
            _ => self.parts.push(Part::Leaves {
                at,
                first: self.leaving.len() - 1,
                len: 1,
            }),
        }
    }

    pub(super) fn arrive(&mut self, first: usize) {
        match self.parts.last_mut() {
            Some(Part::Arrives { len, .. }) => *len += 1,
            _ => self.parts.push(Part::Arrives { first, len: 1 }),
        }
    }
}

/// Rows of a change with the items that they had.
pub(super) struct RowItems<T> {
    pub(super) slots: Vec<Slot>,
    pub(super) items: Snapshot<T>,
}

impl<T: Send + Sync> RowBlock<T> for RowItems<T> {
    fn item(&self, index: usize) -> Option<&Arc<T>> {
        self.items.get(*self.slots.get(index)?)
    }
}

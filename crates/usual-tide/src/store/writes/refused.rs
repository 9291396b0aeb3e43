//! The writes that the source has refused.

use super::write::{Ticket, Write};
use crate::item::Item;
use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

/// A write that the source refused. It was taken back.
#[non_exhaustive]
pub struct RefusedWrite<T: Item> {
    /// What was asked.
    pub write: Arc<Write<T>>,
    /// Why it was refused.
    pub reason: String,
}

/// Refused writes in the order in which they were refused, found by their tickets.
pub(super) struct RefusedWrites<T: Item> {
    by_number: BTreeMap<u64, RefusedWrite<T>>,
    numbers: HashMap<Ticket, u64>,
    next: u64,
}

impl<T: Item> RefusedWrites<T> {
    pub(super) fn new() -> Self {
        Self {
            by_number: BTreeMap::new(),
            numbers: HashMap::new(),
            next: 0,
        }
    }

    pub(super) fn push(&mut self, refused: RefusedWrite<T>) {
        self.numbers.insert(refused.write.ticket, self.next);
        self.by_number.insert(self.next, refused);
        self.next += 1;
    }

    pub(super) fn get(&self, ticket: Ticket) -> Option<&RefusedWrite<T>> {
        self.by_number.get(self.numbers.get(&ticket)?)
    }

    /// O(log n).
    pub(super) fn remove(&mut self, ticket: Ticket) -> Option<RefusedWrite<T>> {
        self.by_number.remove(&self.numbers.remove(&ticket)?)
    }

    pub(super) fn iter(
        &self,
    ) -> impl DoubleEndedIterator<Item = &RefusedWrite<T>> + ExactSizeIterator + use<'_, T> {
        self.by_number.values()
    }

    pub(super) fn iter_mut(&mut self) -> impl Iterator<Item = &mut RefusedWrite<T>> {
        self.by_number.values_mut()
    }
}

impl<T: Item> Clone for RefusedWrite<T> {
    fn clone(&self) -> Self {
        Self {
            write: Arc::clone(&self.write),
            reason: self.reason.clone(),
        }
    }
}

impl<T: Item> fmt::Debug for RefusedWrite<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("RefusedWrite")
            .field("write", &self.write)
            .field("reason", &self.reason)
            .finish()
    }
}

//! The writes that the source has refused.

use super::by_key::WritesByKey;
use super::write::{Renaming, Ticket, Write};
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
    pub(super) by_key: WritesByKey<T::Key>,
    next: u64,
}

impl<T: Item> RefusedWrites<T> {
    pub(super) fn new() -> Self {
        Self {
            by_number: BTreeMap::new(),
            numbers: HashMap::new(),
            by_key: WritesByKey::new(),
            next: 0,
        }
    }

    pub(super) fn push(&mut self, refused: RefusedWrite<T>) {
        self.numbers.insert(refused.write.ticket, self.next);
        self.by_key.add(&refused.write);
        self.by_number.insert(self.next, refused);
        self.next += 1;
    }

    /// Gives another key to those that name one. O(log n) for each.
    pub(super) fn rename(&mut self, renaming: &Renaming<T::Key>) {
        for ticket in self.by_key.that_name(&renaming.from) {
            let number = self.numbers.get(&ticket);
            if let Some(refused) = number.and_then(|number| self.by_number.get_mut(number)) {
                self.by_key.remove(&refused.write);
                renaming.apply(&mut refused.write);
                self.by_key.add(&refused.write);
            }
        }
    }

    pub(super) fn get(&self, ticket: Ticket) -> Option<&RefusedWrite<T>> {
        self.by_number.get(self.numbers.get(&ticket)?)
    }

    /// O(log n).
    pub(super) fn remove(&mut self, ticket: Ticket) -> Option<RefusedWrite<T>> {
        let refused = self.by_number.remove(&self.numbers.remove(&ticket)?)?;
        self.by_key.remove(&refused.write);
        Some(refused)
    }

    pub(super) fn iter(
        &self,
    ) -> impl DoubleEndedIterator<Item = &RefusedWrite<T>> + ExactSizeIterator + use<'_, T> {
        self.by_number.values()
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

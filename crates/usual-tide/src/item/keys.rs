//! Which slot has a key.

use super::Item;
use super::arena::Arena;
use crate::order::Slot;
use hashbrown::{DefaultHashBuilder, HashTable};
use std::hash::BuildHasher;

/// A hash table of slots; the keys stay in the items.
#[derive(Clone, Default)]
pub(crate) struct KeyTable {
    slots: HashTable<Slot>,
    hasher: DefaultHashBuilder,
}

impl KeyTable {
    pub(crate) fn find<T: Item>(&self, key: &T::Key, items: &Arena<T>) -> Option<Slot> {
        self.slots
            .find(self.hasher.hash_one(key), |slot| has_key(items, *slot, key))
            .copied()
    }

    /// Notes a slot whose item is in the arena and whose key is new.
    pub(crate) fn insert<T: Item>(&mut self, slot: Slot, items: &Arena<T>) {
        let Some(item) = items.get(slot) else { return };
        let hash = self.hasher.hash_one(item.key());
        let hasher = &self.hasher;
        self.slots.insert_unique(hash, slot, |other| {
            items
                .get(*other)
                .map_or(0, |item| hasher.hash_one(item.key()))
        });
    }

    pub(crate) fn remove<T: Item>(&mut self, slot: Slot, items: &Arena<T>) {
        let Some(item) = items.get(slot) else { return };
        let hash = self.hasher.hash_one(item.key());
        if let Ok(entry) = self.slots.find_entry(hash, |other| *other == slot) {
            entry.remove();
        }
    }

    pub(crate) fn reserve<T: Item>(&mut self, more: usize, items: &Arena<T>) {
        let hasher = &self.hasher;
        self.slots.reserve(more, |other| {
            items
                .get(*other)
                .map_or(0, |item| hasher.hash_one(item.key()))
        });
    }
}

fn has_key<T: Item>(items: &Arena<T>, slot: Slot, key: &T::Key) -> bool {
    items.get(slot).is_some_and(|item| item.key() == key)
}

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
        self.reserve(1, items);
        let hash = hash_of(&self.hasher, slot, items);
        self.slots
            .insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
    }

    pub(crate) fn remove<T: Item>(&mut self, slot: Slot, items: &Arena<T>) {
        let Some(item) = items.get(slot) else { return };
        let hash = self.hasher.hash_one(item.key());
        if let Ok(entry) = self.slots.find_entry(hash, |other| *other == slot) {
            entry.remove();
        }
    }

    /// Makes room for so many more. O(n log n) where it takes another table, which happens after n additions at the earliest.
    ///
    /// The keys of n items are read for it, in the order of their slots: items lie near each other in memory in that
    /// order, and in the order of the table they do not.
    pub(crate) fn reserve<T: Item>(&mut self, more: usize, items: &Arena<T>) {
        let wanted = self.slots.len() + more;
        if self.slots.capacity() >= wanted {
            return;
        }
        // Seven of eight places are filled at most. Where half of these hold nothing but marks of keys that were removed, a
        // table of the same size has room; one a little larger than what it holds would be full again at once.
        let full = self.slots.num_buckets() / 8 * 7;
        let room = match wanted <= full / 2 {
            true => full,
            false => wanted.max(full + 1),
        };
        let mut larger = HashTable::with_capacity(room);
        for slot in self.in_order() {
            let hash = hash_of(&self.hasher, slot, items);
            larger.insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
        }
        self.slots = larger;
    }

    fn in_order(&self) -> Vec<Slot> {
        let mut slots: Vec<Slot> = self.slots.iter().copied().collect();
        slots.sort_unstable();
        slots
    }
}

fn hash_of<T: Item>(hasher: &DefaultHashBuilder, slot: Slot, items: &Arena<T>) -> u64 {
    let item = items.get(slot);
    item.map_or(0, |item| hasher.hash_one(item.key()))
}

fn has_key<T: Item>(items: &Arena<T>, slot: Slot, key: &T::Key) -> bool {
    items.get(slot).is_some_and(|item| item.key() == key)
}

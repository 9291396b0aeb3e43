//! Which slot has a key.

use super::Item;
use super::arena::Arena;
use crate::order::Slot;
use hashbrown::hash_table::Entry;
use hashbrown::{DefaultHashBuilder, HashTable};
use std::hash::BuildHasher;

/// A hash table of slots; the keys stay in the items.
///
/// One that is full is replaced by a larger one, into which each later addition carries some of the slots, so that no
/// addition pays for all.
#[derive(Clone, Default)]
pub(crate) struct KeyTable {
    slots: HashTable<Slot>,
    /// The table that was full, with the slots that are not carried over yet.
    earlier: Option<Earlier>,
    hasher: DefaultHashBuilder,
}

#[derive(Clone)]
struct Earlier {
    slots: HashTable<Slot>,
    /// The number of the first slot that was not looked at yet.
    next: usize,
    /// How many slots an addition looks at, whether they hold a key or not, so that all are carried over before the larger table is full.
    at_once: usize,
}

/// How many slots an addition looks at, at the least.
const CARRIED_AT_ONCE: usize = if cfg!(any(test, fuzzing)) { 1 } else { 8 };

/// How many keys are brought into the order of a table's places at once.
const AT_ONCE: usize = if cfg!(any(test, fuzzing)) {
    256
} else {
    1 << 17
};

/// How many places of a table are near each other.
const NEAR: usize = if cfg!(any(test, fuzzing)) { 4 } else { 1 << 14 };

/// Into how many parts of the table the keys are put.
const MOST_PARTS: usize = 1 << 10;

impl KeyTable {
    pub(crate) fn find<T: Item>(&self, key: &T::Key, items: &Arena<T>) -> Option<Slot> {
        let hash = self.hasher.hash_one(key);
        let has_key = |slot: &Slot| items.get(*slot).is_some_and(|item| item.key() == key);
        let found = self.slots.find(hash, has_key);
        let found = found.or_else(|| self.earlier.as_ref()?.slots.find(hash, has_key));
        found.copied()
    }

    /// Notes a slot whose item is in the arena and whose key is new.
    pub(crate) fn insert<T: Item>(&mut self, slot: Slot, items: &Arena<T>) {
        let Some(item) = items.get(slot) else { return };
        let hash = self.hasher.hash_one(item.key());
        if self.slots.capacity() <= self.len() {
            self.reserve(0, items);
            let len = self.slots.len();
            let larger = HashTable::with_capacity(self.room_for(1));
            let additions = larger.capacity().saturating_sub(len).max(1);
            let slots = std::mem::replace(&mut self.slots, larger);
            self.earlier = (len > 0).then(|| Earlier {
                slots,
                next: 0,
                at_once: CARRIED_AT_ONCE.max(items.used().div_ceil(additions)),
            });
        }
        self.carry_over(items);
        self.slots
            .insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
    }

    /// Notes slots whose items are in the arena. Whether all keys are new and no two are the same; if not, only some are noted.
    #[must_use]
    pub(crate) fn insert_many<T: Item>(&mut self, slots: &[Slot], items: &Arena<T>) -> bool {
        self.reserve(slots.len(), items);
        let key = |slot: Slot| items.get(slot).map(|item| item.key());
        for slots in slots.chunks(AT_ONCE) {
            let mut hashed = Vec::with_capacity(slots.len());
            for slot in slots {
                hashed.push((hash_of(&self.hasher, *slot, items), *slot));
            }
            for (hash, slot) in by_place(hashed, self.slots.num_buckets()) {
                let has_key = |other: &Slot| key(*other) == key(slot);
                let rehash = |other: &Slot| hash_of(&self.hasher, *other, items);
                match self.slots.entry(hash, has_key, rehash) {
                    Entry::Occupied(_) => return false,
                    Entry::Vacant(place) => place.insert(slot),
                };
            }
        }
        true
    }

    pub(crate) fn remove<T: Item>(&mut self, slot: Slot, items: &Arena<T>) {
        let Some(item) = items.get(slot) else { return };
        let hash = self.hasher.hash_one(item.key());
        if !take_out(&mut self.slots, hash, slot)
            && let Some(earlier) = &mut self.earlier
        {
            take_out(&mut earlier.slots, hash, slot);
        }
    }

    /// Makes room for so many more. O(n log n) where it takes another table, or some slots are not carried over yet.
    ///
    /// The keys of n items are read for it, in the order of their slots: items lie near each other in memory in that
    /// order, and in the order of the table they do not.
    pub(crate) fn reserve<T: Item>(&mut self, more: usize, items: &Arena<T>) {
        if self.slots.capacity() < self.len() + more {
            let mut larger = HashTable::with_capacity(self.room_for(more));
            for slot in in_order(&self.slots) {
                let hash = hash_of(&self.hasher, slot, items);
                larger.insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
            }
            self.slots = larger;
        }
        if let Some(earlier) = &self.earlier {
            // The hash of a key is code of the app and may panic: nothing changes before all are there.
            let slots = in_order(&earlier.slots);
            let mut hashes = Vec::with_capacity(slots.len());
            for slot in &slots {
                hashes.push(hash_of(&self.hasher, *slot, items));
            }
            self.earlier = None;
            for (slot, hash) in slots.into_iter().zip(hashes) {
                self.slots
                    .insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
            }
        }
    }

    /// Carries a few slots over from the table that was full.
    fn carry_over<T: Item>(&mut self, items: &Arena<T>) {
        let Some(earlier) = &mut self.earlier else {
            return;
        };
        let end = items.used().min(earlier.next + earlier.at_once);
        for slot in (earlier.next..end).filter_map(Slot::new) {
            if items.get(slot).is_none() {
                continue;
            }
            let hash = hash_of(&self.hasher, slot, items);
            if take_out(&mut earlier.slots, hash, slot) {
                self.slots
                    .insert_unique(hash, slot, |other| hash_of(&self.hasher, *other, items));
            }
        }
        earlier.next = end;
        if earlier.slots.is_empty() {
            self.earlier = None;
        }
    }

    fn len(&self) -> usize {
        let earlier = self.earlier.as_ref();
        self.slots.len() + earlier.map_or(0, |earlier| earlier.slots.len())
    }

    /// For how many slots a table is made that has room for so many more than there are.
    fn room_for(&self, more: usize) -> usize {
        let wanted = self.len() + more;
        // Seven of eight places are filled at most. Where half of these hold nothing but marks of keys that were removed, a
        // table of the same size has room; one a little larger than what it holds would be full again at once.
        let full = self.slots.num_buckets() / 8 * 7;
        match wanted <= full / 2 {
            true => full,
            false => wanted.max(full + 1),
        }
    }
}

/// Takes a slot out of a table, if it is in there.
fn take_out(table: &mut HashTable<Slot>, hash: u64, slot: Slot) -> bool {
    let found = table.find_entry(hash, |other| *other == slot);
    found.map(|entry| entry.remove()).is_ok()
}

fn in_order(table: &HashTable<Slot>) -> Vec<Slot> {
    let mut slots: Vec<Slot> = table.iter().copied().collect();
    slots.sort_unstable();
    slots
}

fn hash_of<T: Item>(hasher: &DefaultHashBuilder, slot: Slot, items: &Arena<T>) -> u64 {
    let item = items.get(slot);
    item.map_or(0, |item| hasher.hash_one(item.key()))
}

/// Hashes in about the order of their places in a table, so that this is filled from its beginning to its end: of a large
/// table, each place that is not near the last one is fetched from memory.
fn by_place(hashed: Vec<(u64, Slot)>, places: usize) -> Vec<(u64, Slot)> {
    let parts = (places / NEAR).min(MOST_PARTS);
    if parts < 2 {
        return hashed;
    }
    // Where a table begins to look for a hash its lowest bits tell; the number of places is a power of two.
    let width = places.div_ceil(parts);
    let part_of = |hash: u64| (hash as usize & (places - 1)) / width;
    let mut next = vec![0; parts];
    for (hash, _) in &hashed {
        next[part_of(*hash)] += 1;
    }
    let mut before = 0;
    for next in &mut next {
        before += std::mem::replace(next, before);
    }
    let mut placed = vec![(0, Slot::from_u32(0)); hashed.len()];
    for (hash, slot) in hashed {
        let next = &mut next[part_of(hash)];
        placed[*next] = (hash, slot);
        *next += 1;
    }
    placed
}

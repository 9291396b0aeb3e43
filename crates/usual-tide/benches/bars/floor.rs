//! What the operations are held against.

use std::collections::BTreeMap;

/// Small random numbers, the same in every run (xorshift, Marsaglia 2003).
pub(crate) struct Random(pub(crate) u64);

impl Random {
    pub(crate) fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    pub(crate) fn below(&mut self, limit: usize) -> usize {
        (self.next() % limit as u64) as usize
    }
}

/// An ordered map of (sort key, row), from which a random row is removed and in which it is put
/// under another key.
pub(crate) struct OrderedMap {
    map: BTreeMap<(u64, u32), ()>,
    keys: Vec<u64>,
}

impl OrderedMap {
    pub(crate) fn of(rows: usize, random: &mut Random) -> Self {
        let keys: Vec<u64> = (0..rows).map(|_| random.next()).collect();
        let map = keys
            .iter()
            .zip(0..)
            .map(|(key, row)| ((*key, row), ()))
            .collect();
        Self { map, keys }
    }

    pub(crate) fn remove_and_insert(&mut self, row: u32, key: u64) {
        let old = std::mem::replace(&mut self.keys[row as usize], key);
        self.map.remove(&(old, row));
        self.map.insert((key, row), ());
    }
}

//! Keys that the source has given to items that were added under others.

use hashbrown::HashMap;
use std::hash::Hash;

/// How many are kept before those are forgotten whose items are gone.
const KEPT: usize = if cfg!(any(test, fuzzing)) { 2 } else { 64 };

/// How many are kept at the most; at least the latest half of so many is.
const MOST: usize = if cfg!(any(test, fuzzing)) {
    64
} else {
    1 << 16
};

/// For items that were added under one key and that the source has given another, both keys, oldest first.
pub(crate) struct GivenKeys<K> {
    given: Vec<Given<K>>,
    by_first: HashMap<K, K>,
    /// How many there have ever been.
    count: u64,
    limit: usize,
}

struct Given<K> {
    number: u64,
    first: K,
    now: K,
}

impl<K: Clone + Eq + Hash> GivenKeys<K> {
    pub(crate) fn new() -> Self {
        Self {
            given: Vec::new(),
            by_first: HashMap::new(),
            count: 0,
            limit: KEPT,
        }
    }

    /// Notes another key. `is_there` says whether an item has a key. O(1), amortised.
    pub(crate) fn note(&mut self, first: &K, now: &K, is_there: impl Fn(&K) -> bool) {
        self.forget(first);
        self.given.push(Given {
            number: self.count,
            first: first.clone(),
            now: now.clone(),
        });
        self.by_first.insert(first.clone(), now.clone());
        self.count += 1;
        if self.given.len() > self.limit {
            let by_first = &mut self.by_first;
            by_first.retain(|_, now| is_there(now));
            self.given
                .retain(|given| by_first.get(&given.first) == Some(&given.now));
            let oldest = self.given.len().saturating_sub(MOST / 2);
            for given in self.given.drain(..oldest) {
                by_first.remove(&given.first);
            }
            self.limit = MOST.min(2 * self.given.len() + KEPT);
        }
    }

    /// The first key means another item from now on. O(1).
    pub(crate) fn forget(&mut self, first: &K) {
        if !self.by_first.is_empty() {
            self.by_first.remove(first);
        }
    }

    /// The key that an item has now, by the one that it was added under. O(1).
    pub(crate) fn now(&self, first: &K) -> Option<&K> {
        self.by_first.get(first)
    }

    /// How many there have ever been.
    pub(crate) fn count(&self) -> u64 {
        self.count
    }

    /// The first keys and those of now, of those that were noted since there had been so many. O(log n), and O(1) for each.
    pub(crate) fn since(&self, count: u64) -> impl Iterator<Item = (&K, &K)> {
        let from = self.given.partition_point(|given| given.number < count);
        let known = |given: &&Given<K>| self.now(&given.first) == Some(&given.now);
        let later = self.given[from..].iter().filter(known);
        later.map(|given| (&given.first, &given.now))
    }
}

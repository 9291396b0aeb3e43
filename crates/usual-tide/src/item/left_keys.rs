//! The items that have left a store of late.

use std::collections::VecDeque;

/// So many of their keys are kept.
const KEPT: usize = if cfg!(any(test, fuzzing)) { 2 } else { 64 };

/// How many items have left the store or were proposed for removal, and the keys of the latest: who has followed up to a
/// number looks at those alone.
pub(crate) struct LeftKeys<K> {
    count: u64,
    latest: VecDeque<K>,
}

impl<K: Clone> LeftKeys<K> {
    pub(crate) fn new() -> Self {
        Self {
            count: 0,
            latest: VecDeque::new(),
        }
    }

    pub(crate) fn count(&self) -> u64 {
        self.count
    }

    /// Notes an item that left; `later` may leave after it in the same edit, so that the keys of the first of many need not be
    /// kept.
    pub(crate) fn note(&mut self, key: &K, later: usize) {
        self.count += 1;
        if later >= KEPT {
            self.latest.clear();
            return;
        }
        self.latest.truncate(KEPT - 1);
        self.latest.push_front(key.clone());
    }

    /// Those that left after so many had; `None` where not all of them are kept.
    pub(crate) fn since(&self, count: u64) -> Option<impl Iterator<Item = &K>> {
        let left = usize::try_from(self.count.saturating_sub(count)).ok()?;
        (left <= self.latest.len()).then(|| self.latest.iter().take(left))
    }
}

//! The items that have left a store of late.

use std::collections::VecDeque;
use std::sync::Arc;

/// So many of them are kept.
const KEPT: usize = if cfg!(any(test, fuzzing)) { 2 } else { 64 };

/// How many items have left the store or were proposed for removal, and the latest of them: who has followed up to a number
/// looks at those alone.
pub(crate) struct LeftItems<T> {
    count: u64,
    latest: VecDeque<Arc<T>>,
}

impl<T> LeftItems<T> {
    pub(crate) fn new() -> Self {
        Self {
            count: 0,
            latest: VecDeque::new(),
        }
    }

    pub(crate) fn count(&self) -> u64 {
        self.count
    }

    pub(crate) fn note(&mut self, item: &Arc<T>) {
        self.count += 1;
        self.latest.truncate(KEPT - 1);
        self.latest.push_front(Arc::clone(item));
    }

    /// Those that left after so many had; `None` where not all of them are kept.
    pub(crate) fn since(&self, count: u64) -> Option<impl Iterator<Item = &Arc<T>>> {
        let left = usize::try_from(self.count.saturating_sub(count)).ok()?;
        (left <= self.latest.len()).then(|| self.latest.iter().take(left))
    }
}

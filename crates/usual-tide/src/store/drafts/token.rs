//! What ties a draft to its store.

use std::sync::{Arc, Mutex, PoisonError};

/// The numbers of drafts that were dropped, until the store ends them.
#[derive(Clone, Default)]
pub(in crate::store) struct DroppedDrafts(Arc<Mutex<Vec<u64>>>);

impl DroppedDrafts {
    pub(super) fn take(&self) -> Vec<u64> {
        std::mem::take(&mut *self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// A draft's number in its store, which learns by it when the draft is dropped.
pub(super) struct Token {
    number: u64,
    dropped: DroppedDrafts,
}

impl Token {
    pub(super) fn new(number: u64, dropped: &DroppedDrafts) -> Self {
        let dropped = dropped.clone();
        Self { number, dropped }
    }

    /// The number, in the store whose dropped drafts these are; `None` in another.
    pub(super) fn number_in(&self, dropped: &DroppedDrafts) -> Option<u64> {
        Arc::ptr_eq(&self.dropped.0, &dropped.0).then_some(self.number)
    }
}

impl Drop for Token {
    fn drop(&mut self) {
        let mut dropped = self
            .dropped
            .0
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        dropped.push(self.number);
    }
}

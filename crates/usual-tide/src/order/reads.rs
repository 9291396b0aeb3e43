//! How often positions are looked up, counted for tests.

use std::cell::Cell;

thread_local! {
    static READS: Cell<u64> = const { Cell::new(0) };
}

pub(super) fn count() {
    READS.set(READS.get() + 1);
}

/// How often this thread has looked up a position, or the row at one.
pub(crate) fn counted() -> u64 {
    READS.get()
}

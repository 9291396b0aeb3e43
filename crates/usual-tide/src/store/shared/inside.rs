//! What this thread is doing with which shared store, so that it never waits for itself.

use super::sync::thread_local;
use std::cell::RefCell;

/// What a thread does with a shared store.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// It reads or edits it.
    Using,
    /// It is in a callback.
    Notified,
}

thread_local! {
    static INSIDE: RefCell<Vec<(usize, Role)>> = const { RefCell::new(Vec::new()) };
}

/// Marks this thread as long as it lives.
pub(super) struct Inside;

impl Inside {
    pub(super) fn enter(store: usize, role: Role) -> Self {
        INSIDE.with(|inside| inside.borrow_mut().push((store, role)));
        Self
    }

    /// What this thread is doing with a store, innermost.
    pub(super) fn role(store: usize) -> Option<Role> {
        INSIDE.with(|inside| {
            let inside = inside.borrow();
            let found = inside.iter().rev().find(|(other, _)| *other == store);
            found.map(|(_, role)| *role)
        })
    }
}

impl Drop for Inside {
    fn drop(&mut self) {
        INSIDE.with(|inside| inside.borrow_mut().pop());
    }
}

//! What the link's handle and its thread share.

use super::error::SourceError;
use super::state::LinkState;
use std::fmt;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// Tells an app of a new state.
pub(super) type Listener = Box<dyn FnMut(&LinkState) + Send>;

/// The state, its listeners, and whether the link is to end.
#[derive(Default)]
pub(super) struct Control {
    state: Mutex<LinkState>,
    changed: Condvar,
    listeners: Mutex<Vec<Listener>>,
    closing: AtomicBool,
}

/// A holder that panicked left a sound value, so a poisoned lock is as good.
fn lock<V>(mutex: &Mutex<V>) -> MutexGuard<'_, V> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Control {
    pub(super) fn state(&self) -> LinkState {
        lock(&self.state).clone()
    }

    pub(super) fn set(&self, state: LinkState) {
        tracing::debug!(?state, "link");
        *lock(&self.state) = state.clone();
        self.changed.notify_all();
        for listener in lock(&self.listeners).iter_mut() {
            listener(&state);
        }
    }

    pub(super) fn loading(&self, done: u64, total: Option<u64>) {
        self.set(LinkState::Loading { done, total });
    }

    pub(super) fn failed(&self, error: SourceError, wait: Duration) {
        self.set(LinkState::Failed {
            error: Arc::new(error),
            next_try: Instant::now() + wait,
        });
    }

    pub(super) fn listen(&self, mut listener: Listener) {
        // A state that comes meanwhile waits for this lock, and is told then.
        let mut listeners = lock(&self.listeners);
        listener(&self.state());
        listeners.push(listener);
    }

    /// Waits until the state is such; gives the state, and whether it is.
    pub(super) fn wait(&self, most: Duration, is_it: fn(&LinkState) -> bool) -> (LinkState, bool) {
        let state = lock(&self.state);
        let waited = self
            .changed
            .wait_timeout_while(state, most, |state| !is_it(state));
        let state = waited.unwrap_or_else(PoisonError::into_inner).0.clone();
        let is = is_it(&state);
        (state, is)
    }

    pub(super) fn close(&self) {
        self.closing.store(true, Ordering::Release);
    }

    pub(super) fn is_closing(&self) -> bool {
        self.closing.load(Ordering::Acquire)
    }
}

impl fmt::Debug for Control {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Control")
            .field("state", &self.state())
            .finish_non_exhaustive()
    }
}

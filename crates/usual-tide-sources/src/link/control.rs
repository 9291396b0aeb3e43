//! What the link's handle and its thread share.

use super::error::SourceError;
use super::panics::{caught, message};
use super::state::LinkState;
use super::sync::{AtomicBool, Condvar, Mutex, MutexGuard, Ordering};
use std::fmt;
use std::sync::{Arc, PoisonError};
use std::time::{Duration, Instant};

/// Tells an app of a new state.
pub(super) type Listener = Box<dyn FnMut(&LinkState) + Send>;

/// The state, its listeners, and whether the link is to end.
#[derive(Default)]
pub(super) struct Control {
    state: Mutex<LinkState>,
    changed: Condvar,
    /// Each with a lock of its own, so that one can add another.
    listeners: Mutex<Vec<Arc<Mutex<Listener>>>>,
    closing: AtomicBool,
    progress: Mutex<Progress>,
    progressed: Condvar,
}

/// How far the link's thread has come.
#[derive(Clone, Copy, PartialEq, Default, Debug)]
pub(super) struct Progress {
    rounds: u64,
    pub(super) ended: bool,
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
        let listeners = lock(&self.listeners).clone();
        for listener in listeners {
            if let Err(panic) = caught(|| lock(&listener)(&state)) {
                let panic = message(&*panic);
                tracing::error!(panic, "a listener of the link's state panicked");
            }
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

    pub(super) fn listen(&self, listener: Listener) {
        let listener = Arc::new(Mutex::new(listener));
        // A state that comes meanwhile waits for this lock, and is told then.
        let mut first = lock(&listener);
        lock(&self.listeners).push(Arc::clone(&listener));
        first(&self.state());
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
        // Nobody is between a look at the flag and its wait while this holds the lock.
        drop(lock(&self.progress));
        self.progressed.notify_all();
    }

    /// Waits until the link is to end, at most this long; whether it is.
    pub(super) fn wait_until_closing(&self, most: Duration) -> bool {
        self.wait_while(most, |_| !self.is_closing());
        self.is_closing()
    }

    /// The link's thread has done all there was to do at this moment.
    pub(super) fn end_round(&self) {
        lock(&self.progress).rounds += 1;
        self.progressed.notify_all();
    }

    /// The link's thread does nothing more.
    pub(super) fn end(&self) {
        lock(&self.progress).ended = true;
        self.progressed.notify_all();
    }

    pub(super) fn progress(&self) -> Progress {
        *lock(&self.progress)
    }

    /// Waits until the link's thread has come further.
    pub(super) fn wait_for_more(&self, seen: Progress, most: Duration) {
        self.wait_while(most, |progress| *progress == seen);
    }

    pub(super) fn wait_until_ended(&self, most: Duration) {
        self.wait_while(most, |progress| !progress.ended);
    }

    fn wait_while(&self, most: Duration, wait: impl Fn(&Progress) -> bool) {
        let progress = lock(&self.progress);
        let waited = self
            .progressed
            .wait_timeout_while(progress, most, |progress| wait(progress));
        drop(waited);
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

//! Threads, locks and channels; a checker of interleavings (`--cfg shuttle`) brings its own.

#[cfg(shuttle)]
pub(super) use shuttle::sync::atomic::{AtomicBool, Ordering};
#[cfg(shuttle)]
pub(super) use shuttle::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
#[cfg(shuttle)]
pub(super) use shuttle::sync::{Condvar, Mutex, MutexGuard};
#[cfg(shuttle)]
pub(super) use shuttle::thread;
#[cfg(not(shuttle))]
pub(super) use std::sync::atomic::{AtomicBool, Ordering};
#[cfg(not(shuttle))]
pub(super) use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
#[cfg(not(shuttle))]
pub(super) use std::sync::{Condvar, Mutex, MutexGuard};
#[cfg(not(shuttle))]
pub(super) use std::thread;

use std::time::Duration;

/// Waits for a message, for some time.
#[cfg(not(shuttle))]
pub(super) fn receive<M>(messages: &Receiver<M>, most: Duration) -> Result<M, RecvTimeoutError> {
    messages.recv_timeout(most)
}

/// Under the checker no time passes: a wait that is long has no end, and a short one ends at once.
#[cfg(shuttle)]
pub(super) fn receive<M>(messages: &Receiver<M>, most: Duration) -> Result<M, RecvTimeoutError> {
    use shuttle::sync::mpsc::TryRecvError;
    if most > Duration::from_secs(60) {
        return messages.recv().map_err(|_| RecvTimeoutError::Disconnected);
    }
    thread::yield_now();
    messages.try_recv().map_err(|none| match none {
        TryRecvError::Empty => RecvTimeoutError::Timeout,
        TryRecvError::Disconnected => RecvTimeoutError::Disconnected,
    })
}

//! Locks, atomics and thread-local values; a checker of interleavings (`--cfg shuttle`) brings its own.

#[cfg(shuttle)]
pub(super) use shuttle::sync::atomic::{AtomicBool, AtomicU64, Ordering};
#[cfg(shuttle)]
pub(super) use shuttle::sync::{Mutex, MutexGuard, RwLock};
#[cfg(shuttle)]
pub(super) use shuttle::thread_local;
#[cfg(not(shuttle))]
pub(super) use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
#[cfg(not(shuttle))]
pub(super) use std::sync::{Mutex, MutexGuard, RwLock};
#[cfg(not(shuttle))]
pub(super) use std::thread_local;

//! Long passes over all items, shared between the machine's cores.

use std::num::NonZero;
use std::ops::Range;
use std::panic::resume_unwind;
use std::sync::{LazyLock, Mutex, PoisonError};
use std::thread::{Builder, available_parallelism, scope};

/// Items from which a pass is worth a second thread.
pub(crate) const WORTH_SHARING: usize = if cfg!(any(test, fuzzing)) { 32 } else { 50_000 };

/// Threads at most: a pass is bound by memory soon.
const MOST_THREADS: usize = 4;

/// Touched rows from which work that misses the caches row by row is worth a second thread.
const WORTH_SHARING_ROWS: usize = if cfg!(any(test, fuzzing)) { 8 } else { 1_000 };

/// Does a pass over `0..len` in parts, side by side where that pays; gives the results in order.
///
/// A part that panics panics here, after the others have ended. Where no thread can be had, the
/// parts are done one after another.
pub(crate) fn in_parts<R: Send>(len: usize, work: impl Fn(Range<usize>) -> R + Sync) -> Vec<R> {
    share(len, WORTH_SHARING, &work)
}

/// The same for rows here and there among many, each of which takes a while to find.
pub(crate) fn rows_in_parts<R: Send>(
    rows: usize,
    work: impl Fn(Range<usize>) -> R + Sync,
) -> Vec<R> {
    share(rows, WORTH_SHARING_ROWS, &work)
}

fn share<R: Send>(
    len: usize,
    worth_sharing: usize,
    work: &(dyn Fn(Range<usize>) -> R + Sync),
) -> Vec<R> {
    if len < worth_sharing {
        return vec![work(0..len)];
    }
    let parts = equal_parts(len);
    // Loops, where chains of iterators would be compiled again for each kind of work.
    let mut none = Vec::new();
    none.resize_with(parts.len(), || None);
    let results = Mutex::new(none);
    side_by_side(&parts, &|part, range| {
        let done = work(range);
        results.lock().unwrap_or_else(PoisonError::into_inner)[part] = Some(done);
    });
    let mut results = results.into_inner().unwrap_or_else(PoisonError::into_inner);
    let mut all = Vec::with_capacity(parts.len());
    for result in &mut results {
        if let Some(result) = result.take() {
            all.push(result);
        }
    }
    all
}

// The rest is compiled once, not for each kind of work.

/// The system is asked once: on Linux it reads files to answer.
static THREADS: LazyLock<usize> = LazyLock::new(|| {
    available_parallelism()
        .map_or(1, NonZero::get)
        .min(MOST_THREADS)
});

fn equal_parts(len: usize) -> Vec<Range<usize>> {
    let share = len.div_ceil(*THREADS);
    (0..len)
        .step_by(share)
        .map(|start| start..len.min(start + share))
        .collect()
}

/// Does each part on a thread of its own, the first on this one.
fn side_by_side(parts: &[Range<usize>], work: &(dyn Fn(usize, Range<usize>) + Sync)) {
    let work = |part: usize| work(part, parts[part].clone());
    scope(|scope| {
        let running: Vec<_> = (1..parts.len())
            .map(|part| Builder::new().spawn_scoped(scope, move || work(part)))
            .collect();
        work(0);
        for (part, thread) in (1..).zip(running) {
            match thread {
                Ok(thread) => thread.join().unwrap_or_else(|panic| resume_unwind(panic)),
                Err(_) => work(part),
            }
        }
    });
}

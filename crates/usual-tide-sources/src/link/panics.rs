//! Panics of the app's code on the link's thread, which ends with the link and not before.

use super::error::SourceError;
use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// What a panic carries.
pub(super) type Panic = Box<dyn Any + Send>;

pub(super) fn caught<R>(work: impl FnOnce() -> R) -> Result<R, Panic> {
    catch_unwind(AssertUnwindSafe(work))
}

/// Calls the source.
pub(super) fn of_source<R>(
    what: &str,
    call: impl FnOnce() -> Result<R, SourceError>,
) -> Result<R, SourceError> {
    caught(call).unwrap_or_else(|panic| Err(SourceError::panicked(what, &*panic)))
}

/// What a panic says, where it says something.
pub(super) fn message(panic: &(dyn Any + Send)) -> &str {
    let text = panic.downcast_ref::<String>().map(String::as_str);
    text.or_else(|| panic.downcast_ref::<&str>().copied())
        .unwrap_or("it says nothing")
}

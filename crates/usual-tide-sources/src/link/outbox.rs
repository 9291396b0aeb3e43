//! Writes that outlive the app until they are answered.

use std::sync::Arc;
use usual_tide::Item;
use usual_tide::writes::Write;

/// Keeps writes until they are answered, so that those that were not are sent by the next run.
pub trait Outbox<T: Item>: Send + 'static {
    /// The writes that are kept, oldest first, each with its number.
    ///
    /// # Errors
    ///
    /// [`OutboxError`].
    fn kept(&mut self) -> Result<Vec<(u64, Write<T>)>, OutboxError>;

    /// Keeps the writes of one edit, all of them or none; gives their numbers. When it returns, they survive a
    /// crash.
    ///
    /// # Errors
    ///
    /// [`OutboxError`].
    fn keep(&mut self, writes: &[Arc<Write<T>>]) -> Result<Vec<u64>, OutboxError>;

    /// Forgets a write, which was answered.
    ///
    /// # Errors
    ///
    /// [`OutboxError`].
    fn forget(&mut self, number: u64) -> Result<(), OutboxError>;
}

/// Why writes cannot be kept.
#[derive(Debug, thiserror::Error)]
#[error("{what}: {why}")]
pub struct OutboxError {
    /// What was tried.
    pub what: String,
    /// What came of it.
    #[source]
    pub why: Box<dyn std::error::Error + Send + Sync>,
}

//! Writes that outlive the app until they are answered.

use std::sync::Arc;
use usual_tide::Item;
use usual_tide::writes::Write;

/// Keeps writes until they are answered, so that those that were not are sent by the next run.
///
/// ```
/// use std::collections::BTreeMap;
/// use std::sync::Arc;
/// use usual_tide::Item;
/// use usual_tide::writes::Write;
/// use usual_tide_sources::link::{Outbox, OutboxError};
///
/// /// Kept in memory; a real one writes to the disk before it returns.
/// struct InMemory<T: Item>(BTreeMap<u64, Write<T>>);
///
/// impl<T: Item> Outbox<T> for InMemory<T> {
///     fn kept(&mut self) -> Result<Vec<(u64, Write<T>)>, OutboxError> {
///         Ok(self.0.iter().map(|(number, write)| (*number, write.clone())).collect())
///     }
///
///     fn keep(&mut self, writes: &[Arc<Write<T>>]) -> Result<Vec<u64>, OutboxError> {
///         let next = self.0.last_key_value().map_or(0, |(number, _)| number + 1);
///         let numbers: Vec<u64> = (next..).take(writes.len()).collect();
///         self.0.extend(numbers.iter().copied().zip(writes.iter().map(|write| Write::clone(write))));
///         Ok(numbers)
///     }
///
///     fn forget(&mut self, number: u64) -> Result<(), OutboxError> {
///         self.0.remove(&number);
///         Ok(())
///     }
/// }
/// # let _ = |outbox: InMemory<usual_tide::record::Record>| Box::new(outbox) as Box<dyn Outbox<_>>;
/// ```
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
    pub why: Box<dyn std::error::Error + Send + Sync>,
    /// The write that it is about, where it is about one alone. One that cannot be read, since an earlier version of the
    /// app kept it say, keeps a link from starting until it is forgotten.
    pub number: Option<u64>,
}

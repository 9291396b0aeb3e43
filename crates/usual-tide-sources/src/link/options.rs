//! How a link works.

use super::outbox::Outbox;
use super::retry::Retry;
use std::fmt;
use std::time::Duration;
use usual_tide::Item;

/// How a link works.
///
/// ```
/// use std::time::Duration;
/// use usual_tide::record::Record;
/// use usual_tide_sources::link::{LinkOptions, Retry};
///
/// let options: LinkOptions<Record> = LinkOptions::default()
///     .retry(Retry { first: Duration::from_secs(1), most: Duration::from_secs(30) })
///     .patience(Duration::from_secs(5))
///     .writes_at_once(100);
/// # let _ = options;
/// ```
#[non_exhaustive]
pub struct LinkOptions<T: Item> {
    /// When it tries again after a failure.
    pub retry: Retry,
    /// How long it waits for the source to report a write that it has done
    /// ([`Answer::SavedIn`](super::Answer::SavedIn)) before it loads all items instead.
    pub patience: Duration,
    /// How many writes are given to the source at once.
    pub writes_at_once: usize,
    /// Where writes are kept until they are answered. Without one, those that are unsent when the app ends are
    /// lost.
    pub outbox: Option<Box<dyn Outbox<T>>>,
}

impl<T: Item> LinkOptions<T> {
    /// With these waits after failures.
    #[must_use]
    pub fn retry(mut self, retry: Retry) -> Self {
        self.retry = retry;
        self
    }

    /// With this wait for the source to report a write that it has done, before all items are loaded instead.
    #[must_use]
    pub fn patience(mut self, patience: Duration) -> Self {
        self.patience = patience;
        self
    }

    /// With this many writes given to the source at once.
    #[must_use]
    pub fn writes_at_once(mut self, writes: usize) -> Self {
        self.writes_at_once = writes;
        self
    }

    /// With an outbox, so that writes that are unsent when the app ends are sent by the next run.
    #[must_use]
    pub fn outbox(mut self, outbox: impl Outbox<T>) -> Self {
        self.outbox = Some(Box::new(outbox));
        self
    }
}

impl<T: Item> Default for LinkOptions<T> {
    fn default() -> Self {
        Self {
            retry: Retry::default(),
            patience: Duration::from_secs(5),
            writes_at_once: 256,
            outbox: None,
        }
    }
}

impl<T: Item> fmt::Debug for LinkOptions<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("LinkOptions")
            .field("retry", &self.retry)
            .field("patience", &self.patience)
            .field("writes_at_once", &self.writes_at_once)
            .finish_non_exhaustive()
    }
}

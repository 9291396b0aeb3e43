//! What the thread of a link is asked to do.

use usual_tide::Item;
use usual_tide::writes::Neighbours;

/// A change that others made at the source.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub enum Change<T: Item> {
    /// An item as it is now, and its place. Without a place it stays where it is, or is the last when
    /// it is new; one whose neighbours are not loaded is not shown.
    Put(T, Option<Neighbours<T::Key>>),
    /// There is no such item any more.
    Removed(T::Key),
}

/// What the thread of a link is asked to do.
pub(super) enum Command<T: Item> {
    /// Send the new writes.
    Writes,
    /// Load all again, and now.
    Refresh,
    /// Load the next page.
    More,
    /// Load all again: the source has changed and does not say what.
    Stale,
    /// Apply these changes of the source.
    Changed(Vec<Change<T>>, Option<u64>),
    /// End.
    Close,
}

//! Bound lists: the rows that a query yields, kept up to date by work proportional to the change.

mod bits;
mod cached_order;
mod cached_search;
mod collapsed;
mod earlier_order;
mod evaluate;
mod feed;
mod flattened;
mod grouped;
mod grouping;
mod hits;
mod hold;
mod log;
mod merge_sort;
mod merged;
mod next_bytes;
mod plan;
mod positions;
mod project;
mod rebuild;
mod refilter;
mod requery;
mod rollback;
mod rollback_step;
mod selection;
mod sorting;
mod state;
mod ties;
mod unread;
mod update;
mod version;
mod view;

pub(crate) use cached_search::CachedSearch;
pub use feed::Feed;
pub use flattened::Flattened;
pub use positions::PositionError;
pub(crate) use rollback::Savepoint;
pub use selection::{Selection, SelectionChange};
pub(crate) use state::{Context, ListState};
pub(crate) use update::Touch;
pub use version::Version;
pub use view::{BoundList, ListBytes, Presence};

/// Names one bound list of one store.
///
/// It is small, and stays valid until the list is unbound; used with another store it is an error, not
/// another list.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub struct ListId {
    pub(crate) store: u64,
    pub(crate) number: u64,
}

/// The list is not (or no longer) bound to this store.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[error("list {number} is not bound to this store: it was unbound, or it belongs to another store")]
pub struct UnknownList {
    /// The number of the list that was asked for.
    pub number: u64,
}

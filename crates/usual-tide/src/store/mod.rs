//! The store: the items in source order, every edit of them, and every list over them.

mod base;
mod batch;
mod blank_rows;
mod drafts;
mod duplicates;
mod edit;
mod error;
mod history;
mod journal;
mod lists;
mod many;
mod matching;
mod one_or_more;
mod place;
mod reload;
mod removals;
mod rules;
mod search;
mod set_aside;
mod shared;
mod special_rows;
#[cfg(feature = "suggestions")]
mod suggestions;
#[cfg(test)]
mod tests;
mod uniques;
mod writes;

pub use drafts::{
    CommitError, CommitProblem, Committed, Conflict, Draft, Drafts, DraftsMut, Prefer,
};
pub use duplicates::{DuplicateKey, OnDuplicate};
pub use error::EditError;
pub use history::{History, HistoryMut, SkipReason, Skipped, UndoError, Undone};
pub use lists::{ListEditError, ListMut, OtherSection, PreparedList, SectionError};
pub use place::Place;
pub use reload::Reloaded;
pub use removals::{EndedRemoval, PendingRemoval, RemovalError, RemovalId, Removals, RemovalsMut};
pub use rules::InBatch;
#[cfg(feature = "stream")]
pub use shared::ChangeStream;
pub use shared::{SharedEditError, SharedError, SharedStore, Subscription, WritesClaim};
#[cfg(feature = "suggestions")]
pub use suggestions::{Suggestion, Suggestions};
pub use writes::{
    Neighbours, RefusedWrite, Show, StateChange, SubmitError, Submitted, Ticket, TicketError,
    Write, WriteKind, WriteState, WriteStateFeed, Writes, WritesMut,
};

use crate::item::{Item, Rules};
use crate::list::Context;
use crate::order::Slot;
use base::Base;
use drafts::DroppedDrafts;
use history::UndoLog;
use journal::Journal;
use lists::BoundLists;
use special_rows::SpecialRows;
use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use uniques::Uniques;
use writes::Tickets;

/// The items, in source order, and every bound list over them.
///
/// All edits go through the store, and no `&mut T` ever leaves it, so no view can miss a change.
/// An edit that fails, or whose closure panics, has changed nothing.
///
/// ```
/// use usual_tide::{Item, Place, Query, Store};
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, fired: bool }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |id: u32, title: &str| Piece { id, title: title.into(), fired: false };
/// let mut store = Store::load([piece(1, "Bowl"), piece(2, "Mug")])?;
/// let waiting = store.bind(Query::new().filter(|piece: &Piece| !piece.fired));
/// let feed = store.feed(waiting)?;
///
/// store.edit(&1, |piece| piece.fired = true)?;
///
/// let changes = feed.read(&store)?.unwrap();
/// assert_eq!(changes.removed()[0].at, 0);
/// assert_eq!(store.list(waiting)?.at(0).unwrap().title, "Mug");
/// # Ok(()) }
/// ```
pub struct Store<T: Item> {
    /// Tells this store's lists from another's.
    id: u64,
    /// Edits that changed anything.
    edits: u64,
    base: Base<T>,
    special: SpecialRows<T::Key>,
    next_draft: u64,
    dropped_drafts: DroppedDrafts,
    rules: Option<Arc<Rules<T>>>,
    uniques: Uniques,
    lists: BoundLists<T>,
    journal: Journal<T>,
    history: UndoLog<T>,
    /// The writes that wait for the source's answer, where they are tracked.
    tickets: Option<Box<Tickets<T>>>,
}

impl<T: Item> Store<T> {
    /// A store without items.
    pub fn new() -> Self {
        Self::of(Base::new())
    }

    fn of(base: Base<T>) -> Self {
        static NEXT: AtomicU64 = AtomicU64::new(0);
        Self {
            id: NEXT.fetch_add(1, Ordering::Relaxed),
            edits: 0,
            base,
            special: SpecialRows::new(),
            next_draft: 0,
            dropped_drafts: DroppedDrafts::default(),
            rules: None,
            uniques: Uniques::new(0),
            lists: BoundLists::new(),
            journal: Journal::new(),
            history: UndoLog::new(),
            tickets: None,
        }
    }

    /// A store with these items in this order. O(n). See [`Store`] for an example.
    ///
    /// # Errors
    ///
    /// [`EditError::Duplicates`] with every key that occurs more than once.
    pub fn load(items: impl IntoIterator<Item = T>) -> Result<Self, EditError<T::Key>> {
        Ok(Self::of(Base::load(items.into_iter().collect())?))
    }

    /// The number of items.
    pub fn len(&self) -> usize {
        self.base.source.len()
    }

    /// Whether there is no item.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The item with a key. O(1) expected.
    pub fn get(&self, key: &T::Key) -> Option<&Arc<T>> {
        self.base.items.get(self.slot(key)?)
    }

    /// Whether there is an item with this key. O(1) expected.
    pub fn contains(&self, key: &T::Key) -> bool {
        self.slot(key).is_some()
    }

    /// The item at a position in source order; `None` from the end on. O(log n).
    pub fn at(&self, position: usize) -> Option<&Arc<T>> {
        self.base.items.get(self.base.source.get(position)?)
    }

    /// The position of an item in source order. O(log n).
    pub fn position(&self, key: &T::Key) -> Option<usize> {
        self.base.source.position(self.slot(key)?)
    }

    /// The items in source order.
    pub fn items(&self) -> impl Iterator<Item = &Arc<T>> {
        self.base
            .source
            .rows()
            .filter_map(|slot| self.base.items.get(slot))
    }

    fn slot(&self, key: &T::Key) -> Option<Slot> {
        self.base.slot(key)
    }

    /// The row of an item; none where a draft's blank row has the key, which is no item yet.
    fn item_slot(&self, key: &T::Key) -> Option<Slot> {
        let slot = self.slot(key)?;
        (!self.special.blanks.contains(slot)).then_some(slot)
    }

    fn context(&self) -> Context<'_, T> {
        self.base.context()
    }

    /// Checks all that the store keeps, for tests: the error names the first thing that does not hold.
    #[doc(hidden)]
    pub fn check(&self) -> Result<(), String> {
        self.base.source.check(true)?;
        for slot in self.base.source.rows() {
            let item = self
                .base
                .items
                .get(slot)
                .ok_or(format!("{slot:?} has no item"))?;
            if self.slot(item.key()) != Some(slot) {
                return Err(format!("{:?} is not found", item.key()));
            }
        }
        self.check_special_rows()?;
        self.check_uniques()?;
        for list in self.lists.iter() {
            list.check(self.context())?;
            list.check_held(&self.special.all_held())?;
        }
        Ok(())
    }
}

impl<T: Item> Default for Store<T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<T: Item> fmt::Debug for Store<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Store")
            .field("items", &self.len())
            .field("lists", &self.lists.iter().len())
            .finish()
    }
}

//! The store: the items in source order, every edit of them, and every list over them.

mod batch;
mod draft;
mod duplicates;
mod edit;
mod error;
mod journal;
mod list_place;
mod lists;
mod many;
mod matching;
mod place;
mod proposal;
mod reload;
mod rules;
mod search;
mod sections;
mod shared;
mod special_rows;
mod suggestions;
mod tickets;
mod undo;
mod undo_log;
mod uniques;

pub use draft::{CommitError, Committed, Conflict, Draft, Prefer};
pub use duplicates::{DuplicateKey, OnDuplicate};
pub use error::EditError;
pub use list_place::ListEditError;
pub use place::Place;
pub use proposal::{Proposal, ProposalError, ProposalId, Settled};
pub use reload::Reloaded;
pub use rules::InBatch;
pub use sections::{OtherSection, SectionError};
#[cfg(feature = "stream")]
pub use shared::ChangeStream;
pub use shared::{SharedError, SharedStore, Subscription};
pub use suggestions::{Suggestion, Suggestions};
pub use tickets::{
    Mark, MarkFeed, Marked, Neighbours, Refused, Show, SubmitError, Submitted, Ticket, TicketError,
    Write, WriteKind,
};
pub use undo::{SkipReason, Skipped, UndoError, Undone};

use crate::item::{Arena, Item, KeyTable, Rules};
use crate::list::{Context, ListState};
use crate::order::{RowTree, Slot};
use crate::query::Columns;
use hashbrown::HashSet;
use journal::Journal;
use special_rows::SpecialRows;
use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use tickets::Tickets;
use undo_log::UndoLog;
use uniques::Uniques;

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
/// assert_eq!(store.list(waiting)?.get(0).unwrap().title, "Mug");
/// # Ok(()) }
/// ```
pub struct Store<T: Item> {
    /// Tells this store's lists from another's.
    id: u64,
    items: Arena<T>,
    keys: KeyTable,
    source: RowTree,
    /// Rows that are proposed for removal: no list shows them.
    concealed: HashSet<Slot>,
    /// What is kept of each item for searches and sorts.
    columns: Columns<T>,
    special: SpecialRows<T::Key>,
    rules: Option<Arc<Rules<T>>>,
    uniques: Uniques,
    /// Lists by number; `None` once unbound.
    lists: Vec<Option<ListState<T>>>,
    journal: Journal<T>,
    history: UndoLog<T>,
    /// The writes that wait for the source's answer; none where no answers are expected.
    tickets: Option<Box<Tickets<T>>>,
}

impl<T: Item> Store<T> {
    /// A store without items.
    pub fn new() -> Self {
        static NEXT: AtomicU64 = AtomicU64::new(0);
        Self {
            id: NEXT.fetch_add(1, Ordering::Relaxed),
            items: Arena::new(),
            keys: KeyTable::default(),
            source: RowTree::new(false),
            concealed: HashSet::new(),
            columns: Columns::new(),
            special: SpecialRows::new(),
            rules: None,
            uniques: Uniques::new(0),
            lists: Vec::new(),
            journal: Journal::new(),
            history: UndoLog::new(),
            tickets: None,
        }
    }

    /// A store with these items in this order. O(n).
    ///
    /// # Errors
    ///
    /// [`EditError::Duplicates`] with every key that occurs more than once.
    pub fn load(items: impl IntoIterator<Item = T>) -> Result<Self, EditError<T::Key>> {
        let mut store = Self::new();
        let items: Vec<T> = items.into_iter().collect();
        if items.len() > store.items.room() {
            return Err(EditError::TooMany);
        }
        store.keys.reserve(items.len(), &store.items);
        let mut slots = Vec::with_capacity(items.len());
        let mut repeated = false;
        for item in items {
            repeated |= store.keys.find(item.key(), &store.items).is_some();
            let slot = store
                .items
                .insert(Arc::new(item))
                .ok_or(EditError::TooMany)?;
            if !repeated {
                store.keys.insert(slot, &store.items);
            }
            slots.push(slot);
        }
        if repeated {
            let items: Vec<&Arc<T>> = slots.iter().filter_map(|s| store.items.get(*s)).collect();
            let found = duplicates::within(items.iter().map(|item| item.key()));
            return Err(EditError::Duplicates(found));
        }
        store.source = RowTree::build(&slots, None);
        Ok(store)
    }

    /// The number of items.
    pub fn len(&self) -> usize {
        self.source.len()
    }

    /// Whether there is no item.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The item with a key. O(1) expected.
    pub fn get(&self, key: &T::Key) -> Option<&Arc<T>> {
        self.items.get(self.slot(key)?)
    }

    /// Whether there is an item with this key. O(1) expected.
    pub fn contains(&self, key: &T::Key) -> bool {
        self.slot(key).is_some()
    }

    /// The item at a position in source order; `None` from the end on. O(log n).
    pub fn at(&self, position: usize) -> Option<&Arc<T>> {
        self.items.get(self.source.get(position)?)
    }

    /// The position of an item in source order. O(log n).
    pub fn position(&self, key: &T::Key) -> Option<usize> {
        self.source.position(self.slot(key)?)
    }

    /// The items in source order.
    pub fn items(&self) -> impl Iterator<Item = &Arc<T>> {
        self.source.rows().filter_map(|slot| self.items.get(slot))
    }

    fn slot(&self, key: &T::Key) -> Option<Slot> {
        self.keys.find(key, &self.items)
    }

    fn context(&self) -> Context<'_, T> {
        Context {
            items: &self.items,
            keys: &self.keys,
            source: &self.source,
            concealed: &self.concealed,
            columns: &self.columns,
        }
    }

    /// Checks all that the store keeps, for tests: the error names the first thing that does not hold.
    #[doc(hidden)]
    pub fn check(&self) -> Result<(), String> {
        self.source.check(true)?;
        for slot in self.source.rows() {
            let item = self
                .items
                .get(slot)
                .ok_or(format!("{slot:?} has no item"))?;
            if self.slot(item.key()) != Some(slot) {
                return Err(format!("{:?} is not found", item.key()));
            }
        }
        self.check_special_rows()?;
        self.check_uniques()?;
        for list in self.lists.iter().flatten() {
            list.check(self.context())?;
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
            .field("lists", &self.lists.iter().flatten().count())
            .finish()
    }
}

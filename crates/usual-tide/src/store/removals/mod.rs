//! Removals that show at once and wait for the person to confirm them.

use super::Store;
use super::error::EditError;
use super::journal::Step;
use crate::item::Item;
use crate::order::Slot;
use std::fmt;
use std::fmt::Debug;
use std::sync::Arc;
use std::time::Duration;

/// The removals that wait to be confirmed, as [`Store::removals`] gives them: to be read.
pub struct Removals<'a, T: Item> {
    store: &'a Store<T>,
}

/// The same, to begin, confirm and cancel removals: [`Store::removals_mut`].
pub struct RemovalsMut<'a, T: Item> {
    store: &'a mut Store<T>,
}

/// Names one pending removal of one store.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct RemovalId {
    store: u64,
    number: u64,
}

/// A removal that shows as already done and waits to be confirmed or cancelled.
///
/// The items are still in the store and at the source; only no list shows them. So they
/// are edited, moved and reloaded like others meanwhile, and come back exactly where they belong then.
#[derive(Clone, Debug)]
pub struct PendingRemoval<K> {
    /// The items in source order, with the rows that they had: a row is one of this removal only as long as it is
    /// noted as concealed by it.
    rows: Arc<Vec<(K, Slot)>>,
    due: Option<Duration>,
}

/// What became of the items of a pending removal.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct EndedRemoval<T: Item> {
    /// The removal.
    pub removal: RemovalId,
    /// The items removed, or shown again, in source order.
    pub items: Vec<Arc<T>>,
    /// Keys of items that were gone already: the source removed them meanwhile.
    pub gone: Vec<T::Key>,
}

/// Why a removal cannot be begun, confirmed or cancelled. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RemovalError<K: Debug> {
    /// No such removal is pending.
    #[error("this removal is not pending: it was confirmed or cancelled, or it is another store's")]
    NotPending(RemovalId),
    /// The removal of the item is pending already.
    #[error("the removal of {0:?} is pending already: confirm or cancel that first")]
    AlreadyPending(K),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<K>),
}

impl<K> PendingRemoval<K> {
    /// The keys of the items, in source order as it was when it was made.
    pub fn keys(&self) -> impl Iterator<Item = &K> {
        self.rows.iter().map(|(key, _)| key)
    }

    /// The rows that its items had.
    pub(super) fn slots(&self) -> impl Iterator<Item = Slot> {
        self.rows.iter().map(|(_, slot)| *slot)
    }

    /// Puts another row in the place of one; gives that one. O(rows).
    pub(super) fn replace_row(&mut self, row: Slot, by: (K, Slot)) -> Option<(K, Slot)>
    where
        K: Clone,
    {
        let at = self.slots().position(|slot| slot == row)?;
        Some(std::mem::replace(
            &mut Arc::make_mut(&mut self.rows)[at],
            by,
        ))
    }

    /// When it counts as confirmed, on the app's own clock.
    pub fn due(&self) -> Option<Duration> {
        self.due
    }
}

impl<T: Item> Store<T> {
    /// The removals that wait to be confirmed. See [`RemovalsMut::begin`] for an example.
    pub fn removals(&self) -> Removals<'_, T> {
        Removals { store: self }
    }

    /// The same, to begin, confirm and cancel removals. See [`RemovalsMut::begin`] for an example.
    pub fn removals_mut(&mut self) -> RemovalsMut<'_, T> {
        RemovalsMut { store: self }
    }

    fn begin_removal(
        &mut self,
        keys: &[T::Key],
        due: Option<Duration>,
    ) -> Result<RemovalId, RemovalError<T::Key>> {
        self.end_dropped_drafts();
        let rows = self.known_rows(keys)?;
        let key = |slot: Slot| self.base.items.get(slot).map(|item| item.key().clone());
        let taken = rows
            .iter()
            .find(|(_, slot)| self.base.concealed.contains_key(slot));
        if let Some(key) = taken.and_then(|(_, slot)| key(*slot)) {
            return Err(RemovalError::AlreadyPending(key));
        }
        let named = rows
            .iter()
            .filter_map(|(_, slot)| Some((key(*slot)?, *slot)));
        let removal = PendingRemoval {
            rows: Arc::new(named.collect()),
            due,
        };
        self.attempt(|store| {
            let number = store.add_pending_removal(removal);
            for (_, slot) in &rows {
                store.base.concealed.insert(*slot, number);
                store.journal.steps.push(Step::Concealed { slot: *slot });
            }
            let store = store.id;
            Ok(RemovalId { store, number })
        })
    }

    fn end_removal(
        &mut self,
        id: RemovalId,
        each: impl Fn(&mut Self, Slot),
    ) -> Result<EndedRemoval<T>, RemovalError<T::Key>> {
        let removal = self
            .removals()
            .get(id)
            .cloned()
            .ok_or(RemovalError::NotPending(id))?;
        self.attempt(|store| {
            let mut here: Vec<(usize, Slot)> = Vec::new();
            let mut gone = Vec::new();
            for (key, slot) in removal.rows.iter() {
                let is_its = store.base.concealed.get(slot) == Some(&id.number);
                // In a batch the item may have been removed and not be forgotten yet.
                match store.base.source.position(*slot).filter(|_| is_its) {
                    Some(position) => here.push((position, *slot)),
                    None => gone.push(key.clone()),
                }
            }
            here.sort_unstable();
            let items = here
                .iter()
                .filter_map(|(_, slot)| store.base.items.get(*slot));
            let items = items.cloned().collect();
            for (_, slot) in here {
                each(store, slot);
            }
            store.end_pending_removal(id.number);
            Ok(EndedRemoval {
                removal: id,
                items,
                gone,
            })
        })
    }
}

impl<'a, T: Item> Removals<'a, T> {
    /// A pending removal; `None` when it was confirmed or cancelled. O(log p) in those that are pending.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=4).map(|id| Piece { id }))?;
    /// let asked = store.removals_mut().begin(&[2, 3])?;
    /// let pending = store.removals().get(asked).ok_or("it is pending")?;
    /// assert!(pending.keys().eq(&[2, 3]));
    /// # Ok(()) }
    /// ```
    pub fn get(&self, id: RemovalId) -> Option<&'a PendingRemoval<T::Key>> {
        let ours = id.store == self.store.id;
        let removals = &self.store.special.removals;
        removals.get(&id.number).filter(|_| ours)
    }

    /// The pending removals, oldest first.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=4).map(|id| Piece { id }))?;
    /// let asked = store.removals_mut().begin(&[2])?;
    /// assert_eq!(store.removals().iter().next().map(|(id, _)| id), Some(asked));
    /// # Ok(()) }
    /// ```
    pub fn iter(
        &self,
    ) -> impl Iterator<Item = (RemovalId, &'a PendingRemoval<T::Key>)> + use<'a, T> {
        let store = self.store.id;
        let id = move |number: &u64| RemovalId {
            store,
            number: *number,
        };
        let removals = self.store.special.removals.iter();
        removals.map(move |(number, removal)| (id(number), removal))
    }
}

impl<T: Item> RemovalsMut<'_, T> {
    /// Begins the removal of items: every list drops their rows at once, and the removal is pending until it
    /// is [confirmed](Self::confirm) or [cancelled](Self::cancel). A key that is named twice counts once.
    /// O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`RemovalError::AlreadyPending`], and [`RemovalError::Edit`] for a key that no item has.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=4).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    ///
    /// let asked = store.removals_mut().begin(&[2, 3])?;
    /// assert_eq!(store.list(list)?.len(), 2);
    /// assert!(store.contains(&2), "it is still there");
    ///
    /// store.removals_mut().cancel(asked)?;
    /// assert_eq!(store.list(list)?.position(&2), Some(1));
    ///
    /// let asked = store.removals_mut().begin(&[2])?;
    /// store.removals_mut().confirm(asked)?;
    /// assert!(!store.contains(&2));
    /// assert!(store.history_mut().undo()?.is_some());
    /// # Ok(()) }
    /// ```
    pub fn begin(&mut self, keys: &[T::Key]) -> Result<RemovalId, RemovalError<T::Key>> {
        self.store.begin_removal(keys, None)
    }

    /// The same with a moment from which on it counts as confirmed: an offer to undo that ends. The
    /// library has no clock; the app says what time it is with [`confirm_due`](Self::confirm_due),
    /// measured from any moment it likes.
    ///
    /// # Errors
    ///
    /// Those of [`begin`](Self::begin).
    ///
    /// ```
    /// use std::time::Duration;
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=4).map(|id| Piece { id }))?;
    /// store.removals_mut().begin_until(&[2], Duration::from_secs(5))?;
    /// assert!(store.removals_mut().confirm_due(Duration::from_secs(4))?.is_empty());
    /// let ended = store.removals_mut().confirm_due(Duration::from_secs(5))?;
    /// assert_eq!(ended[0].items[0].id, 2);
    /// # Ok(()) }
    /// ```
    pub fn begin_until(
        &mut self,
        keys: &[T::Key],
        due: Duration,
    ) -> Result<RemovalId, RemovalError<T::Key>> {
        self.store.begin_removal(keys, Some(due))
    }

    /// Removes the items, as one step that can be undone. O(k log n) a list. See [`begin`](Self::begin) for an
    /// example.
    ///
    /// # Errors
    ///
    /// [`RemovalError::NotPending`].
    pub fn confirm(&mut self, id: RemovalId) -> Result<EndedRemoval<T>, RemovalError<T::Key>> {
        self.store
            .end_removal(id, |store, slot| store.remove_row(slot))
    }

    /// Shows the items again, where they belong by now. O(k log n) a list. See [`begin`](Self::begin) for an
    /// example.
    ///
    /// # Errors
    ///
    /// [`RemovalError::NotPending`].
    pub fn cancel(&mut self, id: RemovalId) -> Result<EndedRemoval<T>, RemovalError<T::Key>> {
        self.store.end_removal(id, |store, slot| {
            if let Some(removal) = store.base.concealed.remove(&slot) {
                store.journal.steps.push(Step::Revealed { slot, removal });
            }
        })
    }

    /// Confirms every pending removal that is due by now, each as a step of its own; gives what became of
    /// them. See [`begin_until`](Self::begin_until) for an example.
    ///
    /// # Errors
    ///
    /// [`RemovalError::Edit`].
    pub fn confirm_due(
        &mut self,
        now: Duration,
    ) -> Result<Vec<EndedRemoval<T>>, RemovalError<T::Key>> {
        let removals = self.store.removals();
        let due = removals.iter().filter(|(_, removal)| {
            let due = removal.due();
            due.is_some_and(|due| due <= now)
        });
        let due: Vec<RemovalId> = due.map(|(id, _)| id).collect();
        due.into_iter().map(|id| self.confirm(id)).collect()
    }
}

impl<T: Item> fmt::Debug for Removals<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.iter()).finish()
    }
}

impl<T: Item> fmt::Debug for RemovalsMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.store.removals().fmt(f)
    }
}

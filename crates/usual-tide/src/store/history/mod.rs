//! Undo and redo.

mod log;
mod revert;

pub(in crate::store) use log::{ItemEdit, UndoLog};

use super::{EditError, Store};
use crate::item::Item;
use revert::Direction;
use std::fmt;
use std::fmt::Debug;

/// The steps that can be undone and redone, as [`Store::history`] gives them: to be read.
///
/// A step is an edit of the person's, or a batch as a whole. What comes from the source is no step.
pub struct History<'a, T: Item> {
    store: &'a Store<T>,
}

/// The same, to be undone and redone: [`Store::history_mut`].
pub struct HistoryMut<'a, T: Item> {
    store: &'a mut Store<T>,
}

/// What undoing or redoing came to.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct Undone<K> {
    /// The step's name, when it was given one.
    pub name: Option<String>,
    /// The items that were changed back, each once, in the order in which the step had edited them: where to
    /// put the cursor.
    pub keys: Vec<K>,
    /// What could not be undone, because the source has changed it since.
    pub skipped: Vec<Skipped<K>>,
}

/// A part of a step that was left as it is.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Skipped<K> {
    /// The item's key.
    pub key: K,
    /// Why it was left alone.
    pub why: SkipReason,
}

/// Why a part of a step was not undone.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SkipReason {
    /// The item was changed again since.
    #[error("it was changed again since")]
    ChangedSince,
    /// The item is gone by now.
    #[error("it is gone by now")]
    Gone,
    /// Another item has its key by now.
    #[error("another item has its key by now")]
    KeyTaken,
}

/// Why nothing can be undone or redone at all. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum UndoError<K: Debug> {
    /// A batch is open.
    #[error("a batch is open: undo and redo work on whole steps, before or after it")]
    InBatch,
    /// The edit that undoes it was refused.
    #[error(transparent)]
    Edit(#[from] EditError<K>),
}

impl<T: Item> Store<T> {
    /// The steps that can be undone and redone.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// store.add(Piece { id: 2 }, Place::End)?;
    /// assert_eq!(store.history().undo_len(), 1);
    /// # Ok(()) }
    /// ```
    pub fn history(&self) -> History<'_, T> {
        History { store: self }
    }

    /// The same, to undo and redo.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// store.remove(&1)?;
    /// store.history_mut().undo()?;
    /// assert!(store.contains(&1));
    /// # Ok(()) }
    /// ```
    pub fn history_mut(&mut self) -> HistoryMut<'_, T> {
        HistoryMut { store: self }
    }
}

impl<T: Item> History<'_, T> {
    /// The name of the step that [`undo`](HistoryMut::undo) would take back; `None` when it has no name, or
    /// there is no step. O(1).
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// store.batch_named("Remove a piece", |store| store.remove(&1))?;
    /// assert_eq!(store.history().undo_name(), Some("Remove a piece"));
    /// store.history_mut().undo()?;
    /// assert_eq!(store.history().undo_name(), None);
    /// assert_eq!(store.history().redo_name(), Some("Remove a piece"));
    /// # Ok(()) }
    /// ```
    pub fn undo_name(&self) -> Option<&str> {
        self.store.history.done.back()?.name.as_deref()
    }

    /// The name of the step that [`redo`](HistoryMut::redo) would make again; `None` when it has no name, or
    /// there is no step. O(1). See [`undo_name`](Self::undo_name) for an example.
    pub fn redo_name(&self) -> Option<&str> {
        self.store.history.undone.last()?.name.as_deref()
    }

    /// How many steps can be undone. O(1). See [`Store::history`] for an example.
    pub fn undo_len(&self) -> usize {
        self.store.history.done.len()
    }

    /// How many steps can be redone: none once another edit was made. O(1).
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// store.remove(&1)?;
    /// store.history_mut().undo()?;
    /// assert_eq!(store.history().redo_len(), 1);
    /// store.add(Piece { id: 2 }, Place::End)?;
    /// assert_eq!(store.history().redo_len(), 0);
    /// # Ok(()) }
    /// ```
    pub fn redo_len(&self) -> usize {
        self.store.history.undone.len()
    }
}

impl<T: Item> HistoryMut<'_, T> {
    /// Takes back the last step: an edit, or a batch as a whole. `None` when there is none.
    ///
    /// Everything is as it was before the step, to the byte. Edits that came from the source since then
    /// ([`from_source`](Store::from_source), [`reload`](Store::reload)) stay; parts of the step that they have
    /// changed are skipped, and [`Undone::skipped`] names them. O(k log n) a list in the k items of the step.
    ///
    /// # Errors
    ///
    /// [`UndoError::InBatch`] inside a batch.
    ///
    /// ```
    /// use usual_tide::{EditError, Item, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id, fired: false }))?;
    /// store.batch_named("Fire two", |store| {
    ///     store.edit(&1, |piece| piece.fired = true)?;
    ///     store.edit(&2, |piece| piece.fired = true)
    /// })?;
    ///
    /// let undone = store.history_mut().undo()?.ok_or("nothing to undo")?;
    /// assert_eq!(undone.name.as_deref(), Some("Fire two"));
    /// assert_eq!(undone.keys, [1, 2]);
    /// assert!(undone.skipped.is_empty());
    /// assert!(!store.get(&2).is_some_and(|piece| piece.fired));
    ///
    /// store.history_mut().redo()?;
    /// assert!(store.get(&2).is_some_and(|piece| piece.fired));
    /// # Ok(()) }
    /// ```
    pub fn undo(&mut self) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        self.store.undo_or_redo(Direction::Undo)
    }

    /// Makes the step again that was undone last. `None` when there is none, or when another edit was made
    /// since. O(k log n) a list in the k items of the step. See [`undo`](Self::undo) for an example.
    ///
    /// # Errors
    ///
    /// [`UndoError::InBatch`] inside a batch.
    pub fn redo(&mut self) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        self.store.undo_or_redo(Direction::Redo)
    }

    /// Keeps at most this many steps, 100 unless said otherwise; older ones are dropped at once. With 0
    /// nothing can be undone. O(steps dropped).
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// store.history_mut().set_depth(1);
    /// store.remove(&1)?;
    /// store.remove(&2)?;
    /// assert_eq!(store.history().undo_len(), 1);
    /// # Ok(()) }
    /// ```
    pub fn set_depth(&mut self, steps: usize) {
        let history = &mut self.store.history;
        history.depth = steps;
        while history.done.len() > steps {
            history.done.pop_front();
        }
        let undone = history.undone.len().saturating_sub(steps);
        history.undone.drain(..undone);
    }
}

impl<T: Item> fmt::Debug for History<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("History")
            .field("undo_len", &self.undo_len())
            .field("redo_len", &self.redo_len())
            .finish()
    }
}

impl<T: Item> fmt::Debug for HistoryMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.store.history().fmt(f)
    }
}

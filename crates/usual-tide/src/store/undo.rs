//! Undo and redo.

use super::Store;
use super::error::EditError;
use super::undo_log::{ItemEdit, Origin, SourcePlace};
use crate::item::Item;
use std::fmt::Debug;
use std::sync::Arc;

/// What undoing or redoing came to.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Undone<K> {
    /// The step's name, when it was given one.
    pub name: Option<String>,
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

/// Which way a step is taken.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Way {
    Back,
    Forth,
}

impl<T: Item> Store<T> {
    /// Takes back the last step: an edit, or a batch as a whole. `None` when there is none.
    ///
    /// Everything is as it was before the step, to the byte. Edits that came from the source
    /// meanwhile ([`from_source`](Self::from_source), [`reload`](Self::reload)) stay; what they stand in
    /// the way of is left alone and reported. O(k log n) a list in the k items of the step.
    ///
    /// ```
    /// use usual_tide::{EditError, Item, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, fired: bool }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id, fired: false }))?;
    /// store.batch_named("Fire two", |store| {
    ///     store.edit(&1, |piece| piece.fired = true)?;
    ///     store.edit(&2, |piece| piece.fired = true)
    /// })?;
    /// assert_eq!(store.undo_name(), Some("Fire two"));
    ///
    /// let undone = store.undo()?.ok_or("nothing to undo")?;
    /// assert!(undone.skipped.is_empty());
    /// assert!(!store.get(&2).is_some_and(|piece| piece.fired));
    ///
    /// store.redo()?;
    /// assert!(store.get(&2).is_some_and(|piece| piece.fired));
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`UndoError::InBatch`] inside a batch.
    pub fn undo(&mut self) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        self.step(Way::Back)
    }

    /// Does again what was undone last. `None` when there is nothing, or when another edit was made
    /// since.
    ///
    /// # Errors
    ///
    /// [`UndoError::InBatch`] inside a batch.
    pub fn redo(&mut self) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        self.step(Way::Forth)
    }

    /// The name of the step that [`undo`](Self::undo) would take back, when it has one.
    pub fn undo_name(&self) -> Option<&str> {
        self.history.done.back()?.name.as_deref()
    }

    /// The name of the step that [`redo`](Self::redo) would do again, when it has one.
    pub fn redo_name(&self) -> Option<&str> {
        self.history.undone.last()?.name.as_deref()
    }

    /// How many steps can be undone.
    pub fn undo_len(&self) -> usize {
        self.history.done.len()
    }

    /// How many steps can be done again.
    pub fn redo_len(&self) -> usize {
        self.history.undone.len()
    }

    /// Keeps so many steps at the most (100 unless said otherwise); older ones are forgotten. With 0
    /// nothing is kept.
    pub fn set_undo_depth(&mut self, steps: usize) {
        let history = &mut self.history;
        history.depth = steps;
        while history.done.len() > steps {
            history.done.pop_front();
        }
        let undone = history.undone.len().saturating_sub(steps);
        history.undone.drain(..undone);
    }

    /// Makes edits that come from the source, not from the person: they are no step that can be
    /// undone, and steps before them can still be. A batch of its own; inside a person's batch it is
    /// a part of that step.
    ///
    /// Where edits wait for the source's answer ([`expect_answers`](Self::expect_answers)), the closure sees
    /// the items as the source has them, and what it does goes underneath those edits.
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then.
    pub fn from_source<R, E>(
        &mut self,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        if self.journal.depth == 0 && self.is_waiting() {
            return self.below_writes(|store, _| edits(store));
        }
        // In a person's batch it is a part of that step.
        self.batch_as(Origin::Source, None, edits)
    }

    /// Runs a batch that is one step with a name, such as for a menu: "Undo: Fire two".
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then.
    pub fn batch_named<R, E>(
        &mut self,
        name: &str,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.batch_as(Origin::Person, Some(name), edits)
    }

    fn step(&mut self, way: Way) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        if self.journal.depth > 0 {
            return Err(UndoError::InBatch);
        }
        self.end_dropped_drafts();
        let history = &self.history;
        let step = match way {
            Way::Back => history.done.back(),
            Way::Forth => history.undone.last(),
        };
        let Some(step) = step else { return Ok(None) };
        let exact = step.after == history.state;
        let name = step.name.as_deref().map(str::to_owned);
        let edits = Arc::clone(&step.edits);
        let route = |exact| match way {
            Way::Back => Origin::Back { exact },
            Way::Forth => Origin::Forth { exact },
        };
        let mut skipped = Vec::new();
        self.attempt_as(route(exact), |store| {
            for edit in edits.iter().rev() {
                if let Some(why) = store.revert(edit, exact)? {
                    let key = edit.key().clone();
                    skipped.push(Skipped { key, why });
                }
            }
            // What was left alone makes it another state than the one before the step.
            store.history.route = route(exact && skipped.is_empty());
            Ok::<(), EditError<T::Key>>(())
        })?;
        Ok(Some(Undone { name, skipped }))
    }

    /// Takes back one act, or says why it is left alone.
    fn revert(
        &mut self,
        edit: &ItemEdit<T>,
        exact: bool,
    ) -> Result<Option<SkipReason>, EditError<T::Key>> {
        let slot = self.slot(edit.key());
        let is_now = |store: &Self, item: &Arc<T>| {
            let now = slot.and_then(|slot| store.items.get(slot));
            now.is_some_and(|now| Arc::ptr_eq(now, item) || now == item)
        };
        match (edit, slot) {
            (ItemEdit::Removed { item, was_at }, None) => {
                let at = self.current_position(was_at, exact);
                self.insert_item(Arc::clone(item), at)?;
            }
            (ItemEdit::Removed { .. }, Some(_)) => return Ok(Some(SkipReason::KeyTaken)),
            (ItemEdit::Added { .. }, None) => {}
            (ItemEdit::Replaced { .. } | ItemEdit::Attached { .. }, None) => {
                return Ok(Some(SkipReason::Gone));
            }
            (ItemEdit::Added { item }, Some(slot)) if is_now(self, item) => self.remove_row(slot),
            (ItemEdit::Replaced { before, after }, Some(slot)) if is_now(self, after) => {
                self.swap_item(slot, Arc::clone(before));
            }
            (ItemEdit::Replaced { before, after }, Some(slot))
                if self.is_apart(slot, before, after) =>
            {
                self.swap_merged(slot, after, before);
            }
            (ItemEdit::Added { .. } | ItemEdit::Replaced { .. }, Some(_)) => {
                return Ok(Some(SkipReason::ChangedSince));
            }
            (ItemEdit::Attached { .. }, Some(slot)) => self.detach(slot),
            // What was not lifted above stays where it is.
            (ItemEdit::Detached { was_at, .. }, Some(slot)) if !self.source.contains(slot) => {
                let at = self.current_position(was_at, exact);
                self.attach(slot, at);
            }
            (ItemEdit::Detached { .. }, _) => {}
        }
        Ok(None)
    }

    /// Where a spot is now: at its position when nothing has happened since, else behind the item that
    /// stood before it.
    pub(super) fn current_position(&self, was_at: &SourcePlace<T::Key>, exact: bool) -> usize {
        if exact {
            return self.position_among_blanks(was_at.at);
        }
        match &was_at.after {
            None => 0,
            Some(key) => {
                let position = self.position(key).map(|position| position + 1);
                position.unwrap_or(was_at.at.min(self.len()))
            }
        }
    }
}

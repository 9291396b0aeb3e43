//! Taking a step back, or making it again.

use super::log::{ItemEdit, SourcePlace};
use super::{SkipReason, Skipped, UndoError, Undone};
use crate::item::Item;
use crate::store::journal::Origin;
use crate::store::{EditError, Store};
use hashbrown::HashSet;
use std::sync::Arc;

/// Whether the last step is undone, or the last undone one redone.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Direction {
    Undo,
    Redo,
}

impl<T: Item> Store<T> {
    pub(super) fn undo_or_redo(
        &mut self,
        direction: Direction,
    ) -> Result<Option<Undone<T::Key>>, UndoError<T::Key>> {
        if self.journal.is_open() {
            return Err(UndoError::InBatch);
        }
        self.end_dropped_drafts();
        let history = &self.history;
        let step = match direction {
            Direction::Undo => history.done.back(),
            Direction::Redo => history.undone.last(),
        };
        let Some(step) = step else { return Ok(None) };
        let exact = step.after == history.state;
        let name = step.name.as_deref().map(str::to_owned);
        let edits = history.known_edits(step);
        let origin = |exact| match direction {
            Direction::Undo => Origin::Undo { exact },
            Direction::Redo => Origin::Redo { exact },
        };
        let mut skipped = Vec::new();
        self.attempt_as(origin(exact), |store| {
            for edit in edits.iter().rev() {
                if let Some(why) = store.revert(edit, exact)? {
                    let key = edit.key().clone();
                    skipped.push(Skipped { key, why });
                }
            }
            // What was left alone makes it another state than the one before the step.
            if let Some(edit) = store.journal.open.first_mut() {
                edit.origin = origin(exact && skipped.is_empty());
            }
            Ok::<(), EditError<T::Key>>(())
        })?;
        let mut keys: Vec<T::Key> = Vec::new();
        let mut seen = HashSet::new();
        for edit in edits.iter() {
            let key = edit.key();
            if skipped.iter().all(|skipped| skipped.key != *key) && seen.insert(key) {
                keys.push(self.base.key_now(key).clone());
            }
        }
        Ok(Some(Undone {
            name,
            keys,
            skipped,
        }))
    }

    /// Takes back one act, or says why it is left alone.
    fn revert(
        &mut self,
        edit: &ItemEdit<T>,
        exact: bool,
    ) -> Result<Option<SkipReason>, EditError<T::Key>> {
        let slot = match edit {
            ItemEdit::Removed { .. } => self.slot(edit.key()),
            _ => self.item_slot(self.base.key_now(edit.key())),
        };
        let is_now = |store: &Self, item: &Arc<T>| {
            let now = slot.and_then(|slot| store.base.items.get(slot));
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
            // What was not taken out above stays where it is.
            (ItemEdit::Detached { was_at, .. }, Some(slot)) if !self.base.source.contains(slot) => {
                let at = self.current_position(was_at, exact);
                self.attach(slot, at);
            }
            (ItemEdit::Detached { .. }, _) => {}
        }
        Ok(None)
    }

    /// Where a spot is now: at its position when nothing has happened since, else after the item that
    /// was before it.
    pub(in crate::store) fn current_position(
        &self,
        was_at: &SourcePlace<T::Key>,
        exact: bool,
    ) -> usize {
        if exact {
            return self.position_among_blanks(was_at.at);
        }
        match &was_at.after {
            None => 0,
            Some(key) => {
                let position = self.position(self.base.key_now(key));
                let position = position.map(|position| position + 1);
                position.unwrap_or(was_at.at.min(self.len()))
            }
        }
    }
}

//! Edits of one item.

use super::Store;
use super::error::EditError;
use super::journal::{Origin, PriorPlace, Step};
use super::place::Place;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use std::sync::Arc;

impl<T: Item> Store<T> {
    /// Adds an item. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::DuplicateKey`] when its key is taken, [`EditError::UnknownKey`] and
    /// [`EditError::OutOfRange`] when there is no such place, [`EditError::Invalid`] when it breaks a
    /// rule.
    pub fn add(&mut self, mut item: T, place: Place<T::Key>) -> Result<(), EditError<T::Key>> {
        self.end_dropped_drafts();
        self.normalize(&mut item);
        if let Some(slot) = self.slot(item.key()) {
            if self.yields_to_source(slot) {
                return self.add_over_blank(slot, item, &place);
            }
            return Err(EditError::DuplicateKey {
                key: item.key().clone(),
                position: self.base.source.position(slot).unwrap_or(0),
            });
        }
        let at = self.target_position(&place, &[])?;
        self.accept(&item)?;
        self.attempt(|store| store.insert_item(Arc::new(item), at))
    }

    /// Edits an item in place. `true` when it differs afterwards; an edit that leaves it equal is no
    /// change and notifies nobody, unless it comes from the source and the row was a draft's blank one, which
    /// becomes an item then. O(log n) a list.
    ///
    /// ```
    /// # use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, fired: false }])?;
    /// assert!(store.edit(&1, |piece| piece.fired = true)?);
    /// assert!(!store.edit(&1, |piece| piece.fired = true)?);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`], [`EditError::KeyChanged`] when the closure changed the key, and
    /// [`EditError::Invalid`] when the item breaks a rule afterwards.
    pub fn edit(
        &mut self,
        key: &T::Key,
        edit: impl FnOnce(&mut T),
    ) -> Result<bool, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.known_slot(key)?;
        let Some(item) = self.base.items.get(slot) else {
            return Ok(false);
        };
        let mut edited = T::clone(item);
        edit(&mut edited);
        self.replace_at(slot, edited)
    }

    /// Puts another version of an item in its place, the one with the same key. `true` when it
    /// differs. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`], and [`EditError::Invalid`] when it breaks a rule.
    pub fn replace(&mut self, item: T) -> Result<bool, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.known_slot(item.key())?;
        self.replace_at(slot, item)
    }

    /// Removes an item; gives it back. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`].
    pub fn remove(&mut self, key: &T::Key) -> Result<Arc<T>, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.changeable_slot(key)?;
        let item = self.base.items.get(slot).cloned();
        self.attempt(|store| {
            store.remove_row(slot);
            item.ok_or_else(|| EditError::UnknownKey(key.clone()))
        })
    }

    /// Moves an item to another place in source order. `true` when that is another position. Bound lists
    /// in another order follow where their ties say so. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`] and [`EditError::OutOfRange`].
    pub fn move_to(
        &mut self,
        key: &T::Key,
        place: Place<T::Key>,
    ) -> Result<bool, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.changeable_slot(key)?;
        let from = self.known_position(key)?;
        let to = self.target_position(&place, &[from])?;
        if from == to {
            return Ok(false);
        }
        self.attempt(|store| {
            store.detach(slot);
            store.attach(slot, to);
            Ok(true)
        })
    }

    fn replace_at(&mut self, slot: Slot, mut item: T) -> Result<bool, EditError<T::Key>> {
        self.normalize(&mut item);
        let Some(before) = self.base.items.get(slot) else {
            return Ok(false);
        };
        if before.key() != item.key() {
            return Err(EditError::KeyChanged {
                from: before.key().clone(),
                to: item.key().clone(),
            });
        }
        if **before == item && !self.yields_to_source(slot) {
            return Ok(false);
        }
        self.accept(&item)?;
        self.attempt(|store| {
            store.set_version(slot, Arc::new(item));
            Ok(true)
        })
    }

    /// Whether a row is a draft's blank one and the edit under way comes from the source, which knows
    /// nothing of it: an item of the source with this key takes its place.
    pub(super) fn yields_to_source(&self, slot: Slot) -> bool {
        self.journal.origin() == Origin::Source && self.special.blanks.contains(slot)
    }

    /// The row to be removed or moved: the source has none where a draft's blank row has the key.
    pub(super) fn changeable_slot(&self, key: &T::Key) -> Result<Slot, EditError<T::Key>> {
        let slot = self.known_slot(key)?;
        match self.yields_to_source(slot) {
            true => Err(EditError::UnknownKey(key.clone())),
            false => Ok(slot),
        }
    }

    /// Adds the source's item where a draft's blank row has its key. The draft is one of that item then.
    fn add_over_blank(
        &mut self,
        slot: Slot,
        item: T,
        place: &Place<T::Key>,
    ) -> Result<(), EditError<T::Key>> {
        let from = self.known_position(item.key())?;
        let to = self.target_position(place, &[from])?;
        self.attempt(|store| {
            if from != to {
                store.detach(slot);
                store.attach(slot, to);
            }
            store.set_version(slot, Arc::new(item));
            Ok(())
        })
    }

    /// Puts another version of an item in its place; one of the source makes a blank row an item.
    pub(super) fn set_version(&mut self, slot: Slot, item: Arc<T>) {
        if self.base.items.get(slot) != Some(&item) {
            self.swap_item(slot, item);
        }
        if self.yields_to_source(slot) {
            self.commit_blanks(&[slot]);
        }
    }

    // The steps that every edit is made of. Each is noted, so that it can be taken back.

    /// Adds an item whose key is new.
    pub(super) fn insert_item(&mut self, item: Arc<T>, at: usize) -> Result<(), EditError<T::Key>> {
        let slot = self.register_item(item)?;
        self.place_row(at, slot);
        Ok(())
    }

    /// Takes a new item in, which has no place in source order yet.
    pub(super) fn register_item(&mut self, item: Arc<T>) -> Result<Slot, EditError<T::Key>> {
        if let Some(slot) = self.withdrawn_row(item.key()) {
            self.register_returned(slot, item);
            return Ok(slot);
        }
        let slot = self
            .base
            .items
            .insert(Arc::clone(&item))
            .ok_or(EditError::TooMany)?;
        self.base.keys.insert(slot, &self.base.items);
        if !self.is_underneath() {
            self.base.given_keys.forget(item.key());
        }
        self.index_values(slot, Some(&item));
        self.journal.steps.push(Step::Added { slot, item });
        Ok(slot)
    }

    /// Takes in a row that was withdrawn, with this item.
    fn register_returned(&mut self, slot: Slot, item: Arc<T>) {
        self.base.keys.insert(slot, &self.base.items);
        self.index_values(slot, Some(&item));
        self.journal.steps.push(Step::Returned { slot });
        if self.base.items.get(slot) != Some(&item) {
            self.swap_item(slot, item);
        }
    }

    pub(super) fn remove_row(&mut self, slot: Slot) {
        self.base.keys.remove(slot, &self.base.items);
        self.index_values(slot, None);
        let prior = self.prior(slot);
        let at = self.lift_row(slot);
        self.journal.steps.push(Step::Removed { slot, at, prior });
    }

    /// Lets go of an item whose place in source order is about to be rebuilt.
    pub(super) fn forget(&mut self, slot: Slot) {
        self.base.keys.remove(slot, &self.base.items);
        self.index_values(slot, None);
        let (at, prior) = (None, PriorPlace::default());
        self.journal.steps.push(Step::Removed { slot, at, prior });
    }

    /// Rebuilds source order.
    pub(super) fn reorder(&mut self, slots: &[Slot]) {
        let order = RowTree::build(slots, None);
        let before = Box::new(self.replace_order(order));
        self.journal.steps.push(Step::Reordered { before });
    }

    pub(super) fn swap_item(&mut self, slot: Slot, item: Arc<T>) {
        if let Some(before) = self.base.items.set(slot, Arc::clone(&item)) {
            self.index_values(slot, Some(&item));
            self.journal.steps.push(Step::Replaced {
                slot,
                before,
                after: item,
            });
        }
    }

    pub(super) fn detach(&mut self, slot: Slot) {
        let prior = self.prior(slot);
        if let Some(at) = self.lift_row(slot) {
            self.journal.steps.push(Step::Detached { slot, at, prior });
        }
    }

    pub(super) fn attach(&mut self, slot: Slot, at: usize) {
        self.place_row(at, slot);
        self.journal.steps.push(Step::Attached { slot });
    }
}

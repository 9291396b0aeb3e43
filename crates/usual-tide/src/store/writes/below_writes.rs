//! Changes of what the source has, underneath the writes that wait.

use super::Layer;
use super::write::{Neighbours, Show, Ticket, Write};
use crate::item::{FieldPath, Item};
use crate::order::Slot;
use crate::store::history::ItemEdit;
use crate::store::journal::Origin;
use crate::store::journal::Step;
use crate::store::set_aside::SetAside;
use crate::store::{EditError, Place, Store};
use std::collections::BTreeMap;
use std::sync::Arc;

/// The writes that wait, oldest first.
pub(super) type Waiting<T> = Vec<Arc<Write<T>>>;

impl<T: Item> Store<T> {
    /// Whether writes wait for an answer.
    pub(in crate::store) fn is_waiting(&self) -> bool {
        let tickets = self.tickets.as_deref();
        tickets.is_some_and(|tickets| !tickets.layers.is_empty())
    }

    /// Whether writes that wait are taken off and made again at this moment: what is added then was there before.
    pub(in crate::store) fn is_underneath(&self) -> bool {
        let tickets = self.tickets.as_deref();
        tickets.is_some_and(|tickets| tickets.is_underneath)
    }

    /// Changes what the source has, and may change the writes that wait; `given` is a key that an item gets by that, none
    /// where it is not known. O(p log n) a list in the p writes, besides the change.
    pub(in crate::store) fn below_writes<R, E>(
        &mut self,
        given: Option<&T::Key>,
        change: impl FnOnce(&mut Self, &mut Waiting<T>) -> Result<R, E>,
    ) -> Result<R, E> {
        let (done, layers) = self.batch_as(Origin::Source, None, |store| {
            let mut waiting: Waiting<T> = match &store.tickets {
                Some(tickets) => tickets.waiting().cloned().collect(),
                None => Vec::new(),
            };
            // Else an item could come in the place of a blank row, and a write that waits would take it away again.
            let mut aside =
                store.set_aside_for(waiting.iter().map(|write| &write.key).chain(given));
            aside.extend(store.withdraw());
            if let Some(tickets) = &mut store.tickets {
                tickets.is_underneath = true;
            }
            let done = change(store, &mut waiting)?;
            let layers = store.reapply_writes(waiting);
            store.forget_withdrawn();
            store.return_blanks(aside);
            Ok((done, layers))
        })?;
        if let Some(tickets) = &mut self.tickets {
            tickets.unplaced = layers.values().map(Layer::unplaced).sum();
            tickets.layers = layers;
            tickets.is_underneath = false;
            tickets.withdrawn.clear();
        }
        Ok(done)
    }

    /// Takes off all writes that wait, the latest first, so that the store is what the source has. Gives the
    /// blank rows of drafts that were in the way of items with their keys.
    fn withdraw(&mut self) -> Vec<SetAside> {
        let layers = self
            .tickets
            .iter()
            .flat_map(|tickets| tickets.layers.values());
        let edits: Vec<ItemEdit<T>> = layers.flat_map(|layer| &layer.edits).cloned().collect();
        self.withdraw_acts(edits)
    }

    /// Takes off what the source has not, the edits of an open batch too. The caller takes it all back.
    pub(super) fn withdraw_unsaved(&mut self) {
        let Some(tickets) = &self.tickets else { return };
        if tickets.is_underneath {
            return;
        }
        let of_person = self.journal.origin() != Origin::Source;
        let open = of_person
            .then(|| self.item_edits(self.is_plain()))
            .flatten();
        let layers = tickets
            .layers
            .values()
            .flat_map(|layer| &layer.edits)
            .cloned();
        let edits = layers.chain(open.unwrap_or_default()).collect();
        self.withdraw_acts(edits);
    }

    fn withdraw_acts(&mut self, edits: Vec<ItemEdit<T>>) -> Vec<SetAside> {
        let mut aside = Vec::new();
        for edit in edits.into_iter().rev() {
            let mut slot = self.slot(edit.key());
            if let (ItemEdit::Removed { .. }, Some(blank)) = (&edit, slot)
                && self.special.blanks.contains(blank)
            {
                aside.push(self.set_aside(blank));
                slot = None;
            }
            match (edit, slot) {
                (ItemEdit::Added { item }, Some(slot)) => {
                    if let Some(tickets) = &mut self.tickets {
                        tickets.withdrawn.insert(item.key().clone(), slot);
                    }
                    self.withdraw_row(slot);
                }
                (ItemEdit::Removed { item, was_at }, None) => {
                    let at = self.current_position(&was_at, true);
                    self.insert_if_room(item, at);
                }
                (ItemEdit::Replaced { before, .. }, Some(slot)) => self.swap_item(slot, before),
                (ItemEdit::Attached { .. }, Some(slot)) => self.detach(slot),
                (ItemEdit::Detached { was_at, .. }, Some(slot)) => {
                    let at = self.current_position(&was_at, true);
                    self.attach(slot, at);
                }
                (edit, _) => tracing::error!(key = ?edit.key(), "a write cannot be withdrawn"),
            }
        }
        aside
    }

    pub(in crate::store) fn withdraw_row(&mut self, slot: Slot) {
        self.base.keys.remove(slot, &self.base.items);
        self.index_values(slot, None);
        if let Some(at) = self.lift_row(slot) {
            self.journal.steps.push(Step::Withdrawn { slot, at });
        }
    }

    /// The row of a withdrawn addition, to be used again by an item with its key.
    pub(in crate::store) fn withdrawn_row(&self, key: &T::Key) -> Option<Slot> {
        self.tickets.as_ref()?.withdrawn.get(key).copied()
    }

    fn reapply_writes(&mut self, waiting: Waiting<T>) -> BTreeMap<Ticket, Layer<T>> {
        let layer = |write| Layer {
            edits: Vec::new(),
            writes: vec![write],
        };
        let layers = waiting.into_iter().map(layer).collect();
        self.make_again(layers, None).into_iter().collect()
    }

    /// Applies a write to what is there; returns what it did.
    pub(super) fn apply_write(&mut self, write: &Write<T>) -> Vec<ItemEdit<T>> {
        if write.show == Show::WhenConfirmed {
            return Vec::new();
        }
        let start = self.journal.steps.len();
        self.apply_write_edit(write);
        let steps = &self.journal.steps[start..];
        steps
            .iter()
            .filter_map(|step| self.item_edit(step))
            .collect()
    }

    /// Makes a write's edit, as far as it can be made: its item may be gone, or there already.
    pub(super) fn apply_write_edit(&mut self, write: &Write<T>) {
        let key = match &write.after {
            // An item is added under its own key.
            Some(added) if write.before.is_none() => added.key(),
            _ => &write.key,
        };
        match (&write.before, &write.after, self.item_slot(key)) {
            (None, Some(after), None) => {
                let blank = self.slot(key).map(|blank| self.set_aside(blank));
                let place = write.place.as_ref();
                let place = place.and_then(|place| self.between(place, None));
                self.insert_if_room(Arc::clone(after), place.unwrap_or(self.len()));
                self.return_blanks(blank.into_iter().collect());
            }
            (Some(_), None, Some(slot)) => self.remove_row(slot),
            (Some(before), Some(after), Some(slot)) => {
                self.swap_merged(slot, before, after);
                self.move_between(slot, write.place.as_ref());
            }
            _ => {}
        }
    }

    /// Whether an item that is not what an edit left has changed since in other fields alone, as a source
    /// does that records who saved it and when. Without tickets that is not known.
    pub(in crate::store) fn is_apart(&self, slot: Slot, before: &T, after: &T) -> bool {
        let Some(now) = self.base.items.get(slot).filter(|_| self.tickets.is_some()) else {
            return false;
        };
        let (mine, theirs) = (before.changed_fields(after), after.changed_fields(now));
        let collide = |path: &FieldPath| theirs.iter().any(|other| other.overlaps(path));
        !mine.is_empty() && !theirs.is_empty() && !mine.iter().any(collide)
    }

    /// Makes an edit of an item, on top of what the item is now.
    pub(in crate::store) fn swap_merged(&mut self, slot: Slot, before: &Arc<T>, after: &Arc<T>) {
        let (Some(now), Some(tickets)) = (self.base.items.get(slot), &self.tickets) else {
            return;
        };
        if Arc::ptr_eq(before, after) {
            return;
        }
        let merged = match Arc::ptr_eq(now, before) || now == before {
            true => Arc::clone(after),
            false => Arc::new((tickets.merge)(now, before, after)),
        };
        if *merged != **now {
            self.swap_item(slot, merged);
        }
    }

    /// Moves a row between its neighbours, where these are still there.
    pub(super) fn move_between(&mut self, slot: Slot, place: Option<&Neighbours<T::Key>>) {
        let Some(place) = place else { return };
        let from = self.base.source.position(slot);
        if let Some(to) = self.between(place, from).filter(|to| Some(*to) != from) {
            self.detach(slot);
            self.attach(slot, to);
        }
    }

    /// The position between neighbours, counted without a row that is taken out.
    pub(super) fn between(
        &self,
        place: &Neighbours<T::Key>,
        lifted: Option<usize>,
    ) -> Option<usize> {
        let not_itself = |position: &usize| lifted != Some(*position);
        let at = |key: &T::Key| self.position(key).filter(not_itself);
        let gap = match place.place(|key| at(key).is_some())? {
            Place::After(key) => at(&key)? + 1,
            Place::Before(key) => at(&key)?,
            Place::Start => 0,
            _ => self.len(),
        };
        Some(gap - usize::from(lifted.is_some_and(|lifted| lifted < gap)))
    }

    /// Adds an item, unless the store is full.
    pub(super) fn insert_if_room(&mut self, item: Arc<T>, at: usize) {
        if let Err(why @ EditError::TooMany) = self.insert_item(item, at) {
            tracing::error!(%why, "an item cannot be shown");
        }
    }

    /// Rows that were withdrawn and have not come back are gone.
    fn forget_withdrawn(&mut self) {
        let Some(tickets) = &self.tickets else {
            return;
        };
        for slot in tickets.withdrawn.values() {
            if !self.base.source.contains(*slot) {
                self.journal.steps.push(Step::Gone { slot: *slot });
            }
        }
    }
}

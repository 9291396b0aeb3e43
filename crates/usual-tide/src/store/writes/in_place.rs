//! Answers to edits that move no row: what other items' writes did stays as it is.

use super::write::{Renaming, Ticket, Write, WriteKind};
use super::{Layer, Tickets};
use crate::item::Item;
use crate::order::Slot;
use crate::store::Store;
use crate::store::history::ItemEdit;
use crate::store::journal::Origin;
use std::convert::Infallible;
use std::sync::Arc;

impl<T: Item> Store<T> {
    /// Confirms an edit where each write of its item that waits only edits it in its place. `false` when that is not
    /// so. O(log n) a list and write of the item.
    pub(super) fn confirm_in_place(&mut self, write: &Write<T>, item: Option<&T>) -> bool {
        self.answer_in_place(write, |store, slot| match item {
            Some(item) => store.set_version(slot, Arc::new(item.clone())),
            None => store.apply_write_edit(write),
        })
    }

    /// Refuses an edit in the same way, where the source has the item still.
    pub(super) fn refuse_in_place(
        &mut self,
        write: &Write<T>,
        current: Option<&Option<T>>,
    ) -> bool {
        let current = match current {
            None => None,
            Some(Some(item)) if *item.key() == write.key => Some(item),
            Some(_) => return false,
        };
        self.answer_in_place(write, |store, slot| {
            if let Some(item) = current {
                store.set_version(slot, Arc::new(item.clone()));
            }
        })
    }

    /// Takes off the writes of one item, changes what the source has of it, and makes the other writes again.
    fn answer_in_place(
        &mut self,
        answered: &Write<T>,
        change: impl FnOnce(&mut Self, Slot),
    ) -> bool {
        let layers = self.tickets.as_ref().and_then(|tickets| {
            let of_item = tickets.index.by_key.of_item(&answered.key);
            let layers = of_item.map(|ticket| tickets.edit_in_place(ticket));
            layers.collect::<Option<Vec<Layer<T>>>>()
        });
        let Some((layers, slot)) = layers.zip(self.item_slot(&answered.key)) else {
            return false;
        };
        let Ok(made_again) = self.batch_as(Origin::Source, None, |store| {
            store.take_off(slot, &layers);
            change(store, slot);
            let is_answered = |write: &Arc<Write<T>>| write.ticket == answered.ticket;
            let is_other = |layer: &Layer<T>| !layer.writes.iter().any(is_answered);
            let others = layers.into_iter().filter(is_other).collect();
            Ok::<_, Infallible>(store.make_again(others, None))
        });
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.remove(&answered.ticket);
            tickets.layers.extend(made_again);
        }
        true
    }

    /// Takes off edits of an item in its place, the latest first.
    pub(super) fn take_off(&mut self, slot: Slot, layers: &[Layer<T>]) {
        let edits = layers.iter().flat_map(|layer| &layer.edits).rev();
        for edit in edits {
            if let ItemEdit::Replaced { before, .. } = edit {
                self.swap_item(slot, Arc::clone(before));
            }
        }
    }

    /// Makes edits of an item again that were taken off, under another key perhaps.
    pub(super) fn make_again(
        &mut self,
        layers: Vec<Layer<T>>,
        renaming: Option<&Renaming<T::Key>>,
    ) -> Vec<(Ticket, Layer<T>)> {
        let writes = layers.into_iter().flat_map(|layer| layer.writes);
        let make = |mut write: Arc<Write<T>>| {
            if let Some(renaming) = renaming {
                renaming.apply(&mut write);
            }
            let edits = self.apply_write(&write);
            let ticket = write.ticket;
            let writes = vec![write];
            (ticket, Layer { edits, writes })
        };
        writes.map(make).collect()
    }
}

impl<T: Item> Tickets<T> {
    /// A write as a layer, when it is one by itself and only edits an item in its place.
    pub(super) fn edit_in_place(&self, ticket: Ticket) -> Option<Layer<T>> {
        let layer = self.layers.get(&ticket)?;
        let [write] = layer.writes.as_slice() else {
            return None;
        };
        let stays = write.kind() == WriteKind::Edit && write.place.is_none();
        let replaces = |edit: &ItemEdit<T>| matches!(edit, ItemEdit::Replaced { .. });
        (stays && layer.edits.iter().all(replaces)).then(|| layer.clone())
    }
}

//! Answers to edits that move no row: what other items' writes did stays as it is.

use super::write::{Ticket, Write, WriteKind};
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
            let of_item = tickets.index.of_item(&answered.key).iter();
            let layers = of_item.map(|ticket| tickets.edit_in_place(*ticket));
            layers.collect::<Option<Vec<Layer<T>>>>()
        });
        let slot = self.slot(&answered.key);
        let slot = slot.filter(|slot| !self.special.blanks.contains(slot));
        let Some((layers, slot)) = layers.zip(slot) else {
            return false;
        };
        let Ok(made_again) = self.batch_as(Origin::Source, None, |store| {
            let edits = layers.iter().flat_map(|layer| &layer.edits).rev();
            for edit in edits {
                if let ItemEdit::Replaced { before, .. } = edit {
                    store.swap_item(slot, Arc::clone(before));
                }
            }
            change(store, slot);
            let others = layers.iter().flat_map(|layer| &layer.writes);
            let others = others.filter(|write| write.ticket != answered.ticket);
            let make = |write: &Arc<Write<T>>| (write.ticket, store.apply_write(write));
            Ok::<_, Infallible>(others.map(make).collect::<Vec<_>>())
        });
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.remove(&answered.ticket);
            for (ticket, edits) in made_again {
                if let Some(layer) = tickets.layers.get_mut(&ticket) {
                    layer.edits = edits;
                }
            }
        }
        true
    }
}

impl<T: Item> Tickets<T> {
    /// A write as a layer, when it is one by itself and only edits an item in its place.
    fn edit_in_place(&self, ticket: Ticket) -> Option<Layer<T>> {
        let layer = self.layers.get(&ticket)?;
        let [write] = layer.writes.as_slice() else {
            return None;
        };
        let stays = write.kind() == WriteKind::Edit && write.place.is_none();
        let replaces = |edit: &ItemEdit<T>| matches!(edit, ItemEdit::Replaced { .. });
        (stays && layer.edits.iter().all(replaces)).then(|| layer.clone())
    }
}

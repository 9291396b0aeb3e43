//! Answers to additions at the start or the end, while no other waiting write changes the order of the rows but by
//! such additions.
//!
//! The rows are those added at the start, the latest first, then those that the source has, then those added at the
//! end, the latest last. So it is known without taking anything off where the source has a row that it confirms.

use super::waiting_index::RowPlace;
use super::write::{Renaming, Write};
use crate::item::Item;
use crate::order::Slot;
use crate::store::Store;
use crate::store::history::ItemEdit;
use crate::store::journal::Origin;
use std::convert::Infallible;
use std::sync::Arc;

impl<T: Item> Store<T> {
    /// Confirms such an addition, if it is the only write of its item. `false` when it is not such a one. O(log n) a
    /// list, and O(log n) for each write that has the item as a neighbour where it gets another key.
    pub(super) fn confirm_at_ends(
        &mut self,
        write: &Write<T>,
        item: Option<&T>,
        renaming: Option<&Renaming<T::Key>>,
    ) -> bool {
        let Some(slot) = self
            .added_at_ends(write)
            .filter(|_| self.waiting_of(&write.key) == 1)
        else {
            return false;
        };
        if renaming.is_some_and(|renaming| self.contains(&renaming.to)) {
            return false;
        }
        let Some(tickets) = &self.tickets else {
            return false;
        };
        let at = match RowPlace::of(write) {
            RowPlace::Start => tickets.index.at_start.saturating_sub(1),
            _ => self.len().saturating_sub(tickets.index.at_end),
        };
        let Ok(()) = self.batch_as(Origin::Source, None, |store| {
            store.put_version(slot, item, at);
            Ok::<_, Infallible>(())
        });
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.remove(&write.ticket);
            if let Some(renaming) = renaming {
                tickets.rename_waiting(renaming);
            }
        }
        true
    }

    /// Refuses such an addition, with the edits of its item; gives the writes that go. `None` when it is not such a
    /// one. O(log n) a list and write of the item.
    pub(super) fn refuse_at_ends(&mut self, write: &Write<T>) -> Option<Vec<Arc<Write<T>>>> {
        let slot = self.added_at_ends(write)?;
        let tickets = self.tickets.as_ref()?;
        let of_item = tickets.index.of_item(&write.key).iter();
        let layers = of_item.map(
            |ticket| match tickets.layers.get(ticket)?.writes.as_slice() {
                [write] => Some(Arc::clone(write)),
                _ => None,
            },
        );
        let refused: Vec<Arc<Write<T>>> = layers.collect::<Option<_>>()?;
        let Ok(()) = self.batch_as(Origin::Source, None, |store| {
            store.remove_row(slot);
            Ok::<_, Infallible>(())
        });
        if let Some(tickets) = &mut self.tickets {
            for write in &refused {
                tickets.layers.remove(&write.ticket);
            }
        }
        Some(refused)
    }

    /// The row of such an addition.
    fn added_at_ends(&self, write: &Write<T>) -> Option<Slot> {
        let tickets = self.tickets.as_ref()?;
        let layer = tickets.layers.get(&write.ticket)?;
        let is_alone = layer.writes.len() == 1;
        // Not so where the source had an item with its key already.
        let has_added = matches!(layer.edits.as_slice(), [ItemEdit::Added { .. }]);
        let at_ends = matches!(RowPlace::of(write), RowPlace::Start | RowPlace::End);
        let others_too = tickets.index.elsewhere == 0 && tickets.unplaced == 0;
        let is_such = is_alone && has_added && at_ends && others_too;
        let slot = self.slot(&write.key)?;
        (is_such && self.special.blanks.is_empty()).then_some(slot)
    }

    /// Puts a version of an item, which may have another key, into a row, and that at a position.
    fn put_version(&mut self, slot: Slot, item: Option<&T>, at: usize) {
        let item = item.filter(|item| self.base.items.get(slot).is_none_or(|now| **now != **item));
        let now = self.base.items.get(slot).map(|now| now.key().clone());
        match item.zip(now) {
            Some((item, key)) if *item.key() != key => {
                self.remove_row(slot);
                self.insert_if_room(Arc::new(item.clone()), at);
                return;
            }
            Some((item, _)) => self.swap_item(slot, Arc::new(item.clone())),
            None => {}
        }
        if self.base.source.position(slot) != Some(at) {
            self.detach(slot);
            self.attach(slot, at);
        }
    }
}

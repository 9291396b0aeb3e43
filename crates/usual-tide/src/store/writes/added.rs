//! Answers to additions: to the oldest write, and to those at the start or the end, while no other waiting write
//! changes the order of the rows but by such additions.
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
    /// Confirms an addition that is such a one or the oldest write, where the other writes of its item only edit it in
    /// its place. `false` when that is not so. O(log n) a list and write of the item, and O(log n) for each write that has
    /// the item as a neighbour where it gets another key.
    pub(super) fn confirm_added(
        &mut self,
        write: &Write<T>,
        item: Option<&T>,
        renaming: Option<&Renaming<T::Key>>,
    ) -> bool {
        let Some(tickets) = &self.tickets else {
            return false;
        };
        let Some(slot) = self.row_added_by(write) else {
            return false;
        };
        let is_oldest =
            tickets.layers.first_key_value().map(|oldest| oldest.0) == Some(&write.ticket);
        let at = match RowPlace::of(write) {
            _ if is_oldest => self.base.source.position(slot).unwrap_or(0),
            _ if !self.all_at_ends() => return false,
            RowPlace::Start => tickets.index.at_start.saturating_sub(1),
            RowPlace::End => self.len().saturating_sub(tickets.index.at_end),
            RowPlace::Same | RowPlace::Elsewhere => return false,
        };
        // An item may have the key by now, perhaps one that waits to be removed.
        let is_known = |key: &T::Key| self.contains(key) || self.waiting_of(key) > 0;
        if renaming.is_some_and(|renaming| is_known(&renaming.to)) {
            return false;
        }
        let of_item = tickets.index.by_key.of_item(&write.key);
        let others = of_item.filter(|ticket| *ticket != write.ticket);
        let others = others.map(|ticket| tickets.edit_in_place(ticket));
        let Some(others) = others.collect::<Option<Vec<_>>>() else {
            return false;
        };
        let Ok(made_again) = self.batch_as(Origin::Source, None, |store| {
            store.take_off(slot, &others);
            store.put_version(slot, item, at);
            Ok::<_, Infallible>(store.make_again(others, renaming))
        });
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.remove(&write.ticket);
            tickets.layers.extend(made_again);
            if let Some(renaming) = renaming {
                tickets.rename_waiting(renaming);
            }
        }
        true
    }

    /// Refuses such an addition, with the edits of its item; gives the writes that go. `None` when it is not such a
    /// one. O(log n) a list and write of the item.
    pub(super) fn refuse_at_ends(&mut self, write: &Write<T>) -> Option<Vec<Arc<Write<T>>>> {
        let at_ends = matches!(RowPlace::of(write), RowPlace::Start | RowPlace::End);
        if !at_ends || !self.all_at_ends() {
            return None;
        }
        let slot = self.row_added_by(write)?;
        let tickets = self.tickets.as_ref()?;
        let of_item = tickets.index.by_key.of_item(&write.key);
        let layers = of_item.map(
            |ticket| match tickets.layers.get(&ticket)?.writes.as_slice() {
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

    /// Whether waiting writes change the order of the rows by additions at the start or the end alone.
    fn all_at_ends(&self) -> bool {
        let tickets = self.tickets.as_ref();
        tickets.is_some_and(|tickets| tickets.index.elsewhere == 0 && tickets.unplaced == 0)
    }

    /// The row that a write has added, if it is a layer by itself and no draft's blank row is there, which takes up a
    /// place.
    fn row_added_by(&self, write: &Write<T>) -> Option<Slot> {
        let layer = self.tickets.as_ref()?.layers.get(&write.ticket)?;
        let is_alone = layer.writes.len() == 1 && self.special.blanks.is_empty();
        // Not so where the source had an item with its key already.
        let has_added = matches!(layer.edits.as_slice(), [ItemEdit::Added { .. }]);
        self.slot(&write.key).filter(|_| is_alone && has_added)
    }

    /// Puts a version of an item, which may have another key, into a row, and that at a position.
    fn put_version(&mut self, slot: Slot, item: Option<&T>, at: usize) {
        let item = item.filter(|item| self.base.items.get(slot).is_none_or(|now| **now != **item));
        let now = self.base.items.get(slot).map(|now| now.key().clone());
        match item.zip(now) {
            Some((item, key)) if *item.key() != key => {
                self.remove_row(slot);
                self.insert_if_room(Arc::new(item.clone()), at);
                if let Some(now) = self.slot(item.key()) {
                    self.hand_over(slot, now);
                }
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

//! Blank rows of drafts make way where an item of the source has their key.

use super::Store;
use super::journal::{Origin, Step};
use crate::item::Item;
use crate::order::Slot;

/// A draft's blank row that has made way.
pub(super) struct SetAside {
    blank: Slot,
    /// The row before it.
    after: Option<Slot>,
    /// Where it was.
    pub(super) at: usize,
}

impl<T: Item> Store<T> {
    pub(super) fn set_aside(&mut self, blank: Slot) -> SetAside {
        let after = self.base.source.rows_before(blank).next();
        let at = self.base.source.position(blank).unwrap_or(0);
        self.withdraw_row(blank);
        SetAside { blank, after, at }
    }

    /// Sets the blank rows aside that have keys of the source's. A person's edit has to do without them.
    pub(super) fn set_aside_for<'a>(
        &mut self,
        keys: impl IntoIterator<Item = &'a T::Key>,
    ) -> Vec<SetAside>
    where
        T: 'a,
    {
        if self.special.blanks.is_empty() || self.journal.origin() != Origin::Source {
            return Vec::new();
        }
        let slots = keys.into_iter().filter_map(|key| self.slot(key));
        let blanks = slots.filter(|slot| self.special.blanks.contains(*slot));
        let placed = blanks.filter_map(|slot| Some((self.base.source.position(slot)?, slot)));
        let mut placed: Vec<(usize, Slot)> = placed.collect();
        placed.sort_unstable();
        placed.dedup();
        // The last first, so that none changes the place of another.
        let last_first = placed.into_iter().rev();
        last_first.map(|(_, blank)| self.set_aside(blank)).collect()
    }

    /// Puts blank rows back after the rows that they were after. Where an item has the key by now, the draft
    /// is one of that item, and its blank row is gone.
    pub(super) fn return_blanks(&mut self, aside: Vec<SetAside>) {
        for SetAside { blank, after, at } in aside.into_iter().rev() {
            let Some(item) = self.base.items.get(blank).cloned() else {
                continue;
            };
            if let Some(slot) = self.slot(item.key()) {
                self.journal.steps.push(Step::Gone { slot: blank });
                self.hand_over_blank(blank, slot);
                continue;
            }
            let behind = after.map(|row| self.base.source.position(row));
            let at = match behind {
                None => 0,
                Some(position) => position.map_or(at.min(self.len()), |position| position + 1),
            };
            self.base.keys.insert(blank, &self.base.items);
            self.index_values(blank, Some(&item));
            self.place_row(at, blank);
            self.journal.steps.push(Step::Returned { slot: blank });
        }
    }
}

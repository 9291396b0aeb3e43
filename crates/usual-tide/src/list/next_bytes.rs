//! The bytes that tell apart rows of one prefix, kept while pages arrive.

use super::cached_order::CachedOrder;
use super::sorting::more_bytes_tell;
use super::state::{Context, ListState};
use super::update::{AffectedRow, Effect, MERGE_FROM, Touch};
use crate::item::Item;
use crate::order::Slot;
use crate::parts::rows_in_parts;
use crate::query::Refinement;
use std::cmp::Ordering;
use std::sync::Arc;

/// A page is worth reading all rows that there are, up to so many for each row of the page.
const READ_SHARE: usize = 8;

/// What is kept is let go with the edit after so many since the last page.
const EDITS_WITHOUT_PAGE: u32 = if cfg!(any(test, fuzzing)) { 2 } else { 64 };

/// Of a list that grows page by page, for each row the bytes of its sort key after those in the prefix: without them, items here and
/// there are read to place each row of a page.
pub(super) struct NextBytes {
    /// By slot; of rows that the list shows, and of those that edits touched.
    by_slot: Vec<u64>,
    /// How many edits came since the last page.
    edits_since: u32,
}

impl NextBytes {
    pub(super) fn of(&self, slot: Slot) -> u64 {
        self.by_slot.get(slot.index()).copied().unwrap_or(0)
    }

    /// The order that they give two rows of one prefix.
    pub(super) fn order(&self, one: Slot, two: Slot) -> Ordering {
        self.of(one).cmp(&self.of(two))
    }

    pub(super) fn bytes(&self) -> usize {
        self.by_slot.capacity() * size_of::<u64>()
    }

    /// Keeps the bytes of these items; `None` where one has none.
    fn read<'a, T: 'a>(
        &mut self,
        items: impl Iterator<Item = (Slot, &'a Arc<T>)>,
        refinement: &Refinement<'_, T>,
    ) -> Option<()> {
        for (slot, item) in items {
            self.set(slot, refinement.next_bytes(item)?);
        }
        Some(())
    }

    fn set(&mut self, slot: Slot, bytes: u64) {
        if self.by_slot.len() <= slot.index() {
            self.by_slot.resize(slot.index() + 1, 0);
        }
        self.by_slot[slot.index()] = bytes;
    }
}

impl<T: Item> ListState<T> {
    /// The bytes of all rows of the list, where they are kept; none while a row is held, whose place comes from an earlier item.
    pub(super) fn next_bytes(&self) -> Option<&NextBytes> {
        self.next_bytes.as_ref().filter(|_| self.held.is_empty())
    }

    /// How ties in the prefix are broken, where items must be read for it.
    fn broken_by_items(&self, context: Context<'_, T>) -> Option<Refinement<'_, T>> {
        let sort = self.query.sorting()?;
        let by_items = !sort.is_decided_by_prefix() && CachedOrder::of(sort, context).is_none();
        sort.refinement().filter(|_| by_items)
    }

    /// Notes the bytes of the items that an edit touches. This comes before the list is brought in step, so that rows that move
    /// have the bytes of their new places while they are still at the old ones.
    pub(super) fn touch_next_bytes(&mut self, touches: &[Touch<'_, T>], context: Context<'_, T>) {
        // Not put back when user code panics.
        let Some(mut kept) = self.next_bytes.take() else {
            return;
        };
        kept.edits_since += 1;
        if kept.edits_since > EDITS_WITHOUT_PAGE {
            return;
        }
        let Some(refinement) = self.broken_by_items(context) else {
            return;
        };
        let items = touches
            .iter()
            .filter_map(|touch| Some((touch.slot, touch.after?)));
        let is_whole = kept.read(items, &refinement).is_some();
        self.next_bytes = is_whole.then_some(kept);
    }

    /// Reads the bytes of all rows when a page arrives that is large enough for it, and they tell many rows apart.
    pub(super) fn read_next_bytes(
        &mut self,
        affected: &[AffectedRow<'_, T>],
        context: Context<'_, T>,
    ) {
        let arriving = affected.iter().filter(|row| row.effect == Effect::Arrives);
        let arriving = arriving.count();
        if arriving < MERGE_FROM || affected.iter().any(|row| row.effect.removes()) {
            return;
        }
        if let Some(kept) = &mut self.next_bytes {
            kept.edits_since = 0;
            return;
        }
        if self.rows.len() > arriving * READ_SHARE || !self.held.is_empty() {
            return;
        }
        let Some(refinement) = self.broken_by_items(context) else {
            return;
        };
        let rows: Vec<Slot> = self.rows.chunks().flatten().copied().collect();
        let sort = self.query.sorting();
        if !sort.is_some_and(|sort| more_bytes_tell(&rows, sort, context)) {
            return;
        }
        let read = |slot: &Slot| refinement.next_bytes(context.items.get(*slot)?);
        let bytes = rows_in_parts(rows.len(), |part| -> Option<Vec<u64>> {
            rows[part].iter().map(read).collect()
        });
        let Some(bytes) = bytes.into_iter().collect::<Option<Vec<_>>>() else {
            return;
        };
        let mut kept = NextBytes {
            by_slot: vec![0; context.items.used()],
            edits_since: 0,
        };
        let arriving = affected
            .iter()
            .filter_map(|row| Some((row.touch.slot, row.touch.after?)));
        for (slot, bytes) in rows.iter().zip(bytes.into_iter().flatten()) {
            kept.set(*slot, bytes);
        }
        let is_whole = kept.read(arriving, &refinement).is_some();
        self.next_bytes = is_whole.then_some(kept);
    }

    /// Checks that each row has the bytes of its item.
    pub(super) fn check_next_bytes(&self, context: Context<'_, T>) -> Result<(), String> {
        let Some((kept, refinement)) = self.next_bytes().zip(self.broken_by_items(context)) else {
            return Ok(());
        };
        let differs = |slot: &Slot| {
            let item = context.items.get(*slot);
            item.and_then(|item| refinement.next_bytes(item)) != Some(kept.of(*slot))
        };
        match self.rows.rows().find(differs) {
            Some(slot) => Err(format!(
                "{slot:?} has other bytes after its prefix than are kept"
            )),
            None => Ok(()),
        }
    }
}

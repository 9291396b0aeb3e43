//! Rows in the order of bytes that are kept of each item.

use super::evaluate::Evaluated;
use super::state::Context;
use super::steady::sort_steadily;
use crate::item::Item;
use crate::order::Slot;
use crate::parts::in_parts;
use crate::query::Sort;
use crate::text::ByteColumn;
use std::cmp::Ordering;

/// A sort beside the bytes that are kept for its first key.
pub(super) struct KeptOrder<'a, T> {
    sort: &'a Sort<T>,
    column: &'a ByteColumn,
    context: Context<'a, T>,
}

/// A row that is being sorted.
#[derive(Clone, Copy)]
struct Keyed {
    key: u64,
    /// Its place in source order, which breaks ties.
    source: u32,
    slot: Slot,
}

impl<'a, T: Item> KeptOrder<'a, T> {
    /// `None` where nothing is kept for the sort.
    pub(super) fn of(sort: &'a Sort<T>, context: Context<'a, T>) -> Option<Self> {
        let column = context.columns.get(&sort.column()?.name())?;
        Some(Self {
            sort,
            column,
            context,
        })
    }

    fn kept(&self, slot: Slot) -> &'a [u8] {
        self.column.get(slot.index()).unwrap_or_default()
    }

    /// The order of two rows by their items of now.
    pub(super) fn compare(&self, one: Slot, two: Slot) -> Ordering {
        match (self.context.items.get(one), self.context.items.get(two)) {
            (Some(first), Some(second)) => {
                let (one, two) = ((&**first, self.kept(one)), (&**second, self.kept(two)));
                self.sort.compare_kept(one, two)
            }
            _ => Ordering::Equal,
        }
    }

    /// Sorts rows that are in source order.
    pub(super) fn sorted(&self, slots: &[Slot]) -> Evaluated {
        let keyed = |source: usize| Keyed {
            key: self.sort.prefix_kept(self.kept(slots[source])),
            source: source as u32,
            slot: slots[source],
        };
        let parts = in_parts(slots.len(), |part| {
            let mut rows: Vec<Keyed> = part.map(keyed).collect();
            rows.sort_unstable_by_key(|row| (row.key, row.source));
            rows
        });
        let mut rows = parts.concat();
        // Runs that are in order already are only merged.
        rows.sort_by_key(|row| (row.key, row.source));
        for ties in rows.chunk_by_mut(|one, two| one.key == two.key) {
            sort_steadily(ties, |one, two| {
                let order = self.compare(one.slot, two.slot);
                order.then(one.source.cmp(&two.source)).is_gt()
            });
        }
        Evaluated {
            slots: rows.iter().map(|row| row.slot).collect(),
            keys: Some(rows.iter().map(|row| row.key).collect()),
            sections: Vec::new(),
        }
    }
}

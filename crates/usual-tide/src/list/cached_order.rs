//! Rows in the order of bytes that are kept of each item.

use super::evaluate::Evaluated;
use super::merge_sort::merge_sort;
use super::sorting::{Keyed, MOST_REFINED_BYTES, WORTH_REFINING, break_ties, sort_keyed};
use super::state::Context;
use crate::item::Item;
use crate::order::Slot;
use crate::parts::in_parts;
use crate::query::Sort;
use crate::text::ByteColumn;
use std::cmp::Ordering;

/// Whole bytes of a key that a prefix holds.
const PREFIX_BYTES: usize = 7;

/// A sort beside the bytes that are kept for its first key.
pub(super) struct CachedOrder<'a, T: Item> {
    sort: &'a Sort<T>,
    column: &'a ByteColumn,
    context: Context<'a, T>,
}

impl<'a, T: Item> CachedOrder<'a, T> {
    /// `None` where nothing is kept for the sort.
    pub(super) fn of(sort: &'a Sort<T>, context: Context<'a, T>) -> Option<Self> {
        let column = context.columns.get(sort.column()?.name(), context.items)?;
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
                self.sort.compare_cached(one, two)
            }
            _ => Ordering::Equal,
        }
    }

    /// Sorts rows that are in source order.
    pub(super) fn sorted(&self, slots: &[Slot]) -> Evaluated {
        let keyed = |source: usize| Keyed {
            key: self.sort.cached_prefix(self.kept(slots[source])),
            source: source as u32,
            slot: slots[source],
        };
        let parts = in_parts(slots.len(), |part| {
            let mut rows: Vec<Keyed> = part.map(keyed).collect();
            sort_keyed(&mut rows);
            let keys = Keyed::keys(&rows);
            for ties in rows.chunk_by_mut(Keyed::ties) {
                self.break_ties(ties, PREFIX_BYTES);
            }
            for (row, key) in rows.iter_mut().zip(keys) {
                row.key = key;
            }
            rows
        });
        let rows = parts.into_iter().reduce(|one, two| self.merge(one, two));
        let rows = rows.unwrap_or_default();
        Evaluated {
            slots: Keyed::slots(&rows),
            keys: Some(Keyed::keys(&rows)),
            sections: Vec::new(),
        }
    }

    /// Sorts rows whose kept bytes begin alike: by the next eight while there are many, then as a whole.
    fn break_ties(&self, ties: &mut [Keyed], known: usize) {
        if ties.len() >= WORTH_REFINING && self.all_tie(ties) {
            if let Some(next) = self.sort.refinement_past_first() {
                break_ties(ties, &next, &|slot| self.context.items.get(slot));
            }
            return;
        }
        if ties.len() < WORTH_REFINING || known > MOST_REFINED_BYTES {
            merge_sort(ties, |one, two| {
                let order = self.compare(one.slot, two.slot);
                order.then(one.source.cmp(&two.source)).is_gt()
            });
            return;
        }
        for row in ties.iter_mut() {
            row.key = self.sort.cached_bytes_from(self.kept(row.slot), known);
        }
        sort_keyed(ties);
        for ties in ties.chunk_by_mut(Keyed::ties) {
            self.break_ties(ties, known + 8);
        }
    }

    /// Whether what is kept of the rows is equal.
    fn all_tie(&self, rows: &[Keyed]) -> bool {
        let mut kept = rows.iter().map(|row| self.kept(row.slot));
        let first = kept.next();
        kept.all(|other| Some(other) == first)
    }

    /// Joins two parts that are sorted.
    fn merge(&self, one: Vec<Keyed>, two: Vec<Keyed>) -> Vec<Keyed> {
        let mut merged = Vec::with_capacity(one.len() + two.len());
        let (mut one, mut two) = (one.into_iter().peekable(), two.into_iter().peekable());
        while let (Some(first), Some(second)) = (one.peek(), two.peek()) {
            let by_bytes = || self.compare(first.slot, second.slot);
            let order = first.key.cmp(&second.key).then_with(by_bytes);
            let next = match order.then(first.source.cmp(&second.source)).is_gt() {
                true => two.next(),
                false => one.next(),
            };
            merged.extend(next);
        }
        merged.extend(one);
        merged.extend(two);
        merged
    }
}

//! What a store keeps for each bound list.

use super::cached_order::CachedOrder;
use super::cached_search::RowText;
use super::earlier_order::EarlierOrder;
use super::grouping::Grouping;
use super::log::Log;
use super::next_bytes::NextBytes;
use super::rollback_step::RollbackStep;
use super::version::Version;
use crate::item::{Arena, GivenKeys, Item, KeyTable, LeftKeys};
use crate::order::{RowTree, Slot};
use crate::query::{Columns, Query, Sort, Window};
use hashbrown::HashMap;
use std::cmp::Ordering;
use std::ops::Range;
use std::sync::Arc;

/// A bound list: its query, its rows in order, and what happened to them lately.
pub(crate) struct ListState<T: Item> {
    pub(super) query: Query<T>,
    /// All rows that match, in order; the window is laid over them.
    pub(super) rows: RowTree,
    /// Whether rows that are held keep their places here.
    pub(super) holds_rows: bool,
    /// Rows that keep their place, with the items by which they got it.
    pub(super) held: HashMap<Slot, Arc<T>>,
    /// The sections of a grouped list.
    pub(super) grouping: Option<Grouping>,
    /// The text of few rows, for the next letter of a search.
    pub(super) row_text: Option<RowText>,
    /// The order of the rows before many were hidden, for when they come back.
    pub(super) earlier_order: Option<EarlierOrder>,
    /// What tells apart rows that tie in the prefix, while pages arrive.
    pub(super) next_bytes: Option<NextBytes>,
    pub(super) log: Log<T>,
    /// What takes back the changes since the last [`seal`](Self::seal).
    pub(super) rollback: Vec<RollbackStep<T>>,
}

/// What a list reads of its store.
pub(crate) struct Context<'a, T: Item> {
    pub(crate) items: &'a Arena<T>,
    pub(crate) keys: &'a KeyTable,
    pub(crate) given_keys: &'a GivenKeys<T::Key>,
    pub(crate) left: &'a LeftKeys<T::Key>,
    pub(crate) source: &'a RowTree,
    /// Rows that no list shows: they are in the pending removal of this number.
    pub(crate) concealed: &'a HashMap<Slot, u64>,
    /// What is kept of each item.
    pub(crate) columns: &'a Columns<T>,
}

impl<'a, T: Item> Context<'a, T> {
    pub(crate) fn is_concealed(&self, slot: Slot) -> bool {
        !self.concealed.is_empty() && self.concealed.contains_key(&slot)
    }

    /// The key that an item has by now which was added under this one; this one where the source has given it no other.
    pub(crate) fn key_now<'k>(self, key: &'k T::Key) -> &'k T::Key
    where
        'a: 'k,
    {
        match self.given_keys.now(key) {
            Some(now) if self.keys.find(key, self.items).is_none() => now,
            _ => key,
        }
    }
}

impl<T: Item> Clone for Context<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T: Item> Copy for Context<'_, T> {}

impl<T: Item> ListState<T> {
    pub(crate) fn query(&self) -> &Query<T> {
        &self.query
    }

    pub(crate) fn into_query(self) -> Query<T> {
        self.query
    }

    pub(super) fn window(&self) -> Window {
        self.query.window()
    }

    /// How many rows are not hidden by a collapsed section.
    pub(super) fn open_rows(&self) -> usize {
        self.layout()
            .map_or(self.rows.len(), |layout| layout.sums().shown)
    }

    /// The rows shown, as positions among those that no collapsed section hides.
    pub(super) fn shown(&self) -> Range<usize> {
        self.window().range(self.open_rows())
    }

    /// The position among all rows that match, of one that no collapsed section hides.
    pub(super) fn row_of_open(&self, position: usize) -> usize {
        self.layout()
            .map_or(position, |layout| layout.row_of_shown(position))
    }

    /// The runs that rows between collapsed sections make among all that match.
    pub(super) fn open_runs(&self, range: Range<usize>) -> Vec<Range<usize>> {
        match self.layout() {
            Some(layout) if !layout.is_open() => layout.open_runs(range),
            _ => vec![range],
        }
    }

    pub(super) fn version(&self) -> Version {
        self.log.version()
    }

    /// The item that decides a row's place: a held row has the one that it had when it was held.
    pub(super) fn placing_item<'a>(
        &'a self,
        slot: Slot,
        context: Context<'a, T>,
    ) -> Option<&'a Arc<T>> {
        if !self.held.is_empty()
            && let Some(item) = self.held.get(&slot)
        {
            return Some(item);
        }
        context.items.get(slot)
    }

    /// Whether a row comes before an item that will be at a position in source order. Rows of
    /// equal prefix, and of one section, only.
    pub(super) fn comes_before(
        &self,
        row: Slot,
        (slot, item): (Slot, &T),
        source_position: usize,
        context: Context<'_, T>,
    ) -> bool {
        let source = || context.source.position(row).cmp(&Some(source_position));
        self.comes_before_by(row, (slot, item), source, context)
    }

    /// The same where the order of ties is known: that of the row and the item in the source.
    pub(super) fn comes_before_by(
        &self,
        row: Slot,
        (slot, item): (Slot, &T),
        source: impl FnOnce() -> Ordering,
        context: Context<'_, T>,
    ) -> bool {
        let sort = self.query.sorting();
        if sort.is_none_or(Sort::is_decided_by_prefix) {
            return source().is_lt();
        }
        self.precedes(
            row,
            (slot, item),
            source,
            context,
            Sort::compare_past_prefix,
        )
    }

    /// The same for rows of any prefix.
    pub(super) fn comes_before_by_all_keys(
        &self,
        row: Slot,
        (slot, item): (Slot, &T),
        source_position: usize,
        context: Context<'_, T>,
    ) -> bool {
        let source = || context.source.position(row).cmp(&Some(source_position));
        self.precedes(row, (slot, item), source, context, Sort::compare)
    }

    fn precedes(
        &self,
        row: Slot,
        (slot, item): (Slot, &T),
        source: impl FnOnce() -> Ordering,
        context: Context<'_, T>,
        compare: impl Fn(&Sort<T>, &T, &T) -> Ordering,
    ) -> bool {
        let by_keys = match (self.query.sorting(), self.placing_item(row, context)) {
            (Some(sort), Some(other)) => match CachedOrder::of(sort, context) {
                // A held row has its place by an item that it had before.
                Some(kept) if self.held.is_empty() => kept.compare(row, slot),
                _ => compare(sort, other, item),
            },
            _ => Ordering::Equal,
        };
        by_keys.then_with(source).is_lt()
    }

    /// The items of a run of all matching rows, as they are now.
    pub(super) fn items_at(&self, range: Range<usize>, context: Context<'_, T>) -> Vec<Arc<T>> {
        let rows = self.rows.rows_from(self.rows.cursor(range.start));
        rows.take(range.len())
            .filter_map(|slot| context.items.get(slot).cloned())
            .collect()
    }

    /// The items of a run of the rows that no collapsed section hides.
    pub(super) fn open_items_at(
        &self,
        range: Range<usize>,
        context: Context<'_, T>,
    ) -> Vec<Arc<T>> {
        let runs = self.open_runs(range).into_iter();
        runs.flat_map(|run| self.items_at(run, context)).collect()
    }

    /// Bytes of the list beside items and sort keys, spare capacity included.
    pub(crate) fn bytes(&self) -> usize {
        let earlier = self.earlier_order.as_ref();
        self.rows.bytes() + earlier.map_or(0, EarlierOrder::bytes)
    }

    /// Bytes of the sort keys kept beside the rows.
    pub(crate) fn key_bytes(&self) -> usize {
        let earlier = self.earlier_order.as_ref();
        let next = self.next_bytes.as_ref().map_or(0, NextBytes::bytes);
        self.rows.key_bytes() + earlier.map_or(0, EarlierOrder::key_bytes) + next
    }

    /// Checks the whole structure; the error names the first thing that does not hold.
    pub(crate) fn check(&self, context: Context<'_, T>) -> Result<(), String> {
        self.rows.check(self.grouping.is_none())?;
        for slot in context.source.rows() {
            let Some(item) = context.items.get(slot) else {
                return Err(format!("{slot:?} has no item"));
            };
            let held = self.held.contains_key(&slot);
            let shows = self.query.matches(item) || held && self.rows.contains(slot);
            let shows = shows && !context.is_concealed(slot);
            if shows != self.rows.contains(slot) {
                return Err(format!("{slot:?}: in the list is {}", !shows));
            }
        }
        if let Some(stray) = self
            .rows
            .rows()
            .find(|slot| !context.source.contains(*slot))
        {
            return Err(format!("{stray:?} is in the list and not in the store"));
        }
        self.check_sections(context)?;
        self.check_earlier_order(context)?;
        self.check_next_bytes(context)?;
        self.rows.check_order(|one, two| {
            let by_keys = match (
                self.query.order(),
                self.placing_item(one, context),
                self.placing_item(two, context),
            ) {
                (Some(sort), Some(one), Some(two)) => sort.compare(one, two),
                _ => Ordering::Equal,
            };
            by_keys
                .then_with(|| {
                    context
                        .source
                        .position(one)
                        .cmp(&context.source.position(two))
                })
                .is_lt()
        })
    }
}

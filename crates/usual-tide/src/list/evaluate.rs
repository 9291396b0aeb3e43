//! The rows of a query from nothing.

use super::cached_search::CachedSearch;
use super::grouped::in_order;
use super::grouping::Grouping;
use super::log::Log;
use super::state::{Context, ListState};
use crate::item::{Item, SectionKey};
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use crate::query::Query;
use hashbrown::HashMap;

/// Rows in order, with their prefixes in a sorted list.
#[derive(Default)]
pub(super) struct Evaluated {
    pub(super) slots: Vec<Slot>,
    /// In a grouped list they are in order within each section.
    pub(super) keys: Option<Vec<u64>>,
    /// In a grouped list the sections, each with the number of its rows.
    pub(super) sections: Vec<(SectionKey, usize)>,
}

/// The rows of one section, or all rows where there are none.
#[derive(Clone, Copy, Default)]
pub(super) struct SectionRows<'a> {
    pub(super) section: Option<&'a SectionKey>,
    pub(super) slots: &'a [Slot],
    /// As many, unless there are none.
    pub(super) keys: &'a [u64],
}

impl Evaluated {
    /// The rows of each section, one after the other.
    pub(super) fn by_section(&self) -> impl Iterator<Item = SectionRows<'_>> {
        let whole = self.sections.is_empty().then_some((None, self.slots.len()));
        let sections = self.sections.iter().map(|(key, rows)| (Some(key), *rows));
        let mut end = 0;
        whole
            .into_iter()
            .chain(sections)
            .map(move |(section, rows)| {
                let start = end;
                end += rows;
                let keys = self.keys.as_ref();
                SectionRows {
                    section,
                    slots: &self.slots[start..end],
                    keys: keys.map_or(&[], |keys| &keys[start..end]),
                }
            })
    }

    /// The sections of these rows in a grouped list.
    pub(super) fn grouping<T: Item>(
        &mut self,
        query: &Query<T>,
        earlier: Option<&Grouping>,
        context: Context<'_, T>,
    ) -> Option<Grouping> {
        let group = query.grouping()?;
        let sections = std::mem::take(&mut self.sections);
        let items = self
            .slots
            .iter()
            .filter_map(|slot| context.items.get(*slot));
        Some(Grouping::of_runs(group, sections, items, earlier))
    }
}

impl<T: Item> ListState<T> {
    /// A list of all rows that match. O(n log n), or O(n) without a sort.
    pub(crate) fn bind(query: Query<T>, context: Context<'_, T>) -> Self {
        let is_source = !query.has_filter() && query.order().is_none();
        let (grouping, rows) = if is_source && context.concealed.is_empty() {
            (None, context.source.copied())
        } else {
            let mut rows = evaluate(&query, context, |_| false);
            let grouping = rows.grouping(&query, None, context);
            (grouping, RowTree::build(&rows.slots, rows.keys.as_deref()))
        };
        Self {
            grouping,
            rows,
            query,
            holds_rows: true,
            held: HashMap::new(),
            row_text: None,
            earlier_order: None,
            next_bytes: None,
            log: Log::new(),
            rollback: Vec::new(),
        }
    }
}

/// The rows of a query in order; `always` has the rows that are shown even if the filter hides them.
pub(super) fn evaluate<T: Item>(
    query: &Query<T>,
    context: Context<'_, T>,
    always: impl Fn(Slot) -> bool + Sync,
) -> Evaluated {
    let slots = if query.has_filter() || !context.concealed.is_empty() {
        let found = CachedSearch::of(query, context).map(|kept| kept.all());
        let matches = |slot: &Slot, item: &T| match &found {
            Some(found) => found.has(slot.index()) && query.passes_filter(item),
            None => query.matches(item),
        };
        let shown = |slot: &Slot| {
            let item = context.items.get(*slot);
            !context.is_concealed(*slot)
                && (item.is_some_and(|item| matches(slot, item)) || always(*slot))
        };
        in_parts(context.source.len(), |part| -> Vec<Slot> {
            let rows = context.source.rows_from(context.source.cursor(part.start));
            rows.take(part.len()).filter(shown).collect()
        })
        .concat()
    } else {
        let mut slots = Vec::with_capacity(context.source.len());
        for chunk in context.source.chunks() {
            slots.extend_from_slice(chunk);
        }
        slots
    };
    in_order(slots, query, context)
}

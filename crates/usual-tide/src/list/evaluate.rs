//! The rows of a query from nothing.

use super::cached_search::CachedSearch;
use super::grouping::Grouping;
use super::log::Log;
use super::sorting::sorted;
use super::state::{Context, ListState};
use crate::item::{GroupValue, SectionKey};
use crate::item::{Item, Value};
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use crate::query::{Group, Query, Sort};
use hashbrown::HashMap;

/// Rows in order, with their prefixes in a sorted list.
pub(super) struct Evaluated {
    pub(super) slots: Vec<Slot>,
    /// In a grouped list they are in order within each section.
    pub(super) keys: Option<Vec<u64>>,
    /// In a grouped list the sections, each with the number of its rows.
    pub(super) sections: Vec<(SectionKey, usize)>,
}

impl Evaluated {
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
            held: HashMap::new(),
            row_text: None,
            earlier_order: None,
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
    match (query.grouping(), query.order()) {
        (Some(group), _) => grouped(&slots, group, query.sorting(), context),
        (_, Some(sort)) => sorted(&slots, sort, context),
        (_, None) => Evaluated {
            slots,
            keys: None,
            sections: Vec::new(),
        },
    }
}

/// Puts rows, which are in source order, into sections, and sorts them within. O(n) and the sorting.
pub(super) fn grouped<T: Item>(
    slots: &[Slot],
    group: &Group<T>,
    within: Option<&Sort<T>>,
    context: Context<'_, T>,
) -> Evaluated {
    // The rows of each section, part by part of the source.
    let parts = in_parts(slots.len(), |part| {
        let mut sections: HashMap<GroupValue<'_>, Vec<Slot>> = HashMap::new();
        for slot in &slots[part] {
            let item = context.items.get(*slot);
            let value = item.map_or(Value::Missing, |item| group.value(item));
            sections.entry(GroupValue(value)).or_default().push(*slot);
        }
        sections
    });
    let mut parts = parts.into_iter();
    let mut sections = parts.next().unwrap_or_default();
    for (value, rows) in parts.flatten() {
        sections.entry(value).or_default().extend(rows);
    }
    let mut sections: Vec<(SectionKey, Vec<Slot>)> = sections
        .into_iter()
        .map(|(value, rows)| (SectionKey::from(value.0.into_owned()), rows))
        .collect();
    group.sort_by_section(&mut sections, |section| &section.0);
    let mut ordered = Evaluated {
        slots: Vec::with_capacity(slots.len()),
        keys: within.map(|_| Vec::with_capacity(slots.len())),
        sections: Vec::with_capacity(sections.len()),
    };
    for (key, rows) in sections {
        ordered.sections.push((key, rows.len()));
        match within {
            Some(sort) => {
                let rows = sorted(&rows, sort, context);
                ordered.slots.extend(rows.slots);
                if let (Some(keys), Some(more)) = (&mut ordered.keys, rows.keys) {
                    keys.extend(more);
                }
            }
            None => ordered.slots.extend(rows),
        }
    }
    ordered
}

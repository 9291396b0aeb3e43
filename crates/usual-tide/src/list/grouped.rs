//! Rows put in the order of a query, in sections where it groups them.

use super::cached_order::CachedOrder;
use super::evaluate::Evaluated;
use super::sorting::{
    Keyed, TwiceKeyed, more_bytes_tell, sorted, sorted_keyed, sorted_twice_keyed,
};
use super::state::Context;
use crate::item::{GroupValue, Item, SectionKey, Value};
use crate::order::Slot;
use crate::parts::in_parts;
use crate::query::{Group, Query, Sort};
use hashbrown::HashMap;
use std::sync::Arc;

/// Puts rows, which are in source order, in that of a query. O(n) and the sorting.
pub(super) fn in_order<T: Item>(
    slots: Vec<Slot>,
    query: &Query<T>,
    context: Context<'_, T>,
) -> Evaluated {
    match (query.grouping(), query.sorting()) {
        (Some(group), within) => grouped(&slots, group, within, context),
        (None, Some(sort)) => sorted(&slots, sort, context),
        (None, None) => Evaluated {
            slots,
            ..Evaluated::default()
        },
    }
}

/// Puts rows into sections, and sorts them within. O(n) and the sorting.
fn grouped<T: Item>(
    slots: &[Slot],
    group: &Group<T>,
    within: Option<&Sort<T>>,
    context: Context<'_, T>,
) -> Evaluated {
    let Some(sort) = within else {
        let sections = rows_by_section(slots, group, context, |slot, _, _| slot);
        let unsorted = |(key, slots)| {
            let rows = Evaluated {
                slots,
                ..Evaluated::default()
            };
            (key, rows)
        };
        return joined_sections(sections.into_iter().map(unsorted), slots.len(), false);
    };
    if let Some(order) = CachedOrder::of(sort, context) {
        let sections = rows_by_section(slots, group, context, |slot, _, _| slot);
        return sort_each(sections, slots.len(), |rows| order.sorted(rows));
    }
    // An item is read once for its section and all that sorts it: the rows of a section are here and there in memory.
    let refinement = sort.refinement();
    let refinement = refinement.filter(|_| more_bytes_tell(slots, sort, context));
    let sections = rows_by_section(slots, group, context, |slot, source, item| {
        let next = refinement.as_ref().zip(item);
        let keyed = Keyed {
            key: item.map_or(0, |item| sort.prefix(item)),
            source: source as u32,
            slot,
        };
        (
            keyed,
            next.and_then(|(refinement, item)| refinement.next_bytes(item)),
        )
    });
    sort_each(sections, slots.len(), |rows| {
        let with_next = rows
            .iter()
            .map(|(row, next)| Some((row.key, (*next)?, row.source, row.slot)));
        let with_next = with_next.collect::<Option<Vec<TwiceKeyed>>>();
        match refinement.as_ref().zip(with_next) {
            Some((refinement, rows)) => sorted_twice_keyed(&rows, refinement, context),
            None => {
                let rows: Vec<Keyed> = rows.iter().map(|(row, _)| *row).collect();
                sorted_keyed(&rows, sort, context)
            }
        }
    })
}

/// The sections of rows in source order, and what is made of each of these: of its slot, its place among them and its item.
fn rows_by_section<'a, T: Item, R: Send>(
    slots: &[Slot],
    group: &Group<T>,
    context: Context<'a, T>,
    row: impl Fn(Slot, usize, Option<&'a Arc<T>>) -> R + Sync,
) -> Vec<(SectionKey, Vec<R>)> {
    let parts = in_parts(slots.len(), |part| {
        let mut sections: HashMap<GroupValue<'_>, Vec<R>> = HashMap::new();
        for source in part {
            let slot = slots[source];
            let item = context.items.get(slot);
            let value = item.map_or(Value::Missing, |item| group.value(item));
            let rows = sections.entry(GroupValue(value)).or_default();
            rows.push(row(slot, source, item));
        }
        sections
    });
    let mut parts = parts.into_iter();
    let mut sections = parts.next().unwrap_or_default();
    for (value, rows) in parts.flatten() {
        sections.entry(value).or_default().extend(rows);
    }
    let mut sections: Vec<(SectionKey, Vec<R>)> = sections
        .into_iter()
        .map(|(value, rows)| (SectionKey::from(value.0.into_owned()), rows))
        .collect();
    group.sort_by_section(&mut sections, |section| &section.0);
    sections
}

/// Sorts the rows of each section, sections side by side.
fn sort_each<R: Sync>(
    sections: Vec<(SectionKey, Vec<R>)>,
    rows: usize,
    sorted: impl Fn(&[R]) -> Evaluated + Sync,
) -> Evaluated {
    let mut before = 0;
    let starts = sections.iter().map(|(_, rows)| {
        before += rows.len();
        before - rows.len()
    });
    let starts: Vec<usize> = starts.collect();
    let section_at = |row: usize| starts.partition_point(|start| *start < row);
    let in_order = in_parts(rows, |part| {
        let sections = &sections[section_at(part.start)..section_at(part.end)];
        let sections = sections.iter().map(|(_, rows)| sorted(rows));
        sections.collect::<Vec<Evaluated>>()
    });
    let keys = sections.iter().map(|(key, _)| key.clone());
    joined_sections(keys.zip(in_order.into_iter().flatten()), rows, true)
}

/// The rows of sections one after the other, with their prefixes where they are sorted.
fn joined_sections(
    sections: impl Iterator<Item = (SectionKey, Evaluated)>,
    rows: usize,
    are_sorted: bool,
) -> Evaluated {
    let mut slots = Vec::with_capacity(rows);
    let mut keys = are_sorted.then(|| Vec::with_capacity(rows));
    let sections = sections.map(|(key, rows)| {
        let count = rows.slots.len();
        slots.extend(rows.slots);
        if let (Some(keys), Some(more)) = (&mut keys, rows.keys) {
            keys.extend(more);
        }
        (key, count)
    });
    let sections = sections.collect();
    Evaluated {
        slots,
        keys,
        sections,
    }
}

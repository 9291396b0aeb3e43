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
use crate::sorts::arrange;
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
        return one_after_another(sections.keys, sections.rows);
    };
    if let Some(order) = CachedOrder::of(sort, context) {
        let sections = rows_by_section(slots, group, context, |slot, _, _| slot);
        let counts = sections.counts();
        return sort_each(sections.keys, &counts, &|section| {
            order.sorted(&sections.rows[section])
        });
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
    let counts = sections.counts();
    sort_each(sections.keys, &counts, &|section| {
        let rows = &sections.rows[section];
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

/// The keys of sections in their order, and what stands for the rows of each.
struct SectionRows<R> {
    keys: Vec<SectionKey>,
    rows: Vec<Vec<R>>,
}

impl<R> SectionRows<R> {
    fn counts(&self) -> Vec<usize> {
        let mut counts = Vec::with_capacity(self.rows.len());
        for rows in &self.rows {
            counts.push(rows.len());
        }
        counts
    }
}

/// The sections of rows in source order, and what is made of each of these: of its slot, its place among them and its item.
fn rows_by_section<'a, T: Item, R: Send>(
    slots: &[Slot],
    group: &Group<T>,
    context: Context<'a, T>,
    row: impl Fn(Slot, usize, Option<&'a Arc<T>>) -> R + Sync,
) -> SectionRows<R> {
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
    let mut sections = HashMap::new();
    for part in parts {
        if sections.is_empty() {
            sections = part;
            continue;
        }
        for (value, rows) in part {
            sections.entry(value).or_default().extend(rows);
        }
    }
    let mut keys = Vec::with_capacity(sections.len());
    let mut rows = Vec::with_capacity(sections.len());
    for (value, section) in sections {
        keys.push(SectionKey::from(value.0.into_owned()));
        rows.push(section);
    }
    let order = group.order_of_sections(&keys.iter().collect::<Vec<_>>());
    arrange(&mut keys, &order);
    arrange(&mut rows, &order);
    SectionRows { keys, rows }
}

/// Sorts the rows of each section, sections side by side, and puts them one after another. Compiled once, not for each type of item.
fn sort_each(
    section_keys: Vec<SectionKey>,
    counts: &[usize],
    sorted: &(dyn Fn(usize) -> Evaluated + Sync),
) -> Evaluated {
    let mut rows = 0;
    let starts = counts.iter().map(|count| {
        rows += count;
        rows - count
    });
    let starts: Vec<usize> = starts.collect();
    let section_at = |row: usize| starts.partition_point(|start| *start < row);
    let in_order = in_parts(rows, |part| {
        let sections = section_at(part.start)..section_at(part.end);
        sections.map(sorted).collect::<Vec<Evaluated>>()
    });
    let (mut slots, mut keys) = (Vec::with_capacity(rows), Vec::with_capacity(rows));
    for section in in_order.into_iter().flatten() {
        slots.extend(section.slots);
        keys.extend(section.keys.into_iter().flatten());
    }
    Evaluated {
        slots,
        keys: Some(keys),
        sections: section_keys
            .into_iter()
            .zip(counts.iter().copied())
            .collect(),
    }
}

/// The rows of sections as they are, one section after another.
fn one_after_another(keys: Vec<SectionKey>, rows: Vec<Vec<Slot>>) -> Evaluated {
    let counts: Vec<usize> = rows.iter().map(Vec::len).collect();
    Evaluated {
        slots: rows.into_iter().flatten().collect(),
        keys: None,
        sections: keys.into_iter().zip(counts).collect(),
    }
}

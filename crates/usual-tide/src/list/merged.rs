//! Rows that are in order and others that join them.

use super::evaluate::{Evaluated, SectionRows};
use super::state::{Context, ListState};
use crate::change::Layout;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::query::Sort;
use std::cmp::Ordering;

/// When more than one in so many of the rows are to be placed, a table of all places in the source pays.
const TABLE_SHARE: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };

/// Those of the rows of a tree that are asked for, each with its prefix, and with their sections where there are any.
pub(super) fn rows_that(
    rows: &RowTree,
    layout: Option<&Layout>,
    is_wanted: impl Fn(Slot) -> bool,
) -> Evaluated {
    let (mut slots, mut keys) = (Vec::new(), Vec::new());
    let mut walk = rows.rows_with_keys(rows.cursor(0));
    let mut take = |rows: usize| {
        let before = slots.len();
        for (slot, key) in walk.by_ref().take(rows) {
            if is_wanted(slot) {
                slots.push(slot);
                keys.push(key);
            }
        }
        slots.len() - before
    };
    let mut sections = Vec::new();
    match layout {
        Some(layout) => {
            for placed in layout.sections() {
                let rows = take(placed.section.count);
                if rows > 0 {
                    sections.push((placed.section.key().clone(), rows));
                }
            }
        }
        None => {
            take(rows.len());
        }
    }
    Evaluated {
        slots,
        keys: Some(keys),
        sections,
    }
}

impl<T: Item> ListState<T> {
    /// Two sequences of rows, each in the list's order and the first one with prefixes, as one. O(n), and O(log n) comparisons for
    /// each of the others.
    pub(super) fn merged(
        &self,
        rows: &Evaluated,
        others: &Evaluated,
        context: Context<'_, T>,
    ) -> Evaluated {
        let count = rows.slots.len() + others.slots.len();
        let mut all = Evaluated {
            slots: Vec::with_capacity(count),
            keys: Some(Vec::with_capacity(count)),
            sections: Vec::new(),
        };
        let places = SourcePlaces::for_rows(others.slots.len(), context);
        let (mut rows, mut others) = (rows.by_section().peekable(), others.by_section().peekable());
        loop {
            let first = match (rows.peek(), others.peek()) {
                (None, None) => break,
                (Some(_), None) => Ordering::Less,
                (None, Some(_)) => Ordering::Greater,
                (Some(one), Some(two)) => match (self.query.grouping(), one.section, two.section) {
                    (Some(group), Some(one), Some(two)) => group.compare(one, two),
                    _ => Ordering::Equal,
                },
            };
            let these = rows.next_if(|_| first.is_le()).unwrap_or_default();
            let those = others.next_if(|_| first.is_ge()).unwrap_or_default();
            self.merge_section(&mut all, these, those, &places, context);
            if let Some(section) = these.section.or(those.section) {
                let rows = these.slots.len() + those.slots.len();
                all.sections.push((section.clone(), rows));
            }
        }
        if self.query.sorting().is_none() {
            all.keys = None;
        }
        all
    }

    /// The same for the rows of one section.
    fn merge_section(
        &self,
        all: &mut Evaluated,
        rows: SectionRows<'_>,
        others: SectionRows<'_>,
        places: &SourcePlaces,
        context: Context<'_, T>,
    ) {
        let keys = all.keys.get_or_insert_default();
        let is_decided = self.query.sorting().is_none_or(Sort::is_decided_by_prefix);
        let mut from = 0;
        for (at, slot) in others.slots.iter().enumerate() {
            let key = others.keys.get(at).copied().unwrap_or(0);
            let comes_before = |at: usize| {
                let row = rows.slots[at];
                let source = || places.order(row, *slot, context.source);
                let in_tie = || {
                    if is_decided {
                        return source().is_lt();
                    }
                    let item = context.items.get(*slot);
                    item.is_some_and(|item| {
                        self.comes_before_by(row, (*slot, item), source, context)
                    })
                };
                rows.keys[at] < key || rows.keys[at] == key && in_tie()
            };
            let to = first_not(from, rows.slots.len(), comes_before);
            all.slots.extend_from_slice(&rows.slots[from..to]);
            keys.extend_from_slice(&rows.keys[from..to]);
            all.slots.push(*slot);
            keys.push(key);
            from = to;
        }
        all.slots.extend_from_slice(&rows.slots[from..]);
        keys.extend_from_slice(&rows.keys[from..]);
    }
}

/// The first place from one on for which something does not hold that holds up to there: O(log d) questions where it is d places
/// on (Bentley and Yao 1976).
fn first_not(from: usize, end: usize, mut holds: impl FnMut(usize) -> bool) -> usize {
    let (mut low, mut step) = (from, 1);
    let mut high = loop {
        let at = low + step - 1;
        if at >= end {
            break end;
        }
        if !holds(at) {
            break at;
        }
        low = at + 1;
        step *= 2;
    };
    while low < high {
        let middle = low.midpoint(high);
        match holds(middle) {
            true => low = middle + 1,
            false => high = middle,
        }
    }
    low
}

/// Which of two rows comes first in the source: by a table where it is asked often.
pub(super) struct SourcePlaces(Option<Vec<u32>>);

impl SourcePlaces {
    /// For so many rows to be placed among those that tie with them.
    pub(super) fn for_rows<T: Item>(rows: usize, context: Context<'_, T>) -> Self {
        let worth_a_table = rows > context.source.len() / TABLE_SHARE;
        Self(worth_a_table.then(|| {
            let mut places = vec![0; context.items.used()];
            for (slot, place) in context.source.chunks().flatten().zip(0..) {
                places[slot.index()] = place;
            }
            places
        }))
    }

    pub(super) fn order(&self, one: Slot, two: Slot, source: &RowTree) -> Ordering {
        self.of(one, source).cmp(&self.of(two, source))
    }

    fn of(&self, slot: Slot, source: &RowTree) -> u32 {
        match &self.0 {
            Some(places) => places[slot.index()],
            None => source.position(slot).unwrap_or(0) as u32,
        }
    }
}

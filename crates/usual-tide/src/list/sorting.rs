//! Putting rows into the order of a sort.
//!
//! What does not depend on the type of item is in functions of its own: a closure within code for any item type is compiled again
//! for each, and so is all that it is given to.

use super::cached_order::CachedOrder;
use super::evaluate::Evaluated;
use super::merge_sort::merge_sort;
use super::state::Context;
use crate::item::Item;
use crate::order::Slot;
use crate::parts::in_parts;
use crate::query::{Refinement, Sort};
use std::sync::Arc;

/// Ties in a prefix from this many rows on are broken by the next bytes before items are compared.
pub(super) const WORTH_REFINING: usize = if cfg!(any(test, fuzzing)) { 3 } else { 16 };

/// Bytes past which text that still ties is compared as a whole.
pub(super) const MOST_REFINED_BYTES: usize = if cfg!(any(test, fuzzing)) { 16 } else { 64 };

/// From so many rows on it is worth a look at some of them, what tells them apart.
const WORTH_SAMPLING: usize = if cfg!(any(test, fuzzing)) { 4 } else { 1024 };

/// A row that is being sorted.
#[derive(Clone, Copy)]
pub(super) struct Keyed {
    pub(super) key: u64,
    /// Its place in source order, which breaks ties.
    pub(super) source: u32,
    pub(super) slot: Slot,
}

impl Keyed {
    pub(super) fn ties(&self, other: &Self) -> bool {
        self.key == other.key
    }

    pub(super) fn keys(rows: &[Self]) -> Vec<u64> {
        rows.iter().map(|row| row.key).collect()
    }

    pub(super) fn slots(rows: &[Self]) -> Vec<Slot> {
        rows.iter().map(|row| row.slot).collect()
    }
}

/// Sorts rows that are in source order. Prefixes first, then, where many tie, the next bytes, then
/// whole items.
pub(super) fn sorted<T: Item>(
    slots: &[Slot],
    sort: &Sort<T>,
    context: Context<'_, T>,
) -> Evaluated {
    if let Some(kept) = CachedOrder::of(sort, context) {
        return kept.sorted(slots);
    }
    let item = |slot| context.items.get(slot);
    if let Some(rows) = sorted_by_more(slots, sort, context) {
        return rows;
    }
    let keyed = |source: usize| Keyed {
        key: item(slots[source]).map_or(0, |item| sort.prefix(item)),
        source: source as u32,
        slot: slots[source],
    };
    let parts = in_parts(slots.len(), |part| {
        let mut rows: Vec<Keyed> = part.map(keyed).collect();
        sort_keyed(&mut rows);
        rows
    });
    without_ties(joined(parts, merge_keyed), sort, context)
}

/// The same for text that often ties in the prefix: an item is read once for the prefix and the bytes after it, since to read it
/// again later costs more than to sort. `None` where these bytes say little, or there are none.
fn sorted_by_more<T: Item>(
    slots: &[Slot],
    sort: &Sort<T>,
    context: Context<'_, T>,
) -> Option<Evaluated> {
    let refinement = sort.refinement()?;
    if !more_bytes_tell(slots, sort, context) {
        return None;
    }
    let keyed = |source: usize| {
        let item = context.items.get(slots[source])?;
        let (prefix, next) = (sort.prefix(item), refinement.next_bytes(item)?);
        Some((prefix, next, source as u32, slots[source]))
    };
    let parts = in_parts(slots.len(), |part| {
        let mut rows = part.map(keyed).collect::<Option<Vec<_>>>()?;
        sort_twice_keyed(&mut rows);
        Some(rows)
    });
    let parts = parts.into_iter().collect::<Option<Vec<_>>>()?;
    let rows = joined(parts, merge_twice_keyed);
    Some(without_more_ties(rows, &refinement, context))
}

/// Sorts rows that are in source order and whose items were read before.
pub(super) fn sorted_keyed<T: Item>(
    rows: &[Keyed],
    sort: &Sort<T>,
    context: Context<'_, T>,
) -> Evaluated {
    without_ties(in_key_order(rows), sort, context)
}

fn in_key_order(rows: &[Keyed]) -> Vec<Keyed> {
    let parts = in_parts(rows.len(), |part| {
        let mut rows = rows[part].to_vec();
        sort_keyed(&mut rows);
        rows
    });
    joined(parts, merge_keyed)
}

/// The same with the bytes after the prefixes.
pub(super) fn sorted_twice_keyed<T: Item>(
    rows: &[TwiceKeyed],
    refinement: &Refinement<'_, T>,
    context: Context<'_, T>,
) -> Evaluated {
    without_more_ties(in_order_of_both(rows), refinement, context)
}

fn in_order_of_both(rows: &[TwiceKeyed]) -> Vec<TwiceKeyed> {
    let parts = in_parts(rows.len(), |part| {
        let mut rows = rows[part].to_vec();
        sort_twice_keyed(&mut rows);
        rows
    });
    joined(parts, merge_twice_keyed)
}

/// Rows that are in order but for those that tie in the prefix, in order.
fn without_ties<T: Item>(
    mut rows: Vec<Keyed>,
    sort: &Sort<T>,
    context: Context<'_, T>,
) -> Evaluated {
    let item = |slot| context.items.get(slot);
    let keys = Keyed::keys(&rows);
    if let Some(refinement) = sort.refinement() {
        for ties in rows.chunk_by_mut(Keyed::ties) {
            break_ties(ties, &refinement, &item);
        }
    }
    Evaluated {
        slots: Keyed::slots(&rows),
        keys: Some(keys),
        sections: Vec::new(),
    }
}

/// The same for those that tie in the bytes after the prefix as well.
fn without_more_ties<T: Item>(
    mut rows: Vec<TwiceKeyed>,
    refinement: &Refinement<'_, T>,
    context: Context<'_, T>,
) -> Evaluated {
    let item = |slot| context.items.get(slot);
    let keys = prefixes(&rows);
    let mut tied = Vec::new();
    for ties in rows.chunk_by_mut(tie_in_both) {
        if ties.len() < 2 {
            continue;
        }
        tied.clear();
        for (key, _, source, slot) in &*ties {
            tied.push(Keyed {
                key: *key,
                source: *source,
                slot: *slot,
            });
        }
        let refinement = refinement.after_bytes(item(tied[0].slot));
        break_ties(&mut tied, &refinement, &item);
        for (row, sorted) in ties.iter_mut().zip(&tied) {
            row.3 = sorted.slot;
        }
    }
    Evaluated {
        slots: slots_of(&rows),
        keys: Some(keys),
        sections: Vec::new(),
    }
}

/// One sorted sequence of several.
fn joined<R>(parts: Vec<Vec<R>>, merge: fn(&mut [R])) -> Vec<R> {
    let mut parts = parts.into_iter();
    let mut rows = parts.next().unwrap_or_default();
    if parts.len() > 0 {
        rows.extend(parts.flatten());
        merge(&mut rows);
    }
    rows
}

/// Sorts by key, then by the position in the source. Compiled once, as those below.
pub(super) fn sort_keyed(rows: &mut [Keyed]) {
    rows.sort_unstable_by_key(|row| (row.key, row.source));
}

/// The same for rows in few parts that are sorted: a stable sort finds what is in order already, and merges it.
fn merge_keyed(rows: &mut [Keyed]) {
    rows.sort_by_key(|row| (row.key, row.source));
}

/// A row with its prefix and the bytes after it.
pub(super) type TwiceKeyed = (u64, u64, u32, Slot);

fn prefixes(rows: &[TwiceKeyed]) -> Vec<u64> {
    rows.iter().map(|(prefix, ..)| *prefix).collect()
}

fn slots_of(rows: &[TwiceKeyed]) -> Vec<Slot> {
    rows.iter().map(|(.., slot)| *slot).collect()
}

fn tie_in_both(one: &TwiceKeyed, two: &TwiceKeyed) -> bool {
    (one.0, one.1) == (two.0, two.1)
}

fn sort_twice_keyed(rows: &mut [TwiceKeyed]) {
    rows.sort_unstable_by_key(|(key, next, source, _)| (*key, *next, *source));
}

fn merge_twice_keyed(rows: &mut [TwiceKeyed]) {
    rows.sort_by_key(|(key, next, source, _)| (*key, *next, *source));
}

/// Whether the bytes after the prefix tell many rows apart that it does not: asked of some here and there, twice the square
/// root of all. If each row ties with one in the whole list, two pairs that tie are expected among so many.
pub(super) fn more_bytes_tell<T: Item>(
    slots: &[Slot],
    sort: &Sort<T>,
    context: Context<'_, T>,
) -> bool {
    let Some(refinement) = sort.refinement().filter(|_| slots.len() >= WORTH_SAMPLING) else {
        return false;
    };
    let step = slots.len().isqrt().div_ceil(2);
    let mut sample = Vec::new();
    for slot in slots.iter().step_by(step) {
        let item = context.items.get(*slot);
        let next = item.and_then(|item| Some((sort.prefix(item), refinement.next_bytes(item)?)));
        let Some(bytes) = next else { return false };
        sample.push(bytes);
    }
    second_tells(sample)
}

/// Whether the second numbers tell apart what the first do not.
fn second_tells(mut sample: Vec<(u64, u64)>) -> bool {
    sample.sort_unstable();
    sample.dedup();
    let told_apart = sample.len();
    sample.dedup_by_key(|bytes| bytes.0);
    told_apart > sample.len()
}

/// Sorts rows that tie so far and are in source order.
pub(super) fn break_ties<'a, T: Item>(
    ties: &mut [Keyed],
    refinement: &Refinement<'_, T>,
    item: &dyn Fn(Slot) -> Option<&'a Arc<T>>,
) {
    if ties.len() < 2 {
        return;
    }
    if ties.len() >= WORTH_REFINING {
        let refinement = &refinement.of_item(item(ties[0].slot));
        // Where a key has few values, all rows soon have the same one: then the next key is as good as a first one.
        if refinement.known_bytes().is_some() && all_tie(ties, refinement, item) {
            if let Some(next) = refinement.next_level() {
                break_ties(ties, &next, item);
            }
            return;
        }
        let is_worth = refinement
            .known_bytes()
            .is_none_or(|known| known < MOST_REFINED_BYTES);
        let refined = is_worth
            && ties.iter_mut().all(|row| {
                let bytes = item(row.slot).and_then(|item| refinement.next_bytes(item));
                bytes.map(|key| row.key = key).is_some()
            });
        if refined {
            sort_keyed(ties);
            for ties in ties.chunk_by_mut(Keyed::ties) {
                if ties.len() > 1 {
                    let refinement = refinement.after_bytes(item(ties[0].slot));
                    break_ties(ties, &refinement, item);
                }
            }
            return;
        }
    }
    merge_sort(ties, |one, two| {
        let by_keys = match (item(one.slot), item(two.slot)) {
            (Some(one), Some(two)) => refinement.compare(one, two),
            _ => std::cmp::Ordering::Equal,
        };
        by_keys.then(one.source.cmp(&two.source)).is_gt()
    });
}

fn all_tie<'a, T: Item>(
    rows: &[Keyed],
    refinement: &Refinement<'_, T>,
    item: &dyn Fn(Slot) -> Option<&'a Arc<T>>,
) -> bool {
    let Some(first) = item(rows[0].slot) else {
        return false;
    };
    rows.iter().all(|row| {
        let other = item(row.slot);
        other.is_some_and(|other| refinement.ties(first, other))
    })
}

//! Which rows a query shows.

use super::bits::Bits;
use super::cached_search::CachedSearch;
use super::state::{Context, ListState};
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use crate::query::{Query, Scope};
use std::ops::Range;

impl<T: Item> ListState<T> {
    /// For each item, in source order, whether the filter lets it pass or it is held.
    pub(super) fn hits(&self, query: &Query<T>, context: Context<'_, T>) -> Vec<bool> {
        let wider = query.scope(&self.query) == Scope::Wider;
        let matches = |slot: Slot| {
            let item = context.items.get(slot);
            item.is_some_and(|item| query.matches(item))
        };
        let apart = |slot: Slot, matches: bool| {
            !context.is_concealed(slot) && (self.held.contains_key(&slot) || matches)
        };
        let found = CachedSearch::of(query, context).map(|kept| kept.all());
        let parts = if let Some(found) = found {
            let passes = |slot: Slot| {
                let item = context.items.get(slot);
                item.is_some_and(|item| query.passes_filter(item))
            };
            walk_in_parts(context, |slot| {
                apart(slot, found.has(slot.index()) && passes(slot))
            })
        } else if !wider && self.held.is_empty() && context.concealed.is_empty() {
            // As a rule the filter alone decides, which is worth a loop of its own.
            walk_in_parts(context, matches)
        } else {
            // One letter less in a search asks only the rows that did not match.
            let matches = |slot| wider && self.rows.contains(slot) || matches(slot);
            walk_in_parts(context, |slot| apart(slot, matches(slot)))
        };
        parts.concat()
    }

    /// The same by slot.
    pub(super) fn hits_by_slot(&self, query: &Query<T>, context: Context<'_, T>) -> Bits {
        let mut by_slot = Bits::new(context.items.used());
        if !query.has_filter() && context.concealed.is_empty() {
            for slot in context.source.chunks().flatten() {
                by_slot.set(slot.index());
            }
            return by_slot;
        }
        let hits = self.hits(query, context);
        let mut hits = hits.as_slice();
        for slots in context.source.chunks() {
            let (these, others) = hits.split_at(slots.len());
            for (slot, hit) in slots.iter().zip(these) {
                if *hit {
                    by_slot.set(slot.index());
                }
            }
            hits = others;
        }
        by_slot
    }
}

/// Tests every item, in source order, in parts.
fn walk_in_parts<T: Item>(
    context: Context<'_, T>,
    hit: impl Fn(Slot) -> bool + Sync,
) -> Vec<Vec<bool>> {
    in_parts(context.source.len(), |part| {
        ask_each(context.source, part, &hit)
    })
}

/// Asks something of each row of a part, leaf by leaf.
pub(super) fn ask_each(
    rows: &RowTree,
    part: Range<usize>,
    ask: impl Fn(Slot) -> bool,
) -> Vec<bool> {
    let mut answers = Vec::with_capacity(part.len());
    for slots in rows.chunks_in(part) {
        for slot in slots {
            answers.push(ask(*slot));
        }
    }
    answers
}

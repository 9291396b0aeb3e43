//! Another query for a list that is in use, and rows that are held.

use super::evaluate::{Evaluated, evaluate, sorted};
use super::log::Entry;
use super::state::{Context, ListState};
use super::undo::Undo;
use crate::change::{Alignment, RowBlock, RowRun, Rows};
use crate::item::{Item, Snapshot};
use crate::order::{RowTree, Slot};
use crate::query::Query;
use std::sync::Arc;

/// Above this share of rows (one in so many) the rows are laid anew instead of one run at a time.
const REBUILD_SHARE: usize = 64;

impl<T: Item> ListState<T> {
    /// Shows what another query yields. Feeds see it as one minimal change.
    ///
    /// O(n) for another filter, O(n log n) for another sort, O(1) for another window. User code runs
    /// before anything changes.
    pub(crate) fn requery(&mut self, query: Query<T>, context: Context<'_, T>) {
        let change = if query.same_rows(&self.query) {
            None
        } else if query.same_order(&self.query) {
            self.refilter(&query, context)
        } else {
            Some(self.reorder(&query, context))
        };
        let before = self.window();
        let old = std::mem::replace(&mut self.query, query);
        self.undo.push(Undo::Requeried(Box::new(old)));
        if let Some(change) = change {
            self.note(Entry::Rows(Arc::new(change)));
        }
        if before != self.window() {
            let rows = self.rows.len();
            self.note(Entry::Window { rows, before });
        }
    }

    /// Holds a row: it keeps its place, whatever its item becomes. `false` when it is not in the list.
    pub(crate) fn hold(&mut self, slot: Slot, context: Context<'_, T>) -> bool {
        let (true, Some(item)) = (self.rows.contains(slot), context.items.get(slot)) else {
            return false;
        };
        if !self.held.contains_key(&slot) {
            self.undo.push(Undo::Held(self.held.clone()));
            self.held.insert(slot, Arc::clone(item));
        }
        true
    }

    /// Lets go of a row, which goes where it belongs.
    pub(crate) fn release(&mut self, slot: Slot, context: Context<'_, T>) {
        if !self.held.contains_key(&slot) {
            return;
        }
        self.undo.push(Undo::Held(self.held.clone()));
        let placed_by = self.held.remove(&slot);
        if let (Some(item), Some(placed_by)) = (context.items.get(slot), placed_by) {
            self.settle(slot, item, &placed_by, context);
        }
    }

    /// The rows that the new filter hides and shows, in the order that the list has.
    fn refilter(&mut self, query: &Query<T>, context: Context<'_, T>) -> Option<Alignment<T>> {
        let hits = self.hits(query, context);
        let (plan, arriving) = match query.sorting() {
            None => self.plan_by_source(&hits, context),
            Some(sort) => {
                let new = self.rows_to_show(&hits, context);
                let arriving = sorted(new, sort, |slot| context.items.get(slot));
                (self.plan_by_search(&hits, &arriving, context), arriving)
            }
        };
        if plan.leaving.is_empty() && arriving.slots.is_empty() {
            return None;
        }
        let block = |slots: &[Slot]| {
            let slots = slots.to_vec();
            let len = slots.len();
            let items = context.items.snapshot();
            Rows::block(Arc::new(Shown { slots, items }), len)
        };
        let (gone, new) = (block(&plan.leaving), block(&arriving.slots));
        let rows_after = self.rows.len() - plan.leaving.len() + arriving.slots.len();
        let mut change = Alignment::empty(self.rows.len(), rows_after);
        for part in &plan.parts {
            match *part {
                Part::Stays { at, len } => change.push_kept(at, len),
                Part::Leaves { at, first, len } => change.removed.push(RowRun {
                    at,
                    rows: gone.slice(first, len),
                }),
                Part::Arrives { first, len } => change.push_new(new.slice(first, len)),
            }
        }
        self.carry_out(&plan, &arriving);
        Some(change)
    }

    /// Which items the filter lets pass, by slot.
    fn hits(&self, query: &Query<T>, context: Context<'_, T>) -> Bits {
        let mut hits = Bits::new(context.items.used());
        for slot in context.source.chunks().flatten() {
            let item = context.items.get(*slot);
            if item.is_some_and(|item| query.matches(item)) {
                hits.set(slot.index());
            }
        }
        for slot in self.held.keys() {
            hits.set(slot.index());
        }
        hits
    }

    fn rows_to_show(&self, hits: &Bits, context: Context<'_, T>) -> Vec<Slot> {
        let source = context.source.chunks().flatten().copied();
        source
            .filter(|slot| hits.has(slot.index()) && !self.rows.contains(*slot))
            .collect()
    }

    /// The plan for a list in source order: both states are read off one walk over the source.
    fn plan_by_source(&self, hits: &Bits, context: Context<'_, T>) -> (Plan, Evaluated) {
        let mut plan = Plan::default();
        let mut slots = Vec::new();
        let mut at = 0;
        for slot in context.source.chunks().flatten() {
            match (self.rows.contains(*slot), hits.has(slot.index())) {
                (false, false) => {}
                (false, true) => {
                    plan.arrive(slots.len());
                    slots.push(*slot);
                }
                (true, hit) => {
                    plan.keep_or_leave(at, *slot, hit);
                    at += 1;
                }
            }
        }
        (plan, Evaluated { slots, keys: None })
    }

    /// The plan for a sorted list: each arriving row is looked up among the rows there are.
    fn plan_by_search(&self, hits: &Bits, arriving: &Evaluated, context: Context<'_, T>) -> Plan {
        let keys = arriving.keys.as_deref().unwrap_or(&[]);
        let mut places = arriving.slots.iter().zip(keys).map(|(slot, key)| {
            let source = context.source.position(*slot).unwrap_or(0);
            let place = self.rows.lower_bound(*key, |row| {
                let item = context.items.get(*slot);
                item.is_some_and(|item| self.comes_before(row, item, source, context))
            });
            self.rows.position_at(place)
        });
        let mut plan = Plan::default();
        let mut next = places.next();
        let mut arrived = 0;
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            while next.is_some_and(|place| place <= at) {
                plan.arrive(arrived);
                arrived += 1;
                next = places.next();
            }
            plan.keep_or_leave(at, *slot, hits.has(slot.index()));
        }
        for first in arrived..arriving.slots.len() {
            plan.arrive(first);
        }
        plan
    }

    fn carry_out(&mut self, plan: &Plan, arriving: &Evaluated) {
        let rows_after = self.rows.len() - plan.leaving.len() + arriving.slots.len();
        if plan.parts.len() > (self.rows.len() + rows_after) / REBUILD_SHARE {
            self.rebuild(plan, arriving, rows_after);
            return;
        }
        let mut at = 0;
        for part in &plan.parts {
            match *part {
                Part::Stays { len, .. } => at += len,
                Part::Leaves { len, .. } => self.take_out_run(at, len),
                Part::Arrives { first, len } => {
                    let (slots, keys) = arriving.part(first, len);
                    self.rows.insert_run(at, slots, keys);
                    self.undo.push(Undo::InsertedRun { at, len });
                    at += len;
                }
            }
        }
    }

    fn take_out_run(&mut self, at: usize, len: usize) {
        let first = self.rows.cursor(at);
        let mut keys = Vec::new();
        if self.query.sorting().is_some() {
            let rows = self.rows.rows_from(first).take(len);
            keys.extend(rows.map(|slot| self.rows.key_of(slot)));
        }
        let mut slots = Vec::with_capacity(len);
        self.rows.remove_run(at, len, |slot| slots.push(slot));
        self.undo.push(Undo::RemovedRun { at, slots, keys });
    }

    fn rebuild(&mut self, plan: &Plan, arriving: &Evaluated, rows_after: usize) {
        let keyed = self.query.sorting().is_some();
        let mut slots = Vec::with_capacity(rows_after);
        let mut keys = Vec::new();
        let mut old = self.rows.chunks().flatten();
        for part in &plan.parts {
            match *part {
                Part::Stays { len, .. } => {
                    let start = slots.len();
                    slots.extend(old.by_ref().take(len));
                    if keyed {
                        keys.extend(slots[start..].iter().map(|slot| self.rows.key_of(*slot)));
                    }
                }
                Part::Leaves { len, .. } => {
                    old.by_ref().take(len).for_each(drop);
                }
                Part::Arrives { first, len } => {
                    let (new, new_keys) = arriving.part(first, len);
                    slots.extend_from_slice(new);
                    keys.extend_from_slice(new_keys);
                }
            }
        }
        drop(old);
        self.lay_anew(RowTree::build(&slots, keyed.then_some(&keys[..])));
    }

    /// The rows in the order of another sort.
    fn reorder(&mut self, query: &Query<T>, context: Context<'_, T>) -> Alignment<T> {
        let held = |slot| self.held.contains_key(&slot);
        let rows = evaluate(query, context, held);
        let mut from = vec![usize::MAX; context.items.used()];
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            from[slot.index()] = at;
        }
        let mut change = Alignment::empty(self.rows.len(), rows.slots.len());
        let item = |slot: Slot| context.items.get(slot).cloned();
        let mut stays = Bits::new(self.rows.len());
        for slot in &rows.slots {
            match from[slot.index()] {
                usize::MAX => {
                    if let Some(item) = item(*slot) {
                        change.push_new(Rows::one(item));
                    }
                }
                at => {
                    change.push_kept(at, 1);
                    stays.set(at);
                }
            }
        }
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            if let (false, Some(item)) = (stays.has(at), item(*slot)) {
                let rows = Rows::one(item);
                change.removed.push(RowRun { at, rows });
            }
        }
        // A held row is placed by its item of now, in the new order.
        if !self.held.is_empty() {
            self.undo.push(Undo::Held(self.held.clone()));
            for (slot, placed_by) in &mut self.held {
                if let Some(item) = context.items.get(*slot) {
                    *placed_by = Arc::clone(item);
                }
            }
        }
        self.lay_anew(RowTree::build(&rows.slots, rows.keys.as_deref()));
        change
    }

    pub(super) fn lay_anew(&mut self, rows: RowTree) {
        let old = std::mem::replace(&mut self.rows, rows);
        self.undo.push(Undo::Rebuilt(Box::new(old)));
    }
}

/// How the rows before become the rows after, in runs.
#[derive(Default)]
struct Plan {
    parts: Vec<Part>,
    /// The rows that leave, in order.
    leaving: Vec<Slot>,
}

/// A run of rows: `at` is its position before, `first` its place among those that leave or arrive.
enum Part {
    Stays { at: usize, len: usize },
    Leaves { at: usize, first: usize, len: usize },
    Arrives { first: usize, len: usize },
}

impl Plan {
    fn keep_or_leave(&mut self, at: usize, slot: Slot, keep: bool) {
        if !keep {
            self.leaving.push(slot);
        }
        match self.parts.last_mut() {
            Some(Part::Stays { len, .. }) if keep => *len += 1,
            Some(Part::Leaves { len, .. }) if !keep => *len += 1,
            _ if keep => self.parts.push(Part::Stays { at, len: 1 }),
            _ => self.parts.push(Part::Leaves {
                at,
                first: self.leaving.len() - 1,
                len: 1,
            }),
        }
    }

    fn arrive(&mut self, first: usize) {
        match self.parts.last_mut() {
            Some(Part::Arrives { len, .. }) => *len += 1,
            _ => self.parts.push(Part::Arrives { first, len: 1 }),
        }
    }
}

impl Evaluated {
    fn part(&self, first: usize, len: usize) -> (&[Slot], &[u64]) {
        let keys = self.keys.as_deref().unwrap_or(&[]);
        (
            &self.slots[first..first + len],
            keys.get(first..first + len).unwrap_or(&[]),
        )
    }
}

/// Rows of a change with the items that they had.
struct Shown<T> {
    slots: Vec<Slot>,
    items: Snapshot<T>,
}

impl<T: Send + Sync> RowBlock<T> for Shown<T> {
    fn item(&self, index: usize) -> Option<&Arc<T>> {
        self.items.get(*self.slots.get(index)?)
    }
}

/// A set of small numbers.
struct Bits(Vec<u64>);

impl Bits {
    fn new(below: usize) -> Self {
        Self(vec![0; below.div_ceil(64)])
    }

    fn set(&mut self, number: usize) {
        if let Some(word) = self.0.get_mut(number / 64) {
            *word |= 1 << (number % 64);
        }
    }

    fn has(&self, number: usize) -> bool {
        self.0
            .get(number / 64)
            .is_some_and(|word| word >> (number % 64) & 1 == 1)
    }
}

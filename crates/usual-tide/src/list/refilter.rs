//! Another filter for a list whose order stays.

use super::bits::Bits;
use super::cached_search::CachedSearch;
use super::evaluate::{Evaluated, grouped};
use super::grouping::Deltas;
use super::plan::{Part, Plan, RowItems};
use super::rollback_step::RollbackStep;
use super::sorting::sorted;
use super::state::{Context, ListState};
use crate::change::{Alignment, RowRun, Rows};
use crate::item::{Item, Snapshot};
use crate::order::{RowTree, Slot};
use crate::parts::{in_parts, rows_in_parts};
use crate::query::{Query, Scope, Sort};
use std::cmp::Ordering;
use std::ops::Range;
use std::sync::Arc;

/// Above this share of rows (one in so many) the rows are rebuilt instead of one run at a time.
const REBUILD_SHARE: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };

/// From so many rows that arrive for each that there is, all are sorted again: where prefixes decide, and where items are read.
const SORT_ALL_SHARE: (usize, usize) = (2, 1);

/// From one row that arrives for so many that there are, both are walked side by side.
const SIDE_BY_SIDE_SHARE: usize = 4;

/// The rows that arrive, in the list's order, with their prefixes in a sorted list.
struct Arriving<T> {
    shown: Arc<RowItems<T>>,
    keys: Vec<u64>,
}

impl<T: Item> ListState<T> {
    /// Hides and shows rows as another filter wants it. O(n), and O(log n) comparisons for each row
    /// that arrives in a sorted list. User code runs before anything changes.
    pub(super) fn refilter(
        &mut self,
        query: &Query<T>,
        context: Context<'_, T>,
    ) -> Option<(Alignment<T>, Option<Deltas>)> {
        let shown = |slots: Vec<Slot>| {
            let items = match slots.is_empty() {
                true => Snapshot::empty(),
                false => context.items.snapshot(),
            };
            Arc::new(RowItems { slots, items })
        };
        let narrower = query.scope(&self.query) == Scope::Narrower;
        let (mut plan, slots, keys) = match query.order() {
            _ if narrower => (self.plan_narrower(query, context), Vec::new(), Vec::new()),
            None => {
                let hits = self.hits(query, context);
                let (plan, slots) = Plan::of_source(context.source, &self.rows, &hits);
                (plan, slots, Vec::new())
            }
            Some(sort) => {
                let hits = self.hits_by_slot(query, context);
                let ordered = |slots: Vec<Slot>| match query.grouping() {
                    Some(group) => grouped(&slots, group, query.sorting(), context),
                    None => sorted(&slots, sort, context),
                };
                let new = self.rows_to_show(&hits, context);
                // Where many come back it costs less to sort all rows again than to look for the place of each.
                let is_decided = query.sorting().is_none_or(Sort::is_decided_by_prefix);
                let share = match is_decided {
                    true => SORT_ALL_SHARE.0,
                    false => SORT_ALL_SHARE.1,
                };
                let sorts_all = new.len() >= self.rows.len() * share && self.held.is_empty();
                let all = sorts_all.then(|| {
                    let source = context.source.chunks().flatten().copied();
                    ordered(source.filter(|slot| hits.has(slot.index())).collect())
                });
                match all.and_then(|all| self.plan_by_order(&hits, &all)) {
                    Some(planned) => planned,
                    None => {
                        let rows = ordered(new);
                        let plan = self.plan_by_search(&hits, &rows, context);
                        (plan, rows.slots, rows.keys.unwrap_or_default())
                    }
                }
            }
        };
        if plan.leaving.is_empty() && slots.is_empty() {
            return None;
        }
        let leaving = shown(std::mem::take(&mut plan.leaving));
        let arriving = Arriving {
            shown: shown(slots),
            keys,
        };
        let change = self.describe(&plan, &leaving, &arriving);
        let deltas = self.deltas_of(&change);
        self.apply_plan(&plan, &leaving, &arriving, change.after);
        Some((change, deltas))
    }

    fn describe(
        &self,
        plan: &Plan,
        leaving: &Arc<RowItems<T>>,
        arriving: &Arriving<T>,
    ) -> Alignment<T> {
        let block = |shown: &Arc<RowItems<T>>| Rows::block(shown.clone(), shown.slots.len());
        let (gone, new) = (block(leaving), block(&arriving.shown));
        let rows_after = self.rows.len() - gone.len() + new.len();
        let mut change = Alignment::empty(self.rows.len(), rows_after);
        for part in &plan.parts {
            match *part {
                Part::Stays { at, len } => change.push_kept(at, len),
                Part::Leaves { at, first, len } => change.removed.push(RowRun {
                    at,
                    rows: gone.slice(first, len),
                }),
                Part::Arrives { first, len } => change.push_new_part(&new, first, len),
            }
        }
        change
    }

    /// The plan when no row can arrive: one letter more in a search asks only the rows that matched.
    fn plan_narrower(&self, query: &Query<T>, context: Context<'_, T>) -> Plan {
        let kept = CachedSearch::of(query, context);
        if let (Some(kept), Some(near)) = (&kept, self.row_text()) {
            let found = kept.among(near, &self.rows);
            let rows = self.rows.chunks().flatten().enumerate();
            let stays = rows.map(|(at, slot)| found.has(at) || self.held.contains_key(slot));
            return Plan::of_rows(&self.rows, &stays.collect::<Vec<bool>>());
        }
        let all = kept.as_ref().and_then(|kept| kept.all_for(self.rows.len()));
        let matches = |slot: Slot| match (&all, &kept) {
            (Some(all), _) => all.has(slot.index()),
            (None, Some(kept)) => kept.holds(slot),
            (None, None) => {
                let item = context.items.get(slot);
                item.is_some_and(|item| query.matches(item))
            }
        };
        let stays = rows_in_parts(self.rows.len(), |part| -> Vec<bool> {
            let stays = |slot| self.held.contains_key(&slot) || matches(slot);
            ask_each(&self.rows, part, stays)
        });
        Plan::of_rows(&self.rows, &stays.concat())
    }

    /// For each item, in source order, whether the filter lets it pass or it is held.
    fn hits(&self, query: &Query<T>, context: Context<'_, T>) -> Vec<bool> {
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
    fn hits_by_slot(&self, query: &Query<T>, context: Context<'_, T>) -> Bits {
        let mut by_slot = Bits::new(context.items.used());
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

    fn rows_to_show(&self, hits: &Bits, context: Context<'_, T>) -> Vec<Slot> {
        let source = context.source.chunks().flatten().copied();
        source
            .filter(|slot| hits.has(slot.index()) && !self.rows.contains(*slot))
            .collect()
    }

    /// The plan for a sorted list from all its rows in their new order, with the rows that arrive and their prefixes.
    /// `None` where those that stay are in another order than before, as the comparisons of an app can have it.
    fn plan_by_order(&self, hits: &Bits, all: &Evaluated) -> Option<(Plan, Vec<Slot>, Vec<u64>)> {
        let mut plan = Plan::default();
        let (mut slots, mut keys) = (Vec::new(), Vec::new());
        let mut before = self.rows.chunks().flatten().enumerate().peekable();
        for (index, slot) in all.slots.iter().enumerate() {
            // What leaves here goes before anything arrives, since it may belong behind what does.
            while let Some((at, row)) = before.next_if(|(_, row)| !hits.has(row.index())) {
                plan.keep_or_leave(at, *row, false);
            }
            if !self.rows.contains(*slot) {
                plan.arrive(slots.len());
                slots.push(*slot);
                keys.extend(all.keys.as_ref().map(|keys| keys[index]));
                continue;
            }
            let (at, row) = before.next_if(|(_, row)| *row == slot)?;
            plan.keep_or_leave(at, *row, true);
        }
        for (at, row) in before {
            plan.keep_or_leave(at, *row, false);
        }
        Some((plan, slots, keys))
    }

    /// The plan for a sorted list: each arriving row is looked up among the rows there are.
    fn plan_by_search(&self, hits: &Bits, arriving: &Evaluated, context: Context<'_, T>) -> Plan {
        let runs = self.runs_of(&arriving.sections);
        let runs: Vec<Range<usize>> = runs.into_iter().flatten().collect();
        let places_at_source = SourcePlaces::for_rows(arriving.slots.len(), context);
        let is_decided = self.query.sorting().is_none_or(Sort::is_decided_by_prefix);
        let comes_before = |row: Slot, at: usize| {
            let slot = arriving.slots[at];
            let source = || places_at_source.order(row, slot, context.source);
            if is_decided {
                return source().is_lt();
            }
            let item = context.items.get(slot);
            item.is_some_and(|item| self.comes_before_by(row, (slot, item), source, context))
        };
        let key = |at: usize| arriving.keys.as_ref().map_or(0, |keys| keys[at]);
        // Where no item is read a walk along both costs least.
        let side_by_side = is_decided
            && runs.is_empty()
            && arriving.slots.len() >= self.rows.len() / SIDE_BY_SIDE_SHARE;
        let places = if side_by_side {
            let mut rows = self.rows.rows_with_keys(self.rows.cursor(0)).peekable();
            let mut passed = 0;
            let place = |at: usize| {
                let key = key(at);
                let is_before = |(row, other): &(Slot, u64)| {
                    *other < key || *other == key && comes_before(*row, at)
                };
                while rows.next_if(is_before).is_some() {
                    passed += 1;
                }
                passed
            };
            vec![(0..arriving.slots.len()).map(place).collect()]
        } else {
            rows_in_parts(arriving.slots.len(), |part| {
                let mut sweep = self.rows.sweep(part.len());
                let mut places = Vec::with_capacity(part.len());
                let mut next = part.start;
                while next < part.end {
                    let tie = (runs.get(next), key(next));
                    let tied = |at: &usize| (runs.get(*at), key(*at)) == tie;
                    let ties = next..next + (next..part.end).take_while(tied).count();
                    let slot = |at: usize| arriving.slots[ties.start + at];
                    let item = |at| context.items.get(slot(at));
                    let source = |row, at| places_at_source.order(row, slot(at), context.source);
                    match self.places_among_ties(&mut sweep, tie, ties.len(), item, source, context)
                    {
                        Some(found) => places.extend(found.into_iter().map(|row| row.position)),
                        None => places.extend(ties.clone().map(|at| {
                            sweep.lower_bound(runs.get(at), key(at), &mut |row| {
                                comes_before(row, at)
                            });
                            sweep.position()
                        })),
                    }
                    next = ties.end;
                }
                places
            })
        };
        let mut places = places.into_iter().flatten();
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

    fn apply_plan(
        &mut self,
        plan: &Plan,
        leaving: &Arc<RowItems<T>>,
        arriving: &Arriving<T>,
        rows_after: usize,
    ) {
        let many_runs = plan.parts.len() > (self.rows.len() + rows_after) / REBUILD_SHARE;
        let most_leave = leaving.slots.len() > rows_after;
        if many_runs || most_leave {
            self.rebuild(plan, arriving, rows_after);
            return;
        }
        let mut at = 0;
        for part in &plan.parts {
            match *part {
                Part::Stays { len, .. } => at += len,
                Part::Leaves { first, len, .. } => {
                    let mut keys = Vec::new();
                    if self.query.sorting().is_some() {
                        let rows = self.rows.rows_with_keys(self.rows.cursor(at)).take(len);
                        keys.extend(rows.map(|(_, key)| key));
                    }
                    self.rows.remove_run(at, len, |_| ());
                    self.rollback.push(RollbackStep::RemovedRun {
                        at,
                        shown: Arc::clone(leaving),
                        range: first..first + len,
                        keys,
                    });
                }
                Part::Arrives { first, len } => {
                    let (slots, keys) = arriving.part(first, len);
                    self.rows.insert_run(at, slots, keys);
                    self.rollback.push(RollbackStep::InsertedRun { at, len });
                    at += len;
                }
            }
        }
    }

    fn rebuild(&mut self, plan: &Plan, arriving: &Arriving<T>, rows_after: usize) {
        let keyed = self.query.sorting().is_some();
        let mut slots = Vec::with_capacity(rows_after);
        let mut keys = Vec::with_capacity(if keyed { rows_after } else { 0 });
        let mut rows = self.rows.rows_with_keys(self.rows.cursor(0));
        for part in &plan.parts {
            match *part {
                Part::Stays { len, .. } => {
                    for (slot, key) in rows.by_ref().take(len) {
                        slots.push(slot);
                        if keyed {
                            keys.push(key);
                        }
                    }
                }
                Part::Leaves { len, .. } => drop(rows.nth(len - 1)),
                Part::Arrives { first, len } => {
                    let (new, new_keys) = arriving.part(first, len);
                    slots.extend_from_slice(new);
                    keys.extend_from_slice(new_keys);
                }
            }
        }
        drop(rows);
        self.replace_rows(&slots, keyed.then_some(&keys[..]));
    }
}

impl<T> Arriving<T> {
    fn part(&self, first: usize, len: usize) -> (&[Slot], &[u64]) {
        let keys = self.keys.get(first..first + len);
        (&self.shown.slots[first..first + len], keys.unwrap_or(&[]))
    }
}

/// Which of two rows comes first in the source: by a table where it is asked often.
struct SourcePlaces(Option<Vec<u32>>);

impl SourcePlaces {
    /// For so many rows to be placed among those that tie with them.
    fn for_rows<T: Item>(rows: usize, context: Context<'_, T>) -> Self {
        let worth_a_table = rows > context.source.len() / REBUILD_SHARE;
        Self(worth_a_table.then(|| {
            let mut places = vec![0; context.items.used()];
            for (slot, place) in context.source.chunks().flatten().zip(0..) {
                places[slot.index()] = place;
            }
            places
        }))
    }

    fn order(&self, one: Slot, two: Slot, source: &RowTree) -> Ordering {
        match &self.0 {
            Some(places) => places[one.index()].cmp(&places[two.index()]),
            None => source.position(one).cmp(&source.position(two)),
        }
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
fn ask_each(rows: &RowTree, part: Range<usize>, ask: impl Fn(Slot) -> bool) -> Vec<bool> {
    let mut answers = Vec::with_capacity(part.len());
    for slots in rows.chunks_in(part) {
        answers.extend(slots.iter().map(|slot| ask(*slot)));
    }
    answers
}

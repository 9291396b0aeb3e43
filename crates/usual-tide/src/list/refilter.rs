//! Another filter for a list whose order stays.

use super::bits::Bits;
use super::cached_search::CachedSearch;
use super::evaluate::Evaluated;
use super::grouped::in_order;
use super::grouping::Deltas;
use super::hits::ask_each;
use super::merged::{SourcePlaces, rows_that};
use super::plan::{Part, Plan, RowItems};
use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::change::{Alignment, RowRun, Rows};
use crate::item::{Item, SectionKey, Snapshot};
use crate::order::Slot;
use crate::parts::rows_in_parts;
use crate::query::{Query, Scope, Sort};
use std::ops::Range;
use std::sync::Arc;

/// Above this share of rows (one in so many) the rows are rebuilt instead of one run at a time.
const REBUILD_SHARE: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };

/// All are sorted again when at least one row arrives for so many that there are: where prefixes decide, and where items are read.
const SORT_ALL_SHARE: (usize, usize) = (1, 5);

/// Both are merged when at least one row arrives for so many that there are.
const MERGE_SHARE: usize = 4;

/// The rows that arrive, in the list's order, with their prefixes in a sorted list.
struct Arriving<T> {
    shown: Arc<RowItems<T>>,
    keys: Vec<u64>,
}

/// How the rows change, and which arrive.
struct Planned {
    plan: Plan,
    /// The rows that arrive, in the list's order.
    slots: Vec<Slot>,
    /// Their prefixes in a sorted list, unless all rows are known.
    keys: Vec<u64>,
    /// The sections that they arrive in, each with the number of them.
    sections: Vec<(SectionKey, usize)>,
    /// All rows after the change, where they were put in order anyway.
    all: Option<Evaluated>,
}

impl Planned {
    fn of(plan: Plan, slots: Vec<Slot>) -> Self {
        Self {
            plan,
            slots,
            keys: Vec::new(),
            sections: Vec::new(),
            all: None,
        }
    }
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
        let mut planned = match query.order() {
            _ if narrower => Planned::of(self.plan_narrower(query, context), Vec::new()),
            None => {
                let hits = self.hits(query, context);
                let (plan, slots) = Plan::of_source(context.source, &self.rows, &hits);
                Planned::of(plan, slots)
            }
            Some(_) => {
                let hits = self.hits_by_slot(query, context);
                let all = self.all_in_order(query, &hits, context);
                match all.and_then(|all| self.plan_by_order(&hits, all)) {
                    Some(planned) => planned,
                    None => {
                        let rows = self.rows_to_show(&hits, context);
                        let rows = in_order(rows, query, context);
                        let plan = self.plan_by_search(&hits, &rows, context);
                        Planned {
                            keys: rows.keys.unwrap_or_default(),
                            sections: rows.sections,
                            ..Planned::of(plan, rows.slots)
                        }
                    }
                }
            }
        };
        if planned.plan.leaving.is_empty() && planned.slots.is_empty() {
            return None;
        }
        let leaving = shown(std::mem::take(&mut planned.plan.leaving));
        let arriving = Arriving {
            shown: shown(planned.slots),
            keys: planned.keys,
        };
        let change = self.describe(&planned.plan, &leaving, &arriving);
        let deltas = self.deltas_of(&change, &planned.sections);
        match planned.all {
            Some(all) => self.replace_rows(&all.slots, all.keys.as_deref()),
            None => self.apply_plan(&planned.plan, &leaving, &arriving, change.after),
        }
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
        let leaving_runs = plan.leaving_runs();
        change.removed.reserve(leaving_runs);
        change.segments.reserve(plan.part_count() - leaving_runs);
        for part in plan.parts() {
            match part {
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

    /// All hits in the order of a sorted list, where that costs less than to look for the place of each row that arrives.
    fn all_in_order(
        &self,
        query: &Query<T>,
        hits: &Bits,
        context: Context<'_, T>,
    ) -> Option<Evaluated> {
        let again = self.order_again(hits, query, context);
        if again.is_some() {
            return again;
        }
        let rows = self.rows.chunks().flatten();
        let arriving = hits.count() - rows.filter(|slot| hits.has(slot.index())).count();
        let is_decided = query.sorting().is_none_or(Sort::is_decided_by_prefix);
        // Where no item is read a walk along both costs least.
        let merges = is_decided
            && query.grouping().is_none()
            && (self.rows.len() / MERGE_SHARE..self.rows.len()).contains(&arriving);
        if merges {
            let stay = rows_that(&self.rows, None, |slot| hits.has(slot.index()));
            let arriving = in_order(self.rows_to_show(hits, context), query, context);
            return Some(self.merged(&stay, &arriving, context));
        }
        let share = match is_decided {
            true => SORT_ALL_SHARE.0,
            false => SORT_ALL_SHARE.1,
        };
        let sorts_all = arriving >= self.rows.len() / share && self.held.is_empty();
        sorts_all.then(|| {
            let source = context.source.chunks().flatten().copied();
            let slots = source.filter(|slot| hits.has(slot.index())).collect();
            in_order(slots, query, context)
        })
    }

    fn rows_to_show(&self, hits: &Bits, context: Context<'_, T>) -> Vec<Slot> {
        let source = context.source.chunks().flatten().copied();
        source
            .filter(|slot| hits.has(slot.index()) && !self.rows.contains(*slot))
            .collect()
    }

    /// The plan for a sorted list from all its rows in their new order. `None` where those that stay are in another order than
    /// before, as the comparisons of an app can have it.
    fn plan_by_order(&self, hits: &Bits, all: Evaluated) -> Option<Planned> {
        let mut plan = Plan::default();
        let mut slots = Vec::with_capacity(all.slots.len().saturating_sub(self.rows.len()));
        let before: Vec<Slot> = self.rows.chunks().flatten().copied().collect();
        let mut before = &before[..];
        for slot in &all.slots {
            // What leaves here goes before anything arrives, since it may belong behind what does.
            while let [row, others @ ..] = before
                && !hits.has(row.index())
            {
                plan.keep_or_leave(*row, false);
                before = others;
            }
            match before {
                [row, others @ ..] if row == slot => {
                    plan.keep_or_leave(*row, true);
                    before = others;
                }
                _ => {
                    plan.arrive(1);
                    slots.push(*slot);
                }
            }
        }
        for row in before {
            if hits.has(row.index()) {
                return None;
            }
            plan.keep_or_leave(*row, false);
        }
        Some(Planned {
            sections: plan.arriving_in(&all.sections),
            all: Some(all),
            ..Planned::of(plan, slots)
        })
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
        let places = rows_in_parts(arriving.slots.len(), |part| {
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
                match self.places_among_ties(&mut sweep, tie, ties.len(), &item, &source, context) {
                    Some(found) => places.extend(found.into_iter().map(|row| row.position)),
                    None => places.extend(ties.clone().map(|at| {
                        sweep.lower_bound(runs.get(at), key(at), &mut |row| comes_before(row, at));
                        sweep.position()
                    })),
                }
                next = ties.end;
            }
            places
        });
        let mut places = places.into_iter().flatten();
        let mut plan = Plan::default();
        let mut next = places.next();
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            while next.is_some_and(|place| place <= at) {
                plan.arrive(1);
                next = places.next();
            }
            plan.keep_or_leave(*slot, hits.has(slot.index()));
        }
        plan.arrive(usize::from(next.is_some()) + places.count());
        plan
    }

    fn apply_plan(
        &mut self,
        plan: &Plan,
        leaving: &Arc<RowItems<T>>,
        arriving: &Arriving<T>,
        rows_after: usize,
    ) {
        let many_runs = plan.part_count() > (self.rows.len() + rows_after) / REBUILD_SHARE;
        let most_leave = leaving.slots.len() > rows_after;
        if many_runs || most_leave || self.keeps_order_of(self.rows.len(), rows_after) {
            self.rebuild(plan, arriving, rows_after);
            return;
        }
        let mut at = 0;
        for part in plan.parts() {
            match part {
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
        let mut place = self.rows.cursor(0);
        for part in plan.parts() {
            match part {
                Part::Stays { len, .. } => {
                    place = self.rows.copy_rows(place, len, &mut slots, &mut keys);
                }
                Part::Leaves { len, .. } => place = self.rows.place_after(place, len),
                Part::Arrives { first, len } => {
                    let (new, new_keys) = arriving.part(first, len);
                    slots.extend_from_slice(new);
                    keys.extend_from_slice(new_keys);
                }
            }
        }
        self.replace_rows(&slots, keyed.then_some(&keys[..]));
    }
}

impl<T> Arriving<T> {
    fn part(&self, first: usize, len: usize) -> (&[Slot], &[u64]) {
        let keys = self.keys.get(first..first + len);
        (&self.shown.slots[first..first + len], keys.unwrap_or(&[]))
    }
}

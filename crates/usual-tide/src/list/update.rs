//! Bringing a list in step after an edit, by work on the touched rows alone.

use super::grouping::WorkingLayout;
use super::log::Entry;
use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::change::{TouchedRow, align_touched};
use crate::item::Item;
use crate::order::{Cursor, Slot};
use crate::parts::rows_in_parts;
use std::ops::Range;
use std::sync::Arc;

/// How far to look for a neighbour in source order before searching the list instead.
const NEAR: usize = if cfg!(any(test, fuzzing)) { 2 } else { 32 };

/// A row of the store that an edit touched.
pub(crate) struct Touch<'a, T> {
    pub(crate) slot: Slot,
    /// The item when the lists were last in step; none when it was not there.
    pub(crate) before: Option<&'a Arc<T>>,
    /// The item now; none when it is gone.
    pub(crate) after: Option<&'a Arc<T>>,
    /// Whether it was given another place in source order.
    pub(crate) moved: bool,
    /// Whether no list could show it before, whatever its item was.
    pub(crate) anew: bool,
}

/// From this share of rows (one in so many) on, touched at once, all rows are rebuilt.
const REBUILD_SHARE: usize = if cfg!(any(test, fuzzing)) { 3 } else { 12 };

/// From this share of rows on, and from this many, they are merged in leaf by leaf.
const MERGE_SHARE: usize = if cfg!(any(test, fuzzing)) { 6 } else { 1024 };
pub(super) const MERGE_FROM: usize = if cfg!(any(test, fuzzing)) { 3 } else { 64 };

/// What becomes of a touched row in one list.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Effect {
    Arrives,
    Leaves,
    /// It keeps its place among the rows, perhaps with another item.
    Stays,
    /// Its place is looked up again.
    Shifts,
}

impl Effect {
    pub(super) fn removes(self) -> bool {
        matches!(self, Self::Leaves | Self::Shifts)
    }

    pub(super) fn inserts(self) -> bool {
        matches!(self, Self::Arrives | Self::Shifts)
    }
}

/// A touched row that a list shows before or after.
pub(super) struct AffectedRow<'a, T> {
    pub(super) touch: &'a Touch<'a, T>,
    pub(super) effect: Effect,
}

impl<T: Item> ListState<T> {
    /// Brings the list in step. O(k log n) for k touched rows.
    ///
    /// Filters and sorts are user code and may panic; then [`roll_back`](Self::roll_back) gives back
    /// the list as it was.
    pub(crate) fn update(&mut self, touches: &[Touch<'_, T>], context: Context<'_, T>) {
        self.touch_earlier_order(touches);
        self.touch_next_bytes(touches, context);
        match touches {
            [] => {}
            [touch] => self.update_one(touch, context),
            _ => self.update_many(touches, context),
        }
    }

    fn update_one(&mut self, touch: &Touch<'_, T>, context: Context<'_, T>) {
        if let Some(effect) = self.effect(touch) {
            self.apply_effect(touch, effect, context);
        }
    }

    fn apply_effect(&mut self, touch: &Touch<'_, T>, effect: Effect, context: Context<'_, T>) {
        let deltas = self.deltas(&[AffectedRow { touch, effect }]);
        let rows = self.rows.len();
        let from = match effect {
            Effect::Arrives => None,
            Effect::Stays => self.rows.position(touch.slot),
            Effect::Leaves | Effect::Shifts => {
                self.remove_row(touch.slot, effect == Effect::Shifts)
            }
        };
        let to = match effect {
            Effect::Leaves => None,
            Effect::Stays => from,
            Effect::Arrives | Effect::Shifts => {
                let run = self.run_entered(deltas.as_ref(), from);
                self.insert_row(touch, self.key_for(touch), run, context)
            }
        };
        let owned = |at: Option<usize>, item: Option<&Arc<T>>| at.zip(item.cloned());
        let row = TouchedRow {
            before: owned(from, touch.before),
            after: owned(to, touch.after),
        };
        let sectioned = self.update_sections(deltas);
        self.note(Entry::Row { before: rows, row }, sectioned);
    }

    fn update_many(&mut self, touches: &[Touch<'_, T>], context: Context<'_, T>) {
        let rows = self.rows.len();
        let row_effect = |touch| {
            let effect = self.effect(touch)?;
            Some(AffectedRow { touch, effect })
        };
        let affected: Vec<AffectedRow<'_, T>> = rows_in_parts(touches.len(), |part| {
            touches[part]
                .iter()
                .filter_map(row_effect)
                .collect::<Vec<_>>()
        })
        .concat();
        if affected.is_empty() {
            return;
        }
        let deltas = self.deltas(&affected);
        let count = affected.len();
        self.read_next_bytes(&affected, context);
        let touched = if count >= rows / REBUILD_SHARE {
            self.rebuild_with(&affected, context)
        } else if count >= MERGE_FROM && count >= rows / MERGE_SHARE {
            self.merge_with(&affected, context)
        } else {
            self.update_each(&affected, context)
        };
        let alignment = align_touched(rows, self.rows.len(), touched);
        let sectioned = self.update_sections(deltas);
        self.note(Entry::Rows(Arc::new(alignment)), sectioned);
    }

    /// Row by row, all out before the first goes in, so that every search meets rows in order.
    fn update_each<'a>(
        &mut self,
        affected: &[AffectedRow<'a, T>],
        context: Context<'_, T>,
    ) -> Vec<TouchedRow<&'a Arc<T>>> {
        let from: Vec<Option<usize>> = affected
            .iter()
            .map(|row| self.rows.position(row.touch.slot))
            .collect();
        let mut arriving: Vec<(u64, usize)> = affected
            .iter()
            .enumerate()
            .filter(|(_, row)| row.effect.inserts())
            .map(|(index, row)| (self.key_for(row.touch), index))
            .collect();
        // In the list's order, as far as prefixes decide it, so that the accesses that follow are near each other in memory.
        arriving.sort_unstable();
        // The sections as they are while rows go out and in, one by one.
        let mut working = self.layout().cloned().map(WorkingLayout::new);
        for row in affected.iter().filter(|row| row.effect.removes()) {
            let at = self.remove_row(row.touch.slot, row.effect == Effect::Shifts);
            if let (Some(working), Some(at)) = (&mut working, at) {
                working.remove_row(at);
            }
        }
        let mut to = vec![None; affected.len()];
        let mut last = None;
        let mut ascending = affected.iter().all(|row| row.effect != Effect::Stays);
        for (key, index) in arriving {
            let touch = affected[index].touch;
            let run = working.as_mut().and_then(|working| {
                let group = self.query.grouping()?;
                Some(working.insert_row(group, self.placed_by(touch)?))
            });
            to[index] = self.insert_row(touch, key, run, context);
            ascending &= last < to[index];
            last = to[index];
        }
        if !ascending {
            // A row that went in later pushed others down.
            for (row, to) in affected.iter().zip(&mut to) {
                *to = self.rows.position(row.touch.slot);
            }
        }
        let rows = affected.iter().zip(from.into_iter().zip(to));
        rows.map(|(row, (from, to))| touched_row(row.touch, from, to))
            .collect()
    }

    /// Puts a row that was held where its item belongs; `placed_by` is the item that held its place.
    pub(super) fn settle(
        &mut self,
        slot: Slot,
        item: &Arc<T>,
        placed_by: &T,
        context: Context<'_, T>,
    ) {
        let effect = if !self.query.matches(item) {
            Effect::Leaves
        } else if let Some(sort) = self.query.order()
            && sort.compare(placed_by, item).is_ne()
        {
            Effect::Shifts
        } else {
            return;
        };
        let touch = Touch {
            slot,
            before: Some(item),
            after: (effect == Effect::Shifts).then_some(item),
            moved: false,
            anew: false,
        };
        self.apply_effect(&touch, effect, context);
    }

    /// Puts a row in, whether it matches or not.
    pub(super) fn arrive(&mut self, slot: Slot, context: Context<'_, T>) {
        let touch = Touch {
            slot,
            before: None,
            after: context.items.get(slot),
            moved: false,
            anew: false,
        };
        self.apply_effect(&touch, Effect::Arrives, context);
    }

    /// What becomes of a row; `None` when the list never sees it.
    fn effect(&self, touch: &Touch<'_, T>) -> Option<Effect> {
        let was = self.rows.contains(touch.slot);
        let Some(item) = touch.after else {
            return was.then_some(Effect::Leaves);
        };
        let held = self.held.contains_key(&touch.slot);
        match (was, held || self.still_matches(was, touch, item)) {
            (false, false) => None,
            (false, true) => Some(Effect::Arrives),
            (true, false) => Some(Effect::Leaves),
            (true, true) if touch.moved => Some(Effect::Shifts),
            (true, true) => {
                let same_place = held
                    || match (self.query.order(), touch.before) {
                        (Some(sort), Some(before)) => sort.compare(before, item).is_eq(),
                        (None, _) => true,
                        (Some(_), None) => false,
                    };
                Some(if same_place {
                    Effect::Stays
                } else {
                    Effect::Shifts
                })
            }
        }
    }

    /// Whether a row matches now; not asked of the filter when the edit is in none of its fields.
    fn still_matches(&self, was: bool, touch: &Touch<'_, T>, item: &T) -> bool {
        match touch.before {
            Some(before) if !touch.anew && self.query.is_unaffected_by(before, item) => was,
            _ => self.query.matches(item),
        }
    }

    /// Takes a row out; when it is not to come back, nobody holds it any more.
    fn remove_row(&mut self, slot: Slot, shifts: bool) -> Option<usize> {
        if !shifts {
            self.forget_held(slot);
        }
        let (at, key) = self.rows.remove(slot)?;
        self.rollback.push(RollbackStep::Removed { slot, at, key });
        Some(at)
    }

    /// The item by which a touched row gets its place.
    pub(super) fn placed_by<'a>(&'a self, touch: &'a Touch<'a, T>) -> Option<&'a Arc<T>> {
        self.held.get(&touch.slot).or(touch.after)
    }

    /// The prefix of a row that arrives, within its section; 0 in a list without a sort.
    pub(super) fn key_for(&self, touch: &Touch<'_, T>) -> u64 {
        let key = self.query.sorting().zip(self.placed_by(touch));
        key.map_or(0, |(sort, item)| sort.prefix(item))
    }

    /// Puts a row where its item belongs; gives the position.
    /// `run` are the rows of its section.
    fn insert_row(
        &mut self,
        touch: &Touch<'_, T>,
        key: u64,
        run: Option<Range<usize>>,
        context: Context<'_, T>,
    ) -> Option<usize> {
        let slot = touch.slot;
        let item = self.placed_by(touch)?;
        let place = self.place_of(slot, item, key, run, context);
        let at = self.rows.insert_at(place, slot, key);
        self.rollback.push(RollbackStep::Inserted { slot });
        Some(at)
    }

    /// Where a row that is not in the list belongs. O(log n) comparisons.
    fn place_of(
        &self,
        slot: Slot,
        item: &T,
        key: u64,
        run: Option<Range<usize>>,
        context: Context<'_, T>,
    ) -> Cursor {
        if self.query.order().is_none()
            && let Some(place) = self.place_by_neighbour(slot, |_| true, context)
        {
            return place;
        }
        let mut source = None;
        let mut comes_before = |row| {
            let source = *source.get_or_insert_with(|| context.source.position(slot));
            self.comes_before(row, (slot, item), source.unwrap_or(0), context)
        };
        match run {
            Some(run) => self.rows.lower_bound_within(run, key, &mut comes_before),
            None => self.rows.lower_bound(key, &mut comes_before),
        }
    }

    /// In source order the row goes right after the nearest row before it that is shown and stays, which is mostly near.
    pub(super) fn place_by_neighbour(
        &self,
        slot: Slot,
        stays: impl Fn(Slot) -> bool,
        context: Context<'_, T>,
    ) -> Option<Cursor> {
        let mut before = context.source.rows_before(slot);
        for _ in 0..NEAR {
            let Some(row) = before.next() else {
                return Some(self.rows.cursor(0));
            };
            if let Some(place) = self.rows.cursor_after(row).filter(|_| stays(row)) {
                return Some(place);
            }
        }
        None
    }
}

impl<T> Clone for AffectedRow<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for AffectedRow<'_, T> {}

pub(super) fn touched_row<'a, T>(
    touch: &Touch<'a, T>,
    from: Option<usize>,
    to: Option<usize>,
) -> TouchedRow<&'a Arc<T>> {
    TouchedRow {
        before: from.zip(touch.before),
        after: to.zip(touch.after),
    }
}

//! Bringing a list in step after an edit, by work on the touched rows alone.

use super::log::Entry;
use super::state::{Context, ListState};
use super::undo::Undo;
use crate::change::{TouchedRow, align_touched};
use crate::item::Item;
use crate::order::{Cursor, Slot};
use std::sync::Arc;

/// How far to look for a neighbour in source order before searching the list instead.
const NEAR: usize = 32;

/// A row of the store that an edit touched.
pub(crate) struct Touch<T> {
    pub(crate) slot: Slot,
    /// The item when the lists were last in step; none when it was not there.
    pub(crate) before: Option<Arc<T>>,
    /// The item now; none when it is gone.
    pub(crate) after: Option<Arc<T>>,
    /// Whether it was given another place in source order.
    pub(crate) moved: bool,
}

/// What becomes of a touched row in one list.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fate {
    Arrives,
    Leaves,
    /// It keeps its place among the rows, perhaps with another item.
    Stays,
    /// Its place is looked up anew.
    Shifts,
}

impl<T: Item> ListState<T> {
    /// Brings the list in step. O(k log n) for k touched rows.
    ///
    /// Filters and sorts are user code and may panic; then [`roll_back`](Self::roll_back) gives back
    /// the list as it was.
    pub(crate) fn update(&mut self, touches: &[Touch<T>], context: Context<'_, T>) {
        match touches {
            [] => {}
            [touch] => self.update_one(touch, context),
            _ => self.update_many(touches, context),
        }
    }

    fn update_one(&mut self, touch: &Touch<T>, context: Context<'_, T>) {
        if let Some(fate) = self.fate(touch) {
            self.carry(touch, fate, context);
        }
    }

    fn carry(&mut self, touch: &Touch<T>, fate: Fate, context: Context<'_, T>) {
        let rows = self.rows.len();
        let from = match fate {
            Fate::Arrives => None,
            Fate::Stays => self.rows.position(touch.slot),
            Fate::Leaves | Fate::Shifts => self.take_out(touch.slot, fate == Fate::Shifts),
        };
        let to = match fate {
            Fate::Leaves => None,
            Fate::Stays => from,
            Fate::Arrives | Fate::Shifts => self.put_in(touch, context),
        };
        let row = touched_row(touch, from, to);
        self.note(Entry::Row { before: rows, row });
    }

    fn update_many(&mut self, touches: &[Touch<T>], context: Context<'_, T>) {
        let rows = self.rows.len();
        let fates: Vec<(usize, Fate)> = touches
            .iter()
            .enumerate()
            .filter_map(|(index, touch)| Some((index, self.fate(touch)?)))
            .collect();
        if fates.is_empty() {
            return;
        }
        let positions = |list: &Self| -> Vec<Option<usize>> {
            let position = |(index, _): &(usize, Fate)| list.rows.position(touches[*index].slot);
            fates.iter().map(position).collect()
        };
        let from = positions(self);
        for (index, fate) in &fates {
            if matches!(fate, Fate::Leaves | Fate::Shifts) {
                self.take_out(touches[*index].slot, *fate == Fate::Shifts);
            }
        }
        // All touched rows are out before the first is put in, so that every search meets rows
        // in order.
        for (index, fate) in &fates {
            if matches!(fate, Fate::Arrives | Fate::Shifts) {
                self.put_in(&touches[*index], context);
            }
        }
        let to = positions(self);
        let touched = fates
            .iter()
            .zip(from.into_iter().zip(to))
            .map(|((index, _), (from, to))| touched_row(&touches[*index], from, to))
            .collect();
        let alignment = align_touched(rows, self.rows.len(), touched);
        self.note(Entry::Rows(Arc::new(alignment)));
    }

    /// Puts a row that was held where its item belongs; `placed_by` is the item that held its place.
    pub(super) fn settle(
        &mut self,
        slot: Slot,
        item: &Arc<T>,
        placed_by: &T,
        context: Context<'_, T>,
    ) {
        let fate = if !self.query.matches(item) {
            Fate::Leaves
        } else if let Some(sort) = self.query.sorting()
            && sort.compare(placed_by, item).is_ne()
        {
            Fate::Shifts
        } else {
            return;
        };
        let touch = Touch {
            slot,
            before: Some(Arc::clone(item)),
            after: (fate == Fate::Shifts).then(|| Arc::clone(item)),
            moved: false,
        };
        self.carry(&touch, fate, context);
    }

    /// What becomes of a row; `None` when the list never sees it.
    fn fate(&self, touch: &Touch<T>) -> Option<Fate> {
        let was = self.rows.contains(touch.slot);
        let Some(item) = &touch.after else {
            return was.then_some(Fate::Leaves);
        };
        let held = was && self.held.contains_key(&touch.slot);
        match (was, held || self.query.matches(item)) {
            (false, false) => None,
            (false, true) => Some(Fate::Arrives),
            (true, false) => Some(Fate::Leaves),
            (true, true) if touch.moved => Some(Fate::Shifts),
            (true, true) => {
                let same_place = held
                    || match (self.query.sorting(), &touch.before) {
                        (Some(sort), Some(before)) => sort.compare(before, item).is_eq(),
                        (None, _) => true,
                        (Some(_), None) => false,
                    };
                Some(if same_place {
                    Fate::Stays
                } else {
                    Fate::Shifts
                })
            }
        }
    }

    /// Takes a row out; when it is not to come back, nobody holds it any more.
    fn take_out(&mut self, slot: Slot, shifts: bool) -> Option<usize> {
        if self.held.contains_key(&slot) && !shifts {
            self.undo.push(Undo::Held(self.held.clone()));
            self.held.remove(&slot);
        }
        let (at, key) = self.rows.remove(slot)?;
        self.undo.push(Undo::Removed { slot, at, key });
        Some(at)
    }

    /// Puts a row where its item belongs; gives the position.
    fn put_in(&mut self, touch: &Touch<T>, context: Context<'_, T>) -> Option<usize> {
        let slot = touch.slot;
        let item = self.held.get(&slot).or(touch.after.as_ref())?;
        let key = self.query.sorting().map_or(0, |sort| sort.prefix(item));
        let place = self.place_of(slot, item, key, context);
        let at = self.rows.insert_at(place, slot, key);
        self.undo.push(Undo::Inserted { slot });
        Some(at)
    }

    /// Where a row that is not in the list belongs. O(log n) comparisons.
    fn place_of(&self, slot: Slot, item: &T, key: u64, context: Context<'_, T>) -> Cursor {
        if self.query.sorting().is_none()
            && let Some(place) = self.place_by_neighbour(slot, context)
        {
            return place;
        }
        let mut source = None;
        self.rows.lower_bound(key, |row| {
            let source = *source.get_or_insert_with(|| context.source.position(slot));
            self.comes_before(row, item, source.unwrap_or(0), context)
        })
    }

    /// In source order the row goes right behind the nearest row shown before it, which is mostly near.
    fn place_by_neighbour(&self, slot: Slot, context: Context<'_, T>) -> Option<Cursor> {
        let mut before = context.source.rows_before(slot);
        for _ in 0..NEAR {
            let Some(row) = before.next() else {
                return Some(self.rows.cursor(0));
            };
            if let Some(place) = self.rows.cursor_after(row) {
                return Some(place);
            }
        }
        None
    }
}

fn touched_row<T>(touch: &Touch<T>, from: Option<usize>, to: Option<usize>) -> TouchedRow<T> {
    TouchedRow {
        before: from.zip(touch.before.clone()),
        after: to.zip(touch.after.clone()),
    }
}

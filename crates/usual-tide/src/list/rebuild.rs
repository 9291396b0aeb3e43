//! Bringing a list in step when many rows are touched at once: all rows are laid anew, in one walk.

use super::state::{Context, ListState};
use super::steady::sort_steadily;
use super::undo::Undo;
use super::update::{Fate, Fated, touched_row};
use crate::change::TouchedRow;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use std::cmp::Ordering;
use std::sync::Arc;

/// No touched row.
const NONE: u32 = u32::MAX;

impl<T: Item> ListState<T> {
    /// Lays the rows anew, with each touched row where it belongs; tells where each was and is. O(n), and
    /// O(log n) comparisons for each row that arrives. User code runs before anything changes.
    pub(super) fn rebuild_with<'a>(
        &mut self,
        fates: &[Fated<'a, T>],
        context: Context<'_, T>,
    ) -> Vec<TouchedRow<&'a Arc<T>>> {
        let mut index = vec![NONE; context.items.used()];
        for (row, place) in fates.iter().zip(0..) {
            index[row.touch.slot.index()] = place;
        }
        let mut walk = Walk {
            index: &index,
            fates,
            from: vec![None; fates.len()],
            shown: Vec::with_capacity(fates.len()),
            slots: Vec::with_capacity(self.rows.len() + fates.len()),
            keys: Vec::new(),
        };
        if self.query.sorting().is_some() {
            self.walk_sorted(&mut walk, context);
        } else {
            self.walk_source(&mut walk, context);
        }
        let touched = walk.touched();
        let keyed = self.query.sorting().is_some();
        let rows = RowTree::build(&walk.slots, keyed.then_some(&walk.keys[..]));
        self.lay_anew(rows);
        self.let_go_of_removed(fates);
        touched
    }

    /// A list in source order is what the source shows of it.
    fn walk_source(&self, walk: &mut Walk<'_, '_, T>, context: Context<'_, T>) {
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            walk.note_before(*slot, at);
        }
        for slot in context.source.chunks().flatten() {
            match walk.fate(*slot) {
                None if self.rows.contains(*slot) => walk.slots.push(*slot),
                Some((place, fate)) if fate != Fate::Leaves => walk.show(*slot, place),
                _ => {}
            }
        }
    }

    /// Merges the rows that stay with those that arrive, each of which is looked up among the former.
    fn walk_sorted(&self, walk: &mut Walk<'_, '_, T>, context: Context<'_, T>) {
        let arriving = self.places(walk, context);
        let mut arriving = arriving.into_iter().peekable();
        for (at, (slot, key)) in self.rows.rows_with_keys(self.rows.cursor(0)).enumerate() {
            while let Some(row) = arriving.next_if(|row| row.gap <= at) {
                walk.keys.push(row.key);
                walk.show(walk.fates[row.place].touch.slot, row.place);
            }
            walk.note_before(slot, at);
            match walk.fate(slot) {
                None => {
                    walk.keys.push(key);
                    walk.slots.push(slot);
                }
                Some((place, Fate::Stays)) => {
                    walk.keys.push(key);
                    walk.show(slot, place);
                }
                Some(_) => {}
            }
        }
        for row in arriving {
            walk.keys.push(row.key);
            walk.show(walk.fates[row.place].touch.slot, row.place);
        }
    }

    /// Where the arriving rows go, in the list's order.
    fn places(&self, walk: &Walk<'_, '_, T>, context: Context<'_, T>) -> Vec<Arriving> {
        let arriving = walk
            .fates
            .iter()
            .enumerate()
            .filter(|(_, row)| row.fate.puts_in());
        let mut arriving: Vec<Arriving> = arriving
            .map(|(place, row)| Arriving {
                key: self.key_for(row.touch),
                gap: 0,
                place,
            })
            .collect();
        let source = |place: usize| context.source.position(walk.fates[place].touch.slot);
        let item = |place: usize| self.placed_by(walk.fates[place].touch);
        sort_steadily(&mut arriving, |one, two| {
            let by_items = || {
                let items = item(one.place).zip(item(two.place));
                let by_keys = items
                    .zip(self.query.sorting())
                    .map(|((one, two), sort)| sort.compare_past_prefix(one, two));
                by_keys.unwrap_or(Ordering::Equal)
            };
            one.key
                .cmp(&two.key)
                .then_with(by_items)
                .then_with(|| source(one.place).cmp(&source(two.place)))
                .is_gt()
        });
        for row in &mut arriving {
            let at_source = source(row.place).unwrap_or(0);
            let Some(item) = item(row.place) else {
                continue;
            };
            // Rows that are about to go stand where their old items belong: the next one that stays
            // answers for them.
            let place = self.rows.lower_bound(row.key, |other| {
                let stays =
                    |slot: &Slot| walk.fate(*slot).is_none_or(|(_, fate)| !fate.takes_out());
                let stays = self.rows.rows_at(other).find(stays);
                stays
                    .is_some_and(|other| self.comes_before_in_full(other, item, at_source, context))
            });
            row.gap = self.rows.position_at(place);
        }
        arriving
    }

    /// Nobody holds a row whose item is gone.
    fn let_go_of_removed(&mut self, fates: &[Fated<'_, T>]) {
        let gone = |row: &&Fated<'_, T>| {
            row.fate == Fate::Leaves && self.held.contains_key(&row.touch.slot)
        };
        let gone: Vec<Slot> = fates
            .iter()
            .filter(gone)
            .map(|row| row.touch.slot)
            .collect();
        if !gone.is_empty() {
            self.undo.push(Undo::Held(self.held.clone()));
            self.held.retain(|slot, _| !gone.contains(slot));
        }
    }
}

/// A row that arrives: its prefix, the gap among the rows before, and its place among the touched.
#[derive(Clone, Copy)]
struct Arriving {
    key: u64,
    gap: usize,
    place: usize,
}

/// The rows as they are laid anew.
struct Walk<'a, 'b, T> {
    /// For each slot its place among the touched rows.
    index: &'a [u32],
    fates: &'a [Fated<'b, T>],
    from: Vec<Option<usize>>,
    /// The touched rows that are shown now, in order, with their positions.
    shown: Vec<(usize, usize)>,
    slots: Vec<Slot>,
    keys: Vec<u64>,
}

impl<'b, T> Walk<'_, 'b, T> {
    /// What became of each touched row: those that left, then the others in the order of the list.
    fn touched(&self) -> Vec<TouchedRow<&'b Arc<T>>> {
        let left = self.fates.iter().zip(&self.from);
        let left = left
            .filter(|(row, _)| row.fate == Fate::Leaves)
            .map(|(row, from)| touched_row(row.touch, *from, None));
        let shown = self.shown.iter().map(|(place, to)| {
            let row = &self.fates[*place];
            touched_row(row.touch, self.from[*place], Some(*to))
        });
        left.chain(shown).collect()
    }

    fn fate(&self, slot: Slot) -> Option<(usize, Fate)> {
        match self.index[slot.index()] {
            NONE => None,
            place => Some((place as usize, self.fates[place as usize].fate)),
        }
    }

    fn note_before(&mut self, slot: Slot, at: usize) {
        if let Some((place, _)) = self.fate(slot) {
            self.from[place] = Some(at);
        }
    }

    fn show(&mut self, slot: Slot, place: usize) {
        self.shown.push((place, self.slots.len()));
        self.slots.push(slot);
    }
}

//! Bringing a list in step when many rows are touched at once: leaf by leaf, or with all rows laid
//! in one walk.

use super::bits::Bits;
use super::rollback_step::RollbackStep;
use super::sorting::{Keyed, break_ties};
use super::state::{Context, ListState};
use super::update::{AffectedRow, Effect, touched_row};
use crate::change::TouchedRow;
use crate::item::Item;
use crate::order::{Arrival, Cursor, RowSweep, RowTree, Slot};
use crate::parts::rows_in_parts;
use crate::query::{Refinement, Sort};
use hashbrown::HashMap;
use std::ops::Range;
use std::sync::Arc;

/// No touched row.
const NONE: u32 = u32::MAX;

impl<T: Item> ListState<T> {
    /// Takes the touched rows out and puts them in where they belong, leaf by leaf. O(log n) comparisons
    /// for each row that arrives. User code runs before anything changes.
    pub(super) fn merge_with<'a>(
        &mut self,
        affected: &[AffectedRow<'a, T>],
        context: Context<'_, T>,
    ) -> Vec<TouchedRow<&'a Arc<T>>> {
        let mut going = Bits::new(context.items.used());
        for row in affected.iter().filter(|row| row.effect.removes()) {
            going.set(row.touch.slot.index());
        }
        let arriving = self.places(affected, &|slot| going.has(slot.index()), context);
        let mut from = vec![None; affected.len()];
        let (mut out, mut leaving) = (Vec::new(), Vec::new());
        for (place, row) in affected.iter().enumerate() {
            if row.effect == Effect::Stays {
                from[place] = self.rows.position(row.touch.slot);
            } else if row.effect.removes() {
                out.push(row.touch.slot);
                leaving.push(place);
            }
        }
        let arrivals: Vec<Arrival> = arriving.iter().map(|row| row.arrival).collect();
        let merged = self.rows.merge(&out, &arrivals);

        for (place, (at, _)) in leaving.into_iter().zip(&merged.out) {
            from[place] = Some(*at);
        }
        let mut to = vec![None; affected.len()];
        for (row, at) in arriving.iter().zip(&merged.into) {
            to[row.place] = Some(*at);
        }
        // Those that went in are in the list's order already, and are told after the others.
        let mut touched = Vec::with_capacity(affected.len());
        for (place, row) in affected.iter().enumerate() {
            if row.effect == Effect::Stays && from[place].is_some() {
                to[place] = self.rows.position(row.touch.slot);
            }
            if !row.effect.inserts() {
                touched.push(touched_row(row.touch, from[place], to[place]));
            }
        }
        for row in &arriving {
            let place = row.place;
            touched.push(touched_row(affected[place].touch, from[place], to[place]));
        }
        self.rollback.push(RollbackStep::Merged {
            out: out.into_iter().zip(merged.out).collect(),
            into: arrivals.iter().map(|row| row.slot).collect(),
        });
        self.release_removed(affected);
        touched
    }

    /// Rebuilds the rows with each touched row in its place; returns where each was and is. O(n), and
    /// O(log n) comparisons for each row that arrives. User code runs before anything changes.
    pub(super) fn rebuild_with<'a>(
        &mut self,
        affected: &[AffectedRow<'a, T>],
        context: Context<'_, T>,
    ) -> Vec<TouchedRow<&'a Arc<T>>> {
        let mut index = vec![NONE; context.items.used()];
        for (row, place) in affected.iter().zip(0..) {
            index[row.touch.slot.index()] = place;
        }
        let mut walk = Walk {
            index: &index,
            affected,
            from: vec![None; affected.len()],
            shown: Vec::with_capacity(affected.len()),
            slots: Vec::with_capacity(self.rows.len() + affected.len()),
            keys: Vec::new(),
        };
        if self.query.order().is_some() {
            self.walk_sorted(&mut walk, context);
        } else {
            self.walk_source(&mut walk, context);
        }
        let touched = walk.touched();
        let keyed = self.query.sorting().is_some();
        let (slots, keys) = (walk.slots, walk.keys);
        self.replace_rows(&slots, keyed.then_some(&keys[..]));
        self.release_removed(affected);
        touched
    }

    /// A list in source order is what the source shows of it.
    fn walk_source(&self, walk: &mut Walk<'_, '_, T>, context: Context<'_, T>) {
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            walk.note_before(*slot, at);
        }
        for slot in context.source.chunks().flatten() {
            match walk.effect(*slot) {
                None if self.rows.contains(*slot) => walk.slots.push(*slot),
                Some((place, effect)) if effect != Effect::Leaves => walk.show(*slot, place),
                _ => {}
            }
        }
    }

    /// Merges the rows that stay with those that arrive, each of which is looked up among the former.
    fn walk_sorted(&self, walk: &mut Walk<'_, '_, T>, context: Context<'_, T>) {
        let goes = |slot| {
            walk.effect(slot)
                .is_some_and(|(_, effect)| effect.removes())
        };
        let arriving = self.places(walk.affected, &goes, context);
        let gaps = arriving
            .iter()
            .map(|row| self.rows.position_at(row.arrival.place));
        let gaps: Vec<usize> = gaps.collect();
        let mut arriving = arriving.into_iter().zip(gaps).peekable();
        for (at, (slot, key)) in self.rows.rows_with_keys(self.rows.cursor(0)).enumerate() {
            while let Some((row, _)) = arriving.next_if(|(_, gap)| *gap <= at) {
                walk.keys.push(row.arrival.key);
                walk.show(row.arrival.slot, row.place);
            }
            walk.note_before(slot, at);
            match walk.effect(slot) {
                None => {
                    walk.keys.push(key);
                    walk.slots.push(slot);
                }
                Some((place, Effect::Stays)) => {
                    walk.keys.push(key);
                    walk.show(slot, place);
                }
                Some(_) => {}
            }
        }
        for (row, _) in arriving {
            walk.keys.push(row.arrival.key);
            walk.show(row.arrival.slot, row.place);
        }
    }

    /// Where the arriving rows go among the rows as they are, in the list's order.
    fn places(
        &self,
        affected: &[AffectedRow<'_, T>],
        goes: &(dyn Fn(Slot) -> bool + Sync),
        context: Context<'_, T>,
    ) -> Vec<Arriving> {
        let nowhere = self.rows.cursor(0);
        let arriving = affected.iter().enumerate();
        let arriving = arriving.filter(|(_, row)| row.effect.inserts());
        let runs = self.runs_in_order(arriving.clone().map(|(_, row)| row.touch));
        let mut runs_of_rows = runs.of_rows.iter();
        let arriving: Vec<Arriving> = arriving
            .map(|(place, row)| Arriving {
                place,
                section: runs_of_rows.next().copied().unwrap_or(0),
                source: None,
                arrival: Arrival {
                    place: nowhere,
                    slot: row.touch.slot,
                    key: self.key_for(row.touch),
                },
            })
            .collect();
        // Prefixes are numbers and decide most comparisons; items, and places in the source, are read only where
        // prefixes tie.
        let next_bytes = self.next_bytes();
        let next = |slot| next_bytes.map_or(0, |kept| kept.of(slot));
        let mut arriving = sort_arriving(&arriving, &next, context.source);
        if let Some(refinement) = self.query.sorting().and_then(Sort::refinement) {
            for ties in arriving.chunk_by_mut(|one, two| one.tie() == two.tie()) {
                if next_bytes.is_none() {
                    self.break_ties(ties, &refinement, context);
                    continue;
                }
                let next = |row: &Arriving| next(row.arrival.slot);
                let ties = ties.chunk_by_mut(|one, two| next(one) == next(two));
                for ties in ties.filter(|ties| ties.len() > 1) {
                    let item = affected[ties[0].place].touch.after;
                    self.break_ties(ties, &refinement.after_bytes(item), context);
                }
            }
        }
        let near = match self.query.order() {
            None => self.gaps_by_neighbour(&arriving, goes, context),
            Some(_) => None,
        };
        let places = near.unwrap_or_else(|| {
            let found = rows_in_parts(arriving.len(), |part| {
                self.gaps(&arriving[part], &runs.runs, affected, goes, context)
            });
            found.concat()
        });
        for (row, place) in arriving.iter_mut().zip(places) {
            row.arrival.place = place;
        }
        arriving
    }

    /// The same for a list in source order: each right after the nearest row before it in the source that is shown and stays.
    /// `None` where one is not near, since places that are found in two ways do not go together.
    fn gaps_by_neighbour(
        &self,
        arriving: &[Arriving],
        goes: &(dyn Fn(Slot) -> bool + Sync),
        context: Context<'_, T>,
    ) -> Option<Vec<Cursor>> {
        let place = |row: &Arriving| {
            let stays = |slot| !goes(slot);
            self.place_by_neighbour(row.arrival.slot, stays, context)
        };
        let found = rows_in_parts(arriving.len(), |part| -> Option<Vec<Cursor>> {
            arriving[part].iter().map(place).collect()
        });
        let found: Option<Vec<_>> = found.into_iter().collect();
        Some(found?.concat())
    }

    /// Sorts arriving rows of equal prefix, which are in source order.
    fn break_ties(
        &self,
        ties: &mut [Arriving],
        refinement: &Refinement<'_, T>,
        context: Context<'_, T>,
    ) {
        if ties.len() < 2 {
            return;
        }
        let keyed = ties.iter().zip(0..).map(|(row, source)| Keyed {
            key: row.arrival.key,
            source,
            slot: row.arrival.slot,
        });
        let mut keyed: Vec<Keyed> = keyed.collect();
        let item = |slot| self.placing_item(slot, context);
        break_ties(&mut keyed, refinement, &item);
        let sorted: Vec<Arriving> = keyed.iter().map(|row| ties[row.source as usize]).collect();
        ties.copy_from_slice(&sorted);
    }

    /// Where rows that arrive go in, among the rows as they are. They are in the list's order.
    fn gaps(
        &self,
        arriving: &[Arriving],
        runs: &[Range<usize>],
        affected: &[AffectedRow<'_, T>],
        goes: &(dyn Fn(Slot) -> bool + Sync),
        context: Context<'_, T>,
    ) -> Vec<Cursor> {
        // Rows that are about to go stand where their old items belong: the next one that stays
        // answers for them. What was found for a run of them is kept for each, so that no run is
        // walked twice.
        let mut known: HashMap<Slot, Option<Slot>> = HashMap::new();
        let mut answering = |slot: Slot| {
            let mut walked = Vec::new();
            let mut found = None;
            for row in self.rows.rows_at(slot) {
                if !goes(row) {
                    found = Some(row);
                    break;
                }
                if let Some(next) = known.get(&row) {
                    found = *next;
                    break;
                }
                walked.push(row);
            }
            known.extend(walked.into_iter().map(|row| (row, found)));
            found
        };
        let is_decided = self.query.sorting().is_none_or(Sort::is_decided_by_prefix);
        let all_stay = !affected.iter().any(|row| row.effect.removes());
        let next_bytes = self.next_bytes();
        let mut place = |sweep: &mut RowSweep<'_>, row: &Arriving| {
            let item = self.placed_by(affected[row.place].touch);
            let run = runs.get(row.section);
            let mut source = row.source;
            let mut comes_before = |other| {
                let slot = row.arrival.slot;
                let mut own_source =
                    || *source.get_or_insert_with(|| position_of(slot, context.source));
                if all_stay {
                    if let Some(order) = next_bytes.map(|kept| kept.order(other, slot))
                        && order.is_ne()
                    {
                        return order.is_lt();
                    }
                    let mut source = || context.source.position(other).cmp(&Some(own_source()));
                    if is_decided {
                        return source().is_lt();
                    }
                    let item = item.map(|item| (slot, &**item));
                    return item
                        .is_some_and(|item| self.comes_before_by(other, item, source, context));
                }
                // One that answers from beyond the section comes after all of it.
                let inside = |other: &Slot| {
                    run.is_none_or(|run| {
                        let at = self.rows.position(*other);
                        at.is_some_and(|at| at < run.end)
                    })
                };
                let other = answering(other).filter(inside).zip(item);
                other.is_some_and(|(other, item)| {
                    self.comes_before_by_all_keys(other, (slot, item), own_source(), context)
                })
            };
            sweep.lower_bound(run, row.arrival.key, &mut comes_before)
        };
        let mut sweep = self.rows.sweep(arriving.len());
        let mut places = Vec::with_capacity(arriving.len());
        for ties in arriving.chunk_by(|one, two| one.tie() == two.tie()) {
            // Where the bytes tell most of the rows that arrive apart, they tell them from those that are there.
            let told_apart = next_bytes.is_some_and(|kept| {
                let different = ties
                    .chunk_by(|one, two| kept.order(one.arrival.slot, two.arrival.slot).is_eq());
                different.count() > ties.len() / 2
            });
            let among = (all_stay && !told_apart).then(|| {
                let item = |at: usize| self.placed_by(affected[ties[at].place].touch);
                let source = |other, at: usize| {
                    let row = &ties[at];
                    let position = || position_of(row.arrival.slot, context.source);
                    let position = row.source.unwrap_or_else(position);
                    context.source.position(other).cmp(&Some(position))
                };
                let tie = (runs.get(ties[0].section), ties[0].arrival.key);
                self.places_among_ties(&mut sweep, tie, ties.len(), &item, &source, context)
            });
            match among.flatten() {
                Some(found) => places.extend(found.into_iter().map(|row| row.place)),
                None => places.extend(ties.iter().map(|row| place(&mut sweep, row))),
            }
        }
        places
    }

    /// Nobody holds a row whose item is gone.
    fn release_removed(&mut self, affected: &[AffectedRow<'_, T>]) {
        let gone = |row: &&AffectedRow<'_, T>| {
            row.effect == Effect::Leaves && self.held.contains_key(&row.touch.slot)
        };
        let gone: Vec<Slot> = affected
            .iter()
            .filter(gone)
            .map(|row| row.touch.slot)
            .collect();
        for slot in gone {
            self.forget_held(slot);
        }
    }
}

/// A row that arrives, and its place among the touched.
#[derive(Clone, Copy)]
struct Arriving {
    arrival: Arrival,
    place: usize,
    /// The place of its section among those that rows arrive in.
    section: usize,
    /// Its position in the source, where it was needed.
    source: Option<usize>,
}

/// In the order of sections, prefixes and the bytes after these, then in that of the source, in which rows that tie have their
/// positions then. Compiled once, not for each type of item.
fn sort_arriving(rows: &[Arriving], next: &dyn Fn(Slot) -> u64, source: &RowTree) -> Vec<Arriving> {
    let order = rows.iter().zip(0..).map(|(row, at)| {
        let (section, key) = row.tie();
        ((section, key, next(row.arrival.slot)), at)
    });
    let mut order: Vec<(_, usize)> = order.collect();
    order.sort_unstable_by_key(|(tie, _)| *tie);
    let mut sorted: Vec<Arriving> = order.iter().map(|(_, at)| rows[*at]).collect();
    let mut from = 0;
    for ties in order.chunk_by(|(one, _), (two, _)| one == two) {
        let to = from + ties.len();
        if ties.len() > 1 {
            let ties = &mut sorted[from..to];
            for row in &mut *ties {
                row.source = Some(position_of(row.arrival.slot, source));
            }
            ties.sort_unstable_by_key(|row| row.source);
        }
        from = to;
    }
    sorted
}

fn position_of(slot: Slot, source: &RowTree) -> usize {
    source.position(slot).unwrap_or(0)
}

impl Arriving {
    /// Rows that agree in this are told apart by their items alone.
    fn tie(&self) -> (usize, u64) {
        (self.section, self.arrival.key)
    }
}

/// The rows as they are rebuilt.
struct Walk<'a, 'b, T> {
    /// For each slot its place among the touched rows.
    index: &'a [u32],
    affected: &'a [AffectedRow<'b, T>],
    from: Vec<Option<usize>>,
    /// The touched rows that are shown now, in order, with their positions.
    shown: Vec<(usize, usize)>,
    slots: Vec<Slot>,
    keys: Vec<u64>,
}

impl<'b, T> Walk<'_, 'b, T> {
    /// What became of each touched row: those that left, then the others in the order of the list.
    fn touched(&self) -> Vec<TouchedRow<&'b Arc<T>>> {
        let left = self.affected.iter().zip(&self.from);
        let left = left
            .filter(|(row, _)| row.effect == Effect::Leaves)
            .map(|(row, from)| touched_row(row.touch, *from, None));
        let shown = self.shown.iter().map(|(place, to)| {
            let row = &self.affected[*place];
            touched_row(row.touch, self.from[*place], Some(*to))
        });
        left.chain(shown).collect()
    }

    fn effect(&self, slot: Slot) -> Option<(usize, Effect)> {
        match self.index[slot.index()] {
            NONE => None,
            place => Some((place as usize, self.affected[place as usize].effect)),
        }
    }

    fn note_before(&mut self, slot: Slot, at: usize) {
        if let Some((place, _)) = self.effect(slot) {
            self.from[place] = Some(at);
        }
    }

    fn show(&mut self, slot: Slot, place: usize) {
        self.shown.push((place, self.slots.len()));
        self.slots.push(slot);
    }
}

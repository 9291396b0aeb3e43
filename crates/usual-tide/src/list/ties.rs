//! Many rows that arrive among many that tie with them in the prefix, placed together.

use super::cached_order::CachedOrder;
use super::sorting::MOST_REFINED_BYTES;
use super::state::{Context, ListState};
use crate::item::Item;
use crate::order::{Cursor, RowSweep, Slot};
use crate::query::Refinement;
use std::cmp::Ordering;
use std::ops::Range;
use std::sync::Arc;

/// Up to so many rows for each that arrives are listed, and are then searched by halves.
const LIST_SHARE: usize = if cfg!(any(test, fuzzing)) { 12 } else { 256 };

/// To read so many rows for each that arrives, one after the other, costs less than to compare it with some here and there.
const READ_SHARE: usize = if cfg!(any(test, fuzzing)) { 6 } else { 8 };

/// Among so few rows a search is as good.
const FEW: usize = if cfg!(any(test, fuzzing)) { 2 } else { 16 };

/// Where an arriving row goes, and its position there.
pub(super) struct TiedPlace {
    pub(super) place: Cursor,
    pub(super) position: usize,
}

impl<T: Item> ListState<T> {
    /// The places of rows that arrive, all with this prefix and in the list's order; `None` where it costs less to look each
    /// of them up. `item` gives the item that places one of so many, and `source` the order of a row and one of those in the
    /// source. O(t + m log(t / m)) for t rows that tie with m.
    pub(super) fn places_among_ties<'a>(
        &'a self,
        sweep: &mut RowSweep<'_>,
        (run, key): (Option<&Range<usize>>, u64),
        arriving: usize,
        item: &dyn Fn(usize) -> Option<&'a Arc<T>>,
        source: &dyn Fn(Slot, usize) -> Ordering,
        context: Context<'a, T>,
    ) -> Option<Vec<TiedPlace>> {
        let sort = self.query.sorting()?;
        if arriving < 2 || sort.is_decided_by_prefix() || CachedOrder::of(sort, context).is_some() {
            return None;
        }
        let refinement = sort.refinement()?;
        let first = sweep.lower_bound(run, key, &mut |_| false);
        let from = sweep.position();
        // The rows of the prefix may be too many: then each search goes on from before them.
        let mut beyond = sweep.clone();
        let last = beyond.lower_bound(run, key, &mut |_| true);
        let to = beyond.position();
        if !(FEW..=arriving * LIST_SHARE).contains(&(to - from)) {
            return None;
        }
        *sweep = beyond;
        let tied = Tied {
            rows: self.rows.rows_from(first).take(to - from).collect(),
            list: self,
            context,
            arriving: (0..arriving).map(item).collect(),
            source,
        };
        let mut places = Vec::with_capacity(arriving);
        for at in tied.places(&refinement) {
            let position = from + at;
            let place = match position {
                _ if position == from => first,
                _ if position == to => last,
                _ => self.rows.cursor(position),
            };
            places.push(TiedPlace { place, position });
        }
        Some(places)
    }
}

/// Rows that tie so far, and those that arrive by their items; both in the list's order.
struct Tied<'a, 'b, T: Item> {
    rows: Vec<Slot>,
    list: &'a ListState<T>,
    context: Context<'a, T>,
    arriving: Vec<Option<&'a Arc<T>>>,
    source: &'b dyn Fn(Slot, usize) -> Ordering,
}

impl<'a, T: Item> Tied<'a, '_, T> {
    /// The item that places a row.
    fn item(&self, slot: Slot) -> Option<&'a Arc<T>> {
        self.list.placing_item(slot, self.context)
    }

    /// For each arriving row how many of the others come before it.
    fn places(&self, refinement: &Refinement<'_, T>) -> Vec<usize> {
        let mut places = vec![0; self.arriving.len()];
        let (rows, arriving) = (0..self.rows.len(), 0..self.arriving.len());
        self.place(rows, arriving, Some(refinement), &mut places);
        places
    }

    /// The same for some of them; without a refinement they tie in all keys.
    fn place(
        &self,
        rows: Range<usize>,
        arriving: Range<usize>,
        refinement: Option<&Refinement<'_, T>>,
        places: &mut [usize],
    ) {
        let is_worth = (FEW..=arriving.len() * READ_SHARE).contains(&rows.len());
        let Some(refinement) = refinement.filter(|_| is_worth) else {
            return self.search(rows, arriving, refinement, places);
        };
        let refinement = &refinement.of_item(self.arriving[arriving.start]);
        if refinement.known_bytes().is_some() && self.all_tie(&rows, &arriving, refinement) {
            return self.place(rows, arriving, refinement.next_level().as_ref(), places);
        }
        let Some((row_keys, keys)) = self.next_bytes(&rows, &arriving, refinement) else {
            return self.search(rows, arriving, Some(refinement), places);
        };
        let (mut from, mut first) = (0, arriving.start);
        for same in keys.chunk_by(|one, two| one == two) {
            from += row_keys[from..].partition_point(|other| *other < same[0]);
            let to = from + row_keys[from..].partition_point(|other| *other <= same[0]);
            let last = first + same.len();
            let tied = rows.start + from..rows.start + to;
            let refinement = refinement.after_bytes(self.arriving[first]);
            self.place(tied, first..last, Some(&refinement), places);
            (from, first) = (to, last);
        }
    }

    /// The next bytes of the rows and of those that arrive; `None` where there are none, or text has tied for long enough.
    fn next_bytes(
        &self,
        rows: &Range<usize>,
        arriving: &Range<usize>,
        refinement: &Refinement<'_, T>,
    ) -> Option<(Vec<u64>, Vec<u64>)> {
        if refinement
            .known_bytes()
            .is_some_and(|known| known >= MOST_REFINED_BYTES)
        {
            return None;
        }
        let bytes = |item: Option<&Arc<T>>| item.and_then(|item| refinement.next_bytes(item));
        let (mut of_rows, mut of_arriving) = (Vec::new(), Vec::new());
        for slot in &self.rows[rows.clone()] {
            of_rows.push(bytes(self.item(*slot))?);
        }
        for item in &self.arriving[arriving.clone()] {
            of_arriving.push(bytes(*item)?);
        }
        Some((of_rows, of_arriving))
    }

    /// Whether all tie in the first of the keys that are left: where the ends of what is in order do.
    fn all_tie(
        &self,
        rows: &Range<usize>,
        arriving: &Range<usize>,
        refinement: &Refinement<'_, T>,
    ) -> bool {
        let (rows, arriving) = (&self.rows[rows.clone()], &self.arriving[arriving.clone()]);
        let ends = [
            rows.first().and_then(|slot| self.item(*slot)),
            rows.last().and_then(|slot| self.item(*slot)),
            arriving.first().copied().flatten(),
            arriving.last().copied().flatten(),
        ];
        let tie = |pair: &[Option<&Arc<T>>]| {
            let both = pair[0].zip(pair[1]);
            both.is_some_and(|(one, two)| refinement.ties(one, two))
        };
        ends.windows(2).all(tie)
    }

    /// The middle one first, which halves both the rows for those before it and those after it: about log2(t / m)
    /// comparisons for each of m among t rows.
    fn search(
        &self,
        rows: Range<usize>,
        arriving: Range<usize>,
        refinement: Option<&Refinement<'_, T>>,
        places: &mut [usize],
    ) {
        if arriving.is_empty() {
            return;
        }
        let middle = arriving.start.midpoint(arriving.end);
        let comes_before = |slot: &Slot| {
            let items = self.item(*slot).zip(self.arriving[middle]);
            let by_keys = match (refinement, items) {
                (Some(refinement), Some((other, item))) => refinement.compare(other, item),
                _ => Ordering::Equal,
            };
            by_keys.then_with(|| (self.source)(*slot, middle)).is_lt()
        };
        let at = rows.start + self.rows[rows.clone()].partition_point(comes_before);
        places[middle] = at;
        self.search(rows.start..at, arriving.start..middle, refinement, places);
        self.search(at..rows.end, middle + 1..arriving.end, refinement, places);
    }
}

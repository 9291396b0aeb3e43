//! The blank rows of new drafts, and where they stand among the items.

use super::Store;
use super::journal::PriorPlace;
use crate::item::Item;
use crate::order::{CountedSums, Measured, RowTree, Sequence, Slot};
use std::collections::BTreeSet;
use std::ops::{AddAssign, Range};

/// The rows of drafts that are no items of the person's yet.
pub(super) struct BlankRows {
    rows: BTreeSet<Slot>,
    /// Those that have a place in the source, in its order.
    placed: Sequence<Blank>,
}

#[derive(Clone)]
struct Blank(Slot);

/// How many there are.
#[derive(Clone, Copy, Default, Debug)]
struct Count(usize);

impl AddAssign for Count {
    fn add_assign(&mut self, more: Self) {
        self.0 += more.0;
    }
}

impl CountedSums for Count {
    fn elements(&self) -> usize {
        self.0
    }
}

impl Measured for Blank {
    type Sums = Count;

    fn sums(&self) -> Count {
        Count(1)
    }
}

impl BlankRows {
    pub(super) fn new() -> Self {
        Self {
            rows: BTreeSet::new(),
            placed: Sequence::build(Vec::new()),
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    pub(super) fn len(&self) -> usize {
        self.rows.len()
    }

    pub(super) fn contains(&self, slot: Slot) -> bool {
        self.rows.contains(&slot)
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = Slot> {
        self.rows.iter().copied()
    }

    /// Those that have a place in the source, in its order.
    pub(super) fn in_order(&self) -> impl Iterator<Item = Slot> {
        self.placed.iter().map(|blank| blank.0)
    }

    /// Makes a row blank or not; returns whether it was.
    pub(super) fn set(&mut self, slot: Slot, is: bool, source: &RowTree) -> bool {
        let was = self.contains(slot);
        if is && !was {
            self.rows.insert(slot);
            self.enter(slot, source);
        } else if was && !is {
            self.leave(slot, source);
            self.rows.remove(&slot);
        }
        was
    }

    /// Notes that a row has got its place in the source, if it is blank.
    fn enter(&mut self, slot: Slot, source: &RowTree) {
        if self.contains(slot)
            && let Some(position) = source.position(slot)
        {
            self.placed
                .insert(self.before(position, source), Blank(slot));
        }
    }

    /// Notes that a row is about to lose its place.
    fn leave(&mut self, slot: Slot, source: &RowTree) {
        if self.contains(slot)
            && let Some(position) = source.position(slot)
        {
            self.placed.remove(self.before(position, source));
        }
    }

    /// Notes that all rows have got other places.
    fn put_in_order(&mut self, source: &RowTree) {
        let places = self
            .rows
            .iter()
            .filter_map(|slot| Some((source.position(*slot)?, *slot)));
        let mut places: Vec<(usize, Slot)> = places.collect();
        places.sort_unstable();
        self.placed = Sequence::build(places.into_iter().map(|(_, slot)| Blank(slot)).collect());
    }

    /// How many stand before a position. O(log m log n) for m blank rows among n.
    fn before(&self, position: usize, source: &RowTree) -> usize {
        let is_before = |blank: &Blank| source.position(blank.0).is_some_and(|at| at < position);
        self.placed.lower_bound(is_before)
    }

    fn position(&self, at: usize, source: &RowTree) -> Option<usize> {
        let (_, blank) = self.placed.find(at, Count::elements)?;
        source.position(blank.0)
    }
}

/// The first number in a range from which on something no longer holds.
fn first_without(range: Range<usize>, holds: impl Fn(usize) -> bool) -> usize {
    let Range { mut start, mut end } = range;
    while start < end {
        let middle = start + (end - start) / 2;
        match holds(middle) {
            true => start = middle + 1,
            false => end = middle,
        }
    }
    start
}

impl<T: Item> Store<T> {
    /// Gives a row its place in the source.
    pub(super) fn place_row(&mut self, at: usize, slot: Slot) {
        self.base.source.insert(at, slot, 0);
        self.special.blanks.enter(slot, &self.base.source);
    }

    /// Takes a row out of the source; where it was.
    pub(super) fn lift_row(&mut self, slot: Slot) -> Option<usize> {
        self.special.blanks.leave(slot, &self.base.source);
        self.base.source.remove(slot).map(|(at, _)| at)
    }

    /// Replaces the order of the source; returns that of before.
    pub(super) fn replace_order(&mut self, order: RowTree) -> RowTree {
        let before = std::mem::replace(&mut self.base.source, order);
        self.special.blanks.put_in_order(&self.base.source);
        before
    }

    /// What a row's place is near to.
    pub(super) fn prior(&self, slot: Slot) -> PriorPlace {
        let source = &self.base.source;
        if self.special.blanks.is_empty() {
            return PriorPlace {
                after: source.rows_before(slot).next(),
                blanks: 0,
            };
        }
        // One that was taken out a moment ago has no position.
        let Some(position) = source.position(slot) else {
            return PriorPlace::default();
        };
        PriorPlace {
            after: self.item_above(position),
            blanks: self.special.blanks.before(position, source),
        }
    }

    /// The next row above a position that is not blank.
    fn item_above(&self, position: usize) -> Option<Slot> {
        let (blanks, source) = (&self.special.blanks, &self.base.source);
        let before = blanks.before(position, source);
        let adjoins = |more: usize| {
            let above = blanks.position(before - 1 - more, source);
            above.is_some_and(|above| above + 1 + more == position)
        };
        let adjoining = first_without(0..before, adjoins);
        source.get((position - adjoining).checked_sub(1)?)
    }

    /// The row at a position or the next one below that is not blank.
    pub(super) fn item_from(&self, position: usize) -> Option<Slot> {
        let (blanks, source) = (&self.special.blanks, &self.base.source);
        let before = blanks.before(position, source);
        let adjoins = |more: usize| blanks.position(before + more, source) == Some(position + more);
        let adjoining = first_without(0..blanks.len() - before, adjoins);
        source.get(position + adjoining)
    }

    /// A position counted without blank rows, as one among all rows.
    pub(super) fn position_among_blanks(&self, position: usize) -> usize {
        let (blanks, source) = (&self.special.blanks, &self.base.source);
        let is_passed = |at: usize| {
            let place = blanks.position(at, source);
            place.is_some_and(|place| place <= position + at)
        };
        let passed = first_without(0..blanks.len(), is_passed);
        (position + passed).min(self.len())
    }

    /// Checks that the order of the blank rows is that of the source.
    pub(super) fn check_blank_rows(&self) -> Result<(), String> {
        let source = self.base.source.rows();
        let blanks = source.filter(|slot| self.special.blanks.contains(*slot));
        match blanks.eq(self.special.blanks.in_order()) {
            true => Ok(()),
            false => Err("the blank rows are in another order than the source".to_owned()),
        }
    }
}

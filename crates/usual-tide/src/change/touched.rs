//! From touched rows to an alignment.

use super::align::{Alignment, Segment};
use super::rows::Rows;
use super::set::{ChangeSet, MovedRun, RowRun, Updated};
use crate::sorts::by_number;
use std::sync::Arc;

/// A row that an edit touched: where it was and where it is, and the item at both ends, lent or
/// owned.
#[derive(Debug)]
pub(crate) struct TouchedRow<P> {
    pub(crate) before: Option<(usize, P)>,
    pub(crate) after: Option<(usize, P)>,
}

impl<P> TouchedRow<P> {
    /// The same with the items lent.
    pub(crate) fn lend(&self) -> TouchedRow<&P> {
        TouchedRow {
            before: self.before.as_ref().map(|(at, item)| (*at, item)),
            after: self.after.as_ref().map(|(at, item)| (*at, item)),
        }
    }
}

/// The alignment in which all but the touched rows kept their order. O(k log k).
pub(crate) fn align_touched<T>(
    before: usize,
    after: usize,
    mut touched: Vec<TouchedRow<&Arc<T>>>,
) -> Alignment<T> {
    let mut left: Vec<usize> = touched
        .iter()
        .filter_map(|row| Some(row.before.as_ref()?.0))
        .collect();
    if !left.is_sorted() {
        left.sort_unstable();
    }
    // Those that leave first.
    let place = |row: &TouchedRow<&Arc<T>>| row.after.as_ref().map_or(0, |after| after.0 + 1);
    if !touched.is_sorted_by_key(place) {
        by_number(&mut touched, place);
    }

    let mut alignment = Alignment::empty(before, after);
    let mut rest = Untouched::new(&left);
    let mut filled = 0;
    for row in touched {
        match (row.before, row.after) {
            (Some((at, item)), None) => alignment.removed.push(RowRun {
                at,
                rows: Rows::one(Arc::clone(item)),
            }),
            (from, Some((to, item))) => {
                rest.take(to - filled, &mut alignment);
                filled = to + 1;
                match from {
                    Some((from, before)) if Arc::ptr_eq(before, item) => {
                        alignment.push_kept(from, 1);
                    }
                    Some((from, before)) => alignment.segments.push(Segment::Changed {
                        from,
                        before: Arc::clone(before),
                        after: Arc::clone(item),
                    }),
                    None => alignment.push_new(Rows::one(Arc::clone(item))),
                }
            }
            (None, None) => {}
        }
    }
    rest.take(after - filled, &mut alignment);
    alignment.sort_removed();
    alignment
}

impl<T: PartialEq> ChangeSet<T> {
    /// The minimal set for one touched row with this many rows before.
    pub(crate) fn of_row(before: usize, row: &TouchedRow<Arc<T>>) -> Self {
        let mut set = Self::unchanged(before);
        let run = |at: &usize, item: &Arc<T>| RowRun {
            at: *at,
            rows: Rows::one(Arc::clone(item)),
        };
        match (&row.before, &row.after) {
            (Some((from, old)), Some((to, new))) => {
                if from != to {
                    // Of two neighbours that change places, the one that goes up is said to move.
                    let (from, to) = if from + 1 == *to {
                        (*to, *from)
                    } else {
                        (*from, *to)
                    };
                    set.moved = vec![MovedRun { from, to, len: 1 }];
                }
                if !Arc::ptr_eq(old, new) && old != new {
                    set.updated = vec![Updated {
                        from: *from,
                        to: *to,
                        before: Arc::clone(old),
                        after: Arc::clone(new),
                    }];
                }
            }
            (Some((at, item)), None) => {
                set.after -= 1;
                set.removed = vec![run(at, item)];
            }
            (None, Some((at, item))) => {
                set.after += 1;
                set.inserted = vec![run(at, item)];
            }
            (None, None) => {}
        }
        set
    }
}

/// Walks the rows of B that were not touched.
struct Untouched<'a> {
    /// The positions to leave out, ascending.
    left: std::iter::Peekable<std::slice::Iter<'a, usize>>,
    next: usize,
}

impl<'a> Untouched<'a> {
    fn new(left: &'a [usize]) -> Self {
        Self {
            left: left.iter().peekable(),
            next: 0,
        }
    }

    /// Moves the next `count` untouched rows into the alignment.
    fn take<T>(&mut self, mut count: usize, alignment: &mut Alignment<T>) {
        while count > 0 {
            while self.left.next_if_eq(&&self.next).is_some() {
                self.next += 1;
            }
            let run = match self.left.peek() {
                Some(gone) => count.min(**gone - self.next),
                None => count,
            };
            alignment.push_kept(self.next, run);
            self.next += run;
            count -= run;
        }
    }
}

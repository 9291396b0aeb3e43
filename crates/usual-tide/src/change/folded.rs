//! Many changes as one, kept up to date change by change.

use super::align::{Alignment, Segment};
use super::compose::compose;
use super::increasing::heaviest_increasing;
use super::rows::Rows;
use super::set::RowRun;
use super::touched::TouchedRow;
use crate::order::{CountedSums, Measured, Sequence};
use crate::sorts::by_number;
use std::collections::BTreeMap;
use std::sync::Arc;

/// The alignment from B to A for a B that stays and an A that goes on changing.
///
/// The same as composing alignments, but one more change costs O(k log n) in its own k rows, however many came
/// before it. It has at most one segment for each row of A and one for each row of B that is gone, so it never
/// grows beyond the rows at both ends.
pub(crate) struct Folded<T> {
    before: usize,
    segments: Sequence<Segment<T>>,
    /// The rows of B that are in no segment, by the position of the first of each run.
    removed: BTreeMap<usize, Rows<T>>,
}

/// What segments add up to.
#[derive(Clone, Copy, Default, Debug)]
pub(crate) struct SegmentSums {
    segments: usize,
    rows: usize,
}

impl std::ops::AddAssign for SegmentSums {
    fn add_assign(&mut self, other: Self) {
        self.segments += other.segments;
        self.rows += other.rows;
    }
}

impl CountedSums for SegmentSums {
    fn elements(&self) -> usize {
        self.segments
    }
}

impl<T> Measured for Segment<T> {
    type Sums = SegmentSums;

    fn sums(&self) -> SegmentSums {
        SegmentSums {
            segments: 1,
            rows: self.len(),
        }
    }
}

impl<T> Folded<T> {
    pub(crate) fn of(alignment: Alignment<T>) -> Self {
        Self {
            before: alignment.before,
            segments: Sequence::build(alignment.segments),
            removed: alignment
                .removed
                .into_iter()
                .map(|run| (run.at, run.rows))
                .collect(),
        }
    }

    /// All changes as one alignment. O(k) in its segments.
    pub(crate) fn alignment(&self) -> Alignment<T> {
        let removed = self.removed.iter().map(|(at, rows)| RowRun {
            at: *at,
            rows: rows.clone(),
        });
        Alignment {
            before: self.before,
            after: self.rows(),
            segments: self.segments.iter().cloned().collect(),
            removed: removed.collect(),
        }
    }

    /// The rows of A.
    fn rows(&self) -> usize {
        self.segments.sums().rows
    }

    /// Adds a change of one row. O(log n).
    pub(crate) fn add_row(&mut self, row: &TouchedRow<Arc<T>>) {
        match (&row.before, &row.after) {
            (Some((at, before)), Some((to, after))) => {
                if Arc::ptr_eq(before, after) {
                    if at != to {
                        self.take_out(*at, 1, |folded, piece| folded.put_in(*to, piece));
                    }
                } else if at == to {
                    self.change(*at, before, after);
                } else {
                    self.take_out(*at, 1, |folded, piece| {
                        folded.put_in(*to, changed(piece, before, after));
                    });
                }
            }
            (Some((at, item)), None) => self.remove(*at, &Rows::one(Arc::clone(item))),
            (None, Some((to, item))) => {
                self.put_in(*to, Segment::New(Rows::one(Arc::clone(item))));
            }
            (None, None) => {}
        }
    }

    /// Adds a change of many rows: O(k log n) for k segments and moved or removed rows.
    pub(crate) fn add(&mut self, change: &Alignment<T>) {
        // Many at once are put together anew in one pass.
        let many = change.segments.len() + change.removed.len();
        if many > self.segments.sums().segments / 4 {
            *self = Self::of(compose(&self.alignment(), change));
            return;
        }
        let moves = self.lift(change);
        let mut moved = moves.into_iter();
        let mut to = 0;
        for segment in &change.segments {
            let lifted = match segment {
                Segment::New(rows) => {
                    self.put_in(to, Segment::New(rows.clone()));
                    None
                }
                _ => moved.next().flatten(),
            };
            match (segment, lifted) {
                (Segment::Changed { before, after, .. }, None) => self.change(to, before, after),
                (Segment::Changed { before, after, .. }, Some(pieces)) => {
                    for piece in pieces {
                        self.put_in(to, changed(piece, before, after));
                    }
                }
                (_, pieces) => {
                    let mut next = to;
                    for piece in pieces.into_iter().flatten() {
                        let len = piece.len();
                        self.put_in(next, piece);
                        next += len;
                    }
                }
            }
            to += segment.len();
        }
    }

    /// Whether a change can be added at the cost of a few changes of one row.
    pub(crate) fn is_small(change: &Alignment<T>, few: usize) -> bool {
        if change.segments.len() + change.removed.len() > few {
            return false;
        }
        let kept = change.kept_runs();
        let stays = heaviest_increasing(&kept);
        let moved = kept.iter().zip(stays).filter(|(_, stays)| !stays);
        let moved = moved.map(|((_, len), _)| len).sum::<usize>();
        let removed = change.removed.iter().map(|run| run.rows.len());
        moved + removed.sum::<usize>() <= few
    }

    /// Takes out the rows that a change removes or moves, from the last to the first. For each segment of kept rows it
    /// gives the pieces of what was taken out, none of those that stay.
    fn lift(&mut self, change: &Alignment<T>) -> Vec<Option<Vec<Segment<T>>>> {
        let kept = change.kept_runs();
        let stays = heaviest_increasing(&kept);
        let mut leaving: Vec<(usize, Leaving<'_, T>)> = Vec::new();
        for (index, ((from, len), stays)) in kept.iter().zip(&stays).enumerate() {
            if !stays {
                leaving.push((*from, Leaving::Moved { index, len: *len }));
            }
        }
        leaving.extend(
            change
                .removed
                .iter()
                .map(|run| (run.at, Leaving::Removed(&run.rows))),
        );
        by_number(&mut leaving, |(from, _)| *from);

        let mut moved: Vec<Option<Vec<Segment<T>>>> = stays.iter().map(|_| None).collect();
        for (from, leaving) in leaving.into_iter().rev() {
            match leaving {
                Leaving::Removed(rows) => self.remove(from, rows),
                Leaving::Moved { index, len } => {
                    let mut pieces = Vec::new();
                    self.take_out(from, len, |_, piece| pieces.push(piece));
                    moved[index] = Some(pieces);
                }
            }
        }
        moved
    }

    /// Removes rows of A, which were these items.
    fn remove(&mut self, at: usize, rows: &Rows<T>) {
        let mut offset = 0;
        self.take_out(at, rows.len(), |folded, piece| {
            let len = piece.len();
            match piece {
                Segment::Kept { from, len } => {
                    folded.removed.insert(from, rows.slice(offset, len));
                }
                Segment::Changed { from, before, .. } => {
                    folded.removed.insert(from, Rows::one(before));
                }
                // They came and went in between.
                Segment::New(_) => {}
            }
            offset += len;
        });
    }

    /// Gives a row of A another item.
    fn change(&mut self, at: usize, before: &Arc<T>, after: &Arc<T>) {
        let Some((start, segment)) = self.segments.find(at, |sums| sums.rows) else {
            return;
        };
        if segment.len() == 1 {
            let segment = changed(segment.clone(), before, after);
            self.segments.replace(start.segments, segment);
        } else {
            self.take_out(at, 1, |folded, piece| {
                folded.put_in(at, changed(piece, before, after));
            });
        }
    }

    /// Takes rows out of A and hands each piece of them on, in order.
    fn take_out(&mut self, at: usize, len: usize, mut each: impl FnMut(&mut Self, Segment<T>)) {
        let mut left = len;
        while left > 0 {
            let Some((start, segment)) = self.segments.find(at, |sums| sums.rows) else {
                return;
            };
            let (index, skip, all) = (start.segments, at - start.rows, segment.len());
            let count = left.min(all - skip);
            let piece = part(segment, skip, count);
            let rest =
                (skip + count < all).then(|| part(segment, skip + count, all - skip - count));
            let head = (skip > 0).then(|| part(segment, 0, skip));
            match (head, rest) {
                (None, None) => self.segments.remove(index),
                (Some(one), None) | (None, Some(one)) => self.segments.replace(index, one),
                (Some(head), Some(rest)) => {
                    self.segments.replace(index, head);
                    self.segments.insert(index + 1, rest);
                }
            }
            left -= count;
            each(self, piece);
        }
    }

    /// Puts rows into A at a position.
    fn put_in(&mut self, at: usize, piece: Segment<T>) {
        let Some((start, segment)) = self.segments.find(at, |sums| sums.rows) else {
            let end = self.segments.sums().segments;
            self.segments.insert(end, piece);
            return;
        };
        let (index, skip, all) = (start.segments, at - start.rows, segment.len());
        if skip == 0 {
            self.segments.insert(index, piece);
            return;
        }
        let (head, rest) = (part(segment, 0, skip), part(segment, skip, all - skip));
        self.segments.replace(index, head);
        self.segments.insert(index + 1, rest);
        self.segments.insert(index + 1, piece);
    }
}

/// Rows that a change takes from where they are.
enum Leaving<'a, T> {
    Removed(&'a Rows<T>),
    Moved { index: usize, len: usize },
}

/// Some rows of a segment.
fn part<T>(segment: &Segment<T>, skip: usize, count: usize) -> Segment<T> {
    match segment {
        Segment::Kept { from, .. } => Segment::Kept {
            from: from + skip,
            len: count,
        },
        Segment::Changed { .. } => segment.clone(),
        Segment::New(rows) => Segment::New(rows.slice(skip, count)),
    }
}

/// A row with another item.
fn changed<T>(row: Segment<T>, before: &Arc<T>, after: &Arc<T>) -> Segment<T> {
    let after = Arc::clone(after);
    match row {
        Segment::Kept { from, .. } => Segment::Changed {
            from,
            before: Arc::clone(before),
            after,
        },
        Segment::Changed { from, before, .. } => Segment::Changed {
            from,
            before,
            after,
        },
        Segment::New(_) => Segment::New(Rows::one(after)),
    }
}

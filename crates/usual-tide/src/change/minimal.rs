//! As few moves as possible.

use super::align::{Alignment, Segment};
use super::rejoin::rejoin;
use super::rows::Rows;
use super::set::{ChangeSet, MovedRun, Numbers, RowRun, Updated};
use crate::item::Item;
use std::collections::BTreeMap;
use std::sync::Arc;

impl<T: Item> ChangeSet<T> {
    /// The minimal set of an alignment. O(k log k) in its segments.
    pub(crate) fn minimal(alignment: Alignment<T>) -> Self {
        let alignment = rejoin(alignment);
        let order: Vec<(usize, usize)> = alignment
            .segments
            .iter()
            .filter_map(|segment| match segment {
                Segment::Kept { from, len } => Some((*from, *len)),
                Segment::Changed { from, .. } => Some((*from, 1)),
                Segment::New(_) => None,
            })
            .collect();
        let mut stays = longest_increasing(&order).into_iter();

        let mut set = Self {
            before: alignment.before,
            after: alignment.after,
            removed: join_runs(alignment.removed),
            inserted: Vec::new(),
            moved: Vec::new(),
            updated: Vec::new(),
            numbers: Numbers::default(),
        };
        let mut inserted = Vec::new();
        let mut to = 0;
        for segment in alignment.segments {
            let len = segment.len();
            match segment {
                Segment::New(rows) => inserted.push(RowRun { at: to, rows }),
                Segment::Kept { from, .. } => set.note_move(from, to, len, stays.next()),
                Segment::Changed {
                    from,
                    before,
                    after,
                } => {
                    set.note_move(from, to, 1, stays.next());
                    if !Arc::ptr_eq(&before, &after) && before != after {
                        set.updated.push(Updated {
                            from,
                            to,
                            before,
                            after,
                        });
                    }
                }
            }
            to += len;
        }
        set.inserted = join_runs(inserted);
        set
    }

    fn note_move(&mut self, from: usize, to: usize, len: usize, stays: Option<bool>) {
        if stays != Some(false) {
            return;
        }
        match self.moved.last_mut() {
            Some(last) if last.from + last.len == from && last.to + last.len == to => {
                last.len += len;
            }
            _ => self.moved.push(MovedRun { from, to, len }),
        }
    }
}

/// Joins runs that touch each other.
fn join_runs<T: Send + Sync + 'static>(runs: Vec<RowRun<T>>) -> Vec<RowRun<T>> {
    if !runs
        .windows(2)
        .any(|pair| pair[0].range().end == pair[1].at)
    {
        return runs;
    }
    let mut joined = Vec::new();
    let mut parts: Vec<Rows<T>> = Vec::new();
    let (mut start, mut end) = (0, 0);
    for run in runs {
        if !parts.is_empty() && run.at != end {
            let rows = Rows::concat(std::mem::take(&mut parts));
            joined.push(RowRun { at: start, rows });
        }
        if parts.is_empty() {
            start = run.at;
        }
        end = run.range().end;
        parts.push(run.rows);
    }
    if !parts.is_empty() {
        let rows = Rows::concat(parts);
        joined.push(RowRun { at: start, rows });
    }
    joined
}

/// Which of the runs (start, length), none overlapping, belong to the heaviest subsequence of
/// ascending starts. O(k log k).
///
/// A longest increasing subsequence (Fredman 1975) in which a run weighs as much as it is long.
/// Among equally heavy ones it is, seen from the end, the one whose rows stand furthest back. A run
/// of rows that are neighbours on both sides is always in or out as a whole, so the choice does
/// not depend on how the rows were cut into runs.
pub(crate) fn longest_increasing(runs: &[(usize, usize)]) -> Vec<bool> {
    if runs.is_sorted_by_key(|run| run.0) {
        return vec![true; runs.len()];
    }
    // For each start that ends a candidate: its weight and its run; both ascend together.
    let mut frontier: BTreeMap<usize, (usize, usize)> = BTreeMap::new();
    let mut before: Vec<Option<usize>> = Vec::with_capacity(runs.len());
    for (index, (start, len)) in runs.iter().enumerate() {
        let best = frontier.range(..start).next_back().map(|(_, best)| *best);
        let weight = best.map_or(0, |best| best.0) + len;
        before.push(best.map(|best| best.1));
        while let Some((outdone, _)) = frontier
            .range(start..)
            .next()
            .filter(|(_, other)| other.0 <= weight)
        {
            let outdone = *outdone;
            frontier.remove(&outdone);
        }
        frontier.insert(*start, (weight, index));
    }
    let mut stays = vec![false; runs.len()];
    let mut next = frontier.last_key_value().map(|(_, best)| best.1);
    while let Some(index) = next {
        stays[index] = true;
        next = before[index];
    }
    stays
}

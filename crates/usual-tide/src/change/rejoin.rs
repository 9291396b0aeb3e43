//! Keys that left and came back are kept rows.

use super::align::{Alignment, Segment};
use super::rows::Rows;
use super::set::RowRun;
use crate::item::Item;
use hashbrown::HashMap;
use std::sync::Arc;

/// Turns every key that is both gone and new into a kept row; `None` when there is none. O(k) expected.
pub(super) fn rejoin<T: Item>(alignment: &Alignment<T>) -> Option<Alignment<T>> {
    let has_new = alignment
        .segments
        .iter()
        .any(|segment| matches!(segment, Segment::New(_)));
    if !has_new || alignment.removed.is_empty() {
        return None;
    }
    let back = returned(alignment);
    if back.is_empty() {
        return None;
    }

    let mut joined = Alignment::empty(alignment.before, alignment.after);
    for segment in &alignment.segments {
        match segment {
            Segment::Kept { from, len } => joined.push_kept(*from, *len),
            Segment::Changed { .. } => joined.segments.push(segment.clone()),
            Segment::New(rows) => split_new(rows, &back, &mut joined),
        }
    }
    let mut gone_again: Vec<usize> = back.values().map(|row| row.0).collect();
    gone_again.sort_unstable();
    for run in &alignment.removed {
        let from = gone_again.partition_point(|at| *at < run.at);
        let to = gone_again.partition_point(|at| *at < run.range().end);
        let mut start = run.at;
        for stop in gone_again[from..to]
            .iter()
            .copied()
            .chain([run.range().end])
        {
            if start < stop {
                joined.removed.push(RowRun {
                    at: start,
                    rows: run.rows.slice(start - run.at, stop - start),
                });
            }
            start = stop + 1;
        }
    }
    Some(joined)
}

/// A row as it was in B: its position and its item.
type Former<T> = (usize, Arc<T>);

/// The keys that are gone and new, with the position and the item that they had.
fn returned<T: Item>(alignment: &Alignment<T>) -> HashMap<T::Key, Former<T>> {
    let gone = || {
        alignment.removed.iter().flat_map(|run| {
            run.rows
                .iter()
                .enumerate()
                .map(move |(offset, item)| (run.at + offset, item))
        })
    };
    let new = || {
        alignment.segments.iter().flat_map(|segment| {
            let rows = match segment {
                Segment::New(rows) => Some(rows),
                _ => None,
            };
            rows.into_iter().flat_map(Rows::iter)
        })
    };
    // One key each is what a removal that was taken back looks like.
    let (gone_count, new_count) = (
        alignment
            .removed
            .iter()
            .map(|run| run.rows.len())
            .sum::<usize>(),
        new().count(),
    );
    let mut back = HashMap::new();
    if gone_count <= new_count {
        let former: HashMap<&T::Key, (usize, &Arc<T>)> =
            gone().map(|(at, item)| (item.key(), (at, item))).collect();
        for item in new() {
            if let Some((at, before)) = former.get(item.key()) {
                back.insert(item.key().clone(), (*at, Arc::clone(before)));
            }
        }
    } else {
        let arrived: hashbrown::HashSet<&T::Key> = new().map(|item| item.key()).collect();
        for (at, item) in gone() {
            if arrived.contains(item.key()) {
                back.insert(item.key().clone(), (at, Arc::clone(item)));
            }
        }
    }
    back
}

/// Adds new rows to the alignment, those that are back as changed rows.
fn split_new<T: Item>(
    rows: &Rows<T>,
    back: &HashMap<T::Key, Former<T>>,
    joined: &mut Alignment<T>,
) {
    let mut start = 0;
    for (index, item) in rows.iter().enumerate() {
        if let Some((from, before)) = back.get(item.key()) {
            joined.push_new_part(rows, start, index - start);
            joined.segments.push(Segment::Changed {
                from: *from,
                before: Arc::clone(before),
                after: Arc::clone(item),
            });
            start = index + 1;
        }
    }
    joined.push_new_part(rows, start, rows.len() - start);
}

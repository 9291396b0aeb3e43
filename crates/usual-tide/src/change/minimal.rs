//! As few moves as possible.

use super::align::{Alignment, Segment};
use super::follow::KeptRuns;
use super::increasing::heaviest_increasing;
use super::rejoin::rejoin;
use super::rows::Rows;
use super::set::{ChangeSet, MovedRun, Numbers, RowRun, Updated};
use crate::item::Item;
use crate::parts::rows_in_parts;
use std::sync::Arc;

impl<T: Item> ChangeSet<T> {
    /// The minimal set of an alignment. O(k log k) in its segments.
    pub(crate) fn minimal(alignment: &Alignment<T>) -> Self {
        let rejoined = rejoin(alignment);
        let alignment = rejoined.as_ref().unwrap_or(alignment);
        let mut stays = heaviest_increasing(&alignment.kept_runs()).into_iter();
        let mut differs = differing(&alignment.segments).into_iter().flatten();

        let mut set = Self {
            before: alignment.before,
            after: alignment.after,
            removed: join_runs(alignment.removed.clone()),
            inserted: Vec::new(),
            moved: Vec::new(),
            updated: Vec::new(),
            moved_items: None,
            kept: KeptRuns::default(),
            numbers: Numbers::default(),
            sections: None,
        };
        let mut inserted = Vec::new();
        let mut to = 0;
        for segment in &alignment.segments {
            let len = segment.len();
            match segment {
                Segment::New(rows) => inserted.push(RowRun {
                    at: to,
                    rows: rows.clone(),
                }),
                Segment::Kept { from, .. } => set.note_move(*from, to, len, stays.next()),
                Segment::Changed {
                    from,
                    before,
                    after,
                } => {
                    set.note_move(*from, to, 1, stays.next());
                    if differs.next() == Some(true) {
                        set.updated.push(Updated {
                            from: *from,
                            to,
                            before: Arc::clone(before),
                            after: Arc::clone(after),
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

/// For each changed row whether its item differs.
fn differing<T: Item>(segments: &[Segment<T>]) -> Vec<Vec<bool>> {
    let differs = |segment: &Segment<T>| match segment {
        Segment::Changed { before, after, .. } => {
            Some(!Arc::ptr_eq(before, after) && before != after)
        }
        _ => None,
    };
    if !segments
        .iter()
        .any(|segment| matches!(segment, Segment::Changed { .. }))
    {
        return Vec::new();
    }
    rows_in_parts(segments.len(), |part| {
        segments[part].iter().filter_map(differs).collect()
    })
}

/// Joins runs that touch each other.
fn join_runs<T: Send + Sync + 'static>(runs: Vec<RowRun<T>>) -> Vec<RowRun<T>> {
    let touch = |pair: &[RowRun<T>]| pair[0].range().end == pair[1].at;
    if !runs.windows(2).any(touch) {
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

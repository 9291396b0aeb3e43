//! Alignments: where every row after came from.

use super::rows::Rows;
use super::set::RowRun;
use crate::sorts::by_number;
use std::sync::Arc;

/// For every row of A, in order, where it came from; and the rows of B that are gone.
///
/// Not minimal and not canonical: neighbouring segments may belong together, a `Changed` row may be
/// equal, and a key may be gone and new at once until [`rejoin`](super::rejoin) has looked.
#[derive(Debug)]
pub(crate) struct Alignment<T> {
    pub(crate) before: usize,
    pub(crate) after: usize,
    /// The rows of A, in order.
    pub(crate) segments: Vec<Segment<T>>,
    /// The rows of B that are in no segment, ascending.
    pub(crate) removed: Vec<RowRun<T>>,
}

/// Some neighbouring rows of A.
#[derive(Debug)]
pub(crate) enum Segment<T> {
    /// Rows of B, neighbours there too, as they were.
    Kept { from: usize, len: usize },
    /// One row of B with another item.
    Changed {
        from: usize,
        before: Arc<T>,
        after: Arc<T>,
    },
    /// Rows that were not in B.
    New(Rows<T>),
}

impl<T> Segment<T> {
    pub(crate) fn len(&self) -> usize {
        match self {
            Self::Kept { len, .. } => *len,
            Self::Changed { .. } => 1,
            Self::New(rows) => rows.len(),
        }
    }
}

impl<T> Alignment<T> {
    /// The alignment of rows with themselves.
    pub(crate) fn identity(len: usize) -> Self {
        let mut same = Self::empty(len, len);
        same.push_kept(0, len);
        same
    }

    pub(crate) fn empty(before: usize, after: usize) -> Self {
        Self {
            before,
            after,
            segments: Vec::new(),
            removed: Vec::new(),
        }
    }

    /// Adds rows of B at the end, joined to the last segment where they continue it.
    pub(crate) fn push_kept(&mut self, from: usize, len: usize) {
        if len == 0 {
            return;
        }
        if let Some(Segment::Kept {
            from: start,
            len: count,
        }) = self.segments.last_mut()
            && *start + *count == from
        {
            *count += len;
            return;
        }
        self.segments.push(Segment::Kept { from, len });
    }

    pub(crate) fn push_new(&mut self, rows: Rows<T>) {
        if !rows.is_empty() {
            self.segments.push(Segment::New(rows));
        }
    }

    /// Adds a part of some new rows, which may be none of them.
    pub(crate) fn push_new_part(&mut self, rows: &Rows<T>, from: usize, count: usize) {
        if count > 0 {
            self.push_new(rows.slice(from, count));
        }
    }

    /// The runs of rows that are kept, in the order of A, as their place in B and their length.
    pub(crate) fn kept_runs(&self) -> Vec<(usize, usize)> {
        let kept = self.segments.iter().filter_map(|segment| match segment {
            Segment::Kept { from, len } => Some((*from, *len)),
            Segment::Changed { from, .. } => Some((*from, 1)),
            Segment::New(_) => None,
        });
        kept.collect()
    }

    /// Restores the ascending order of `removed`, which was collected in another.
    pub(crate) fn sort_removed(&mut self) {
        if !self.removed.is_sorted_by_key(|run| run.at) {
            by_number(&mut self.removed, |run| run.at);
        }
    }
}

impl<T> Clone for Alignment<T> {
    fn clone(&self) -> Self {
        Self {
            before: self.before,
            after: self.after,
            segments: self.segments.clone(),
            removed: self.removed.clone(),
        }
    }
}

impl<T> Clone for Segment<T> {
    fn clone(&self) -> Self {
        match self {
            Self::Kept { from, len } => Self::Kept {
                from: *from,
                len: *len,
            },
            Self::Changed {
                from,
                before,
                after,
            } => Self::Changed {
                from: *from,
                before: Arc::clone(before),
                after: Arc::clone(after),
            },
            Self::New(rows) => Self::New(rows.clone()),
        }
    }
}

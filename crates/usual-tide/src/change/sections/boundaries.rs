//! Where runs of rows must be cut so that no part is in two sections that changed.

use super::layout::{Layout, Sums};
use super::section::Section;
use crate::change::align::{Alignment, Segment};
use crate::change::rows::Rows;
use crate::change::set::RowRun;
use hashbrown::HashMap;
use std::sync::Arc;

/// The ends of sections that rows left or entered: positions in B and in A, ascending.
#[derive(Debug)]
pub(crate) struct Boundaries {
    before: Vec<usize>,
    after: Vec<usize>,
}

/// A part of a run of kept rows.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Part {
    pub(crate) from: usize,
    pub(crate) to: usize,
    pub(crate) len: usize,
}

impl Boundaries {
    /// The boundaries by positions among all rows.
    pub(crate) fn of_rows(sections: &Alignment<Section>, before: &Layout, after: &Layout) -> Self {
        Self::of(sections, before, after, |sums| sums.rows)
    }

    /// The boundaries by positions among the shown rows.
    pub(crate) fn of_shown(sections: &Alignment<Section>, before: &Layout, after: &Layout) -> Self {
        Self::of(sections, before, after, |sums| sums.shown)
    }

    fn of(
        sections: &Alignment<Section>,
        before: &Layout,
        after: &Layout,
        measure: impl Fn(&Sums) -> usize,
    ) -> Self {
        let start = |layout: &Layout, index: usize| match layout.get(index) {
            Some((sums, _)) => measure(&sums),
            None => measure(&layout.sums()),
        };
        let mut boundaries = Self {
            before: Vec::new(),
            after: Vec::new(),
        };
        let mut to = 0;
        for segment in &sections.segments {
            let len = segment.len();
            if let Segment::Kept { from, .. } | Segment::Changed { from, .. } = segment {
                boundaries.before.push(start(before, *from));
                boundaries.before.push(start(before, from + len));
            }
            boundaries.after.push(start(after, to));
            to += len;
            boundaries.after.push(start(after, to));
        }
        for run in &sections.removed {
            boundaries.before.push(start(before, run.at));
            boundaries.before.push(start(before, run.range().end));
        }
        for side in [&mut boundaries.before, &mut boundaries.after] {
            side.sort_unstable();
            side.dedup();
        }
        boundaries
    }

    /// A run of kept rows in parts.
    pub(crate) fn parts(&self, from: usize, to: usize, len: usize) -> Vec<Part> {
        let inside = |boundaries: &[usize], start: usize| -> Vec<usize> {
            let first = boundaries.partition_point(|boundary| *boundary <= start);
            let last = boundaries.partition_point(|boundary| *boundary < start + len);
            boundaries[first..last.max(first)]
                .iter()
                .map(|boundary| boundary - start)
                .collect()
        };
        let mut cuts = inside(&self.before, from);
        cuts.extend(inside(&self.after, to));
        cuts.push(len);
        cuts.sort_unstable();
        let mut start = 0;
        let mut parts = Vec::with_capacity(cuts.len());
        for cut in cuts {
            if cut > start {
                parts.push(Part {
                    from: from + start,
                    to: to + start,
                    len: cut - start,
                });
            }
            start = cut;
        }
        parts
    }
}

/// What happened between two layouts, found by key. O(s).
pub(crate) fn align_by_key(before: &Layout, after: &Layout) -> Alignment<Section> {
    let (old, new) = (before.sections(), after.sections());
    let mut places: HashMap<_, usize> = old
        .iter()
        .zip(0..)
        .map(|(placed, at)| (placed.section.key(), at))
        .collect();
    let mut change = Alignment::empty(old.len(), new.len());
    for placed in &new {
        let section = Arc::clone(&placed.section);
        match places.remove(section.key()) {
            Some(from) => change.segments.push(Segment::Changed {
                from,
                before: Arc::clone(&old[from].section),
                after: section,
            }),
            None => change.push_new(Rows::one(section)),
        }
    }
    for at in places.into_values() {
        let rows = Rows::one(Arc::clone(&old[at].section));
        change.removed.push(RowRun { at, rows });
    }
    change.sort_removed();
    change
}

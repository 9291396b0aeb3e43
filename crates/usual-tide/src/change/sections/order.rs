//! The order of sections while their rows change.

use super::section::Section;
use crate::change::set::{ChangeSet, MovedRun};
use std::ops::Range;

/// The sections of A in their order, and among them those of B that leave, each after the one that it was after among
/// those that stay.
pub(super) struct SectionOrder {
    /// How many sections there are in A.
    after: usize,
    /// The sections of B that are kept, ascending by `from`.
    kept: Vec<MovedRun>,
    /// Those that leave, ascending.
    leaving: Vec<LeavingRun>,
}

/// Neighbouring sections of B that leave.
#[derive(Clone, Copy)]
pub(super) struct LeavingRun {
    /// The first of them, in B.
    pub(super) from: usize,
    pub(super) len: usize,
    /// How many sections of A stand before them.
    pub(super) behind: usize,
    /// How many sections that leave stand before them.
    earlier: usize,
}

impl LeavingRun {
    /// The position of the first of them in this order.
    pub(super) fn position(&self) -> usize {
        self.behind + self.earlier
    }
}

impl SectionOrder {
    /// The order for a change of the sections. O(k log k).
    pub(super) fn of(sections: &ChangeSet<Section>) -> Self {
        let still = sections.still_runs();
        let mut leaving: Vec<LeavingRun> = Vec::new();
        for run in sections.removed() {
            let earlier = leaving.last().map_or(0, |last| last.earlier + last.len);
            let above = still.partition_point(|still| still.from < run.at);
            leaving.push(LeavingRun {
                from: run.at,
                len: run.rows.len(),
                behind: match above.checked_sub(1) {
                    Some(above) => still[above].to + still[above].len,
                    None => 0,
                },
                earlier,
            });
        }
        let mut kept = still;
        kept.extend_from_slice(sections.moved());
        kept.sort_unstable_by_key(|run| run.from);
        Self {
            after: sections.len_after(),
            kept,
            leaving,
        }
    }

    /// How many sections there are.
    pub(super) fn len(&self) -> usize {
        self.after + self.left_before(usize::MAX)
    }

    /// How many of those that leave stand before a section of A.
    fn left_before(&self, section: usize) -> usize {
        let before = self.leaving.partition_point(|run| run.behind <= section);
        match before.checked_sub(1) {
            Some(last) => self.leaving[last].earlier + self.leaving[last].len,
            None => 0,
        }
    }

    /// The position of a section of A. O(log k).
    pub(super) fn of_after(&self, section: usize) -> usize {
        section + self.left_before(section)
    }

    /// The position of a section of B. O(log k).
    pub(super) fn of_before(&self, section: usize) -> usize {
        let last = self.leaving.partition_point(|run| run.from <= section);
        if let Some(run) = last.checked_sub(1).map(|last| &self.leaving[last])
            && section < run.from + run.len
        {
            return run.position() + section - run.from;
        }
        let last = self.kept.partition_point(|run| run.from <= section);
        match last.checked_sub(1).map(|last| &self.kept[last]) {
            Some(run) => self.of_after(run.to + section - run.from),
            None => section,
        }
    }

    /// The runs of sections that leave, in the order of the removed runs of the change.
    pub(super) fn leaving_runs(&self) -> &[LeavingRun] {
        &self.leaving
    }

    /// The positions of the sections that leave, neighbours together.
    pub(super) fn leaving(&self) -> Vec<Range<usize>> {
        let mut ranges: Vec<Range<usize>> = Vec::new();
        for run in &self.leaving {
            let start = run.position();
            match ranges.last_mut() {
                Some(last) if last.end == start => last.end += run.len,
                _ => ranges.push(start..start + run.len),
            }
        }
        ranges
    }
}

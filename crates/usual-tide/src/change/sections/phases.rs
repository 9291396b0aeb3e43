//! Change sets by section in stages.

use super::by_section::{SectionChanges, SectionMove, SectionRun, SectionUpdated};
use super::order::SectionOrder;
use super::section::{Section, SectionRow};
use crate::change::align::{Alignment, Segment};
use crate::change::set::{ChangeSet, RowRun};
use crate::item::Item;
use std::sync::Arc;

impl<T: Item> SectionChanges<T> {
    /// The set as up to three, to be applied one after another, for toolkits that cannot take sections and
    /// rows at once: first sections arrive, without rows, and change places; then rows leave, arrive, move and
    /// change; then the sections leave that have no rows any more, and headings, counts and totals change.
    /// In the second no section changes its place, so all positions are positions in the same sections. O(k log k) in
    /// the rows and sections of the set.
    pub fn phases(&self) -> Vec<Self> {
        let order = SectionOrder::of(&self.sections);
        let mut stages = vec![Self::of_sections(self.arrive(&order))];

        let before_place = |at: SectionRow| SectionRow {
            section: order.of_before(at.section),
            ..at
        };
        let after_place = |at: SectionRow| SectionRow {
            section: order.of_after(at.section),
            ..at
        };
        let mut rows = Self::of_sections(ChangeSet::unchanged(order.len()));
        rows.removed = run_at(&self.removed, before_place);
        rows.inserted = run_at(&self.inserted, after_place);
        let moved = self.moved.iter().map(|run| SectionMove {
            from: before_place(run.from),
            to: after_place(run.to),
            ..*run
        });
        rows.moved = moved.collect();
        let updated = self.updated.iter().map(|row| SectionUpdated {
            from: before_place(row.from),
            to: after_place(row.to),
            ..row.clone()
        });
        rows.updated = updated.collect();
        let lengths = self.lengths.iter();
        let lengths = lengths.map(|(section, len)| (order.of_before(*section), *len));
        rows.lengths = lengths.collect();
        rows.lengths.sort_unstable();
        stages.push(rows);

        stages.push(Self::of_sections(self.leave(&order)));
        stages.retain(|stage| !stage.is_empty());
        stages
    }

    fn of_sections(sections: ChangeSet<Section>) -> Self {
        Self {
            sections: Arc::new(sections),
            removed: Vec::new(),
            inserted: Vec::new(),
            moved: Vec::new(),
            updated: Vec::new(),
            lengths: Vec::new(),
        }
    }

    /// Sections arrive and change places; those that are to leave stay after the one that they were after, if that does
    /// not move.
    fn arrive(&self, order: &SectionOrder) -> ChangeSet<Section> {
        let mut change = Alignment::empty(self.sections.len_before(), order.len());
        let mut leaving = order.leaving_runs().iter().peekable();
        let mut to = 0;
        for segment in &self.sections.to_alignment().segments {
            while let Some(run) = leaving.next_if(|run| run.behind <= to) {
                change.push_kept(run.from, run.len);
            }
            match segment {
                Segment::Kept { from, len } => change.push_kept(*from, *len),
                Segment::Changed { from, .. } => change.push_kept(*from, 1),
                Segment::New(rows) => change.push_new(rows.clone()),
            }
            to += segment.len();
        }
        for run in leaving {
            change.push_kept(run.from, run.len);
        }
        ChangeSet::minimal(&change)
    }

    /// Sections leave, and others change where they stand.
    fn leave(&self, order: &SectionOrder) -> ChangeSet<Section> {
        let mut change = Alignment::empty(order.len(), self.sections.len_after());
        let mut to = 0;
        for segment in self.sections.to_alignment().segments {
            let (from, len) = (order.of_after(to), segment.len());
            match segment {
                Segment::Changed { before, after, .. } => change.segments.push(Segment::Changed {
                    from,
                    before,
                    after,
                }),
                Segment::Kept { .. } | Segment::New(_) => change.push_kept(from, len),
            }
            to += len;
        }
        let leaving = order.leaving_runs().iter().zip(self.sections.removed());
        change.removed.extend(leaving.map(|(run, removed)| RowRun {
            at: run.position(),
            rows: removed.rows.clone(),
        }));
        ChangeSet::minimal(&change)
    }
}

fn run_at<T>(
    runs: &[SectionRun<T>],
    place: impl Fn(SectionRow) -> SectionRow,
) -> Vec<SectionRun<T>> {
    let runs = runs.iter().map(|run| SectionRun {
        at: place(run.at),
        rows: run.rows.clone(),
    });
    runs.collect()
}

//! Change sets by section in stages.

use super::by_section::{SectionChanges, SectionMove, SectionRun, SectionUpdated};
use super::section::{Section, SectionRow};
use crate::change::align::{Alignment, Segment};
use crate::change::rows::Rows;
use crate::change::set::ChangeSet;
use crate::item::Item;
use std::sync::Arc;

/// The sections between the stages: those of A, and those that have yet to leave.
struct Middle {
    sections: Vec<Arc<Section>>,
    /// For each section of B, and of A, where it is in between.
    of_before: Vec<usize>,
    of_after: Vec<usize>,
    /// For each section in between, where it was in B.
    from: Vec<Option<usize>>,
}

impl<T: Item> SectionChanges<T> {
    /// The set as up to three, to be applied one after another, for toolkits that cannot take sections and
    /// rows at once: first sections arrive, without rows, and change places; then rows leave, arrive, move and
    /// change; then the sections leave that have no rows any more, and headings, counts and totals change.
    /// In the second no section changes its place, so all positions are positions in the same sections. O(k + s).
    ///
    /// `sections` gives the section at a position in B: what the view shows so far. One that it does not know
    /// stands without key and heading between the stages.
    pub fn phases(&self, sections: impl Fn(usize) -> Option<Arc<Section>>) -> Vec<Self> {
        let unknown = || Arc::new(Section::whole(0));
        let before = (0..self.sections.len_before()).map(|at| sections(at).unwrap_or_else(unknown));
        let before: Vec<Arc<Section>> = before.collect();
        let middle = self.middle(&before);
        let mut stages = Vec::new();

        let mut arrive = Alignment::empty(before.len(), middle.sections.len());
        for (section, from) in middle.sections.iter().zip(&middle.from) {
            match from {
                Some(from) => arrive.push_kept(*from, 1),
                None => arrive.push_new(Rows::one(Arc::clone(section))),
            }
        }
        stages.push(Self::of_sections(ChangeSet::minimal(&arrive)));

        let before_place = |at: SectionRow| SectionRow {
            section: middle.of_before[at.section],
            ..at
        };
        let after_place = |at: SectionRow| SectionRow {
            section: middle.of_after[at.section],
            ..at
        };
        let mut rows = Self::of_sections(ChangeSet::unchanged(middle.sections.len()));
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
        let lengths = lengths.map(|(section, len)| (middle.of_before[*section], *len));
        rows.lengths = lengths.collect();
        rows.lengths.sort_unstable();
        stages.push(rows);

        let mut leave = Alignment::empty(middle.sections.len(), self.sections.len_after());
        let mut stays = vec![false; middle.sections.len()];
        for (to, from) in middle.of_after.iter().enumerate() {
            stays[*from] = true;
            match self
                .sections
                .updated()
                .binary_search_by_key(&to, |row| row.to)
            {
                Ok(at) => leave.segments.push(Segment::Changed {
                    from: *from,
                    before: Arc::clone(&middle.sections[*from]),
                    after: Arc::clone(&self.sections.updated()[at].after),
                }),
                Err(_) => leave.push_kept(*from, 1),
            }
        }
        for (at, section) in middle.sections.iter().enumerate() {
            if !stays[at] {
                let rows = Rows::one(Arc::clone(section));
                leave.removed.push(crate::change::RowRun { at, rows });
            }
        }
        stages.push(Self::of_sections(ChangeSet::minimal(&leave)));
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

    /// Sections that are to leave stay after the one that they were after, if that does not move.
    fn middle(&self, before: &[Arc<Section>]) -> Middle {
        let after = self.sections.len_after();
        let mut origin: Vec<Option<usize>> = vec![None; after];
        let mut still = vec![false; after];
        for run in self.sections.still_runs() {
            for offset in 0..run.len {
                origin[run.to + offset] = Some(run.from + offset);
                still[run.to + offset] = true;
            }
        }
        for run in self.sections.moved() {
            for offset in 0..run.len {
                origin[run.to + offset] = Some(run.from + offset);
            }
        }
        let removed = self.sections.removed().iter();
        let mut leaving = removed.flat_map(|run| run.range()).peekable();
        let mut middle = Middle {
            sections: Vec::new(),
            of_before: vec![0; before.len()],
            of_after: vec![0; after],
            from: Vec::new(),
        };
        for to in 0..after {
            // What was before a section that stays where it is stays before it.
            while still[to]
                && let Some(gone) = leaving.next_if(|gone| origin[to].is_some_and(|at| *gone < at))
            {
                middle.leave(gone, before);
            }
            middle.of_after[to] = middle.sections.len();
            match origin[to] {
                Some(from) => middle.leave(from, before),
                None => {
                    if let Some(section) = self.sections.item_after(to) {
                        middle.sections.push(Arc::clone(section));
                        middle.from.push(None);
                    }
                }
            }
        }
        for gone in leaving {
            middle.leave(gone, before);
        }
        middle
    }
}

impl Middle {
    /// Has a section of B in between.
    fn leave(&mut self, from: usize, before: &[Arc<Section>]) {
        if let Some(section) = before.get(from) {
            self.of_before[from] = self.sections.len();
            self.sections.push(Arc::clone(section));
            self.from.push(Some(from));
        }
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

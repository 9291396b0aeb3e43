//! Which rows are in which section, at one time.

use super::section::{Section, SectionRow};
use crate::item::SectionKey;
use crate::order::{CountedSums, Measured, Sequence};
use std::ops::Range;
use std::sync::Arc;

/// The sections of a list in order, with the number of rows of each.
///
/// A clone costs one count: whoever keeps one keeps the sections as they were. "Rows" are all rows of a section,
/// "shown" those that neither its being collapsed nor a window hides.
#[derive(Clone, Debug)]
pub(crate) struct Layout(Sequence<Placed>);

/// A section, and how many of its rows are shown.
#[derive(Clone, Debug)]
pub(crate) struct Placed {
    pub(crate) section: Arc<Section>,
    pub(crate) shown: usize,
}

impl Placed {
    fn open(section: Arc<Section>) -> Self {
        let shown = section.open_rows();
        Self { section, shown }
    }
}

impl Measured for Placed {
    type Sums = Sums;

    fn sums(&self) -> Sums {
        Sums {
            sections: 1,
            rows: self.section.count,
            shown: self.shown,
        }
    }
}

/// What is in or before some part of a layout.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
pub(crate) struct Sums {
    pub(crate) sections: usize,
    pub(crate) rows: usize,
    pub(crate) shown: usize,
}

impl CountedSums for Sums {
    fn elements(&self) -> usize {
        self.sections
    }
}

impl std::ops::AddAssign for Sums {
    fn add_assign(&mut self, other: Self) {
        self.sections += other.sections;
        self.rows += other.rows;
        self.shown += other.shown;
    }
}

impl Layout {
    /// A layout of these sections.
    pub(crate) fn build(sections: impl IntoIterator<Item = Arc<Section>>) -> Self {
        Self::of(sections.into_iter().map(Placed::open).collect())
    }

    /// A list without grouping.
    pub(crate) fn whole(rows: usize) -> Self {
        Self::build([Arc::new(Section::whole(rows))])
    }

    /// Whether it is that of a list without grouping.
    pub(crate) fn is_whole(&self) -> bool {
        let first = self.get(0);
        first.is_some_and(|(_, placed)| *placed.section.key() == SectionKey::WHOLE)
    }

    fn of(sections: Vec<Placed>) -> Self {
        Self(Sequence::build(sections))
    }

    /// Sections, rows, and shown rows in all.
    pub(crate) fn sums(&self) -> Sums {
        self.0.sums()
    }

    pub(crate) fn len(&self) -> usize {
        self.sums().sections
    }

    /// Whether every row is shown.
    pub(crate) fn is_open(&self) -> bool {
        self.sums().rows == self.sums().shown
    }

    /// The section at an index, and what is before it. O(log s).
    pub(crate) fn get(&self, index: usize) -> Option<(Sums, &Placed)> {
        self.0.find(index, |sums| sums.sections)
    }

    /// The section that holds a row, by its position among all rows, and what is before the section.
    pub(crate) fn at_row(&self, position: usize) -> Option<(Sums, &Placed)> {
        self.0.find(position, |sums| sums.rows)
    }

    /// The same by the position among the shown rows.
    pub(crate) fn at_shown(&self, position: usize) -> Option<(Sums, &Placed)> {
        self.0.find(position, |sums| sums.shown)
    }

    /// Where a shown row is by section.
    pub(crate) fn place(&self, position: usize) -> Option<SectionRow> {
        let (before, _) = self.at_shown(position)?;
        Some(SectionRow {
            section: before.sections,
            row: position - before.shown,
        })
    }

    /// How many shown rows are before a position among all rows.
    pub(crate) fn shown_before(&self, position: usize) -> usize {
        match self.at_row(position) {
            Some((before, placed)) if placed.shown > 0 => before.shown + position - before.rows,
            Some((before, _)) => before.shown,
            None => self.sums().shown,
        }
    }

    /// The position among all rows of a shown row.
    pub(crate) fn row_of_shown(&self, position: usize) -> usize {
        match self.at_shown(position) {
            Some((before, _)) => before.rows + position - before.shown,
            None => self.sums().rows,
        }
    }

    /// The parts of a run among all rows that are shown.
    pub(crate) fn open_parts(&self, rows: Range<usize>) -> Vec<Range<usize>> {
        if self.is_open() {
            return vec![rows];
        }
        let mut parts = Vec::new();
        let mut next = rows.start;
        while next < rows.end
            && let Some((before, placed)) = self.at_row(next)
        {
            let end = (before.rows + placed.section.count).min(rows.end);
            if placed.shown > 0 {
                parts.push(next..end);
            }
            next = end;
        }
        parts
    }

    /// The runs that some shown rows make among all rows.
    pub(crate) fn open_runs(&self, shown: Range<usize>) -> Vec<Range<usize>> {
        let mut runs: Vec<Range<usize>> = Vec::new();
        let mut next = shown.start;
        while next < shown.end
            && let Some((before, placed)) = self.at_shown(next)
        {
            let start = before.rows + next - before.shown;
            let len = (before.shown + placed.shown).min(shown.end) - next;
            match runs.last_mut() {
                Some(last) if last.end == start => last.end += len,
                _ => runs.push(start..start + len),
            }
            next += len;
        }
        runs
    }

    /// The index of the first section that does not come before what is looked for. O(log s).
    pub(crate) fn lower_bound(&self, mut comes_before: impl FnMut(&Section) -> bool) -> usize {
        self.0
            .lower_bound(|placed: &Placed| comes_before(&placed.section))
    }

    /// The sections from an index on, each with what is before it.
    pub(crate) fn from(&self, index: usize) -> impl Iterator<Item = (Sums, &Placed)> {
        // One search a section is as good as a walk for the few that are asked for at a time.
        (index..self.len()).map_while(|index| self.get(index))
    }

    /// All sections in order.
    pub(crate) fn sections(&self) -> Vec<&Placed> {
        self.0.iter().collect()
    }

    /// Puts another state of a section in its place.
    pub(crate) fn replace(&mut self, index: usize, section: Arc<Section>) {
        self.0.replace(index, Placed::open(section));
    }

    pub(crate) fn insert(&mut self, index: usize, section: Arc<Section>) {
        self.0.insert(index, Placed::open(section));
    }

    pub(crate) fn remove(&mut self, index: usize) {
        self.0.remove(index);
    }

    /// The part of a layout that a window shows: sections with a row in it, and those without rows to show
    /// that are in it.
    pub(crate) fn cut(&self, window: &Range<usize>) -> Self {
        let reaches_end = window.end >= self.sums().shown;
        let first = match self.at_shown(window.start) {
            // Sections without shown rows right at the start are part of it.
            Some((before, _)) if before.shown == window.start => self.first_at_shown(window.start),
            Some((before, _)) => before.sections,
            None => self.first_at_shown(window.start),
        };
        let inside = self.from(first).take_while(|(before, _)| {
            before.shown < window.end || reaches_end && before.shown <= window.end
        });
        let cut = inside.filter_map(|(before, placed)| {
            let start = before.shown.max(window.start);
            let end = (before.shown + placed.shown).min(window.end);
            let shown = end.saturating_sub(start);
            (shown > 0 || placed.shown == 0).then(|| Placed {
                section: Arc::clone(&placed.section),
                shown,
            })
        });
        Self::of(cut.collect())
    }

    /// The first section that begins at a position among the shown rows or later.
    fn first_at_shown(&self, position: usize) -> usize {
        let (mut low, mut high) = (0, self.len());
        while low < high {
            let middle = low.midpoint(high);
            let before = self
                .get(middle)
                .map_or(position, |(before, _)| before.shown);
            if before < position {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        low
    }

    /// Whether two layouts are one that was cloned.
    pub(super) fn is_shared_with(&self, other: &Self) -> bool {
        self.0.is_shared_with(&other.0)
    }

    /// Whether two layouts are of the same sections in the same state.
    pub(crate) fn is_same(&self, other: &Self) -> bool {
        let same = |(one, two): (&Placed, &Placed)| {
            one.shown == two.shown
                && (Arc::ptr_eq(&one.section, &two.section) || one.section == two.section)
        };
        self.is_shared_with(other)
            || self.sums() == other.sums() && self.0.iter().zip(other.0.iter()).all(same)
    }
}

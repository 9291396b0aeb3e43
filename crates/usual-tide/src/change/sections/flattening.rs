//! From rows by section to one column in which headings are rows.

use super::boundaries::Boundaries;
use super::flat::{FlatItem, FlatRow};
use super::layout::Layout;
use super::section::Section;
use super::sectioning::Sectioning;
use crate::change::align::{Alignment, Segment};
use crate::change::rows::Rows;
use crate::change::set::RowRun;
use crate::item::Item;
use std::sync::Arc;

/// The alignment of the columns, from that of the rows. O(k log n) in the segments of the rows and of the sections.
pub(super) fn flatten<T: Item>(
    sections: &Sectioning,
    rows: &Alignment<T>,
) -> Alignment<FlatItem<T>> {
    let (before, after) = (Column::of(sections.before()), Column::of(sections.after()));
    let touched = sections.touched();
    let mut flat = Flattening {
        boundaries: sections.boundaries(),
        headings: Headings {
            segments: &touched.segments,
            at: 0,
            done: 0,
            next: 0,
        },
        change: Alignment::empty(before.len(), after.len()),
        before,
        after,
    };
    let mut to = 0;
    for segment in &rows.segments {
        flat.put_rows(segment, to);
        to += segment.len();
    }
    flat.put_headings(usize::MAX);
    for run in &rows.removed {
        flat.remove_rows(run);
    }
    flat.remove_headings(&touched.removed);
    flat.change.sort_removed();
    flat.change
}

/// The alignment as far as it has come.
struct Flattening<'a, T: Item> {
    before: Column<'a>,
    after: Column<'a>,
    boundaries: Boundaries,
    headings: Headings<'a>,
    change: Alignment<FlatItem<T>>,
}

impl<T: Item> Flattening<'_, T> {
    /// Puts in rows of A, from a position on, and the headings above them.
    fn put_rows(&mut self, segment: &Segment<T>, to: usize) {
        match segment {
            Segment::New(rows) => {
                let mut done = 0;
                while done < rows.len() {
                    self.put_headings(to + done);
                    let len = (rows.len() - done).min(self.after.rest(to + done));
                    self.change.push_new(items(rows, done, len));
                    done += len;
                }
            }
            Segment::Changed {
                from,
                before,
                after,
            } => {
                self.put_headings(to);
                self.change.segments.push(Segment::Changed {
                    from: self.before.row(*from),
                    before: item(before),
                    after: item(after),
                });
            }
            // No part has a section in it that changed: the headings between its rows are kept like the rows.
            Segment::Kept { from, len } => {
                for part in self.boundaries.parts(*from, to, *len) {
                    self.put_headings(part.to);
                    let first = self.after.row(part.to);
                    let last_row = part.to + part.len - 1;
                    let len = self.after.row(last_row) + 1 - first;
                    self.change.push_kept(self.before.row(part.from), len);
                    self.headings.skip_to(self.after.section_of(last_row) + 1);
                }
            }
        }
    }

    /// Puts in the headings down to that of the section that holds a row of A.
    fn put_headings(&mut self, row: usize) {
        let end = match row < self.after.shown_rows() {
            true => self.after.section_of(row) + 1,
            false => self.after.layout.len(),
        };
        while self.headings.next < end
            && let Some((segment, done)) = self.headings.segment()
        {
            let len = (segment.len() - done).min(end - self.headings.next);
            self.headings.skip_to(self.headings.next + len);
            match segment {
                _ if !self.after.has_headings => {}
                Segment::New(sections) => {
                    self.change.push_new(headings(sections, done, len));
                }
                Segment::Kept { from, .. } if self.before.has_headings => {
                    let from = self.before.heading(from + done);
                    self.change.push_kept(from, len);
                }
                Segment::Changed {
                    from,
                    before,
                    after,
                } if self.before.has_headings => {
                    self.change.segments.push(Segment::Changed {
                        from: self.before.heading(*from),
                        before: heading(before),
                        after: heading(after),
                    });
                }
                // A list that is grouped now and was not has no section that it had.
                Segment::Kept { .. } | Segment::Changed { .. } => {}
            }
        }
    }

    fn remove_rows(&mut self, run: &RowRun<T>) {
        let mut done = 0;
        while done < run.rows.len() {
            let len = (run.rows.len() - done).min(self.before.rest(run.at + done));
            self.change.removed.push(RowRun {
                at: self.before.row(run.at + done),
                rows: items(&run.rows, done, len),
            });
            done += len;
        }
    }

    fn remove_headings(&mut self, removed: &[RowRun<Section>]) {
        if !self.before.has_headings {
            return;
        }
        for run in removed {
            for (at, section) in run.range().zip(run.rows.iter()) {
                self.change.removed.push(RowRun {
                    at: self.before.heading(at),
                    rows: Rows::one(heading(section)),
                });
            }
        }
    }
}

/// The sections of A whose headings have yet to be put in.
struct Headings<'a> {
    segments: &'a [Segment<Section>],
    /// The segment of the next one, and how many sections of it are before that.
    at: usize,
    done: usize,
    /// The next one.
    next: usize,
}

impl<'a> Headings<'a> {
    /// The segment that holds the next one, and how many sections of it are before that.
    fn segment(&self) -> Option<(&'a Segment<Section>, usize)> {
        Some((self.segments.get(self.at)?, self.done))
    }

    /// Leaves out those before a section.
    fn skip_to(&mut self, section: usize) {
        while self.next < section
            && let Some(segment) = self.segments.get(self.at)
        {
            let len = (segment.len() - self.done).min(section - self.next);
            self.next += len;
            self.done += len;
            if self.done == segment.len() {
                (self.at, self.done) = (self.at + 1, 0);
            }
        }
    }
}

/// The column of a layout: positions of headings and of rows in it, O(log s) each.
struct Column<'a> {
    layout: &'a Layout,
    has_headings: bool,
}

impl<'a> Column<'a> {
    fn of(layout: &'a Layout) -> Self {
        let has_headings = !layout.is_whole();
        Self {
            layout,
            has_headings,
        }
    }

    fn shown_rows(&self) -> usize {
        self.layout.sums().shown
    }

    /// Rows and headings together.
    fn len(&self) -> usize {
        match self.has_headings {
            true => self.shown_rows() + self.layout.len(),
            false => self.shown_rows(),
        }
    }

    /// The position of a section's heading in the column.
    fn heading(&self, section: usize) -> usize {
        let above = self.layout.get(section).map(|(above, _)| above.shown);
        above.unwrap_or_else(|| self.shown_rows()) + section
    }

    /// The section of a row.
    fn section_of(&self, row: usize) -> usize {
        let above = self.layout.at_shown(row).map(|(above, _)| above.sections);
        above.unwrap_or_else(|| self.layout.len())
    }

    /// The position of a row in the column.
    fn row(&self, row: usize) -> usize {
        match self.has_headings {
            true => row + self.section_of(row) + 1,
            false => row,
        }
    }

    /// How many rows there are from a row on to the end of its section: at least one.
    fn rest(&self, row: usize) -> usize {
        match self.layout.at_shown(row) {
            Some((above, placed)) => above.shown + placed.shown - row,
            None => usize::MAX,
        }
    }
}

fn heading<T: Item>(section: &Arc<Section>) -> Arc<FlatItem<T>> {
    Arc::new(FlatItem::new(FlatRow::Heading(Arc::clone(section))))
}

fn headings<T: Item>(sections: &Rows<Section>, from: usize, len: usize) -> Rows<FlatItem<T>> {
    let headings = (from..from + len).filter_map(|at| sections.at(at).map(heading));
    block(headings.collect())
}

fn item<T: Item>(item: &Arc<T>) -> Arc<FlatItem<T>> {
    Arc::new(FlatItem::new(FlatRow::Item(Arc::clone(item))))
}

fn items<T: Item>(rows: &Rows<T>, from: usize, len: usize) -> Rows<FlatItem<T>> {
    let items = (from..from + len).filter_map(|at| rows.at(at).map(item));
    block(items.collect())
}

fn block<T: Item>(items: Vec<Arc<FlatItem<T>>>) -> Rows<FlatItem<T>> {
    let len = items.len();
    Rows::block(Arc::new(items), len)
}

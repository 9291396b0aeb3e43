//! A change set by section as single steps.

use super::by_section::SectionChanges;
use super::order::SectionOrder;
use super::section::SectionRow;
use crate::change::rows::Rows;
use crate::change::set::{ChangeSet, MovedRun, RowRun};
use crate::change::steps::{Step, Waiting};
use crate::item::Item;
use std::sync::Arc;

/// One step of a change set by section; its positions hold at the moment when it is applied.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum SectionStep {
    /// Take `count` rows out of a section, from a position on.
    RemoveRows {
        /// The first of them.
        at: SectionRow,
        /// How many.
        count: usize,
    },
    /// Take one section out with its rows and put it in elsewhere.
    MoveSection {
        /// Its position.
        from: usize,
        /// Its position afterwards.
        to: usize,
    },
    /// Put in `count` sections without rows, from a position on. They are the sections that the list has now; their
    /// rows follow.
    InsertSections {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
        /// Position in A of the first of them: sections that leave are still between at this moment.
        after: usize,
    },
    /// Take one row out and put it in elsewhere, perhaps in another section.
    MoveRow {
        /// Where it is.
        from: SectionRow,
        /// Where it is afterwards, counted after it was taken out.
        to: SectionRow,
    },
    /// Take out `count` sections, which have no rows any more.
    RemoveSections {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
    },
    /// Put `count` rows into a section, from a position on. They are the rows that the list has there now.
    InsertRows {
        /// The first of them.
        at: SectionRow,
        /// How many.
        count: usize,
    },
    /// Draw `count` rows again: their items differ.
    UpdateRows {
        /// The first of them.
        at: SectionRow,
        /// How many.
        count: usize,
    },
    /// Draw `count` headings again: their texts, counts or totals differ, or they were collapsed or expanded.
    UpdateSections {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
    },
}

impl<T: Item> SectionChanges<T> {
    /// The same change one step at a time: rows out from the last to the first; sections moved and put in; rows
    /// moved; empty sections out; rows in from the first to the last; rows and headings drawn again. Neighbours
    /// are one step. O(k log k) in the rows and sections of the set.
    ///
    /// ```
    /// use usual_tide::sections::{SectionRow, SectionStep};
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let feed = store.feed(list)?;
    /// store.edit(&3, |piece| piece.shelf = "A".into())?;
    /// let changes = feed.read(&store)?.ok_or("no change")?.by_section();
    /// let place = |section, row| SectionRow { section, row };
    /// assert_eq!(changes.steps(), [
    ///     SectionStep::MoveRow { from: place(1, 0), to: place(0, 2) },
    ///     SectionStep::RemoveSections { at: 1, count: 1 },
    ///     SectionStep::UpdateRows { at: place(0, 2), count: 1 },
    ///     SectionStep::UpdateSections { at: 0, count: 1 },
    /// ]);
    /// # Ok(()) }
    /// ```
    pub fn steps(&self) -> Vec<SectionStep> {
        let order = SectionOrder::of(&self.sections);
        let mut steps = Vec::new();
        let removed = self.removed.iter().rev();
        steps.extend(removed.map(|run| SectionStep::RemoveRows {
            at: run.at,
            count: run.rows.len(),
        }));
        self.push_section_steps(&order, &mut steps);
        self.push_row_moves(&order, &mut steps);
        for range in order.leaving().iter().rev() {
            steps.push(SectionStep::RemoveSections {
                at: range.start,
                count: range.len(),
            });
        }
        steps.extend(self.inserted.iter().map(|run| SectionStep::InsertRows {
            at: run.at,
            count: run.rows.len(),
        }));
        for row in &self.updated {
            match steps.last_mut() {
                Some(SectionStep::UpdateRows { at, count })
                    if at.section == row.to.section && at.row + *count == row.to.row =>
                {
                    *count += 1;
                }
                _ => steps.push(SectionStep::UpdateRows {
                    at: row.to,
                    count: 1,
                }),
            }
        }
        for section in self.sections.updated() {
            match steps.last_mut() {
                Some(SectionStep::UpdateSections { at, count }) if *at + *count == section.to => {
                    *count += 1;
                }
                _ => steps.push(SectionStep::UpdateSections {
                    at: section.to,
                    count: 1,
                }),
            }
        }
        steps
    }

    /// The steps that bring the sections of B into this order.
    fn push_section_steps(&self, order: &SectionOrder, steps: &mut Vec<SectionStep>) {
        let sections = &self.sections;
        let moved = sections.moved().iter().flat_map(|run| {
            (0..run.len).map(|offset| MovedRun {
                from: run.from + offset,
                to: order.of_after(run.to + offset),
                len: 1,
            })
        });
        let mut inserted = Vec::new();
        let mut after = Vec::new();
        for run in sections.inserted() {
            for (at, section) in run.range().zip(run.rows.iter()) {
                inserted.push(RowRun {
                    at: order.of_after(at),
                    rows: Rows::one(Arc::clone(section)),
                });
                after.push(at);
            }
        }
        let change = ChangeSet {
            moved: moved.collect(),
            inserted,
            after: order.len(),
            before: sections.len_before(),
            ..ChangeSet::unchanged(0)
        };
        let mut after = after.into_iter();
        for step in change.steps() {
            match step {
                Step::Move { from, to } => steps.push(SectionStep::MoveSection { from, to }),
                Step::Insert { at, .. } => {
                    let Some(after) = after.next() else { continue };
                    match steps.last_mut() {
                        Some(SectionStep::InsertSections {
                            at: first,
                            count,
                            after: start,
                        }) if *first + *count == at && *start + *count == after => *count += 1,
                        _ => steps.push(SectionStep::InsertSections {
                            at,
                            count: 1,
                            after,
                        }),
                    }
                }
                Step::Remove { .. } | Step::Update { .. } => {}
            }
        }
    }

    /// The moves of rows, when the removed rows are out and the sections are in their order.
    ///
    /// As in a flat list rows are put in in the order of A, each right after the row that A has before it in its
    /// section among those that stay or were put in already.
    fn push_row_moves(&self, order: &SectionOrder, steps: &mut Vec<SectionStep>) {
        let rows = self.moved_rows(order);
        let mut by_origin: Vec<usize> = (0..rows.len()).collect();
        by_origin.sort_unstable_by_key(|row| rows[*row].from);
        let mut rank = vec![0; rows.len()];
        for (place, row) in by_origin.iter().enumerate() {
            rank[*row] = place;
        }
        let origins: Vec<Gap> = by_origin.iter().map(|row| rows[*row].gap_before).collect();
        let first_of = |section: usize| origins.partition_point(|gap| gap.section < section);
        let mut waiting = Waiting::all(rows.len());
        for (done, row) in rows.iter().enumerate() {
            let put_in =
                |until: Gap| rows[..done].partition_point(|other| other.gap_after <= until);
            let put_in_before =
                |section| rows[..done].partition_point(|other| other.gap_after.section < section);
            let here = row.gap_before;
            let from = SectionRow {
                section: here.section,
                row: here.gap + waiting.before(rank[done]) - waiting.before(first_of(here.section))
                    + put_in(here)
                    - put_in_before(here.section),
            };
            waiting.take(rank[done]);
            let there = row.gap_after;
            let lower = origins.partition_point(|gap| *gap < there);
            let to = SectionRow {
                section: there.section,
                row: there.gap + done - put_in_before(there.section) + waiting.before(lower)
                    - waiting.before(first_of(there.section)),
            };
            steps.push(SectionStep::MoveRow { from, to });
        }
    }

    /// The moved rows in the order of A, with sections as they are while rows move.
    fn moved_rows(&self, order: &SectionOrder) -> Vec<MovedRow> {
        // How many rows of a section before a position leave it, or arrive in it.
        let left = self.removed.iter().map(|run| (run.at, run.rows.len()));
        let left = Counted::new(left.chain(self.moved.iter().map(|run| (run.from, run.len))));
        let arrived = self.inserted.iter().map(|run| (run.at, run.rows.len()));
        let arrived = Counted::new(arrived.chain(self.moved.iter().map(|run| (run.to, run.len))));
        let mut rows: Vec<MovedRow> = Vec::new();
        for run in &self.moved {
            for offset in 0..run.len {
                let behind = |at: SectionRow| SectionRow {
                    row: at.row + offset,
                    ..at
                };
                let (from, to) = (behind(run.from), behind(run.to));
                rows.push(MovedRow {
                    from: (order.of_before(from.section), from.row),
                    gap_before: Gap {
                        section: order.of_before(from.section),
                        gap: from.row - left.before(from),
                    },
                    gap_after: Gap {
                        section: order.of_after(to.section),
                        gap: to.row - arrived.before(to),
                    },
                });
            }
        }
        // By section in the order of the moment, and within it in the order of A, which `moved` has.
        rows.sort_by_key(|row| row.gap_after.section);
        rows
    }
}

/// A moved row: where it was, and how many of the rows that stay stand before it in its section.
struct MovedRow {
    from: (usize, usize),
    gap_before: Gap,
    gap_after: Gap,
}

/// A place among the rows of a section that stay.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Gap {
    section: usize,
    gap: usize,
}

/// Runs of rows by section, ascending, with the number of rows of the section before each.
struct Counted(Vec<(SectionRow, usize, usize)>);

impl Counted {
    fn new(runs: impl Iterator<Item = (SectionRow, usize)>) -> Self {
        let mut runs: Vec<(SectionRow, usize, usize)> =
            runs.map(|(at, len)| (at, len, 0)).collect();
        runs.sort_unstable_by_key(|run| (run.0.section, run.0.row));
        let mut before = 0;
        let mut section = None;
        for run in &mut runs {
            if section != Some(run.0.section) {
                (section, before) = (Some(run.0.section), 0);
            }
            run.2 = before;
            before += run.1;
        }
        Self(runs)
    }

    /// How many of the rows are before a place in its section.
    fn before(&self, place: SectionRow) -> usize {
        let after = self
            .0
            .partition_point(|run| (run.0.section, run.0.row) <= (place.section, place.row));
        let run = after.checked_sub(1).map(|run| &self.0[run]);
        match run.filter(|run| run.0.section == place.section) {
            Some((at, len, before)) => before + (place.row - at.row).min(*len),
            None => 0,
        }
    }
}

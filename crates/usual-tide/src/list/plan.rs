//! How the rows before become the rows after, in runs.

use crate::change::RowBlock;
use crate::item::Snapshot;
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use std::ops::Range;
use std::sync::Arc;

/// The runs of rows that stay, leave and arrive, in the order of the list.
#[derive(Default)]
pub(super) struct Plan {
    pub(super) parts: Vec<Part>,
    /// The rows that leave, in order.
    pub(super) leaving: Vec<Slot>,
}

/// A run of rows: `at` is its position before, `first` its place among those that leave or arrive.
pub(super) enum Part {
    Stays { at: usize, len: usize },
    Leaves { at: usize, first: usize, len: usize },
    Arrives { first: usize, len: usize },
}

impl Plan {
    pub(super) fn keep_or_leave(&mut self, at: usize, slot: Slot, keep: bool) {
        self.run(at, &[slot], keep);
    }

    pub(super) fn arrive(&mut self, first: usize) {
        self.push(Part::Arrives { first, len: 1 });
    }

    /// The plan for the rows of a list, of which some stay; in parts, side by side.
    pub(super) fn of_rows(rows: &RowTree, stays: &[bool]) -> Self {
        let plans = in_parts(stays.len(), |part| {
            let leaving = stays[part.clone()].iter().filter(|stays| !**stays).count();
            let mut plan = Self {
                parts: Vec::new(),
                leaving: Vec::with_capacity(leaving),
            };
            let mut at = part.start;
            for_each_run(rows, stays, part, |slots, stay| {
                plan.run(at, slots, stay);
                at += slots.len();
            });
            plan
        });
        let mut plans = plans.into_iter();
        let mut all = plans.next().unwrap_or_default();
        plans.for_each(|plan| all.append(plan, 0, 0));
        all
    }

    /// The plan for a list in source order that is to show the rows of the source that are hits, and the rows that arrive; in
    /// parts, side by side.
    pub(super) fn of_source(source: &RowTree, rows: &RowTree, hits: &[bool]) -> (Self, Vec<Slot>) {
        if source.len() == rows.len() {
            return (Self::of_rows(source, hits), Vec::new());
        }
        let plans = in_parts(hits.len(), |part| {
            let (mut plan, mut arriving, mut at) = (Self::default(), Vec::new(), 0);
            for_each_run(source, hits, part, |slots, hit| {
                for slot in slots {
                    if rows.contains(*slot) {
                        plan.keep_or_leave(at, *slot, hit);
                        at += 1;
                    } else if hit {
                        plan.arrive(arriving.len());
                        arriving.push(*slot);
                    }
                }
            });
            (plan, arriving, at)
        });
        let (mut all, mut arriving, mut rows_before) = (Self::default(), Vec::new(), 0);
        for (plan, new, rows) in plans {
            all.append(plan, rows_before, arriving.len());
            arriving.extend(new);
            rows_before += rows;
        }
        (all, arriving)
    }

    /// A run of rows of which all stay or all leave.
    fn run(&mut self, at: usize, slots: &[Slot], stay: bool) {
        let (first, len) = (self.leaving.len(), slots.len());
        if !stay {
            self.leaving.extend_from_slice(slots);
        }
        self.push(match stay {
            true => Part::Stays { at, len },
            false => Part::Leaves { at, first, len },
        });
    }

    /// Adds the plan for the rows that follow, whose positions begin after so many rows, and those that arrive after so many.
    fn append(&mut self, plan: Self, rows_before: usize, arrived_before: usize) {
        let left_before = self.leaving.len();
        self.leaving.extend(plan.leaving);
        for part in plan.parts {
            self.push(match part {
                Part::Stays { at, len } => Part::Stays {
                    at: rows_before + at,
                    len,
                },
                Part::Leaves { at, first, len } => Part::Leaves {
                    at: rows_before + at,
                    first: left_before + first,
                    len,
                },
                Part::Arrives { first, len } => Part::Arrives {
                    first: arrived_before + first,
                    len,
                },
            });
        }
    }

    /// Adds a part, to the last one where they are of one kind.
    fn push(&mut self, part: Part) {
        match (self.parts.last_mut(), &part) {
            (Some(Part::Stays { len, .. }), Part::Stays { len: more, .. })
            | (Some(Part::Leaves { len, .. }), Part::Leaves { len: more, .. })
            | (Some(Part::Arrives { len, .. }), Part::Arrives { len: more, .. }) => *len += more,
            _ => self.parts.push(part),
        }
    }
}

/// Runs of rows, each within a leaf, that have the same answer.
fn for_each_run(
    rows: &RowTree,
    answers: &[bool],
    part: Range<usize>,
    mut run: impl FnMut(&[Slot], bool),
) {
    let mut answers = &answers[part.clone()];
    for mut slots in rows.chunks_in(part) {
        while let Some(first) = answers[..slots.len()].first() {
            let same = answers[..slots.len()].iter();
            let len = same.take_while(|other| *other == first).count();
            let (these, others) = slots.split_at(len);
            run(these, *first);
            (slots, answers) = (others, &answers[len..]);
        }
    }
}

/// Rows of a change with the items that they had.
pub(super) struct RowItems<T> {
    pub(super) slots: Vec<Slot>,
    pub(super) items: Snapshot<T>,
}

impl<T: Send + Sync> RowBlock<T> for RowItems<T> {
    fn item(&self, index: usize) -> Option<&Arc<T>> {
        self.items.get(*self.slots.get(index)?)
    }
}

//! How the rows before become the rows after, in runs.

use crate::change::RowBlock;
use crate::item::{SectionKey, Snapshot};
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use std::ops::Range;
use std::sync::Arc;

/// The runs of rows that stay, leave and arrive, in the order of the list.
#[derive(Default)]
pub(super) struct Plan {
    /// Neighbours are of different kinds.
    runs: Vec<Run>,
    /// The rows that leave, in order.
    pub(super) leaving: Vec<Slot>,
}

/// There may be as many of them as rows, so that they are kept small: where a run is follows from those before it.
#[derive(Clone, Copy)]
struct Run {
    kind: Kind,
    len: u32,
}

#[derive(Clone, Copy, PartialEq)]
enum Kind {
    Stays,
    Leaves,
    Arrives,
}

/// A run of rows: `at` is its position before, `first` its place among those that leave or arrive.
pub(super) enum Part {
    Stays { at: usize, len: usize },
    Leaves { at: usize, first: usize, len: usize },
    Arrives { first: usize, len: usize },
}

impl Plan {
    /// Its runs one after the other.
    pub(super) fn parts(&self) -> impl Iterator<Item = Part> {
        let (mut at, mut left, mut arrived) = (0, 0, 0);
        self.runs.iter().map(move |run| {
            let len = run.len as usize;
            match run.kind {
                Kind::Stays => {
                    at += len;
                    Part::Stays { at: at - len, len }
                }
                Kind::Leaves => {
                    (at, left) = (at + len, left + len);
                    Part::Leaves {
                        at: at - len,
                        first: left - len,
                        len,
                    }
                }
                Kind::Arrives => {
                    arrived += len;
                    Part::Arrives {
                        first: arrived - len,
                        len,
                    }
                }
            }
        })
    }

    pub(super) fn part_count(&self) -> usize {
        self.runs.len()
    }

    /// How many runs of rows leave.
    pub(super) fn leaving_runs(&self) -> usize {
        let leaves = self.runs.iter().filter(|run| run.kind == Kind::Leaves);
        leaves.count()
    }

    /// How many rows arrive in each section, where there are any, of the sections of all rows after.
    pub(super) fn arriving_in(&self, sections: &[(SectionKey, usize)]) -> Vec<(SectionKey, usize)> {
        let mut arriving: Vec<(SectionKey, usize)> = Vec::new();
        let mut sections = sections.iter();
        let (mut at, mut end, mut section) = (0, 0, None);
        for part in self.parts() {
            let (mut rows, arrives) = match part {
                Part::Stays { len, .. } => (len, false),
                Part::Arrives { len, .. } => (len, true),
                Part::Leaves { .. } => continue,
            };
            while rows > 0 {
                if at == end {
                    let Some((key, count)) = sections.next() else {
                        return arriving;
                    };
                    (end, section) = (end + count, Some(key));
                }
                let here = rows.min(end - at);
                match (section, arriving.last_mut()) {
                    (Some(key), Some((last, count))) if arrives && last == key => *count += here,
                    (Some(key), _) if arrives => arriving.push((key.clone(), here)),
                    _ => {}
                }
                (at, rows) = (at + here, rows - here);
            }
        }
        arriving
    }

    pub(super) fn keep_or_leave(&mut self, slot: Slot, keep: bool) {
        self.run(&[slot], keep);
    }

    pub(super) fn arrive(&mut self, rows: usize) {
        if rows > 0 {
            self.push(Kind::Arrives, rows);
        }
    }

    /// The plan for the rows of a list, of which some stay; in parts, side by side.
    pub(super) fn of_rows(rows: &RowTree, stays: &[bool]) -> Self {
        let plans = in_parts(stays.len(), |part| {
            let leaving = stays[part.clone()].iter().filter(|stays| !**stays).count();
            let mut plan = Self {
                runs: Vec::new(),
                leaving: Vec::with_capacity(leaving),
            };
            for_each_run(rows, stays, part, |slots, stay| plan.run(slots, stay));
            plan
        });
        let mut plans = plans.into_iter();
        let mut all = plans.next().unwrap_or_default();
        plans.for_each(|plan| all.append(plan));
        all
    }

    /// The plan for a list in source order that is to show the rows of the source that are hits, and the rows that arrive; in
    /// parts, side by side.
    pub(super) fn of_source(source: &RowTree, rows: &RowTree, hits: &[bool]) -> (Self, Vec<Slot>) {
        if source.len() == rows.len() {
            return (Self::of_rows(source, hits), Vec::new());
        }
        let plans = in_parts(hits.len(), |part| {
            let (mut plan, mut arriving) = (Self::default(), Vec::new());
            for_each_run(source, hits, part, |slots, hit| {
                for slot in slots {
                    if rows.contains(*slot) {
                        plan.keep_or_leave(*slot, hit);
                    } else if hit {
                        plan.arrive(1);
                        arriving.push(*slot);
                    }
                }
            });
            (plan, arriving)
        });
        let (mut all, mut arriving) = (Self::default(), Vec::new());
        for (plan, new) in plans {
            all.append(plan);
            arriving.extend(new);
        }
        (all, arriving)
    }

    /// A run of rows of which all stay or all leave.
    fn run(&mut self, slots: &[Slot], stay: bool) {
        if !stay {
            self.leaving.extend_from_slice(slots);
        }
        let kind = if stay { Kind::Stays } else { Kind::Leaves };
        self.push(kind, slots.len());
    }

    /// Adds the plan for the rows that follow.
    fn append(&mut self, plan: Self) {
        self.leaving.extend(plan.leaving);
        if let [first, others @ ..] = &plan.runs[..] {
            self.push(first.kind, first.len as usize);
            self.runs.extend_from_slice(others);
        }
    }

    /// Adds rows, to the last run where they are of one kind. A list has fewer than 2^32.
    fn push(&mut self, kind: Kind, rows: usize) {
        let len = rows as u32;
        match self.runs.last_mut() {
            Some(last) if last.kind == kind => last.len += len,
            _ => self.runs.push(Run { kind, len }),
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

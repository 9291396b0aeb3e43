//! Taking back what an edit did to a list, without asking any user code.

use super::grouping::Sectioned;
use super::log::{Entry, lock};
use super::rollback_step::RollbackStep;
use super::state::ListState;
use crate::item::Item;
use crate::sorts::by_number;
use std::sync::Arc;

/// A state that a list can be taken back to.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Savepoint(usize);

impl Savepoint {
    /// That of a list of which nothing can be taken back.
    pub(crate) const FINAL: Self = Self(0);
}

impl<T: Item> ListState<T> {
    /// The state now, good until the next [`seal`](Self::seal).
    pub(crate) fn savepoint(&self) -> Savepoint {
        Savepoint(self.rollback.len())
    }

    /// Makes all changes final.
    pub(crate) fn finish_edit(&mut self) {
        self.keep_earlier_order();
        self.rollback.clear();
        self.log.trim(self.rows.len());
    }

    /// Takes back the changes since a mark.
    pub(crate) fn roll_back(&mut self, savepoint: Savepoint) {
        // Its version may come again with other rows.
        self.row_text = None;
        // They are those of the items that are taken back.
        self.next_bytes = None;
        let mut made = Vec::new();
        while self.rollback.len() > savepoint.0 {
            match self.rollback.pop() {
                Some(RollbackStep::Removed { slot, at, key }) => self.rows.insert(at, slot, key),
                Some(RollbackStep::Inserted { slot }) => {
                    self.rows.remove(slot);
                }
                Some(RollbackStep::RemovedRun {
                    at,
                    shown,
                    range,
                    keys,
                }) => self.rows.insert_run(at, &shown.slots[range], &keys),
                Some(RollbackStep::InsertedRun { at, len }) => {
                    self.rows.remove_run(at, len, |_| ())
                }
                Some(RollbackStep::Merged { mut out, into }) => {
                    for slot in into {
                        self.rows.remove(slot);
                    }
                    by_number(&mut out, |row| row.1.0);
                    for (slot, (at, key)) in out {
                        self.rows.insert(at, slot, key);
                    }
                }
                Some(RollbackStep::Rebuilt(rows)) => self.rows = rows.restored(),
                Some(RollbackStep::Requeried(query)) => self.query = *query,
                Some(RollbackStep::Held(held)) => self.held = held,
                Some(RollbackStep::HeldRow { slot, placed_by }) => {
                    match placed_by {
                        Some(item) => self.held.insert(slot, item),
                        None => self.held.remove(&slot),
                    };
                }
                Some(RollbackStep::Sections { before, tallied }) => {
                    if let Some((grouping, group)) =
                        self.grouping.as_mut().zip(self.query.grouping())
                    {
                        grouping.layout = before;
                        grouping.roll_back(group, tallied);
                    }
                }
                Some(RollbackStep::Collapsed { layout, toggled }) => {
                    if let Some(grouping) = &mut self.grouping {
                        grouping.layout = layout;
                        for key in toggled {
                            grouping.toggle(key);
                        }
                    }
                }
                Some(RollbackStep::Regrouped(grouping)) => {
                    self.grouping = grouping.map(|grouping| *grouping);
                }
                Some(RollbackStep::Logged) => self.log.forget_last(),
                Some(RollbackStep::FeedMade(cursor)) => made.extend(cursor.upgrade()),
                Some(RollbackStep::Touched) | None => {}
            }
        }
        for cursor in made {
            self.begin_at_now(&mut lock(&cursor));
        }
    }

    /// Notes a change that is complete.
    pub(super) fn note(&mut self, entry: Entry<T>, sectioned: Option<Arc<Sectioned>>) {
        self.log.push(entry, sectioned);
        self.rollback.push(RollbackStep::Logged);
    }
}

//! Taking back what an edit did to a list, without asking any user code.

use super::grouping::Sectioned;
use super::log::{Entry, lock};
use super::state::ListState;
use super::undo::Undo;
use crate::item::Item;

/// A state that a list can be taken back to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Mark(usize);

impl<T: Item> ListState<T> {
    /// The state now, good until the next [`seal`](Self::seal).
    pub(crate) fn mark(&self) -> Mark {
        Mark(self.undo.len())
    }

    /// Makes all changes final.
    pub(crate) fn seal(&mut self) {
        self.undo.clear();
        self.log.trim(self.rows.len());
    }

    /// Takes back the changes since a mark.
    pub(crate) fn roll_back(&mut self, mark: Mark) {
        // Its version may come again with other rows.
        self.near_text = None;
        let mut made = Vec::new();
        while self.undo.len() > mark.0 {
            match self.undo.pop() {
                Some(Undo::Removed { slot, at, key }) => self.rows.insert(at, slot, key),
                Some(Undo::Inserted { slot }) => {
                    self.rows.remove(slot);
                }
                Some(Undo::RemovedRun {
                    at,
                    shown,
                    range,
                    keys,
                }) => self.rows.insert_run(at, &shown.slots[range], &keys),
                Some(Undo::InsertedRun { at, len }) => self.rows.remove_run(at, len, |_| ()),
                Some(Undo::Merged { mut out, into }) => {
                    for slot in into {
                        self.rows.remove(slot);
                    }
                    out.sort_unstable_by_key(|row| row.1.0);
                    for (slot, (at, key)) in out {
                        self.rows.insert(at, slot, key);
                    }
                }
                Some(Undo::Rebuilt(rows)) => self.rows = *rows,
                Some(Undo::Requeried(query)) => self.query = *query,
                Some(Undo::Held(held)) => self.held = held,
                Some(Undo::Sections { before, tallied }) => {
                    if let Some((grouping, group)) =
                        self.grouping.as_mut().zip(self.query.grouping())
                    {
                        grouping.layout = before;
                        grouping.take_back(group, tallied);
                    }
                }
                Some(Undo::Collapsed { layout, collapsed }) => {
                    if let Some(grouping) = &mut self.grouping {
                        grouping.layout = layout;
                        grouping.collapsed = collapsed;
                    }
                }
                Some(Undo::Regrouped(grouping)) => {
                    self.grouping = grouping.map(|grouping| *grouping);
                }
                Some(Undo::Logged) => self.log.forget_last(),
                Some(Undo::FeedMade(cursor)) => made.extend(cursor.upgrade()),
                None => {}
            }
        }
        for cursor in made {
            self.begin_at_now(&mut lock(&cursor));
        }
    }

    /// Notes a change that is complete.
    pub(super) fn note(&mut self, entry: Entry<T>, sectioned: Option<Box<Sectioned>>) {
        self.log.push(entry, sectioned);
        self.undo.push(Undo::Logged);
    }
}

//! What a person did, so that it can be undone and done again.

use super::Store;
use super::journal::{PriorPlace, Step};
use crate::item::Item;
use crate::order::Slot;
use std::collections::VecDeque;
use std::sync::Arc;

/// Steps that can be undone unless the app says otherwise.
const DEPTH: usize = 100;

/// The steps that can be undone and done again.
pub(super) struct UndoLog<T: Item> {
    pub(super) done: VecDeque<UndoStep<T>>,
    pub(super) undone: Vec<UndoStep<T>>,
    pub(super) depth: usize,
    /// Names the state of the store: what is taken back exactly gives it its old name again.
    pub(super) state: u64,
    last_state: u64,
    /// The name of the batch under way.
    pub(super) name: Option<Box<str>>,
    /// Where the edit under way is to be noted.
    pub(super) route: Origin,
}

/// Where an edit comes from, and so where it is noted.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Origin {
    /// A step that can be undone.
    Person,
    /// No step.
    Source,
    /// The last step taken back; `exact` when nothing has happened since.
    Back { exact: bool },
    /// The last step that was taken back, done again.
    Forth { exact: bool },
}

/// One step: an edit or a batch, as what it did.
pub(super) struct UndoStep<T: Item> {
    pub(super) name: Option<Box<str>>,
    pub(super) edits: Arc<[ItemEdit<T>]>,
    before: u64,
    pub(super) after: u64,
}

/// What was done to one item.
pub(super) enum ItemEdit<T: Item> {
    Added {
        item: Arc<T>,
    },
    Removed {
        item: Arc<T>,
        was_at: SourcePlace<T::Key>,
    },
    Replaced {
        before: Arc<T>,
        after: Arc<T>,
    },
    Detached {
        item: Arc<T>,
        was_at: SourcePlace<T::Key>,
    },
    Attached {
        item: Arc<T>,
    },
}

/// A place in source order, blank rows of drafts left out: the position, and the key of the item before
/// it.
#[derive(Clone)]
pub(super) struct SourcePlace<K> {
    pub(super) at: usize,
    pub(super) after: Option<K>,
}

impl<T: Item> UndoLog<T> {
    pub(super) fn new() -> Self {
        Self {
            done: VecDeque::new(),
            undone: Vec::new(),
            depth: DEPTH,
            state: 0,
            last_state: 0,
            name: None,
            route: Origin::Person,
        }
    }

    /// Whether the edit under way is to be noted as acts.
    fn records_edits(&self) -> bool {
        self.depth > 0 && self.route != Origin::Source
    }

    /// The source has made another version of an item that was added.
    pub(super) fn update_added(&mut self, added: &Arc<T>, now: &Arc<T>) {
        let is_it = |edit: &ItemEdit<T>| matches!(edit, ItemEdit::Added { item } if Arc::ptr_eq(item, added));
        for step in self.done.iter_mut().chain(&mut self.undone) {
            if step.edits.iter().any(is_it) {
                let known = step.edits.iter().map(|edit| match is_it(edit) {
                    true => ItemEdit::Added {
                        item: Arc::clone(now),
                    },
                    false => edit.clone(),
                });
                step.edits = known.collect();
            }
        }
    }

    /// Notes an edit that is final; without acts it is no step.
    fn note(&mut self, edits: Option<Vec<ItemEdit<T>>>) {
        let before = self.state;
        self.last_state += 1;
        self.state = self.last_state;
        let name = self.name.take();
        let route = std::mem::replace(&mut self.route, Origin::Person);
        let reverted = match route {
            Origin::Person | Origin::Source => None,
            Origin::Back { exact } => self.done.pop_back().map(|step| (step, exact)),
            Origin::Forth { exact } => self.undone.pop().map(|step| (step, exact)),
        };
        let name = match reverted {
            Some((step, exact)) => {
                if exact {
                    self.state = step.before;
                }
                step.name
            }
            None => name,
        };
        let Some(edits) = edits else { return };
        let step = UndoStep {
            name,
            edits: edits.into(),
            before,
            after: self.state,
        };
        if matches!(route, Origin::Back { .. }) {
            self.undone.push(step);
            return;
        }
        if route == Origin::Person {
            self.undone.clear();
        }
        self.done.push_back(step);
        while self.done.len() > self.depth {
            self.done.pop_front();
        }
    }
}

impl<T: Item> Clone for ItemEdit<T> {
    fn clone(&self) -> Self {
        match self {
            Self::Added { item } => Self::Added {
                item: Arc::clone(item),
            },
            Self::Removed { item, was_at } => Self::Removed {
                item: Arc::clone(item),
                was_at: was_at.clone(),
            },
            Self::Replaced { before, after } => Self::Replaced {
                before: Arc::clone(before),
                after: Arc::clone(after),
            },
            Self::Detached { item, was_at } => Self::Detached {
                item: Arc::clone(item),
                was_at: was_at.clone(),
            },
            Self::Attached { item } => Self::Attached {
                item: Arc::clone(item),
            },
        }
    }
}

impl<T: Item> ItemEdit<T> {
    pub(super) fn key(&self) -> &T::Key {
        match self {
            Self::Added { item }
            | Self::Removed { item, .. }
            | Self::Replaced { before: item, .. }
            | Self::Detached { item, .. }
            | Self::Attached { item } => item.key(),
        }
    }
}

impl<T: Item> Store<T> {
    /// Notes the steps of an edit that is final.
    pub(super) fn note_steps(&mut self) {
        let reverts = matches!(
            self.history.route,
            Origin::Back { .. } | Origin::Forth { .. }
        );
        let plain = self.is_plain();
        let nothing = if plain {
            self.journal.steps.is_empty()
        } else {
            self.edits().is_empty()
        };
        if nothing && !reverts {
            self.history.name = None;
            self.history.route = Origin::Person;
            return;
        }
        let edits = self
            .history
            .records_edits()
            .then(|| self.item_edits(plain))
            .flatten();
        self.history.note(edits);
    }

    /// The steps as acts; none when source order was laid anew, which only the source does.
    pub(super) fn item_edits(&self, plain: bool) -> Option<Vec<ItemEdit<T>>> {
        if plain {
            return self
                .journal
                .steps
                .iter()
                .map(|step| self.item_edit(step))
                .collect();
        }
        self.edits()
            .into_iter()
            .map(|step| self.item_edit(step))
            .collect()
    }

    /// What a step did to an item; none when that is not all that it did.
    pub(super) fn item_edit(&self, step: &Step<T>) -> Option<ItemEdit<T>> {
        let item = |slot: Slot| self.items.get(slot).cloned();
        let was_at = |at: usize, prior: PriorPlace| SourcePlace {
            at: at - prior.blanks,
            after: prior.after.and_then(item).map(|item| item.key().clone()),
        };
        Some(match step {
            Step::Added { item, .. } => ItemEdit::Added {
                item: Arc::clone(item),
            },
            Step::Removed { slot, at, prior } => ItemEdit::Removed {
                item: item(*slot)?,
                was_at: was_at((*at)?, *prior),
            },
            Step::Replaced { before, after, .. } => ItemEdit::Replaced {
                before: Arc::clone(before),
                after: Arc::clone(after),
            },
            Step::Detached { slot, at, prior } => ItemEdit::Detached {
                item: item(*slot)?,
                was_at: was_at(*at, *prior),
            },
            Step::Attached { slot } => ItemEdit::Attached { item: item(*slot)? },
            Step::Committed { item } => ItemEdit::Added {
                item: Arc::clone(item),
            },
            Step::Returned { slot } => ItemEdit::Added { item: item(*slot)? },
            Step::Moved { .. }
            | Step::Withdrawn { .. }
            | Step::Gone { .. }
            | Step::Reordered { .. }
            | Step::Concealed { .. }
            | Step::Revealed { .. }
            | Step::SpecialRows { .. } => return None,
        })
    }

    /// Whether every step is an edit of an item.
    pub(super) fn is_plain(&self) -> bool {
        let plain = |step: &Step<T>| {
            !matches!(
                step,
                Step::Concealed { .. } | Step::Revealed { .. } | Step::SpecialRows { .. }
            )
        };
        self.special.blanks.is_empty() && self.journal.steps.iter().all(plain)
    }

    /// The steps that are edits of items: blank rows are no items yet, and that a row stands apart is no
    /// edit of it.
    fn edits(&self) -> Vec<&Step<T>> {
        let mut blanks = &self.special.blanks;
        let mut edits = Vec::new();
        // Backwards, since each note of the blank rows says which there were before it.
        for step in self.journal.steps.iter().rev() {
            let slot = match step {
                Step::SpecialRows { before } => {
                    blanks = &before.blanks;
                    continue;
                }
                Step::Concealed { .. } | Step::Revealed { .. } => continue,
                Step::Committed { .. } | Step::Reordered { .. } => None,
                Step::Added { slot, .. }
                | Step::Removed { slot, .. }
                | Step::Replaced { slot, .. }
                | Step::Detached { slot, .. }
                | Step::Attached { slot }
                | Step::Moved { slot }
                | Step::Withdrawn { slot, .. }
                | Step::Returned { slot }
                | Step::Gone { slot } => Some(slot),
            };
            if slot.is_none_or(|slot| !blanks.contains(slot)) {
                edits.push(step);
            }
        }
        edits.reverse();
        edits
    }
}

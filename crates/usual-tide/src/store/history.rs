//! What a person did, so that it can be undone and done again.

use super::Store;
use super::journal::{Near, Step};
use crate::item::Item;
use crate::order::Slot;
use std::collections::VecDeque;
use std::sync::Arc;

/// Steps that can be undone unless the app says otherwise.
const DEPTH: usize = 100;

/// The steps that can be undone and done again.
pub(super) struct History<T: Item> {
    pub(super) done: VecDeque<Deed<T>>,
    pub(super) undone: Vec<Deed<T>>,
    pub(super) depth: usize,
    /// Names the state of the store: what is taken back exactly gives it its old name again.
    pub(super) state: u64,
    last_state: u64,
    /// The name of the batch under way.
    pub(super) name: Option<Box<str>>,
    /// Where the edit under way is to be noted.
    pub(super) route: Route,
}

/// Where an edit comes from, and so where it is noted.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Route {
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
pub(super) struct Deed<T: Item> {
    pub(super) name: Option<Box<str>>,
    pub(super) acts: Arc<[Act<T>]>,
    before: u64,
    pub(super) after: u64,
}

/// What was done to one item.
pub(super) enum Act<T: Item> {
    Added { item: Arc<T> },
    Removed { item: Arc<T>, spot: Spot<T::Key> },
    Replaced { before: Arc<T>, after: Arc<T> },
    Lifted { item: Arc<T>, spot: Spot<T::Key> },
    PutDown { item: Arc<T> },
}

/// A place in source order, blank rows of drafts left out: the position, and the key of the item before
/// it.
#[derive(Clone)]
pub(super) struct Spot<K> {
    pub(super) at: usize,
    pub(super) after: Option<K>,
}

impl<T: Item> History<T> {
    pub(super) fn new() -> Self {
        Self {
            done: VecDeque::new(),
            undone: Vec::new(),
            depth: DEPTH,
            state: 0,
            last_state: 0,
            name: None,
            route: Route::Person,
        }
    }

    /// Whether the edit under way is to be noted as acts.
    fn wants_acts(&self) -> bool {
        self.depth > 0 && self.route != Route::Source
    }

    /// The source has made another version of an item that was added.
    pub(super) fn know_added(&mut self, added: &Arc<T>, now: &Arc<T>) {
        let is_it = |act: &Act<T>| matches!(act, Act::Added { item } if Arc::ptr_eq(item, added));
        for deed in self.done.iter_mut().chain(&mut self.undone) {
            if deed.acts.iter().any(is_it) {
                let known = deed.acts.iter().map(|act| match is_it(act) {
                    true => Act::Added {
                        item: Arc::clone(now),
                    },
                    false => act.clone(),
                });
                deed.acts = known.collect();
            }
        }
    }

    /// Notes an edit that is final; without acts it is no step.
    fn note(&mut self, acts: Option<Vec<Act<T>>>) {
        let before = self.state;
        self.last_state += 1;
        self.state = self.last_state;
        let name = self.name.take();
        let route = std::mem::replace(&mut self.route, Route::Person);
        let reverted = match route {
            Route::Person | Route::Source => None,
            Route::Back { exact } => self.done.pop_back().map(|deed| (deed, exact)),
            Route::Forth { exact } => self.undone.pop().map(|deed| (deed, exact)),
        };
        let name = match reverted {
            Some((deed, exact)) => {
                if exact {
                    self.state = deed.before;
                }
                deed.name
            }
            None => name,
        };
        let Some(acts) = acts else { return };
        let deed = Deed {
            name,
            acts: acts.into(),
            before,
            after: self.state,
        };
        if matches!(route, Route::Back { .. }) {
            self.undone.push(deed);
            return;
        }
        if route == Route::Person {
            self.undone.clear();
        }
        self.done.push_back(deed);
        while self.done.len() > self.depth {
            self.done.pop_front();
        }
    }
}

impl<T: Item> Clone for Act<T> {
    fn clone(&self) -> Self {
        match self {
            Self::Added { item } => Self::Added {
                item: Arc::clone(item),
            },
            Self::Removed { item, spot } => Self::Removed {
                item: Arc::clone(item),
                spot: spot.clone(),
            },
            Self::Replaced { before, after } => Self::Replaced {
                before: Arc::clone(before),
                after: Arc::clone(after),
            },
            Self::Lifted { item, spot } => Self::Lifted {
                item: Arc::clone(item),
                spot: spot.clone(),
            },
            Self::PutDown { item } => Self::PutDown {
                item: Arc::clone(item),
            },
        }
    }
}

impl<T: Item> Act<T> {
    pub(super) fn key(&self) -> &T::Key {
        match self {
            Self::Added { item }
            | Self::Removed { item, .. }
            | Self::Replaced { before: item, .. }
            | Self::Lifted { item, .. }
            | Self::PutDown { item } => item.key(),
        }
    }
}

impl<T: Item> Store<T> {
    /// Notes the steps of an edit that is final.
    pub(super) fn note_steps(&mut self) {
        let reverts = matches!(self.history.route, Route::Back { .. } | Route::Forth { .. });
        let plain = self.is_plain();
        let nothing = if plain {
            self.journal.steps.is_empty()
        } else {
            self.edits().is_empty()
        };
        if nothing && !reverts {
            self.history.name = None;
            self.history.route = Route::Person;
            return;
        }
        let acts = self
            .history
            .wants_acts()
            .then(|| self.acts(plain))
            .flatten();
        self.history.note(acts);
    }

    /// The steps as acts; none when source order was laid anew, which only the source does.
    pub(super) fn acts(&self, plain: bool) -> Option<Vec<Act<T>>> {
        if plain {
            return self
                .journal
                .steps
                .iter()
                .map(|step| self.act(step))
                .collect();
        }
        self.edits()
            .into_iter()
            .map(|step| self.act(step))
            .collect()
    }

    /// What a step did to an item; none when that is not all that it did.
    pub(super) fn act(&self, step: &Step<T>) -> Option<Act<T>> {
        let item = |slot: Slot| self.items.get(slot).cloned();
        let spot = |at: usize, near: Near| Spot {
            at: at - near.blanks,
            after: near.after.and_then(item).map(|item| item.key().clone()),
        };
        Some(match step {
            Step::Added { item, .. } => Act::Added {
                item: Arc::clone(item),
            },
            Step::Removed { slot, at, near } => Act::Removed {
                item: item(*slot)?,
                spot: spot((*at)?, *near),
            },
            Step::Replaced { before, after, .. } => Act::Replaced {
                before: Arc::clone(before),
                after: Arc::clone(after),
            },
            Step::Lifted { slot, at, near } => Act::Lifted {
                item: item(*slot)?,
                spot: spot(*at, *near),
            },
            Step::PutDown { slot } => Act::PutDown { item: item(*slot)? },
            Step::Committed { item } => Act::Added {
                item: Arc::clone(item),
            },
            Step::Returned { slot } => Act::Added { item: item(*slot)? },
            Step::Moved { .. }
            | Step::Withdrawn { .. }
            | Step::Gone { .. }
            | Step::Reordered { .. }
            | Step::Concealed { .. }
            | Step::Revealed { .. }
            | Step::Standing { .. } => return None,
        })
    }

    /// Whether every step is an edit of an item.
    pub(super) fn is_plain(&self) -> bool {
        let plain = |step: &Step<T>| {
            !matches!(
                step,
                Step::Concealed { .. } | Step::Revealed { .. } | Step::Standing { .. }
            )
        };
        self.standing.blanks.is_empty() && self.journal.steps.iter().all(plain)
    }

    /// The steps that are edits of items: blank rows are no items yet, and that a row stands apart is no
    /// edit of it.
    fn edits(&self) -> Vec<&Step<T>> {
        let mut blanks = &self.standing.blanks;
        let mut edits = Vec::new();
        // Backwards, since each note of the blank rows says which there were before it.
        for step in self.journal.steps.iter().rev() {
            let slot = match step {
                Step::Standing { before } => {
                    blanks = &before.blanks;
                    continue;
                }
                Step::Concealed { .. } | Step::Revealed { .. } => continue,
                Step::Committed { .. } | Step::Reordered { .. } => None,
                Step::Added { slot, .. }
                | Step::Removed { slot, .. }
                | Step::Replaced { slot, .. }
                | Step::Lifted { slot, .. }
                | Step::PutDown { slot }
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

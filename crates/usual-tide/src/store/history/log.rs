//! What a person did, so that it can be undone and done again.

use crate::item::Item;
use crate::order::Slot;
use crate::store::Store;
use crate::store::journal::{OpenEdit, Origin, PriorPlace, Step};
use crate::store::special_rows::PriorSpecial;
use hashbrown::{HashMap, HashSet};
use std::collections::VecDeque;
use std::sync::Arc;

/// Steps that can be undone unless the app says otherwise.
const DEPTH: usize = 100;

/// The steps that can be undone and done again.
pub(in crate::store) struct UndoLog<T: Item> {
    pub(in crate::store) done: VecDeque<UndoStep<T>>,
    pub(in crate::store) undone: Vec<UndoStep<T>>,
    pub(in crate::store) depth: usize,
    /// Names the state of the store: what is taken back exactly gives it its old name again.
    pub(in crate::store) state: u64,
    last_state: u64,
    versions: SourceVersions<T>,
}

/// What the source has made of items that were added, by the addresses of the items as they were added.
struct SourceVersions<T> {
    /// The added item, which keeps its address taken, and the version.
    by_address: HashMap<usize, (Arc<T>, Arc<T>)>,
    /// So many may be known before those are dropped that no step needs.
    limit: usize,
}

/// Versions that are kept whether a step needs them or not.
const KEPT_VERSIONS: usize = if cfg!(any(test, fuzzing)) { 2 } else { 1024 };

/// One step: an edit or a batch, as what it did.
pub(in crate::store) struct UndoStep<T: Item> {
    pub(in crate::store) name: Option<Box<str>>,
    pub(in crate::store) edits: Arc<[ItemEdit<T>]>,
    before: u64,
    pub(in crate::store) after: u64,
}

/// What was done to one item.
pub(in crate::store) enum ItemEdit<T: Item> {
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
pub(in crate::store) struct SourcePlace<K> {
    pub(in crate::store) at: usize,
    pub(in crate::store) after: Option<K>,
}

impl<T: Item> UndoLog<T> {
    pub(in crate::store) fn new() -> Self {
        Self {
            done: VecDeque::new(),
            undone: Vec::new(),
            depth: DEPTH,
            state: 0,
            last_state: 0,
            versions: SourceVersions {
                by_address: HashMap::new(),
                limit: KEPT_VERSIONS,
            },
        }
    }

    /// Whether an edit from there is recorded as a step.
    fn records(&self, origin: Origin) -> bool {
        self.depth > 0 && origin != Origin::Source
    }

    /// The source has made another version of an item that was added. O(1), amortised.
    pub(in crate::store) fn update_added(&mut self, added: &Arc<T>, now: &Arc<T>) {
        if self.done.is_empty() && self.undone.is_empty() {
            return;
        }
        let known = (Arc::clone(added), Arc::clone(now));
        self.versions.by_address.insert(address(added), known);
        if self.versions.by_address.len() > self.versions.limit {
            let steps = self.done.iter().chain(&self.undone);
            let added = steps.flat_map(|step| step.edits.iter().filter_map(added_at));
            let added: HashSet<usize> = added.collect();
            let versions = &mut self.versions;
            versions.by_address.retain(|at, _| added.contains(at));
            versions.limit = 2 * versions.by_address.len() + KEPT_VERSIONS;
        }
    }

    /// The edits of a step, with added items as the source has made them.
    pub(super) fn known_edits(&self, step: &UndoStep<T>) -> Arc<[ItemEdit<T>]> {
        let versions = &self.versions.by_address;
        if versions.is_empty() {
            return Arc::clone(&step.edits);
        }
        let known = |edit: &ItemEdit<T>| match added_at(edit).and_then(|at| versions.get(&at)) {
            Some((_, now)) => ItemEdit::Added {
                item: Arc::clone(now),
            },
            None => edit.clone(),
        };
        step.edits.iter().map(known).collect()
    }

    /// Records an edit that is final; `edits` is `None` where it is no step.
    fn record(&mut self, open: OpenEdit, edits: Option<Arc<[ItemEdit<T>]>>) {
        let OpenEdit { origin, name } = open;
        let before = self.state;
        self.last_state += 1;
        self.state = self.last_state;
        let reverted = match origin {
            Origin::Person | Origin::Source => None,
            Origin::Undo { exact } => self.done.pop_back().map(|step| (step, exact)),
            Origin::Redo { exact } => self.undone.pop().map(|step| (step, exact)),
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
            edits,
            before,
            after: self.state,
        };
        if matches!(origin, Origin::Undo { .. }) {
            self.undone.push(step);
            return;
        }
        if origin == Origin::Person {
            self.undone.clear();
        }
        self.done.push_back(step);
        while self.done.len() > self.depth {
            self.done.pop_front();
        }
    }
}

fn address<T>(item: &Arc<T>) -> usize {
    Arc::as_ptr(item).addr()
}

/// The address of an item that was added.
fn added_at<T: Item>(edit: &ItemEdit<T>) -> Option<usize> {
    match edit {
        ItemEdit::Added { item } => Some(address(item)),
        _ => None,
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
    pub(in crate::store) fn key(&self) -> &T::Key {
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
    /// Records the steps of an edit that is final.
    pub(in crate::store) fn note_steps(&mut self, open: OpenEdit) {
        let origin = open.origin;
        let reverts = matches!(origin, Origin::Undo { .. } | Origin::Redo { .. });
        let plain = self.is_plain();
        let nothing = if plain {
            self.journal.steps.is_empty()
        } else {
            self.edits().is_empty()
        };
        if nothing && !reverts {
            return;
        }
        let recorded = self.history.records(origin);
        let edits = match (&self.journal.steps[..], recorded) {
            (_, false) => None,
            // The usual edit, without a copy.
            ([step], true) if plain => self.item_edit(step).map(|edit| Arc::from([edit])),
            _ => self.item_edits(plain).map(Arc::from),
        };
        self.history.record(open, edits);
    }

    /// The steps as edits of items; `None` when source order was replaced as a whole, which only the source does.
    pub(in crate::store) fn item_edits(&self, plain: bool) -> Option<Vec<ItemEdit<T>>> {
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
    pub(in crate::store) fn item_edit(&self, step: &Step<T>) -> Option<ItemEdit<T>> {
        let item = |slot: Slot| self.base.items.get(slot).cloned();
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
            | Step::Special { .. } => return None,
        })
    }

    /// Whether every step is an edit of an item.
    pub(in crate::store) fn is_plain(&self) -> bool {
        let plain = |step: &Step<T>| {
            !matches!(
                step,
                Step::Concealed { .. } | Step::Revealed { .. } | Step::Special { .. }
            )
        };
        self.special.blanks.is_empty() && self.journal.steps.iter().all(plain)
    }

    /// The steps that are edits of items: blank rows are no items yet, and that a row is special is no
    /// edit of it.
    fn edits(&self) -> Vec<&Step<T>> {
        // Rows that were blank then and are not now, or the other way round.
        let mut then: HashMap<Slot, bool> = HashMap::new();
        let mut edits = Vec::new();
        // Backwards, since a step that makes a row blank says whether it was blank before.
        for step in self.journal.steps.iter().rev() {
            let slot = match step {
                Step::Special { prior } => {
                    if let PriorSpecial::Blank { slot, was } = prior {
                        then.insert(*slot, *was);
                    }
                    continue;
                }
                Step::Concealed { .. } | Step::Revealed { .. } => continue,
                _ => step.slot(),
            };
            let is_blank = |slot: Slot| {
                let now = || self.special.blanks.contains(slot);
                then.get(&slot).copied().unwrap_or_else(now)
            };
            if !slot.is_some_and(is_blank) {
                edits.push(step);
            }
        }
        edits.reverse();
        edits
    }
}

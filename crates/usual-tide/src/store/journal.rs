//! What an edit did to the store, so that the lists can follow and a failure can be taken back.

use super::Store;
use super::special_rows::PriorSpecial;
use crate::item::Item;
use crate::list::{Context, ListState, Touch};
use crate::order::{RowTree, Slot};
use hashbrown::HashMap;
use hashbrown::hash_map::Entry;
use std::sync::Arc;

/// One step of an edit.
pub(super) enum Step<T: Item> {
    /// A new item was put into the arena and the key table, and into source order.
    Added { slot: Slot, item: Arc<T> },
    /// An item left the key table and source order; it stays in the arena until the edit is final.
    /// `at` is its position in source order, none when the whole order is noted apart.
    Removed {
        slot: Slot,
        at: Option<usize>,
        prior: PriorPlace,
    },
    /// An item was replaced.
    Replaced {
        slot: Slot,
        before: Arc<T>,
        after: Arc<T>,
    },
    /// An item was taken from its place in source order, to be put down again.
    Detached {
        slot: Slot,
        at: usize,
        prior: PriorPlace,
    },
    /// An item that was taken out was put back.
    Attached { slot: Slot },
    /// An item got another place; the whole order is noted apart.
    Moved { slot: Slot },
    /// An item that waits for the source's answer left the key table and source order, to come back or to
    /// be gone.
    Withdrawn { slot: Slot, at: usize },
    /// It came back.
    Returned { slot: Slot },
    /// It did not.
    Gone { slot: Slot },
    /// Source order was rebuilt.
    Reordered { before: Box<RowTree> },
    /// An item was proposed for removal: lists do not show it.
    Concealed { slot: Slot },
    /// It is shown again, and is not in the removal of this number any more.
    Revealed { slot: Slot, removal: u64 },
    /// A blank row was committed, or the source has it: from now on it is an item like others.
    Committed { item: Arc<T> },
    /// A row was special in another way.
    Special { prior: PriorSpecial<T::Key> },
}

impl<T: Item> Step<T> {
    /// The row that the step touches.
    pub(super) fn slot(&self) -> Option<Slot> {
        match self {
            Self::Added { slot, .. }
            | Self::Removed { slot, .. }
            | Self::Replaced { slot, .. }
            | Self::Detached { slot, .. }
            | Self::Attached { slot }
            | Self::Moved { slot }
            | Self::Withdrawn { slot, .. }
            | Self::Returned { slot }
            | Self::Gone { slot }
            | Self::Concealed { slot }
            | Self::Revealed { slot, .. } => Some(*slot),
            Self::Reordered { .. } | Self::Committed { .. } | Self::Special { .. } => None,
        }
    }
}

/// What an item's place in source order was near to, blank rows of drafts left out: they may be gone
/// when it is to go back.
#[derive(Clone, Copy, Default)]
pub(super) struct PriorPlace {
    /// The row before it.
    pub(super) after: Option<Slot>,
    /// Blank rows before it.
    pub(super) blanks: usize,
}

/// Where an edit comes from: whether rules are checked, and whether it can be undone.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Origin {
    /// The person: rules are checked, and it is a step that can be undone.
    Person,
    /// The source: no rules, and no step.
    Source,
    /// The last step is undone; `exact` when nothing has happened since.
    Undo { exact: bool },
    /// The last undone step is redone.
    Redo { exact: bool },
}

/// An edit or a batch that has begun.
pub(super) struct OpenEdit {
    pub(super) origin: Origin,
    /// The name of the step that it will be.
    pub(super) name: Option<Box<str>>,
}

impl OpenEdit {
    pub(super) fn of(origin: Origin) -> Self {
        let name = None;
        Self { origin, name }
    }
}

/// The steps of the edit under way.
pub(super) struct Journal<T: Item> {
    pub(super) steps: Vec<Step<T>>,
    /// Steps that the lists have followed.
    pub(super) followed: usize,
    /// The edits and batches that are open, one in another, the outermost first.
    pub(super) open: Vec<OpenEdit>,
    /// Lists that were unbound, with their numbers: they are bound again when the edit is taken back.
    pub(super) unbound: Vec<(u64, ListState<T>)>,
}

impl<T: Item> Journal<T> {
    pub(super) fn new() -> Self {
        Self {
            steps: Vec::new(),
            followed: 0,
            open: Vec::new(),
            unbound: Vec::new(),
        }
    }

    /// Whether an edit or a batch is open.
    pub(super) fn is_open(&self) -> bool {
        !self.open.is_empty()
    }

    /// Where the edit under way comes from: the outermost one decides, so that nothing inside it can change
    /// that. Outside of any edit it is the person.
    pub(super) fn origin(&self) -> Origin {
        self.open.first().map_or(Origin::Person, |edit| edit.origin)
    }
}

impl<T: Item> Store<T> {
    /// Lets all lists follow the steps that they have not followed yet. Runs user code.
    pub(super) fn update_lists(&mut self) {
        let Self {
            base,
            lists,
            journal,
            ..
        } = self;
        let steps = &journal.steps[journal.followed..];
        if steps.is_empty() {
            return;
        }
        if base.columns.order_lists() {
            base.columns.bring_up(&mut base.items);
        }
        let context = base.context();
        let (one, many);
        let touches = match steps {
            [step] => {
                one = touch(step, context);
                one.as_slice()
            }
            _ => {
                many = touches(steps, context);
                &many
            }
        };
        for list in lists.iter_mut() {
            list.update(touches, context);
        }
        journal.followed = journal.steps.len();
    }

    /// Makes the edit final: removed items are let go, and feeds have it.
    pub(super) fn finish_edit(&mut self) {
        for list in self.lists.iter_mut() {
            list.finish_edit();
        }
        self.edits += u64::from(!self.journal.steps.is_empty());
        let mut steps = self.journal.steps.drain(..);
        while let Some(step) = steps.next() {
            if let Step::Removed { slot, .. } | Step::Gone { slot } | Step::Concealed { slot } =
                step
                && let Some(item) = self.base.items.get(slot)
            {
                self.base.left.note(item.key(), steps.len());
            }
            if let Step::Removed { slot, .. } | Step::Gone { slot } = step {
                if self.base.source.contains(slot) {
                    // It came back.
                    continue;
                }
                self.base.items.release(slot);
                self.special.forget(slot, &self.base.source);
                self.base.concealed.remove(&slot);
            }
        }
        drop(steps);
        self.uniques.finish_edit();
        self.journal.unbound.clear();
        self.journal.followed = 0;
    }

    /// Takes back the steps from `start` on. Lists are not asked: they have not followed them, or
    /// were taken back before.
    pub(super) fn roll_back(&mut self, start: usize) {
        while self.journal.steps.len() > start {
            match self.journal.steps.pop() {
                Some(Step::Added { slot, .. }) => {
                    self.lift_row(slot);
                    self.base.keys.remove(slot, &self.base.items);
                    self.base.items.release(slot);
                }
                Some(Step::Removed { slot, at, .. }) => {
                    if let Some(at) = at {
                        self.place_row(at, slot);
                    }
                    self.base.keys.insert(slot, &self.base.items);
                }
                Some(Step::Replaced { slot, before, .. }) => {
                    self.base.items.set(slot, before);
                }
                Some(Step::Detached { slot, at, .. }) => self.place_row(at, slot),
                Some(Step::Attached { slot }) => {
                    self.lift_row(slot);
                }
                Some(Step::Withdrawn { slot, at }) => {
                    self.place_row(at, slot);
                    self.base.keys.insert(slot, &self.base.items);
                }
                Some(Step::Returned { slot }) => {
                    self.lift_row(slot);
                    self.base.keys.remove(slot, &self.base.items);
                }
                Some(Step::Reordered { before }) => drop(self.replace_order(*before)),
                Some(Step::Concealed { slot }) => {
                    self.base.concealed.remove(&slot);
                }
                Some(Step::Revealed { slot, removal }) => {
                    self.base.concealed.insert(slot, removal);
                }
                Some(Step::Special { prior }) => {
                    self.special.restore(prior, &self.base.source);
                }
                Some(Step::Moved { .. } | Step::Committed { .. } | Step::Gone { .. }) | None => {}
            }
        }
    }
}

/// Each touched item once, as it was before the steps and as it is now.
fn touches<'a, T: Item>(steps: &'a [Step<T>], context: Context<'a, T>) -> Vec<Touch<'a, T>> {
    // Replaced in ascending order, no item occurs twice; and one that was added has a slot of its own.
    let replaced = |step: &Step<T>| match step {
        Step::Replaced { slot, .. } => Some(*slot),
        _ => None,
    };
    let is_replaced_in_order = steps.is_sorted_by(|one, two| {
        let slots = replaced(one).zip(replaced(two));
        slots.is_some_and(|(one, two)| one < two)
    });
    let is_added = |step: &Step<T>| matches!(step, Step::Added { .. });
    if is_replaced_in_order || steps.iter().all(is_added) {
        return steps
            .iter()
            .filter_map(|step| touch(step, context))
            .collect();
    }
    let mut touches: Vec<Touch<'a, T>> = Vec::with_capacity(steps.len());
    // For each slot its touch, and whether its item before is known for certain: a step that only takes a row
    // away or gives it another place does not show whether the item is replaced later on.
    let mut index: HashMap<Slot, (usize, bool)> = HashMap::with_capacity(steps.len());
    for step in steps {
        let Some(next) = touch(step, context) else {
            continue;
        };
        let replaces = matches!(step, Step::Replaced { .. });
        match index.entry(next.slot) {
            Entry::Vacant(place) => {
                // A row that arrives was not there, whatever becomes of its item.
                place.insert((touches.len(), replaces || next.before.is_none()));
                touches.push(next);
            }
            Entry::Occupied(mut known) => {
                let (at, certain) = known.get_mut();
                let touch = &mut touches[*at];
                touch.moved |= next.moved;
                touch.anew |= next.anew;
                if replaces && !*certain {
                    touch.before = next.before;
                    *certain = true;
                }
            }
        }
    }
    touches.retain(|touch| touch.before.is_some() || touch.after.is_some());
    touches
}

fn touch<'a, T: Item>(step: &'a Step<T>, context: Context<'a, T>) -> Option<Touch<'a, T>> {
    let (slot, moved) = match step {
        Step::Added { slot, .. } | Step::Removed { slot, .. } | Step::Replaced { slot, .. } => {
            (*slot, false)
        }
        Step::Gone { slot } => (*slot, false),
        Step::Detached { slot, .. }
        | Step::Attached { slot }
        | Step::Moved { slot }
        | Step::Withdrawn { slot, .. }
        | Step::Returned { slot } => (*slot, true),
        Step::Concealed { slot } | Step::Revealed { slot, .. } => (*slot, false),
        Step::Reordered { .. } | Step::Committed { .. } | Step::Special { .. } => return None,
    };
    let now = context.items.get(slot)?;
    let before = match step {
        // Lists that have followed a withdrawal know the row no more.
        Step::Added { .. } | Step::Returned { .. } => None,
        Step::Replaced { before, .. } => Some(before),
        _ => Some(now),
    };
    Some(Touch {
        slot,
        before,
        after: (context.source.contains(slot) && !context.is_concealed(slot)).then_some(now),
        moved,
        anew: matches!(step, Step::Revealed { .. }),
    })
}

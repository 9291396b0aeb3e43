//! Committing drafts.

use super::Draft;
use crate::item::{FailedField, FieldPath, Fields, Item, Merged, merge};
use crate::order::Slot;
use crate::store::journal::Step;
use crate::store::{EditError, Store};
use std::fmt;
use std::sync::Arc;

/// What a commit came to.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct Committed {
    /// The fields that were written.
    pub written: Vec<FieldPath>,
    /// Other fields that were changed since the draft began, and are kept as they are now.
    pub merged: Vec<FieldPath>,
}

/// The item was changed since the draft began, in a field that the draft changes too.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub struct Conflict<T> {
    /// The item that the draft began with.
    pub base: Arc<T>,
    /// The item as the draft has it.
    pub mine: T,
    /// The item as it is now.
    pub theirs: Arc<T>,
    /// The item as it is now, with those of the draft's changes that do not collide.
    pub merged: T,
    /// The draft's fields that others have changed too.
    pub overlapping: Vec<FieldPath>,
}

/// Whose change is taken where two collide.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Prefer {
    /// The draft's.
    Mine,
    /// The others'.
    Theirs,
}

/// Why a draft cannot be committed. Nothing was changed, and the draft is still open.
#[derive(thiserror::Error)]
#[error("{problem}")]
pub struct CommitError<T: Item> {
    /// The draft, as it was.
    pub draft: Box<Draft<T>>,
    /// What is wrong.
    pub problem: CommitProblem<T>,
}

impl<T: Item> fmt::Debug for CommitError<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("CommitError")
            .field("draft", &self.draft)
            .field("problem", &self.problem.to_string())
            .finish()
    }
}

/// What keeps a draft from being committed.
#[derive(Clone, PartialEq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CommitProblem<T: Item> {
    /// It is not open.
    #[error("the draft was committed or discarded already, or it is another store's")]
    NotOpen,
    /// Fields are refused: by a rule, or because what was typed cannot be read.
    #[error("the draft of {key:?} is refused: {}", crate::item::describe(.failed))]
    Invalid {
        /// The item's key.
        key: T::Key,
        /// Every field that failed, and why.
        failed: Vec<FailedField<T::Key>>,
    },
    /// The item was changed since the draft began; [`Draft::settle`] says whose change is to be taken.
    #[error("{:?} was changed since the draft began: {}", .0.theirs.key(), names(&.0.overlapping))]
    Conflict(Box<Conflict<T>>),
    /// The item was removed since the draft began. Add the draft's item as a new one, or discard the draft.
    #[error("{0:?} was removed since the draft began: add it as a new item, or discard the draft")]
    Removed(T::Key),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<T::Key>),
}

fn names(paths: &[FieldPath]) -> String {
    let paths: Vec<String> = paths.iter().map(FieldPath::to_string).collect();
    match paths.is_empty() {
        true => "in parts that have no names".to_owned(),
        false => paths.join(", "),
    }
}

impl<T: Item + Fields> Store<T> {
    pub(super) fn commit_draft(&mut self, draft: &Draft<T>) -> Result<Committed, CommitProblem<T>> {
        let number = self.opened(draft).ok_or(CommitProblem::NotOpen)?;
        let failed = draft.unread_fields();
        if !failed.is_empty() {
            let failed = self.drafts().failures(draft);
            return Err(invalid(draft, failed));
        }
        let slot = self.row_of_draft(number);
        let theirs = slot.and_then(|slot| self.base.items.get(slot)).cloned();
        let Some((slot, theirs)) = slot.zip(theirs) else {
            return Err(CommitProblem::Removed(draft.key.clone()));
        };
        let (mut item, merged) = merge_draft(draft, &theirs)?;
        self.normalize(&mut item);
        self.accept(&item).map_err(|why| match why {
            EditError::Invalid { failed, .. } => invalid(draft, failed),
            why => CommitProblem::Edit(why),
        })?;
        let written = theirs.changed_fields(&item);
        let changed = (item != *theirs).then(|| Arc::new(item));
        self.attempt_with_lists(|store| {
            store.write(slot, changed);
            store.update_lists();
            store.set_draft(number, None);
            store.release_row(slot);
            Ok(Committed { written, merged })
        })
    }

    fn write(&mut self, slot: Slot, changed: Option<Arc<T>>) {
        if let Some(item) = changed {
            self.swap_item(slot, item);
        }
        if self.special.blanks.contains(slot) {
            self.set_blank(slot, false);
            if let Some(item) = self.base.items.get(slot).cloned() {
                self.journal.steps.push(Step::Committed { item });
            }
        }
    }
}

fn invalid<T: Item>(draft: &Draft<T>, failed: Vec<FailedField<T::Key>>) -> CommitProblem<T> {
    CommitProblem::Invalid {
        key: draft.key.clone(),
        failed,
    }
}

/// The draft's changes on top of what the item is now, and the fields that others have changed.
fn merge_draft<T: Item + Fields>(
    draft: &Draft<T>,
    theirs: &Arc<T>,
) -> Result<(T, Vec<FieldPath>), CommitProblem<T>> {
    if Arc::ptr_eq(&draft.base, theirs) || draft.base == *theirs || draft.mine == **theirs {
        return Ok((draft.mine.clone(), Vec::new()));
    }
    let their_fields = draft.base.changed_fields(theirs);
    let Merged {
        item: merged,
        colliding: overlapping,
    } = merge(&*draft.base, &draft.mine, theirs);
    // Without names for what differs nothing are different.
    let nameless = their_fields.is_empty() || draft.changed_fields().is_empty();
    if overlapping.is_empty() && !(nameless && draft.mine != *draft.base) {
        return Ok((merged, their_fields));
    }
    Err(CommitProblem::Conflict(Box::new(Conflict {
        base: Arc::clone(&draft.base),
        mine: draft.mine.clone(),
        theirs: Arc::clone(theirs),
        merged,
        overlapping,
    })))
}

impl<T: Item + Fields> Draft<T> {
    /// Puts the draft on top of what the item is now, as a conflict has it. Where changes collide, the
    /// preferred one is taken; then the draft can be committed. See
    /// [`DraftsMut::commit`](super::DraftsMut::commit) for an example.
    pub fn settle(&mut self, conflict: Conflict<T>, prefer: Prefer) {
        let mut mine = conflict.merged;
        if prefer == Prefer::Mine {
            let mut unnamed = conflict.overlapping.is_empty();
            for path in &conflict.overlapping {
                match T::field_at(path).filter(|field| !field.is_read_only()) {
                    Some(field) => field.copy(&conflict.mine, &mut mine),
                    None => unnamed = true,
                }
            }
            // Of an item that has another key by now only the named parts can be taken.
            if unnamed && conflict.mine.key() == conflict.theirs.key() {
                mine = conflict.mine;
            }
        }
        self.key = conflict.theirs.key().clone();
        let before = std::mem::replace(&mut self.mine, mine);
        self.forget_typed(&before);
        self.base = conflict.theirs;
    }
}

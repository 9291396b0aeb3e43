//! Committing drafts.

use super::Draft;
use crate::item::{FailedField, FieldPath, Fields, Item};
use crate::order::Slot;
use crate::store::journal::Step;
use crate::store::{EditError, Store};
use std::sync::Arc;

/// What a commit came to.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Committed {
    /// The fields that were written.
    pub written: Vec<FieldPath>,
    /// Other fields that were changed underneath meanwhile, and are kept as they are now.
    pub merged: Vec<FieldPath>,
}

/// The item was changed underneath, in a field that the draft changes too.
#[derive(Clone, PartialEq, Debug)]
pub struct Conflict<T> {
    /// The item that the draft began with.
    pub base: Arc<T>,
    /// The item as the draft has it.
    pub mine: T,
    /// The item as it is now.
    pub theirs: Arc<T>,
    /// The item as it is now, with those of the draft's changes that do not collide.
    pub merged: T,
    /// The draft's fields that collide with a change underneath.
    pub overlapping: Vec<FieldPath>,
}

/// Whose change is taken where two collide.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Prefer {
    /// The draft's.
    Mine,
    /// That which was made underneath.
    Theirs,
}

/// Why a draft cannot be committed. Nothing was changed, and the draft is as it was.
#[derive(Clone, PartialEq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CommitError<T: Item> {
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
    /// The item was changed underneath; [`Draft::settle`] says whose change is to be taken.
    #[error("{key:?} was changed below_writes: {}", paths(&.conflict.overlapping))]
    Conflict {
        /// The item's key.
        key: T::Key,
        /// What each side has.
        conflict: Box<Conflict<T>>,
    },
    /// The item was removed underneath. Add the draft's item anew, or discard the draft.
    #[error("{0:?} was removed below_writes: add it anew, or discard the draft")]
    Removed(T::Key),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<T::Key>),
}

fn paths(paths: &[FieldPath]) -> String {
    let paths: Vec<&str> = paths.iter().map(FieldPath::as_str).collect();
    match paths.is_empty() {
        true => "in parts that have no names".to_owned(),
        false => paths.join(", "),
    }
}

impl<T: Item + Fields> Store<T> {
    /// Makes a draft's changes, as one step that can be undone, and ends it: its rows go where they belong
    /// then, in the same change set.
    ///
    /// When the item was changed underneath, in other fields than the draft's, both changes are kept. When
    /// they collide, the error has both sides and what can be merged:
    ///
    /// ```
    /// use usual_tide::{CommitError, Item, Prefer, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, height_mm: u32, fired: bool }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = Piece { id: 1, title: "Bowl".into(), height_mm: 90, fired: false };
    /// let mut store = Store::load([piece])?;
    /// let mut draft = store.draft(&1)?;
    /// draft.set(Piece::TITLE, "Celadon bowl".into());
    /// draft.set(Piece::HEIGHT_MM, 95);
    ///
    /// // Meanwhile the server has other news.
    /// store.from_source(|store| store.edit(&1, |piece| {
    ///     piece.title = "Blue bowl".into();
    ///     piece.fired = true;
    /// }))?;
    ///
    /// let Err(CommitError::Conflict { conflict, .. }) = store.commit(&mut draft) else {
    ///     return Err("both changed the title".into());
    /// };
    /// assert_eq!(conflict.overlapping[0].as_str(), "/title");
    /// draft.settle(*conflict, Prefer::Mine);
    /// store.commit(&mut draft)?;
    ///
    /// let piece = store.get(&1).unwrap();
    /// assert_eq!((&*piece.title, piece.height_mm, piece.fired), ("Celadon bowl", 95, true));
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`CommitError`].
    pub fn commit(&mut self, draft: &mut Draft<T>) -> Result<Committed, CommitError<T>> {
        let open = self.opened(draft).ok_or(CommitError::NotOpen)?;
        let failed = draft.unread_fields();
        if !failed.is_empty() {
            let failed = self.draft_failures(draft);
            return Err(invalid(draft, failed));
        }
        let slot = open.slot.filter(|slot| self.source.contains(*slot));
        let theirs = slot.and_then(|slot| self.items.get(slot)).cloned();
        let Some((slot, theirs)) = slot.zip(theirs) else {
            return Err(CommitError::Removed(draft.key.clone()));
        };
        let (mut item, merged) = merge(draft, &theirs)?;
        if *item.key() != draft.key {
            return Err(CommitError::Edit(EditError::KeyChanged {
                from: draft.key.clone(),
                to: item.key().clone(),
            }));
        }
        self.normalize(&mut item);
        self.accept(&item).map_err(|why| match why {
            EditError::Invalid { failed, .. } => invalid(draft, failed),
            why => CommitError::Edit(why),
        })?;
        let written = theirs.changed_fields(&item);
        let changed = (item != *theirs).then(|| Arc::new(item));
        self.attempt_with_lists(|store| {
            store.write(slot, changed);
            store.update_lists();
            store.close(&open);
            store.release_row(slot);
            Ok(Committed { written, merged })
        })
    }

    fn write(&mut self, slot: Slot, changed: Option<Arc<T>>) {
        if let Some(item) = changed {
            self.swap_item(slot, item);
        }
        if self.special.blanks.contains(&slot) {
            self.change_special_rows(|special| special.blanks.remove(&slot));
            if let Some(item) = self.items.get(slot).cloned() {
                self.journal.steps.push(Step::Committed { item });
            }
        }
    }
}

fn invalid<T: Item>(draft: &Draft<T>, failed: Vec<FailedField<T::Key>>) -> CommitError<T> {
    CommitError::Invalid {
        key: draft.key.clone(),
        failed,
    }
}

/// The draft's changes on top of what the item is now, and the fields that were changed underneath.
fn merge<T: Item + Fields>(
    draft: &Draft<T>,
    theirs: &Arc<T>,
) -> Result<(T, Vec<FieldPath>), CommitError<T>> {
    if Arc::ptr_eq(&draft.base, theirs) || draft.base == *theirs || draft.mine == **theirs {
        return Ok((draft.mine.clone(), Vec::new()));
    }
    let their_fields = draft.base.changed_fields(theirs);
    let mut merged = T::clone(theirs);
    let mut overlapping = Vec::new();
    for path in draft.changed_fields() {
        let collides = their_fields.iter().any(|other| other.overlaps(&path));
        let field = T::field_at(&path).filter(|field| !collides && !field.is_read_only());
        match field {
            Some(field) => field.copy(&draft.mine, &mut merged),
            None if is_same(&path, &draft.mine, theirs) => {}
            None => overlapping.push(path),
        }
    }
    // Without names for what differs nothing can be told apart.
    let nameless = their_fields.is_empty() || draft.changed_fields().is_empty();
    if overlapping.is_empty() && !(nameless && draft.mine != *draft.base) {
        return Ok((merged, their_fields));
    }
    Err(CommitError::Conflict {
        key: draft.key.clone(),
        conflict: Box::new(Conflict {
            base: Arc::clone(&draft.base),
            mine: draft.mine.clone(),
            theirs: Arc::clone(theirs),
            merged,
            overlapping,
        }),
    })
}

/// Whether both sides have come to the same in a field.
fn is_same<T: Item>(path: &FieldPath, mine: &T, theirs: &T) -> bool {
    let differ = mine.changed_fields(theirs);
    !differ.iter().any(|other| other.overlaps(path))
}

impl<T: Item + Fields> Draft<T> {
    /// Puts the draft on top of what the item is now, as a conflict has it. Where changes collide, the
    /// preferred one is taken; then the draft can be committed.
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
            if unnamed {
                mine = conflict.mine;
            }
        }
        self.mine = mine;
        self.base = conflict.theirs;
    }
}

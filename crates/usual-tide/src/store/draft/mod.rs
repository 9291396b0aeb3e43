//! Edits in progress, committed or discarded.

mod begin;
mod commit;

pub use commit::{CommitError, Committed, Conflict, Prefer};

use crate::item::BrokenRule;
use crate::item::{FailedField, Field, FieldPath, FieldValue, Fields, InputError, Item, Value};
use crate::order::Slot;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::{Arc, Weak};

/// An edit in progress: a copy of an item that a form works on, until it is committed or discarded.
///
/// The store and its lists see nothing of it before the commit. Meanwhile the item's row is held in every
/// list that shows it: it keeps its place and stays visible, whatever others do to the item. A draft that is
/// dropped counts as discarded from the store's next edit on.
///
/// See [`Store::draft`](crate::Store::draft).
pub struct Draft<T: Item> {
    key: T::Key,
    base: Arc<T>,
    mine: T,
    is_new: bool,
    /// Texts that cannot be read, by the names of their fields.
    unread: BTreeMap<String, (String, InputError)>,
    token: Arc<()>,
}

/// What the store knows of a draft.
#[derive(Clone)]
pub(super) struct OpenDraft {
    token: Weak<()>,
    /// The row; none when its item is gone.
    pub(super) slot: Option<Slot>,
}

impl<T: Item> Draft<T> {
    fn new(base: Arc<T>, is_new: bool) -> Self {
        Self {
            key: base.key().clone(),
            mine: T::clone(&base),
            base,
            is_new,
            unread: BTreeMap::new(),
            token: Arc::new(()),
        }
    }

    /// The key of the item.
    pub fn key(&self) -> &T::Key {
        &self.key
    }

    /// Whether it is of a new row.
    pub fn is_new(&self) -> bool {
        self.is_new
    }

    /// The item as it would be committed now.
    pub fn item(&self) -> &T {
        &self.mine
    }

    /// The item as it was when the draft was begun, or last settled with what others did.
    pub fn base(&self) -> &Arc<T> {
        &self.base
    }

    /// Whether anything was changed, or typed that cannot be read.
    pub fn is_changed(&self) -> bool {
        self.mine != *self.base || !self.unread.is_empty()
    }

    /// The fields that differ from the base.
    pub fn changed_fields(&self) -> Vec<FieldPath> {
        self.base.changed_fields(&self.mine)
    }

    /// Sets a field.
    pub fn set<V: FieldValue>(&mut self, field: Field<T, V>, value: V) {
        *field.get_mut(&mut self.mine) = value;
        self.unread.remove(field.name());
    }

    /// Changes the item as a whole.
    pub fn edit(&mut self, edit: impl FnOnce(&mut T)) {
        edit(&mut self.mine);
    }
}

impl<T: Item + Fields> Draft<T> {
    /// Sets a field by name.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the draft is unchanged.
    pub fn set_value(&mut self, name: &str, value: Value<'_>) -> Result<(), InputError> {
        let field = T::field_named(name).ok_or_else(|| unknown(name))?;
        field.set(&mut self.mine, value)?;
        self.unread.remove(name);
        Ok(())
    }

    /// Sets a field by name to what a person typed. Text that cannot be read is kept for the form, and the
    /// draft cannot be committed until it is corrected.
    ///
    /// # Errors
    ///
    /// [`InputError`] with a text for the form.
    pub fn type_text(&mut self, name: &str, text: &str) -> Result<(), InputError> {
        let field = T::field_named(name).ok_or_else(|| unknown(name))?;
        match field.read(&mut self.mine, text) {
            Ok(()) => {
                self.unread.remove(name);
                Ok(())
            }
            Err(why) => {
                let typed = (text.to_owned(), why.clone());
                self.unread.insert(name.to_owned(), typed);
                Err(why)
            }
        }
    }

    /// The text that a form shows for a field: what was typed last, or the value's own text.
    pub fn typed(&self, name: &str) -> Option<String> {
        match self.unread.get(name) {
            Some((text, _)) => Some(text.clone()),
            None => Some(T::field_named(name)?.typed(&self.mine)),
        }
    }
}

impl<T: Item> Draft<T> {
    /// The fields whose text cannot be read.
    fn unread_fields(&self) -> Vec<FailedField<T::Key>> {
        let failed = |(name, (_, why)): (&String, &(String, InputError))| FailedField {
            field: name.clone(),
            broken: BrokenRule::Unreadable(why.clone()),
            message: None,
        };
        self.unread.iter().map(failed).collect()
    }
}

fn unknown(name: &str) -> InputError {
    InputError::UnknownField {
        name: name.to_owned(),
    }
}

impl<T: Item> fmt::Debug for Draft<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Draft")
            .field("key", &self.key)
            .field("is_new", &self.is_new)
            .field("changed", &self.is_changed())
            .finish()
    }
}

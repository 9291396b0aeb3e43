//! Edits in progress, committed or discarded.

mod begin;
mod commit;
mod facet;
mod token;

pub use commit::{CommitError, CommitProblem, Committed, Conflict, Prefer};
pub use facet::{Drafts, DraftsMut};
pub(super) use token::DroppedDrafts;

use crate::item::BrokenRule;
use crate::item::{
    AnyField, FailedField, Field, FieldPath, FieldValue, Fields, InputError, Item, Value,
};
use crate::order::Slot;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use token::Token;

/// An edit in progress: a copy of an item that a form works on, until it is committed or discarded.
///
/// The store and its lists see nothing of it before the commit. Until then the item's row is held in every
/// list that shows it: it keeps its place and stays visible, whatever others do to the item. A draft that is
/// dropped counts as discarded from the store's next edit on.
///
/// What a person types is kept as text exactly as it was typed, and each readable state of it is the field's
/// value: while "12.50" is typed, the value is 12, 12.5 and then 12.50, and the text never changes under the
/// person's hands.
///
/// See [`DraftsMut::begin`].
///
/// ```
/// use usual_tide::{Item, Store};
/// # use usual_tide_pieces::with_title::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load([Piece { id: 1, title: "Bowl".into() }])?;
/// let mut draft = store.drafts_mut().begin(&1)?;
/// assert!(!draft.is_new() && !draft.is_changed());
/// draft.type_text("title", "Deep bowl")?;
/// assert_eq!(draft.changed_fields()[0].to_string(), "title");
/// assert_eq!((draft.base().title.as_str(), draft.item().title.as_str()), ("Bowl", "Deep bowl"));
/// store.drafts_mut().commit(draft)?;
/// # Ok(()) }
/// ```
pub struct Draft<T: Item> {
    key: T::Key,
    base: Arc<T>,
    mine: T,
    is_new: bool,
    /// What was typed last into each field, by the names of the fields.
    typed: BTreeMap<String, Typed>,
    token: Token,
}

/// The text of a field as it was typed.
struct Typed {
    text: String,
    /// Why it cannot be read; the field has the value of before then.
    unread: Option<InputError>,
}

/// What the store knows of a draft.
#[derive(Clone)]
pub(super) struct OpenDraft {
    /// The row; none when its item is gone.
    pub(super) slot: Option<Slot>,
}

impl<T: Item> Draft<T> {
    fn new(base: Arc<T>, is_new: bool, token: Token) -> Self {
        Self {
            key: base.key().clone(),
            mine: T::clone(&base),
            base,
            is_new,
            typed: BTreeMap::new(),
            token,
        }
    }

    /// The key that the item had when the draft was begun, or last settled with what others did.
    /// [`Drafts::current`] gives the item as it is now.
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
        self.mine != *self.base || self.typed.values().any(|typed| typed.unread.is_some())
    }

    /// The fields that differ from the base.
    pub fn changed_fields(&self) -> Vec<FieldPath> {
        self.base.changed_fields(&self.mine)
    }

    /// Sets a field; nested ones by their accessors put together
    /// ([`Field::field`](crate::Field::field)). What was typed into it before is dropped.
    ///
    /// # Errors
    ///
    /// [`InputError::Key`] where the item would get another key, and the draft is unchanged.
    ///
    /// ```
    /// use usual_tide::fields::InputError;
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, title: "Bowl".into() }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.set(Piece::TITLE, "Mug".into())?;
    /// assert_eq!(draft.set(Piece::ID, 2), Err(InputError::Key));
    /// # Ok(()) }
    /// ```
    pub fn set<V: FieldValue>(&mut self, field: Field<T, V>, value: V) -> Result<(), InputError> {
        let name = field.name().to_owned();
        let field = AnyField::from(field);
        let mut edited = self.mine.clone();
        field.set(&mut edited, value.value())?;
        self.replace(edited)?;
        self.typed.remove(&name);
        Ok(())
    }

    /// Changes the item as a whole. What was typed into fields that it changes is dropped.
    ///
    /// # Errors
    ///
    /// [`InputError::Key`] where the item would get another key, and the draft is unchanged.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, title: "Bowl".into() }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.edit(|piece| piece.title.push_str(", blue"))?;
    /// assert_eq!(draft.item().title, "Bowl, blue");
    /// # Ok(()) }
    /// ```
    pub fn edit(&mut self, edit: impl FnOnce(&mut T)) -> Result<(), InputError> {
        let mut edited = self.mine.clone();
        edit(&mut edited);
        self.replace(edited)
    }

    /// Takes another version of the item, unless its key is another.
    fn replace(&mut self, edited: T) -> Result<(), InputError> {
        if *edited.key() != self.key {
            return Err(InputError::Key);
        }
        let before = std::mem::replace(&mut self.mine, edited);
        self.forget_typed(&before);
        Ok(())
    }

    /// Drops what was typed into fields that have other values than before.
    fn forget_typed(&mut self, before: &T) {
        let changed = before.changed_fields(&self.mine);
        self.typed.retain(|name, _| {
            let path = FieldPath::of_name(name);
            !changed.iter().any(|other| other.overlaps(&path))
        });
    }
}

impl<T: Item + Fields> Draft<T> {
    /// Sets a field by name. What was typed into it before is dropped.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the draft is unchanged.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_height::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, height_mm: 90 }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.set_value("height_mm", 120_u32.into())?;
    /// assert!(draft.set_value("height_mm", "tall".into()).is_err());
    /// assert_eq!(draft.item().height_mm, 120);
    /// # Ok(()) }
    /// ```
    pub fn set_value(&mut self, name: &str, value: Value<'_>) -> Result<(), InputError> {
        let field = T::field_named(name).ok_or_else(|| unknown(name))?;
        let mut edited = self.mine.clone();
        field.set(&mut edited, value)?;
        self.replace(edited)?;
        self.typed.remove(name);
        Ok(())
    }

    /// Sets a field by name to what a person typed. The text is kept as it is; when it cannot be read, the field
    /// keeps its value, and the draft cannot be committed until the text is corrected.
    ///
    /// # Errors
    ///
    /// [`InputError`] with a text for the form.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, height_mm: f64 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, height_mm: 90.0 }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.type_text("height_mm", "12.50")?;
    /// assert_eq!(draft.item().height_mm, 12.5);
    /// assert_eq!(draft.typed("height_mm").as_deref(), Some("12.50"));
    /// # Ok(()) }
    /// ```
    pub fn type_text(&mut self, name: &str, text: &str) -> Result<(), InputError> {
        let field = T::field_named(name).ok_or_else(|| unknown(name))?;
        let mut edited = self.mine.clone();
        let read = field.read(&mut edited, text);
        let read = read.and_then(|()| self.replace(edited));
        let typed = Typed {
            text: text.to_owned(),
            unread: read.clone().err(),
        };
        self.typed.insert(name.to_owned(), typed);
        read
    }

    /// The text that a form shows for a field: what was typed last, or the value's own text; `None` where there
    /// is no such field. See [`type_text`](Self::type_text) for an example.
    pub fn typed(&self, name: &str) -> Option<String> {
        match self.typed.get(name) {
            Some(typed) => Some(typed.text.clone()),
            None => Some(T::field_named(name)?.typed(&self.mine)),
        }
    }
}

impl<T: Item> Draft<T> {
    /// The fields whose text cannot be read.
    fn unread_fields(&self) -> Vec<FailedField<T::Key>> {
        let failed = |(name, typed): (&String, &Typed)| {
            Some(FailedField {
                field: name.clone(),
                broken: BrokenRule::Unreadable(typed.unread.clone()?),
                message: None,
            })
        };
        self.typed.iter().filter_map(failed).collect()
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

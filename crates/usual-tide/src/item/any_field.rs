//! Fields by name, whatever their types.

use super::choice::Choice;
use super::field::{Field, NaturalOrder};
use super::field_access::{FieldAccess, ShownAs, ShownOnly};
use super::field_value::FieldValue;
use super::input::InputError;
use super::path::FieldPath;
use super::tester::{Accepts, Tester};
use super::value::{Kind, Value};
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// A field of an item, whatever its type: read as a [`Value`], shown as text, written back.
///
/// Rules, drafts and filters by text work with these. A [`Field`] turns into one; [`Fields`](crate::Fields) gives those of
/// a type by name.
///
/// ```
/// use usual_tide::{Fields, Item};
/// use usual_tide::fields::Value;
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, height_mm: Option<u32> }
///
/// let mut piece = Piece { id: 7, height_mm: None };
/// let height = Piece::field_named("height_mm").ok_or("no such field")?;
/// height.read(&mut piece, "120")?;
/// assert_eq!(height.value(&piece), Value::Integer(120));
/// assert_eq!(height.read(&mut piece, "tall").unwrap_err().to_string(), "\"tall\" is not a whole number");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// ```
/// # use usual_tide::{Fields, Item};
/// # use usual_tide::fields::{AnyField, Value};
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, #[item(search)] title: String, height_mm: u32 }
/// # let (low, high) = (
/// #     Piece { id: 1, title: "Bowl".into(), height_mm: 40 },
/// #     Piece { id: 2, title: "Vase".into(), height_mm: 300 },
/// # );
/// let height = AnyField::from(Piece::HEIGHT_MM).shown_as(|piece: &Piece| format!("{} mm", piece.height_mm));
/// assert_eq!(height.shown(&low), "40 mm");
/// assert_eq!(height.equals(&low, &Value::from(40)), Some(true));
/// assert!(!height.is_same(&low, &high));
/// let mut copy = low.clone();
/// height.copy(&high, &mut copy);
/// assert_eq!((copy.id, copy.height_mm), (1, 300));
///
/// // A field that is made from others is shown, searched and sorted, and cannot be written.
/// let label = AnyField::shown_only("label", |piece: &Piece| format!("{} {}", piece.id, piece.title))
///     .searched()
///     .naturally_descending()
///     .naturally_missing_first();
/// assert!(label.is_read_only() && label.is_searched());
/// assert!(label.is_naturally_descending() && label.is_naturally_missing_first());
/// assert!(label.read(&mut copy, "3 Mug").is_err());
/// ```
pub struct AnyField<T> {
    name: Arc<str>,
    /// Where it is, where that is not the member of its name.
    path: Option<FieldPath>,
    access: Arc<dyn FieldAccess<T>>,
    options: FieldOptions,
}

/// What is said of a field beside its type.
#[derive(Clone, Copy, Default)]
pub(super) struct FieldOptions {
    searched: bool,
    order: NaturalOrder,
}

impl<T> AnyField<T> {
    pub(crate) fn new(name: impl Into<Arc<str>>, access: impl FieldAccess<T> + 'static) -> Self {
        Self {
            name: name.into(),
            path: None,
            access: Arc::new(access),
            options: FieldOptions::default(),
        }
    }

    /// The same field, which is at this path.
    pub(crate) fn at(self, path: FieldPath) -> Self {
        let path = Some(path);
        Self { path, ..self }
    }

    /// A field that is shown and cannot be written: something made from other fields.
    pub fn shown_only(name: &str, show: impl Fn(&T) -> String + Send + Sync + 'static) -> Self
    where
        T: 'static,
    {
        Self::new(name, ShownOnly(show))
    }

    /// The same field, shown as another text; it is typed as before.
    #[must_use]
    pub fn shown_as(self, show: impl Fn(&T) -> String + Send + Sync + 'static) -> Self
    where
        T: 'static,
    {
        let inner = Arc::clone(&self.access);
        Self {
            access: Arc::new(ShownAs { inner, show }),
            ..self
        }
    }

    /// The same field, marked to be looked into by a search.
    #[must_use]
    pub fn searched(mut self) -> Self {
        self.options.searched = true;
        self
    }

    /// The same field, which sorts in descending order where a sort says no direction.
    #[must_use]
    pub fn naturally_descending(mut self) -> Self {
        self.options.order.descending = true;
        self
    }

    /// The same field, whose missing values come first where a sort does not say otherwise.
    #[must_use]
    pub fn naturally_missing_first(mut self) -> Self {
        self.options.order.missing_first = true;
        self
    }

    /// Whether the field sorts in descending order where a sort says no direction.
    pub fn is_naturally_descending(&self) -> bool {
        self.options.order.descending
    }

    /// Whether missing values come first where a sort does not say otherwise.
    pub fn is_naturally_missing_first(&self) -> bool {
        self.options.order.missing_first
    }

    pub(super) fn options(&self) -> FieldOptions {
        self.options
    }

    pub(super) fn with_options(self, options: FieldOptions) -> Self {
        Self { options, ..self }
    }

    pub(super) fn with_natural_order(mut self, order: NaturalOrder) -> Self {
        self.options.order = order;
        self
    }

    pub(crate) fn natural_order(&self) -> NaturalOrder {
        self.options.order
    }

    /// The outermost part on the way to the field that is missing, when one is.
    #[cfg(feature = "record")]
    pub(crate) fn missing_part(&self, item: &T) -> Option<FieldPath> {
        self.access.missing_part(item)
    }

    /// Whether the field cannot be written, because it is made from others.
    pub fn is_read_only(&self) -> bool {
        self.access.is_read_only()
    }

    /// Whether it can be copied only: a nested part as a whole, or a field that is kept out of the named ones.
    pub(crate) fn is_copied_only(&self) -> bool {
        self.access.is_copied_only()
    }

    /// Whether a search looks into the field.
    pub fn is_searched(&self) -> bool {
        self.options.searched
    }

    /// Whether the text that is shown may come from other parts of the item than the field's value.
    pub(crate) fn reads_other_fields(&self) -> bool {
        self.access.reads_other_fields()
    }

    /// Whether fields of this name have the same text as this one.
    pub(crate) fn is_named(&self) -> bool {
        self.access.is_named()
    }

    /// Whether the other is known to be the same field.
    pub(crate) fn is_same_field(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.access, &other.access)
            || self.is_named() && other.is_named() && self.name == other.name
    }

    /// The field's name, dotted where it is nested.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where it is in an item.
    pub fn path(&self) -> FieldPath {
        match &self.path {
            Some(path) => path.clone(),
            None => FieldPath::of_member(&self.name),
        }
    }

    /// The kind of value it holds.
    pub fn kind(&self) -> Kind {
        self.access.kind()
    }

    /// The value of an item's field.
    pub fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.access.value(item)
    }

    /// Writes a value.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the item is unchanged.
    pub fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.access.set(item, value)
    }

    /// The text that a view shows.
    pub fn shown(&self, item: &T) -> String {
        self.access.shown(item)
    }

    /// The text that a form begins with.
    pub fn typed(&self, item: &T) -> String {
        self.access.typed(item)
    }

    /// Writes what a person typed.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the item is unchanged.
    pub fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.access.read(item, text)
    }

    /// The choices that there are, where the field is one of several: what a picker offers.
    ///
    /// ```
    /// use usual_tide::{Fields, FieldValue, Item};
    ///
    /// #[derive(Clone, PartialEq, FieldValue)]
    /// enum Firing { Bisque, #[item(shown = "glaze firing")] Glaze }
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Piece { #[item(key)] id: u32, firing: Option<Firing> }
    ///
    /// let firing = Piece::field_named("firing").ok_or("no such field")?;
    /// let offered: Vec<&str> = firing.choices().iter().map(|choice| choice.shown()).collect();
    /// assert_eq!(offered, ["Bisque", "glaze firing"]);
    /// # Ok::<(), &str>(())
    /// ```
    pub fn choices(&self) -> &'static [Choice] {
        self.access.choices()
    }

    /// Compares the field with a value, as [`Value::compare`] does.
    pub fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.access.compare(item, value)
    }

    /// Whether the field equals a value; `None` where the two cannot be compared.
    pub fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.access.equals(item, value)
    }

    /// A test of the field against a value, to be run on many items.
    pub(crate) fn tester(&self, accepts: Accepts, value: Value<'static>) -> Tester<T>
    where
        T: 'static,
    {
        Arc::clone(&self.access).tester(accepts, value)
    }

    /// Whether two items hold the same in this field.
    pub fn is_same(&self, one: &T, two: &T) -> bool {
        self.value(one) == self.value(two)
    }

    /// Gives one item the other's field, exactly.
    pub fn copy(&self, from: &T, to: &mut T) {
        self.access.copy(from, to);
    }
}

impl<T> Clone for AnyField<T> {
    fn clone(&self) -> Self {
        Self {
            name: Arc::clone(&self.name),
            path: self.path.clone(),
            access: Arc::clone(&self.access),
            options: self.options,
        }
    }
}

impl<T> fmt::Debug for AnyField<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("AnyField")
            .field("name", &self.name)
            .field("kind", &self.kind())
            .finish()
    }
}

impl<T: 'static, V: FieldValue> From<Field<T, V>> for AnyField<T> {
    fn from(field: Field<T, V>) -> Self {
        let (name, path, order) = (field.name().to_owned(), field.path(), field.natural_order());
        Self::new(name, field).with_natural_order(order).at(path)
    }
}

//! Fields by name, whatever their types.

use super::field::Field;
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
/// Rules, drafts and filters by text work with these. A [`Field`] turns into one; [`Fields`] gives those of
/// a type by name.
///
/// ```
/// use usual_tide::{Fields, Item, Value};
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
pub struct AnyField<T> {
    name: Arc<str>,
    way: Arc<dyn Way<T>>,
}

/// How a field is read and written.
pub(crate) trait Way<T>: Send + Sync {
    fn kind(&self) -> Kind;
    fn value<'a>(&self, item: &'a T) -> Value<'a>;
    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError>;
    fn shown(&self, item: &T) -> String;
    fn typed(&self, item: &T) -> String;
    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError>;
    /// Gives one item the other's field, exactly.
    fn copy(&self, from: &T, to: &mut T);
    /// Compares with a value, as [`Value::compare`] does.
    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.value(item).compare(value)
    }
    /// Whether the field equals a value.
    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.compare(item, value).map(Ordering::is_eq)
    }
    /// A test of the field against a value, to be run on many items.
    fn tester(self: Arc<Self>, accepts: Accepts, value: Value<'static>) -> Tester<T>
    where
        Self: 'static,
    {
        match accepts {
            Accepts::EQUAL => Box::new(move |item| self.equals(item, &value)),
            Accepts::UNEQUAL => Box::new(move |item| self.equals(item, &value).map(|same| !same)),
            _ => Box::new(move |item| {
                let order = self.compare(item, &value)?;
                Some(accepts.accepts(order))
            }),
        }
    }
}

impl<T> AnyField<T> {
    pub(crate) fn new(name: impl Into<Arc<str>>, way: impl Way<T> + 'static) -> Self {
        Self {
            name: name.into(),
            way: Arc::new(way),
        }
    }

    /// The field's name, dotted where it is nested.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where it stands in an item.
    pub fn path(&self) -> FieldPath {
        match self.name.strip_prefix('/') {
            Some(_) => FieldPath::new(self.name.to_string()),
            None => FieldPath::new(format!("/{}", self.name.replace('.', "/"))),
        }
    }

    /// The kind of value it holds.
    pub fn kind(&self) -> Kind {
        self.way.kind()
    }

    /// The value of an item's field.
    pub fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.way.value(item)
    }

    /// Writes a value.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the item is unchanged.
    pub fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.way.set(item, value)
    }

    /// The text that a view shows.
    pub fn shown(&self, item: &T) -> String {
        self.way.shown(item)
    }

    /// The text that a form begins with.
    pub fn typed(&self, item: &T) -> String {
        self.way.typed(item)
    }

    /// Writes what a person typed.
    ///
    /// # Errors
    ///
    /// [`InputError`], and the item is unchanged.
    pub fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.way.read(item, text)
    }

    /// Compares the field with a value, as [`Value::compare`] does.
    pub fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.way.compare(item, value)
    }

    /// Whether the field equals a value; `None` where the two cannot be compared.
    pub fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.way.equals(item, value)
    }

    /// A test of the field against a value, to be run on many items.
    pub(crate) fn tester(&self, accepts: Accepts, value: Value<'static>) -> Tester<T>
    where
        T: 'static,
    {
        Arc::clone(&self.way).tester(accepts, value)
    }

    /// Whether two items hold the same in this field.
    pub fn is_same(&self, one: &T, two: &T) -> bool {
        self.value(one) == self.value(two)
    }

    /// Gives one item the other's field, exactly.
    pub fn copy(&self, from: &T, to: &mut T) {
        self.way.copy(from, to);
    }
}

impl<T> Clone for AnyField<T> {
    fn clone(&self) -> Self {
        Self {
            name: Arc::clone(&self.name),
            way: Arc::clone(&self.way),
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
        Self::new(field.name(), field)
    }
}

impl<T: 'static, V: FieldValue> Way<T> for Field<T, V> {
    fn kind(&self) -> Kind {
        V::KIND
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.get(item).value()
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        *self.get_mut(item) = V::from_value(value)?;
        Ok(())
    }

    fn shown(&self, item: &T) -> String {
        self.get(item).shown()
    }

    fn typed(&self, item: &T) -> String {
        self.get(item).typed()
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        *self.get_mut(item) = V::read(text)?;
        Ok(())
    }

    fn copy(&self, from: &T, to: &mut T) {
        *self.get_mut(to) = self.get(from).clone();
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.get(item).compare_to(value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.get(item).equals(value)
    }

    fn tester(self: Arc<Self>, accepts: Accepts, value: Value<'static>) -> Tester<T> {
        V::tester(self.getter(), accepts, value)
    }
}

/// A type with named fields. `#[derive(Item)]` implements it along with [`Item`](crate::Item); `#[derive(Fields)]` does
/// so for a type that stands in an item as a nested field.
///
/// ```
/// use usual_tide::{Fields, Item};
///
/// #[derive(Clone, PartialEq, Fields)]
/// struct Fee { amount: String, currency: String }
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, #[item(nested)] fee: Fee }
///
/// let names: Vec<String> = Piece::fields().iter().map(|field| field.name().to_owned()).collect();
/// assert_eq!(names, ["id", "fee.amount", "fee.currency"]);
/// ```
pub trait Fields: Sized + 'static {
    /// The fields, in the order of their definition; those of nested types by dotted names.
    fn fields() -> Vec<AnyField<Self>>;

    /// The field with a name.
    fn field_named(name: &str) -> Option<AnyField<Self>> {
        Self::fields()
            .into_iter()
            .find(|field| field.name() == name)
    }

    /// The field at a path, as [`Item::changed_fields`](crate::Item::changed_fields) names it.
    fn field_at(path: &FieldPath) -> Option<AnyField<Self>> {
        Self::fields()
            .into_iter()
            .find(|field| field.path() == *path)
    }

    /// Which fields differ in a later version.
    fn differing(&self, later: &Self) -> Vec<FieldPath>;
}

impl<T: 'static, V: Fields + Clone> Field<T, V> {
    /// The fields of a nested type as fields of the whole.
    pub fn nested(self) -> Vec<AnyField<T>> {
        let within = |inner: AnyField<V>| {
            let name = format!("{}.{}", self.name(), inner.name());
            AnyField::new(name, Within { outer: self, inner })
        };
        V::fields().into_iter().map(within).collect()
    }
}

/// A field of a nested type.
struct Within<T, V> {
    outer: Field<T, V>,
    inner: AnyField<V>,
}

impl<T, V: Clone + 'static> Way<T> for Within<T, V> {
    fn kind(&self) -> Kind {
        self.inner.kind()
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.inner.value(self.outer.get(item))
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.inner.set(self.outer.get_mut(item), value)
    }

    fn shown(&self, item: &T) -> String {
        self.inner.shown(self.outer.get(item))
    }

    fn typed(&self, item: &T) -> String {
        self.inner.typed(self.outer.get(item))
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.inner.read(self.outer.get_mut(item), text)
    }

    fn copy(&self, from: &T, to: &mut T) {
        self.inner
            .copy(self.outer.get(from), self.outer.get_mut(to));
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.inner.compare(self.outer.get(item), value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.inner.equals(self.outer.get(item), value)
    }
}

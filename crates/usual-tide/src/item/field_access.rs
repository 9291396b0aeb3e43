//! The ways to read and write a field, behind [`AnyField`](super::AnyField).

use super::any_field::AnyField;
use super::field::Field;
use super::field_value::FieldValue;
use super::input::InputError;
use super::tester::{Accepts, Tester};
use super::value::{Kind, Value};
use std::cmp::Ordering;
use std::sync::Arc;

/// How a field is read and written.
pub(crate) trait FieldAccess<T>: Send + Sync {
    fn kind(&self) -> Kind;
    fn value<'a>(&self, item: &'a T) -> Value<'a>;
    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError>;
    fn shown(&self, item: &T) -> String;
    fn typed(&self, item: &T) -> String;
    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError>;
    /// Gives one item the other's field, exactly.
    fn copy(&self, from: &T, to: &mut T);
    /// Whether it can be shown only.
    fn is_read_only(&self) -> bool {
        false
    }
    /// Whether the shown text may come from other parts of the item than the value.
    fn reads_other_fields(&self) -> bool {
        false
    }
    /// Whether fields of the same name have the same text, so that it can be kept under that name.
    fn is_named(&self) -> bool {
        false
    }
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

impl<T: 'static, V: FieldValue> FieldAccess<T> for Field<T, V> {
    fn is_named(&self) -> bool {
        true
    }

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

/// A field of a nested type.
pub(super) struct Within<T, V> {
    pub(super) outer: Field<T, V>,
    pub(super) inner: AnyField<V>,
}

impl<T, V: Clone + 'static> FieldAccess<T> for Within<T, V> {
    fn reads_other_fields(&self) -> bool {
        self.inner.reads_other_fields()
    }

    fn is_named(&self) -> bool {
        self.inner.is_named()
    }

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
/// A field that is shown in another way.
pub(super) struct ShownAs<T, S> {
    pub(super) inner: Arc<dyn FieldAccess<T>>,
    pub(super) show: S,
}

impl<T: 'static, S: Fn(&T) -> String + Send + Sync> FieldAccess<T> for ShownAs<T, S> {
    fn reads_other_fields(&self) -> bool {
        true
    }

    fn is_named(&self) -> bool {
        // Text is read as it is, whatever is shown.
        self.inner.kind() == Kind::Text && self.inner.is_named()
    }

    fn kind(&self) -> Kind {
        self.inner.kind()
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.inner.value(item)
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.inner.set(item, value)
    }

    fn shown(&self, item: &T) -> String {
        (self.show)(item)
    }

    fn typed(&self, item: &T) -> String {
        self.inner.typed(item)
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.inner.read(item, text)
    }

    fn copy(&self, from: &T, to: &mut T) {
        self.inner.copy(from, to);
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.inner.compare(item, value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.inner.equals(item, value)
    }

    fn tester(self: Arc<Self>, accepts: Accepts, value: Value<'static>) -> Tester<T>
    where
        Self: 'static,
    {
        Arc::clone(&self.inner).tester(accepts, value)
    }
}

/// A text made from other fields.
pub(super) struct ShownOnly<S>(pub(super) S);

impl<T, S: Fn(&T) -> String + Send + Sync> FieldAccess<T> for ShownOnly<S> {
    fn kind(&self) -> Kind {
        Kind::Text
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        Value::from((self.0)(item))
    }

    fn set(&self, _: &mut T, _: Value<'_>) -> Result<(), InputError> {
        Err(InputError::ReadOnly)
    }

    fn shown(&self, item: &T) -> String {
        (self.0)(item)
    }

    fn typed(&self, item: &T) -> String {
        (self.0)(item)
    }

    fn read(&self, _: &mut T, _: &str) -> Result<(), InputError> {
        Err(InputError::ReadOnly)
    }

    /// It follows from the others.
    fn copy(&self, _: &T, _: &mut T) {}

    fn is_read_only(&self) -> bool {
        true
    }
}

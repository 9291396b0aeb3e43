//! The ways to read and write a field, behind [`AnyField`](super::AnyField).

use super::any_field::AnyField;
use super::choice::Choice;
use super::field::{Field, Part};
use super::field_value::FieldValue;
use super::input::InputError;
#[cfg(feature = "record")]
use super::path::FieldPath;
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
    /// Whether it can be copied only, and has no value that anybody could read.
    fn is_copied_only(&self) -> bool {
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
    /// The outermost part on the way to the field that is missing, when one is.
    #[cfg(feature = "record")]
    fn missing_part(&self, item: &T) -> Option<FieldPath> {
        let _ = item;
        None
    }
    /// The choices that there are, where it is one of several.
    fn choices(&self) -> &'static [Choice] {
        &[]
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
        T: 'static,
    {
        test_by_comparison(self, accepts, value)
    }
}

/// Why a field of a missing part cannot be written.
pub(super) fn missing_part<T, V>(field: &Field<T, V>) -> InputError {
    let part = field.name().rsplit_once('.');
    InputError::MissingPart {
        part: part.map_or(field.name(), |part| part.0).to_owned(),
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
        self.get(item).map_or(Value::Missing, V::value)
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        let value = V::from_value(value)?;
        *self.get_mut(item).ok_or_else(|| missing_part(self))? = value;
        Ok(())
    }

    fn shown(&self, item: &T) -> String {
        self.get(item).map(V::shown).unwrap_or_default()
    }

    fn typed(&self, item: &T) -> String {
        self.get(item).map(V::typed).unwrap_or_default()
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        let value = V::read(text)?;
        *self.get_mut(item).ok_or_else(|| missing_part(self))? = value;
        Ok(())
    }

    /// Where the part is missing on one side, nothing is copied: that difference belongs to the part as a whole.
    fn copy(&self, from: &T, to: &mut T) {
        if let (Some(from), Some(to)) = (self.get(from), self.get_mut(to)) {
            *to = from.clone();
        }
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.get(item)?.compare_to(value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.get(item)?.equals(value)
    }

    fn choices(&self) -> &'static [Choice] {
        V::choices()
    }

    fn tester(self: Arc<Self>, accepts: Accepts, value: Value<'static>) -> Tester<T> {
        match self.getter() {
            Some(get) => V::tester(get, accepts, value),
            None => test_by_comparison(self, accepts, value),
        }
    }
}

/// A test that compares through the field each time.
pub(crate) fn test_by_comparison<T: 'static, F: FieldAccess<T> + ?Sized + 'static>(
    field: Arc<F>,
    accepts: Accepts,
    value: Value<'static>,
) -> Tester<T> {
    match accepts {
        Accepts::EQUAL => Box::new(move |item| field.equals(item, &value)),
        Accepts::UNEQUAL => Box::new(move |item| field.equals(item, &value).map(|same| !same)),
        _ => Box::new(move |item| {
            let order = field.compare(item, &value)?;
            Some(accepts.accepts(order))
        }),
    }
}

/// A field of a nested type.
pub(super) struct Within<T, P: Part> {
    pub(super) outer: Field<T, P>,
    pub(super) inner: AnyField<P::Inner>,
}

impl<T: 'static, P: Part> Within<T, P> {
    fn part<'a>(&self, item: &'a T) -> Option<&'a P::Inner> {
        self.outer.get(item)?.inner()
    }

    fn part_mut<'a>(&self, item: &'a mut T) -> Result<&'a mut P::Inner, InputError> {
        let part = self.outer.get_mut(item).and_then(P::inner_mut);
        part.ok_or_else(|| InputError::MissingPart {
            part: self.outer.name().to_owned(),
        })
    }
}

impl<T: 'static, P: Part> FieldAccess<T> for Within<T, P> {
    fn reads_other_fields(&self) -> bool {
        self.inner.reads_other_fields()
    }

    fn is_named(&self) -> bool {
        self.inner.is_named()
    }

    fn kind(&self) -> Kind {
        self.inner.kind()
    }

    fn is_read_only(&self) -> bool {
        self.inner.is_read_only()
    }

    fn is_copied_only(&self) -> bool {
        self.inner.is_copied_only()
    }

    #[cfg(feature = "record")]
    fn missing_part(&self, item: &T) -> Option<FieldPath> {
        let outer = self.outer.path();
        match self.part(item) {
            None => Some(outer),
            Some(part) => {
                let missing = self.inner.missing_part(part)?;
                Some(missing.under(outer.as_pointer()))
            }
        }
    }

    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        let part = self.part(item);
        part.map_or(Value::Missing, |part| self.inner.value(part))
    }

    fn set(&self, item: &mut T, value: Value<'_>) -> Result<(), InputError> {
        self.inner.set(self.part_mut(item)?, value)
    }

    fn shown(&self, item: &T) -> String {
        let part = self.part(item);
        part.map(|part| self.inner.shown(part)).unwrap_or_default()
    }

    fn typed(&self, item: &T) -> String {
        let part = self.part(item);
        part.map(|part| self.inner.typed(part)).unwrap_or_default()
    }

    fn read(&self, item: &mut T, text: &str) -> Result<(), InputError> {
        self.inner.read(self.part_mut(item)?, text)
    }

    /// Where the part is missing on one side it is taken as a whole, since its fields cannot be.
    fn copy(&self, from: &T, to: &mut T) {
        let (Some(theirs), Some(mine)) = (self.outer.get(from), self.outer.get_mut(to)) else {
            return;
        };
        match (theirs.inner(), mine.inner_mut()) {
            (Some(from), Some(to)) => self.inner.copy(from, to),
            _ => *mine = theirs.clone(),
        }
    }

    fn compare(&self, item: &T, value: &Value<'_>) -> Option<Ordering> {
        self.inner.compare(self.part(item)?, value)
    }

    fn equals(&self, item: &T, value: &Value<'_>) -> Option<bool> {
        self.inner.equals(self.part(item)?, value)
    }

    fn choices(&self) -> &'static [Choice] {
        self.inner.choices()
    }
}

/// What a merge can copy, and nobody reads or writes by name.
macro_rules! copied_only {
    ($($copy:item)*) => {
        fn is_copied_only(&self) -> bool {
            true
        }

        fn kind(&self) -> Kind {
            Kind::Any
        }

        fn value<'a>(&self, _: &'a T) -> Value<'a> {
            Value::Missing
        }

        fn set(&self, _: &mut T, _: Value<'_>) -> Result<(), InputError> {
            Err(InputError::ReadOnly)
        }

        fn shown(&self, _: &T) -> String {
            String::new()
        }

        fn typed(&self, _: &T) -> String {
            String::new()
        }

        fn read(&self, _: &mut T, _: &str) -> Result<(), InputError> {
            Err(InputError::ReadOnly)
        }

        $($copy)*
    };
}

/// A part as a whole.
pub(super) struct Whole<T, P>(pub(super) Field<T, P>);

impl<T: 'static, P: Part> FieldAccess<T> for Whole<T, P> {
    copied_only! {
        fn copy(&self, from: &T, to: &mut T) {
            if let (Some(from), Some(to)) = (self.0.get(from), self.0.get_mut(to)) {
                *to = from.clone();
            }
        }
    }
}

/// A field that is kept out of the named ones. Its type can be anything, so that it is copied along with the item.
pub(super) struct Unnamed<T, V>(pub(super) Field<T, V>);

impl<T: Clone + 'static, V: 'static> FieldAccess<T> for Unnamed<T, V> {
    copied_only! {
        fn copy(&self, from: &T, to: &mut T) {
            let mut from = from.clone();
            if let (Some(from), Some(to)) = (self.0.get_mut(&mut from), self.0.get_mut(to)) {
                std::mem::swap(from, to);
            }
        }
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

    fn choices(&self) -> &'static [Choice] {
        self.inner.choices()
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

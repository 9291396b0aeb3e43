//! The values that rows are grouped by.

use crate::item::{AnyField, FieldValue, InputError, Value};
use crate::query::value::SortValue;
use std::cmp::Ordering;
use std::marker::PhantomData;

/// How an item's section is found.
///
/// The order of values must be total, and values that differ must not tie.
pub(super) trait GroupBy<T>: Send + Sync {
    fn value<'a>(&self, item: &'a T) -> Value<'a>;

    fn heading(&self, value: &Value<'_>) -> String {
        match value {
            Value::Choice(choice) => choice.shown().to_owned(),
            value => value.to_string(),
        }
    }

    fn compare(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        SortValue::compare(one, two).then_with(|| spelling(one).cmp(&spelling(two)))
    }

    /// A number in the order of the comparison; the same for values that it does not tell apart.
    fn prefix(&self, value: &Value<'_>) -> u64 {
        SortValue::prefix(value)
    }

    /// Its identity and its text; none for a closure.
    fn identity(&self) -> Option<GroupIdentity> {
        None
    }

    /// Changes an item so that it has a value.
    fn set(&self, item: &mut T, value: &Value<'_>) -> Result<(), InputError> {
        let _ = (item, value);
        Err(InputError::Other(
            "this grouping cannot be written: say how with Group::regroup_with".into(),
        ))
    }
}

/// The identity of the values of a grouping. Groupings with the same identity have the same values.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct GroupIdentity {
    /// The name of the field.
    pub(super) field: String,
    /// What is made of the field's value, as the text of a grouping says it: nothing, `month`, `width=50`.
    pub(super) by: String,
    /// Whether the text of a grouping can say it.
    pub(super) has_text: bool,
}

impl GroupIdentity {
    /// `None` where fields of the same name may hold other values.
    pub(super) fn of<T>(
        field: &AnyField<T>,
        by: impl Into<String>,
        has_text: bool,
    ) -> Option<Self> {
        field.is_named().then(|| Self {
            field: field.name().to_owned(),
            by: by.into(),
            has_text,
        })
    }
}

/// Tells numbers apart that are equal and yet of different kinds or written in another way.
fn spelling(value: &Value<'_>) -> (u8, u32, bool) {
    match value {
        Value::Integer(_) => (1, 0, false),
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => (2, number.scale(), number.is_sign_negative()),
        Value::Float(_) => (3, 0, false),
        _ => (0, 0, false),
    }
}

pub(super) struct ByValue<T>(pub(super) AnyField<T>);

impl<T> GroupBy<T> for ByValue<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        plain(self.0.value(item))
    }

    fn set(&self, item: &mut T, value: &Value<'_>) -> Result<(), InputError> {
        self.0.set(item, value.clone())
    }

    fn identity(&self) -> Option<GroupIdentity> {
        GroupIdentity::of(&self.0, "", true)
    }
}

/// Numbers that are equal are one value, however they are written.
fn plain(value: Value<'_>) -> Value<'_> {
    match value {
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => whole(number).unwrap_or(Value::Decimal(number.normalize())),
        Value::Float(number) if number.is_nan() => Value::Float(f64::NAN),
        Value::Float(number) if number == number.trunc() && number.abs() < 9e15 => {
            Value::Integer(number as i128)
        }
        Value::List(values) => Value::List(values.into_iter().map(plain).collect()),
        value => value,
    }
}

#[cfg(feature = "decimals")]
fn whole(number: rust_decimal::Decimal) -> Option<Value<'static>> {
    let whole = number.normalize();
    (whole.scale() == 0).then(|| Value::Integer(whole.mantissa()))
}

pub(super) struct ByShown<T>(pub(super) AnyField<T>);

impl<T> GroupBy<T> for ByShown<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        shown(&self.0, item)
    }

    fn identity(&self) -> Option<GroupIdentity> {
        GroupIdentity::of(&self.0, "shown", false)
    }
}

/// The text that a field shows; a missing value stays one.
pub(super) fn shown<'a, T>(field: &AnyField<T>, item: &'a T) -> Value<'a> {
    match field.value(item) {
        Value::Missing => Value::Missing,
        _ => Value::from(field.shown(item)),
    }
}

pub(super) struct ByClosure<F, V> {
    value: F,
    of: PhantomData<fn() -> V>,
}

impl<F, V> ByClosure<F, V> {
    pub(super) fn new(value: F) -> Self {
        let of = PhantomData;
        Self { value, of }
    }
}

impl<T, F, V> GroupBy<T> for ByClosure<F, V>
where
    F: Fn(&T) -> V + Send + Sync,
    V: FieldValue,
{
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        plain((self.value)(item).value().into_owned())
    }
}

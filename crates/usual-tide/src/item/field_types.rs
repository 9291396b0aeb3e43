//! The standard types as types of fields.

use super::choice::Choice;
use super::field_value::FieldValue;
use super::input::InputError;
use super::tester::{self, Accepts, Tester};
use super::value::{Kind, Value};
#[cfg(feature = "calendar")]
use jiff::{Timestamp, civil::Date};
#[cfg(feature = "decimals")]
use rust_decimal::{Decimal, prelude::ToPrimitive};
use std::borrow::Cow;
use std::cmp::Ordering;
use std::num::NonZero;
use std::sync::Arc;
#[cfg(feature = "calendar")]
use std::time::SystemTime;

/// The same for every kind that a value holds as it is.
fn refused<V>(expected: Kind, value: Value<'_>) -> Result<V, InputError> {
    Err(match value {
        Value::Missing => InputError::Needed { expected },
        other => InputError::not_a(expected, other),
    })
}

macro_rules! text {
    ($($type:ty),*) => {$(
        impl FieldValue for $type {
            const KIND: Kind = Kind::Text;
            fn value(&self) -> Value<'_> {
                Value::from(&**self)
            }
            fn from_value(value: Value<'_>) -> Result<Self, InputError> {
                match value {
                    Value::Text(text) => Ok(text.into()),
                    other => refused(Kind::Text, other),
                }
            }
            fn compare_to(&self, value: &Value<'_>) -> Option<Ordering> {
                value.as_text().map(|text| (**self).cmp(text))
            }
            fn equals(&self, value: &Value<'_>) -> Option<bool> {
                value.as_text().map(|text| **self == *text)
            }
        }
    )*};
}

text!(String, Box<str>, Arc<str>);

impl FieldValue for Cow<'static, str> {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(&**self)
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        String::from_value(value).map(Cow::Owned)
    }
}

impl FieldValue for &'static str {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(*self)
    }

    /// Text that is typed cannot become one that lives forever.
    fn from_value(_: Value<'_>) -> Result<Self, InputError> {
        Err(InputError::ReadOnly)
    }
}

impl FieldValue for char {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(self.to_string())
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        let mut letters = value.as_text().unwrap_or_default().chars();
        match (letters.next(), letters.next()) {
            (Some(letter), None) => Ok(letter),
            _ => refused(Kind::Text, value),
        }
    }
}

macro_rules! integers {
    ($($type:ty),*) => {$(
        impl FieldValue for $type {
            const KIND: Kind = Kind::Integer;
            fn value(&self) -> Value<'_> {
                Value::Integer(i128::try_from(*self).unwrap_or(i128::MAX))
            }
            fn from_value(value: Value<'_>) -> Result<Self, InputError> {
                let Value::Integer(number) = value else {
                    return refused(Kind::Integer, value);
                };
                number.try_into().map_err(|_| InputError::OutOfRange {
                    given: number.to_string(),
                    least: Self::MIN.to_string(),
                    most: Self::MAX.to_string(),
                })
            }
            fn compare_to(&self, value: &Value<'_>) -> Option<Ordering> {
                match value {
                    Value::Integer(other) => Some(i128::try_from(*self).unwrap_or(i128::MAX).cmp(other)),
                    other => self.value().compare(other),
                }
            }
            fn tester<T: 'static>(get: fn(&T) -> &Self, accepts: Accepts, value: Value<'static>) -> Tester<T> {
                if let Value::Integer(number) = value
                    && let Some(number) = Self::try_from(number).ok()
                {
                    return tester::ordered(get, accepts, number);
                }
                tester::any(get, accepts, value)
            }
        }
    )*};
}

integers!(u8, u16, u32, u64, usize, i8, i16, i32, i64, isize, i128);

macro_rules! not_zero {
    ($($type:ty),*) => {$(
        impl FieldValue for NonZero<$type> {
            const KIND: Kind = Kind::Integer;
            fn value(&self) -> Value<'_> {
                self.get().value().into_owned()
            }
            fn from_value(value: Value<'_>) -> Result<Self, InputError> {
                let number = <$type>::from_value(value)?;
                Self::new(number).ok_or_else(|| InputError::Other("it cannot be 0".to_owned()))
            }
        }
    )*};
}

not_zero!(u8, u16, u32, u64, usize, i8, i16, i32, i64, isize);

impl FieldValue for f64 {
    const KIND: Kind = Kind::Float;

    fn value(&self) -> Value<'_> {
        Value::Float(*self)
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        let number = match &value {
            Value::Float(number) => Some(*number),
            Value::Integer(number) => Some(*number as f64),
            #[cfg(feature = "decimals")]
            Value::Decimal(number) => number.to_f64(),
            _ => None,
        };
        number.map_or_else(|| refused(Kind::Float, value), Ok)
    }
}

impl FieldValue for f32 {
    const KIND: Kind = Kind::Float;

    fn value(&self) -> Value<'_> {
        Value::Float(f64::from(*self))
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        f64::from_value(value).map(|number| number as Self)
    }

    /// Its own shortest text, not that of the double it widens to.
    fn shown(&self) -> String {
        self.to_string()
    }

    fn typed(&self) -> String {
        self.to_string()
    }
}

#[cfg(feature = "decimals")]
impl FieldValue for Decimal {
    const KIND: Kind = Kind::Decimal;

    fn value(&self) -> Value<'_> {
        Value::Decimal(*self)
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        match value {
            Value::Decimal(number) => Ok(number),
            Value::Integer(number) => {
                Self::try_from_i128_with_scale(number, 0).map_err(|_| InputError::OutOfRange {
                    given: number.to_string(),
                    least: Self::MIN.to_string(),
                    most: Self::MAX.to_string(),
                })
            }
            other => refused(Kind::Decimal, other),
        }
    }
}

macro_rules! plain {
    ($($type:ty as $kind:ident),*) => {$(
        impl FieldValue for $type {
            const KIND: Kind = Kind::$kind;
            fn value(&self) -> Value<'_> {
                Value::$kind(*self)
            }
            fn from_value(value: Value<'_>) -> Result<Self, InputError> {
                match value {
                    Value::$kind(value) => Ok(value),
                    other => refused(Kind::$kind, other),
                }
            }
            fn compare_to(&self, value: &Value<'_>) -> Option<Ordering> {
                match value {
                    Value::$kind(other) => Some(self.cmp(other)),
                    other => self.value().compare(other),
                }
            }
            fn tester<T: 'static>(get: fn(&T) -> &Self, accepts: Accepts, value: Value<'static>) -> Tester<T> {
                match value {
                    Value::$kind(value) => tester::ordered(get, accepts, value),
                    value => tester::any(get, accepts, value),
                }
            }
        }
    )*};
}

plain!(bool as Bool);
#[cfg(feature = "calendar")]
plain!(Date as Date, Timestamp as Timestamp);

/// A moment; the few that are before or after all years of four digits are the first or the last one of these.
#[cfg(feature = "calendar")]
impl FieldValue for SystemTime {
    const KIND: Kind = Kind::Timestamp;

    fn value(&self) -> Value<'_> {
        let beyond = match *self < Self::UNIX_EPOCH {
            true => Timestamp::MIN,
            false => Timestamp::MAX,
        };
        Value::Timestamp(Timestamp::try_from(*self).unwrap_or(beyond))
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        Timestamp::from_value(value).map(Self::from)
    }
}

/// A missing value is `None`, and so is typed text of white space alone.
impl<V: FieldValue> FieldValue for Option<V> {
    const KIND: Kind = V::KIND;

    fn choices() -> &'static [Choice] {
        V::choices()
    }

    fn value(&self) -> Value<'_> {
        self.as_ref().map_or(Value::Missing, V::value)
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        match value {
            Value::Missing => Ok(None),
            value => V::from_value(value).map(Some),
        }
    }

    fn compare_to(&self, value: &Value<'_>) -> Option<Ordering> {
        self.as_ref()?.compare_to(value)
    }

    fn equals(&self, value: &Value<'_>) -> Option<bool> {
        self.as_ref()?.equals(value)
    }

    fn shown(&self) -> String {
        self.as_ref().map(V::shown).unwrap_or_default()
    }

    fn typed(&self) -> String {
        self.as_ref().map(V::typed).unwrap_or_default()
    }

    fn read(text: &str) -> Result<Self, InputError> {
        if text.trim().is_empty() {
            return Ok(None);
        }
        V::read(text).map(Some)
    }
}

fn shown_all<V: FieldValue>(values: &[V], text: impl Fn(&V) -> String) -> String {
    values.iter().map(text).collect::<Vec<_>>().join(", ")
}

/// Typed as the values with commas between them.
impl<V: FieldValue> FieldValue for Vec<V> {
    const KIND: Kind = Kind::List;

    fn value(&self) -> Value<'_> {
        Value::List(self.iter().map(V::value).collect())
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        match value {
            Value::List(values) => values.into_iter().map(V::from_value).collect(),
            other => refused(Kind::List, other),
        }
    }

    fn shown(&self) -> String {
        shown_all(self, V::shown)
    }

    fn typed(&self) -> String {
        shown_all(self, V::typed)
    }

    fn read(text: &str) -> Result<Self, InputError> {
        if text.trim().is_empty() {
            return Ok(Self::new());
        }
        text.split(',').map(|part| V::read(part.trim())).collect()
    }
}

impl<V: FieldValue, const N: usize> FieldValue for [V; N] {
    const KIND: Kind = Kind::List;

    fn value(&self) -> Value<'_> {
        Value::List(self.iter().map(V::value).collect())
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        let given = value.to_string();
        let of_length = |_| InputError::Other(format!("{given:?} is not a list of {N}"));
        Vec::from_value(value)?.try_into().map_err(of_length)
    }

    fn shown(&self) -> String {
        shown_all(self, V::shown)
    }

    fn typed(&self) -> String {
        shown_all(self, V::typed)
    }

    fn read(text: &str) -> Result<Self, InputError> {
        let of_length = |_| InputError::Other(format!("{text:?} is not a list of {N}"));
        Vec::read(text)?.try_into().map_err(of_length)
    }
}

/// A key that cannot collide, written as its text.
#[cfg(feature = "uuid")]
impl FieldValue for uuid::Uuid {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(self.to_string())
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        let uuid = value.as_text().and_then(|text| Self::parse_str(text).ok());
        uuid.ok_or_else(|| InputError::Other(format!("{:?} is not a UUID", value.to_string())))
    }
}

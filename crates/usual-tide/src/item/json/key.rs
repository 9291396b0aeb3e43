//! Keys of records.

use super::number::Decimal;
use crate::item::{FieldValue, InputError, Kind, Value as FieldContent};
use crate::record::MemberValue;
use serde_json::Value;
use std::fmt;

/// The key of a record: text or an integer, and `"1"` is not `1`.
///
/// ```
/// use usual_tide::record::RecordKey;
///
/// assert_ne!(RecordKey::from("1"), RecordKey::from(1));
/// assert_eq!(RecordKey::from("P-0412").to_string(), "P-0412");
/// assert_eq!(format!("{:?}", RecordKey::from("P-0412")), "\"P-0412\"");
/// ```
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum RecordKey {
    /// An integer, at most ±(2^127 - 1).
    Integer(i128),
    /// Text.
    Text(Box<str>),
}

/// Why a value is no key.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("a key is a string or an integer, and this is {found}")]
pub struct KeyError {
    /// What was found in its place.
    pub found: String,
}

impl RecordKey {
    /// The key that a JSON value is.
    ///
    /// # Errors
    ///
    /// [`KeyError`] when it is neither a string nor an integer.
    pub fn from_value(value: &Value) -> Result<Self, KeyError> {
        let refused = |found: &str| KeyError {
            found: found.to_owned(),
        };
        match value {
            Value::String(text) => Ok(Self::Text(text.as_str().into())),
            Value::Number(number) => Self::of_number(&number.to_string()),
            Value::Null => Err(refused("null")),
            Value::Bool(flag) => Err(refused(&flag.to_string())),
            Value::Array(_) => Err(refused("an array")),
            Value::Object(_) => Err(refused("an object")),
        }
    }

    /// The key that a member of a record is.
    pub(crate) fn of_member(value: MemberValue<'_>) -> Result<Self, KeyError> {
        match value {
            MemberValue::Text(text) => Ok(Self::Text(text.into())),
            MemberValue::Number(text) => Self::of_number(text),
            other => Self::from_value(&other.to_json()),
        }
    }

    fn of_number(text: &str) -> Result<Self, KeyError> {
        let integer = text.parse().ok();
        // 12.0 and 1e3 are numbers that happen to be whole, not integers as they are written.
        integer.map(Self::Integer).ok_or_else(|| {
            let whole = text
                .bytes()
                .all(|byte| byte == b'-' || byte.is_ascii_digit());
            let too_large = if whole { ", which is too large" } else { "" };
            KeyError {
                found: format!("the number {text}{too_large}"),
            }
        })
    }

    /// The key as a JSON value.
    pub fn to_value(&self) -> Value {
        match self {
            Self::Text(text) => Value::String(text.to_string()),
            Self::Integer(integer) => Decimal::value_of(*integer),
        }
    }
}

impl From<&str> for RecordKey {
    fn from(text: &str) -> Self {
        Self::Text(text.into())
    }
}

impl From<i64> for RecordKey {
    fn from(integer: i64) -> Self {
        Self::Integer(integer.into())
    }
}

/// As a person reads it: text without quotes.
impl fmt::Display for RecordKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text(text) => f.pad(text),
            Self::Integer(integer) => integer.fmt(f),
        }
    }
}

/// As JSON has it: text in quotes, so that `"1"` and `1` are different.
impl fmt::Debug for RecordKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text(text) => write!(f, "{}", Value::from(&**text)),
            Self::Integer(integer) => integer.fmt(f),
        }
    }
}

/// As the field that it is.
impl FieldValue for RecordKey {
    const KIND: Kind = Kind::Any;

    fn value(&self) -> FieldContent<'_> {
        match self {
            Self::Text(text) => FieldContent::from(&**text),
            Self::Integer(integer) => FieldContent::Integer(*integer),
        }
    }

    fn from_value(value: FieldContent<'_>) -> Result<Self, InputError> {
        match value {
            FieldContent::Integer(integer) => Ok(Self::Integer(integer)),
            FieldContent::Text(text) => Ok(Self::Text(text.into())),
            other => Err(InputError::not_a(Kind::Text, other)),
        }
    }
}

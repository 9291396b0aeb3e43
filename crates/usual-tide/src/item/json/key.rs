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
/// assert_eq!(RecordKey::from(412).as_integer(), Some(412));
/// assert_eq!(RecordKey::from_integer(1 << 100).to_string().len(), 31);
/// assert_eq!(RecordKey::from("P-0412").as_text(), Some("P-0412"));
/// ```
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RecordKey(Kept);

/// An integer is in two halves, so that a key takes 24 bytes, and not 32.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Kept {
    Integer { high: i64, low: u64 },
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
            Value::String(text) => Ok(Self::from(text.as_str())),
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
            MemberValue::Text(text) => Ok(Self::from(text)),
            MemberValue::Number(text) => Self::of_number(text),
            other => Self::from_value(&other.to_json()),
        }
    }

    fn of_number(text: &str) -> Result<Self, KeyError> {
        let integer: Option<i128> = text.parse().ok();
        // 12.0 and 1e3 are numbers that happen to be whole, not integers as they are written.
        integer.map(Self::from_integer).ok_or_else(|| {
            let whole = text
                .bytes()
                .all(|byte| byte == b'-' || byte.is_ascii_digit());
            let too_large = if whole { ", which is too large" } else { "" };
            KeyError {
                found: format!("the number {text}{too_large}"),
            }
        })
    }

    /// The integer, when it is one: at most ±(2^127 - 1).
    pub fn as_integer(&self) -> Option<i128> {
        match self.0 {
            Kept::Integer { high, low } => Some(whole(high, low)),
            Kept::Text(_) => None,
        }
    }

    /// The text, when it is text.
    pub fn as_text(&self) -> Option<&str> {
        match &self.0 {
            Kept::Integer { .. } => None,
            Kept::Text(text) => Some(text),
        }
    }

    /// The key that an integer is.
    pub fn from_integer(integer: i128) -> Self {
        Self(Kept::Integer {
            high: (integer >> 64) as i64,
            low: integer as u64,
        })
    }

    /// The key as a JSON value.
    pub fn to_value(&self) -> Value {
        match &self.0 {
            Kept::Text(text) => Value::String(text.to_string()),
            Kept::Integer { high, low } => Decimal::value_of(whole(*high, *low)),
        }
    }
}

fn whole(high: i64, low: u64) -> i128 {
    i128::from(high) << 64 | i128::from(low)
}

impl From<&str> for RecordKey {
    fn from(text: &str) -> Self {
        Self(Kept::Text(text.into()))
    }
}

impl From<i64> for RecordKey {
    fn from(integer: i64) -> Self {
        Self::from_integer(integer.into())
    }
}

/// As a person reads it: text without quotes.
impl fmt::Display for RecordKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Kept::Text(text) => f.pad(text),
            Kept::Integer { high, low } => whole(*high, *low).fmt(f),
        }
    }
}

/// As JSON has it: text in quotes, so that `"1"` and `1` are different.
impl fmt::Debug for RecordKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Kept::Text(text) => write!(f, "{}", Value::from(&**text)),
            Kept::Integer { high, low } => whole(*high, *low).fmt(f),
        }
    }
}

/// As the field that it is.
impl FieldValue for RecordKey {
    const KIND: Kind = Kind::Any;

    fn value(&self) -> FieldContent<'_> {
        match &self.0 {
            Kept::Text(text) => FieldContent::from(&**text),
            Kept::Integer { high, low } => FieldContent::Integer(whole(*high, *low)),
        }
    }

    fn from_value(value: FieldContent<'_>) -> Result<Self, InputError> {
        match value {
            FieldContent::Integer(integer) => Ok(Self::from_integer(integer)),
            FieldContent::Text(text) => Ok(Self::from(&*text)),
            other => Err(InputError::not_a(Kind::Text, other)),
        }
    }
}

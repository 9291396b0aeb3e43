//! What a field holds, whatever its Rust type.

use super::choice::Choice;
#[cfg(feature = "calendar")]
use jiff::{Timestamp, civil::Date};
#[cfg(feature = "decimals")]
use rust_decimal::Decimal;
use std::borrow::Cow;
use std::fmt;

/// What a field of an item holds, read by its [`AnyField`](super::AnyField).
///
/// Text is borrowed from the item where it can be. Shown, a value is its plain text: dates and timestamps
/// as ISO 8601 and RFC 3339, a missing value as nothing.
///
/// ```
/// use usual_tide::fields::Value;
///
/// assert_eq!(Value::from("Celadon bowl").to_string(), "Celadon bowl");
/// assert_eq!(Value::from(120_u32), Value::Integer(120));
/// assert_eq!(Value::Missing.to_string(), "");
/// ```
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub enum Value<'a> {
    /// Nothing.
    Missing,
    /// Yes or no.
    Bool(bool),
    /// A whole number.
    Integer(i128),
    /// An exact decimal number of up to 28 digits.
    #[cfg(feature = "decimals")]
    Decimal(Decimal),
    /// A floating-point number.
    Float(f64),
    /// Text.
    Text(Cow<'a, str>),
    /// One of several choices.
    Choice(Choice),
    /// A day.
    #[cfg(feature = "calendar")]
    Date(Date),
    /// A moment; compared by the instant, whatever its offset was.
    #[cfg(feature = "calendar")]
    Timestamp(Timestamp),
    /// Several values.
    List(Vec<Value<'a>>),
}

/// What kind of value a field holds.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
#[non_exhaustive]
pub enum Kind {
    /// Yes or no.
    Bool,
    /// A whole number.
    Integer,
    /// An exact decimal number.
    Decimal,
    /// A floating-point number.
    Float,
    /// Text.
    Text,
    /// One of several choices.
    Choice,
    /// A day.
    Date,
    /// A moment.
    Timestamp,
    /// Several values.
    List,
    /// Any of these: the field of a record, say.
    Any,
}

impl Value<'_> {
    /// The kind of value this is; `None` for a missing one.
    pub fn kind(&self) -> Option<Kind> {
        Some(match self {
            Self::Missing => return None,
            Self::Bool(_) => Kind::Bool,
            Self::Integer(_) => Kind::Integer,
            #[cfg(feature = "decimals")]
            Self::Decimal(_) => Kind::Decimal,
            Self::Float(_) => Kind::Float,
            Self::Text(_) => Kind::Text,
            Self::Choice(_) => Kind::Choice,
            #[cfg(feature = "calendar")]
            Self::Date(_) => Kind::Date,
            #[cfg(feature = "calendar")]
            Self::Timestamp(_) => Kind::Timestamp,
            Self::List(_) => Kind::List,
        })
    }

    /// Whether there is nothing.
    pub fn is_missing(&self) -> bool {
        matches!(self, Self::Missing)
    }

    /// Whether there is nothing to see: no value, or text of white space alone.
    pub fn is_blank(&self) -> bool {
        match self {
            Self::Missing => true,
            Self::Text(text) => text.trim().is_empty(),
            Self::List(values) => values.is_empty(),
            _ => false,
        }
    }

    /// The text, when it is text, or the name of a choice.
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Self::Text(text) => Some(text),
            Self::Choice(choice) => Some(choice.name()),
            _ => None,
        }
    }

    /// The same value, which borrows nothing.
    pub fn into_owned(self) -> Value<'static> {
        match self {
            Self::Missing => Value::Missing,
            Self::Bool(flag) => Value::Bool(flag),
            Self::Integer(number) => Value::Integer(number),
            #[cfg(feature = "decimals")]
            Self::Decimal(number) => Value::Decimal(number),
            Self::Float(number) => Value::Float(number),
            Self::Text(text) => Value::Text(Cow::Owned(text.into_owned())),
            Self::Choice(choice) => Value::Choice(choice),
            #[cfg(feature = "calendar")]
            Self::Date(date) => Value::Date(date),
            #[cfg(feature = "calendar")]
            Self::Timestamp(moment) => Value::Timestamp(moment),
            Self::List(values) => Value::List(values.into_iter().map(Value::into_owned).collect()),
        }
    }
}

impl fmt::Display for Value<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Missing => Ok(()),
            Self::Bool(flag) => flag.fmt(f),
            Self::Integer(number) => number.fmt(f),
            #[cfg(feature = "decimals")]
            Self::Decimal(number) => number.fmt(f),
            Self::Float(number) => number.fmt(f),
            Self::Text(text) => f.write_str(text),
            Self::Choice(choice) => choice.fmt(f),
            #[cfg(feature = "calendar")]
            Self::Date(date) => date.fmt(f),
            #[cfg(feature = "calendar")]
            Self::Timestamp(moment) => moment.fmt(f),
            Self::List(values) => {
                for (index, value) in values.iter().enumerate() {
                    let before = if index == 0 { "" } else { ", " };
                    write!(f, "{before}{value}")?;
                }
                Ok(())
            }
        }
    }
}

impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Bool => "true or false",
            Self::Integer => "a whole number",
            Self::Decimal | Self::Float => "a number",
            Self::Text => "text",
            Self::Choice => "one of the choices",
            Self::Date => "a date such as 2026-03-05",
            Self::Timestamp => "a date and time such as 2026-03-05T14:30:00Z",
            Self::List => "a list",
            Self::Any => "a value",
        })
    }
}

impl<'a> From<&'a str> for Value<'a> {
    fn from(text: &'a str) -> Self {
        Self::Text(Cow::Borrowed(text))
    }
}

impl From<String> for Value<'_> {
    fn from(text: String) -> Self {
        Self::Text(Cow::Owned(text))
    }
}

macro_rules! from_plain {
    ($($type:ty as $kind:ident),*) => {$(
        impl From<$type> for Value<'_> {
            fn from(value: $type) -> Self {
                Self::$kind(value)
            }
        }
    )*};
}

from_plain!(bool as Bool, f64 as Float);
#[cfg(feature = "decimals")]
from_plain!(Decimal as Decimal);
#[cfg(feature = "calendar")]
from_plain!(Date as Date, Timestamp as Timestamp);

macro_rules! from_integers {
    ($($type:ty),*) => {$(
        impl From<$type> for Value<'_> {
            fn from(number: $type) -> Self {
                Self::Integer(number.into())
            }
        }
    )*};
}

from_integers!(u8, u16, u32, u64, i8, i16, i32, i64, i128);

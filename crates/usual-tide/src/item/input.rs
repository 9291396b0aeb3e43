//! Values that a person types.

#[cfg(feature = "calendar")]
use super::dates::{read_date, read_timestamp};
use super::value::{Kind, Value};
#[cfg(feature = "decimals")]
use rust_decimal::Decimal;
use std::borrow::Cow;

/// Why a value cannot be written to a field. The item is unchanged; the text can be shown in a form.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum InputError {
    /// The text, or the value, is of another kind.
    #[error("{given:?} is not {expected}")]
    NotA {
        /// What the field holds.
        expected: Kind,
        /// What was given.
        given: String,
    },
    /// The number does not fit into the field's type.
    #[error("{given} is out of range: it can be {least} to {most}")]
    OutOfRange {
        /// The number that was given.
        given: String,
        /// The smallest that fits.
        least: String,
        /// The largest that fits.
        most: String,
    },
    /// The field always holds a value, and none was given.
    #[error("a value is needed: {expected}")]
    Needed {
        /// What the field holds.
        expected: Kind,
    },
    /// The field cannot be written.
    #[error("it cannot be changed")]
    ReadOnly,
    /// The item would get another key, which is its identity and never changes.
    #[error(
        "it is the key, which cannot be changed: remove the item and add it with the other key"
    )]
    Key,
    /// The field is a part of something that is missing.
    #[error("{part:?} is missing: set it as a whole first")]
    MissingPart {
        /// The name of what is missing.
        part: String,
    },
    /// There is no such choice.
    #[error("{given:?} is not one of {}", .choices.join(", "))]
    NoChoice {
        /// What was given.
        given: String,
        /// The choices.
        choices: Vec<&'static str>,
    },
    /// No field has this name.
    #[error("there is no field {name:?}")]
    UnknownField {
        /// The name.
        name: String,
    },
    /// The app's own reading of the field refused it.
    #[error("{0}")]
    Other(String),
}

impl InputError {
    pub(crate) fn not_a(expected: Kind, given: impl ToString) -> Self {
        Self::NotA {
            expected,
            given: given.to_string(),
        }
    }
}

impl Kind {
    /// Reads typed text as a value of this kind. White space around it counts only where text is asked
    /// for; no text is no value there as elsewhere.
    ///
    /// ```
    /// use usual_tide::fields::{Kind, Value};
    ///
    /// assert_eq!(Kind::Integer.read(" 120 "), Ok(Value::Integer(120)));
    /// let refused = Kind::Date.read("5 March").unwrap_err();
    /// assert_eq!(refused.to_string(), "\"5 March\" is not a date such as 2026-03-05");
    /// ```
    ///
    /// # Errors
    ///
    /// [`InputError::NotA`] when it reads as something else.
    pub fn read(self, text: &str) -> Result<Value<'_>, InputError> {
        if matches!(self, Self::Text | Self::Choice | Self::Any | Self::List) {
            return Ok(Value::Text(Cow::Borrowed(text)));
        }
        let typed = text.trim();
        if typed.is_empty() {
            return Ok(Value::Missing);
        }
        let value = match self {
            Self::Bool => read_flag(typed).map(Value::Bool),
            Self::Integer => typed.parse().ok().map(Value::Integer),
            #[cfg(feature = "decimals")]
            Self::Decimal => Decimal::from_str_exact(typed).ok().map(Value::Decimal),
            Self::Float => read_float(typed).map(Value::Float),
            #[cfg(feature = "calendar")]
            Self::Date => read_date(typed).map(Value::Date),
            #[cfg(feature = "calendar")]
            Self::Timestamp => read_timestamp(typed).map(Value::Timestamp),
            _ => None,
        };
        value.ok_or_else(|| InputError::not_a(self, text))
    }
}

fn read_flag(text: &str) -> Option<bool> {
    [("true", true), ("false", false)]
        .into_iter()
        .find_map(|(word, flag)| text.eq_ignore_ascii_case(word).then_some(flag))
}

/// A number that a person can have meant: no infinity.
fn read_float(text: &str) -> Option<f64> {
    text.parse().ok().filter(|number: &f64| number.is_finite())
}

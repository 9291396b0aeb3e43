//! Why an item was not accepted.

use crate::item::input::InputError;
use std::fmt;

/// A field that a rule refuses.
///
/// Shown, it is the text for a form: the rule's own message when it was given one.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct FailedField<K> {
    /// The field's name; empty for a rule that is about the whole item.
    pub field: String,
    /// What is wrong with it, for an app that words it itself.
    pub broken: BrokenRule<K>,
    /// The rule's own message, when it was given one.
    pub message: Option<String>,
}

/// What is wrong with a field.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum BrokenRule<K> {
    /// It is missing or blank.
    #[error("a value is needed")]
    Required,
    /// Another item has the same.
    #[error("another entry has the same")]
    Taken {
        /// The key of that item.
        by: K,
    },
    /// The value is too small or too large.
    #[error("{given} is out of range: it must be {range}")]
    OutOfRange {
        /// The value.
        given: String,
        /// What it can be.
        range: String,
    },
    /// The text is too short or too long.
    #[error("{given} characters are too {}: it must be {range}", if *.short { "few" } else { "many" })]
    BadLength {
        /// Its length, in characters as a person counts them.
        given: usize,
        /// Whether it is too short.
        short: bool,
        /// What it can be.
        range: String,
    },
    /// What was typed cannot be read.
    #[error(transparent)]
    Unreadable(InputError),
    /// The app's own check refused it.
    #[error("it was refused")]
    Refused,
}

impl<K> fmt::Display for FailedField<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.message {
            Some(message) => f.write_str(message),
            None => self.broken.fmt(f),
        }
    }
}

/// All failed fields in one line.
pub(crate) fn describe<K>(failed: &[FailedField<K>]) -> String {
    let parts: Vec<String> = failed
        .iter()
        .map(|failed| match failed.field.as_str() {
            "" => failed.to_string(),
            field => format!("{field}: {failed}"),
        })
        .collect();
    parts.join("; ")
}

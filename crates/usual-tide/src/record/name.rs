//! Names of fields in text.

use super::content::Object;
use super::item::MOST_DEPTH;
use crate::item::{FieldPath, unescape};
use serde_json::{Map, Value};
use std::fmt;

/// A field of a record by name: `title`, dotted into objects (`fee.amount`), or a JSON Pointer
/// (RFC 6901, `/fee/amount`).
///
/// A member of exactly the name comes before a dotted way: in `{"fee.amount": 1}` the name
/// `fee.amount` finds it.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct FieldName {
    text: String,
    steps: Vec<String>,
    pointer: bool,
}

/// Why a text names no field.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FieldNameError {
    /// There is no name.
    #[error("a field name is empty")]
    Empty,
    /// It has more steps than a record has levels.
    #[error("a field name has {steps} steps, and a record has {most} levels at the most")]
    TooDeep {
        /// Its steps.
        steps: usize,
        /// The most.
        most: usize,
    },
    /// A `~` in a JSON Pointer is before something else than 0 or 1.
    #[error("{text:?} is no JSON Pointer: a ~ must be followed by 0 or 1")]
    BadEscape {
        /// The text.
        text: String,
    },
}

impl FieldName {
    /// Reads a name.
    ///
    /// # Errors
    ///
    /// [`FieldNameError`] when it is empty or a malformed pointer.
    pub fn parse(text: &str) -> Result<Self, FieldNameError> {
        let pointer = text.strip_prefix('/');
        let separator = if pointer.is_some() { '/' } else { '.' };
        let steps = pointer.unwrap_or(text).split(separator).count();
        if steps > MOST_DEPTH {
            let most = MOST_DEPTH;
            return Err(FieldNameError::TooDeep { steps, most });
        }
        let steps = match pointer {
            Some(rest) => rest
                .split('/')
                .map(|step| {
                    unescape(step).ok_or(FieldNameError::BadEscape {
                        text: text.to_owned(),
                    })
                })
                .collect::<Result<_, _>>()?,
            None if text.is_empty() => return Err(FieldNameError::Empty),
            None => text.split('.').map(str::to_owned).collect(),
        };
        Ok(Self {
            text: text.to_owned(),
            steps,
            pointer: pointer.is_some(),
        })
    }

    /// The names of the members that lead to the field, from the outermost on.
    ///
    /// ```
    /// use usual_tide::record::FieldName;
    ///
    /// assert_eq!(FieldName::parse("fee.amount")?.members(), ["fee", "amount"]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn members(&self) -> &[String] {
        &self.steps
    }

    /// The field's value in an object.
    pub fn find<'a>(&self, members: &'a Map<String, Value>) -> Option<&'a Value> {
        if !self.pointer
            && let Some(value) = members.get(&self.text)
        {
            return Some(value);
        }
        let (first, rest) = self.steps.split_first()?;
        rest.iter().try_fold(members.get(first)?, |value, step| {
            value.as_object()?.get(step)
        })
    }

    /// The name as that of a member, which comes before a dotted way; none of a JSON Pointer.
    pub(super) fn whole(&self) -> Option<&str> {
        (!self.pointer).then_some(&self.text)
    }

    /// Where the field is in an object that has no member of exactly its name.
    pub(super) fn path(&self) -> FieldPath {
        FieldPath::of_members(&self.steps)
    }

    /// The members that lead to the field in an object, or would lead to it.
    pub(super) fn way_in<'a>(&'a self, members: Object<'_>) -> &'a [String] {
        match self.whole() {
            Some(name) if self.steps.len() > 1 && members.get(name).is_some() => {
                std::slice::from_ref(&self.text)
            }
            _ => &self.steps,
        }
    }
}

impl fmt::Display for FieldName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

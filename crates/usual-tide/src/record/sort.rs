//! Sorts of records from text.

use super::item::Record;
use super::name::{FieldName, FieldNameError};
use crate::query::Sort;
use serde_json::Value;

/// Why a text is no sort.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("sort {text:?}, field {number}: {why}")]
pub struct SortNameError {
    /// The whole text.
    pub text: String,
    /// Which of its fields is wrong, from 1.
    pub number: usize,
    /// What is wrong with it.
    #[source]
    pub why: FieldNameError,
}

/// Reads a sort: field names with commas between, a `-` before each that is to descend.
///
/// Absent and null values come last in either direction. Booleans come before numbers, numbers before
/// text; text is ordered by code point.
///
/// ```
/// use usual_tide::{Query, record};
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let query = Query::new().sort(record::sort("-height_mm,fee.amount")?);
/// assert!(record::sort("title,,due").is_err());
/// # Ok(()) }
/// ```
///
/// # Errors
///
/// [`SortNameError`] when a field name is empty or a malformed pointer.
pub fn sort(text: &str) -> Result<Sort<Record>, SortNameError> {
    let mut whole: Option<Sort<Record>> = None;
    for (index, field) in text.split(',').enumerate() {
        let field = field.trim();
        let (descending, name) = match field.strip_prefix('-') {
            Some(name) => (true, name),
            None => (false, field),
        };
        let name = FieldName::parse(name).map_err(|why| SortNameError {
            text: text.to_owned(),
            number: index + 1,
            why,
        })?;
        let level = Sort::by(move |record: &Record| record.field(&name).unwrap_or(&Value::Null));
        let level = if descending {
            level.descending()
        } else {
            level
        };
        whole = Some(match whole {
            Some(before) => before.then(level),
            None => level,
        });
    }
    // `split` gives at least one part, and a part that is no name was an error.
    whole.ok_or_else(|| SortNameError {
        text: text.to_owned(),
        number: 1,
        why: FieldNameError::Empty,
    })
}

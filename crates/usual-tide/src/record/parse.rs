//! Records from JSON text.

use super::item::{Record, RecordError};
use super::name::FieldName;
use serde_json::{Map, Value};
use std::sync::Arc;

/// How records are laid out in a text.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Shape {
    /// One JSON array of objects.
    Json,
    /// One object a line; blank lines do not count.
    Ndjson,
}

/// Why a text holds no records. Lines and columns count from 1, elements from 0.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ParseError {
    /// It is not JSON.
    #[error("line {line}, column {column}: {message}")]
    Json {
        /// The line.
        line: usize,
        /// The column, in bytes.
        column: usize,
        /// What the JSON parser says.
        message: String,
    },
    /// It is JSON of another shape.
    #[error("expected an array of objects, found {found}")]
    NotAnArray {
        /// What it is instead.
        found: &'static str,
    },
    /// An element is not an object.
    #[error("{place}: expected an object, found {found}")]
    NotAnObject {
        /// Where: `element 3` or `line 4`.
        place: String,
        /// What it is instead.
        found: &'static str,
    },
    /// An element has no key.
    #[error("{place}: {why}")]
    Record {
        /// Where: `element 3` or `line 4`.
        place: String,
        /// What is wrong with it.
        #[source]
        why: RecordError,
    },
}

/// Reads records from a JSON array of objects, or from NDJSON, whichever the text is.
///
/// # Errors
///
/// [`ParseError`] with the line and column, or the element, that is wrong.
pub fn parse(text: &str, key: &FieldName) -> Result<Vec<Record>, ParseError> {
    let text = without_mark(text);
    if !text.trim_start().starts_with('{') {
        return parse_as(Shape::Json, text, key);
    }
    parse_as(Shape::Ndjson, text, key).map_err(|error| {
        // One object over several lines is neither.
        let whole: Result<Map<String, Value>, _> = serde_json::from_str(text);
        let found = "an object";
        whole.map_or(error, |_| ParseError::NotAnArray { found })
    })
}

/// Reads records of a known shape.
///
/// # Errors
///
/// [`ParseError`] with the line and column, or the element, that is wrong.
pub fn parse_as(shape: Shape, text: &str, key: &FieldName) -> Result<Vec<Record>, ParseError> {
    let text = without_mark(text);
    let key = Arc::new(key.clone());
    match shape {
        Shape::Json => {
            let value: Value = serde_json::from_str(text).map_err(|error| json_error(&error, 0))?;
            let Value::Array(elements) = value else {
                let found = kind(&value);
                return Err(ParseError::NotAnArray { found });
            };
            let place = |index| format!("element {index}");
            elements
                .into_iter()
                .enumerate()
                .map(|(index, value)| record(value, &key, || place(index)))
                .collect()
        }
        Shape::Ndjson => text
            .lines()
            .enumerate()
            .filter(|(_, line)| !line.trim().is_empty())
            .map(|(index, line)| {
                let value =
                    serde_json::from_str(line).map_err(|error| json_error(&error, index))?;
                record(value, &key, || format!("line {}", index + 1))
            })
            .collect(),
    }
}

fn record(
    value: Value,
    key: &Arc<FieldName>,
    place: impl Fn() -> String,
) -> Result<Record, ParseError> {
    let members: Map<String, Value> = match value {
        Value::Object(members) => members,
        other => {
            return Err(ParseError::NotAnObject {
                place: place(),
                found: kind(&other),
            });
        }
    };
    Record::with_shared_name(members, key).map_err(|why| ParseError::Record {
        place: place(),
        why,
    })
}

fn json_error(error: &serde_json::Error, lines_before: usize) -> ParseError {
    let message = error.to_string();
    // The parser ends its message with the place, which is told apart here.
    let message = message.split(" at line ").next().unwrap_or(&message);
    ParseError::Json {
        line: lines_before + error.line(),
        // The end of an empty text is behind no column.
        column: error.column().max(1),
        message: message.to_owned(),
    }
}

fn kind(value: &Value) -> &'static str {
    match value {
        Value::Null => "null",
        Value::Bool(_) => "a boolean",
        Value::Number(_) => "a number",
        Value::String(_) => "a string",
        Value::Array(_) => "an array",
        Value::Object(_) => "an object",
    }
}

/// Without a byte order mark, which some programs put before UTF-8.
fn without_mark(text: &str) -> &str {
    text.strip_prefix('\u{feff}').unwrap_or(text)
}

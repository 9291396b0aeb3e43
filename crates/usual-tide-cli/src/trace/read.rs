//! Traces from text.

use super::changes::{TracedChanges, key};
use serde_json::Value;
use usual_tide::record::{ParseError, RecordKey, parse_value};

/// A line of a trace.
pub(super) enum TraceLine {
    /// The keys that the view shows.
    Rows(Vec<RecordKey>),
    /// What a change set says.
    Changes(TracedChanges),
}

/// Reads a line; says what is wrong with it.
pub(super) fn line(text: &str) -> Result<TraceLine, String> {
    let value = parse_value(text).map_err(|error| match error {
        ParseError::Json {
            column, message, ..
        } => format!("column {column}: {message}"),
        error => error.to_string(),
    })?;
    match (value.get("rows"), value.get("changes")) {
        (Some(Value::Array(rows)), None) => Ok(TraceLine::Rows(
            rows.iter().map(key).collect::<Result<_, _>>()?,
        )),
        (None, Some(changes)) => Ok(TraceLine::Changes(TracedChanges::read(changes)?)),
        (Some(_), None) => Err("\"rows\" is no array of keys".to_owned()),
        _ => Err("a line of a trace has either \"rows\" or \"changes\"".to_owned()),
    }
}

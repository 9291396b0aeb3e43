//! Traces from text.

use super::told::{Told, key};
use serde_json::Value;
use usual_tide::record::{ParseError, RecordKey, parse_value};

/// A line of a trace.
pub(super) enum Seen {
    /// The keys that the view shows.
    Rows(Vec<RecordKey>),
    /// What a change set says.
    Changes(Told),
}

/// Reads a line; says what is wrong with it.
pub(super) fn line(text: &str) -> Result<Seen, String> {
    let value = parse_value(text).map_err(|error| match error {
        ParseError::Json {
            column, message, ..
        } => format!("column {column}: {message}"),
        error => error.to_string(),
    })?;
    match (value.get("rows"), value.get("changes")) {
        (Some(Value::Array(rows)), None) => {
            Ok(Seen::Rows(rows.iter().map(key).collect::<Result<_, _>>()?))
        }
        (None, Some(changes)) => Ok(Seen::Changes(Told::read(changes)?)),
        (Some(_), None) => Err("\"rows\" is no array of keys".to_owned()),
        _ => Err("a line of a trace has either \"rows\" or \"changes\"".to_owned()),
    }
}

//! Traces from text.

use super::told::{Told, key};
use serde_json::Value;
use usual_tide::record::RecordKey;

/// A line of a trace.
pub(super) enum Seen {
    /// The keys that the view shows.
    Rows(Vec<RecordKey>),
    /// What a change set says.
    Changes(Told),
}

/// Reads a line; says what is wrong with it.
pub(super) fn line(text: &str) -> Result<Seen, String> {
    let value: Value = serde_json::from_str(text).map_err(|error| {
        let message = error.to_string();
        let message = message.split(" at line ").next().unwrap_or_default();
        format!("column {}: {message}", error.column())
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

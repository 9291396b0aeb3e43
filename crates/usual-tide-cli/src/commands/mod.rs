//! The commands that work on files.

pub(crate) mod compare;
pub(crate) mod show;

use crate::error::CommandError;
use serde_json::Value;

/// JSON over several lines, for programs and for people.
fn pretty(value: &Value) -> Result<String, CommandError> {
    let text = serde_json::to_string_pretty(value);
    let text = text.map_err(|error| CommandError::Write(error.into()))?;
    Ok(text + "\n")
}

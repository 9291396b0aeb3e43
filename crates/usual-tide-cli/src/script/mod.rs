//! Edit scripts: NDJSON, one edit a line.

mod error;
mod member;
mod op;
mod read;
mod stage;

pub(crate) use error::ScriptError;
pub(crate) use read::{Line, lines, query};
pub(crate) use stage::Stage;

//! Edit scripts: NDJSON, one edit a line.

mod error;
mod member;
mod op;
mod read;
mod runner;

pub(crate) use error::ScriptError;
#[cfg(fuzzing)]
pub(crate) use op::Op;
pub(crate) use read::{Line, lines, query};
pub(crate) use runner::ScriptRunner;

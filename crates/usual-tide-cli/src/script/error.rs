//! What can be wrong with a line of a script.

use crate::error::CommandError;
use usual_tide::EditError;
use usual_tide::history::UndoError;
use usual_tide::lists::{ListEditError, UnknownList};
use usual_tide::record::{KeyError, RecordError, RecordKey};

/// What is wrong with a line of a script, or why its edit was refused. Then nothing was changed.
#[derive(Debug, thiserror::Error)]
pub(crate) enum ScriptError {
    #[error("column {column}: {message}")]
    Json { column: usize, message: String },
    #[error("{place}expected {expected}, found {found}")]
    Kind {
        /// `"key": `, or nothing for the whole.
        place: String,
        expected: &'static str,
        found: &'static str,
    },
    #[error("the member {name:?} is missing")]
    Missing { name: &'static str },
    #[error("there is no member {name:?} here; there can be {names}")]
    Unknown { name: String, names: String },
    #[error(
        "there is no edit {op:?}; there are add, edit, remove, move, query, reload, batch, undo, redo"
    )]
    UnknownOp { op: String },
    #[error(
        "{found} is no place; there are \"start\", \"end\", {{\"before\": key}}, {{\"after\": key}}, \
         {{\"gap\": n}}, {{\"row\": n}}"
    )]
    Place { found: String },
    #[error("{name:?}: {why}")]
    Key { name: &'static str, why: KeyError },
    #[error("part {part} of the batch: {why}")]
    Part {
        /// Which, from 1.
        part: usize,
        why: Box<ScriptError>,
    },
    #[error("{op:?} is not allowed in a batch: only add, edit, remove and move can")]
    NotInBatch { op: &'static str },
    #[error("there is no list {list}; there are {lists}, counted from 1")]
    NoList { list: usize, lists: usize },
    #[error("this is not an item: {0}")]
    Item(#[from] RecordError),
    #[error(transparent)]
    Edit(#[from] EditError<RecordKey>),
    #[error(transparent)]
    ListEdit(#[from] ListEditError<RecordKey>),
    #[error(transparent)]
    Undo(#[from] UndoError<RecordKey>),
    #[error("there is nothing to {0}")]
    NothingTo(&'static str),
    #[error(transparent)]
    List(#[from] UnknownList),
    #[error("{0}")]
    Query(Box<CommandError>),
}

impl ScriptError {
    /// Whether the line is right, and what it asks for was refused.
    pub(crate) fn is_refusal(&self) -> bool {
        match self {
            Self::Part { why, .. } => why.is_refusal(),
            Self::Edit(_)
            | Self::ListEdit(_)
            | Self::Undo(_)
            | Self::NothingTo(_)
            | Self::Item(_) => true,
            _ => false,
        }
    }
}

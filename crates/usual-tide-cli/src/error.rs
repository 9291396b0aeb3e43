//! What can go wrong in a command, as one line each.

use crate::script::ScriptError;
use std::io;
use usual_tide::EditError;
use usual_tide::changes::ApplyError;
use usual_tide::drafts::CommitError;
use usual_tide::fields::{InputError, Kind};
use usual_tide::history::UndoError;
use usual_tide::lists::UnknownList;
use usual_tide::query::{QueryTextError, Total};
use usual_tide::record::{ParseError, Record, RecordError, RecordKey, SetError};
use usual_tide::removals::RemovalError;
use usual_tide_sources::files::{ReadError, WriteError};

#[derive(Debug, thiserror::Error)]
pub(crate) enum CommandError {
    #[error("{file}: {why}{}", advice(.why))]
    Items { file: String, why: ReadError },
    #[error("{file}: {why}")]
    NotAList {
        file: String,
        why: EditError<RecordKey>,
    },
    #[error("{source_text}: {why}")]
    Origin { source_text: String, why: String },
    #[cfg(feature = "net")]
    #[error("{source_text}: cannot be served: {why}")]
    Serve { source_text: String, why: String },
    #[error("more than one file is standard input: it can be read once")]
    InputTwice,
    #[error("{file}: {why}")]
    Changes { file: String, why: String },
    #[error("{file}, line {line}: {why}")]
    Script {
        file: String,
        line: usize,
        why: Box<ScriptError>,
    },
    #[error("--also: {0}")]
    Also(Box<ScriptError>),
    #[error("{file}, line {line}: list {list} went out of step: {what}")]
    Differs {
        file: String,
        line: usize,
        list: usize,
        what: String,
    },
    #[error("{file}, line {line}: {what}")]
    Trace {
        file: String,
        line: usize,
        what: String,
    },
    #[error("{file}: cannot be written, and is as it was: {why}")]
    Save { file: String, why: WriteError },
    #[error(
        "{source_text}: {refused} of {writes} changes were refused, the first of {key:?}: {why}"
    )]
    Refused {
        source_text: String,
        refused: usize,
        writes: usize,
        key: RecordKey,
        why: String,
    },
    #[error(
        "{source_text}: all changes are made, but {key:?} stands elsewhere there than was asked for"
    )]
    Elsewhere { source_text: String, key: RecordKey },
    #[cfg(feature = "net")]
    #[error("--token-file {file}: cannot be read: {why}")]
    Token { file: String, why: String },
    #[error("{option}: there is no field {name:?}{} (the fields are {names})", .nearest.as_ref().map(|name| format!("; did you mean {name:?}?")).unwrap_or_default())]
    NoField {
        option: &'static str,
        name: String,
        nearest: Option<String>,
        names: String,
    },
    #[error("--totals: {name:?} holds {kind}, of which there is no {total}: a number is needed")]
    NoNumbers {
        name: String,
        kind: Kind,
        total: Total,
    },
    #[error("totals: {0}")]
    Totals(String),
    #[error("--sort: {0}")]
    Sort(QueryTextError),
    #[error("--group: {0}")]
    Group(QueryTextError),
    #[error("--filter: {0}")]
    Filter(QueryTextError),
    #[error("there is nothing to measure: {why}")]
    Measure { why: String },
    #[cfg(feature = "plot")]
    #[error("{file}: cannot be drawn: {why}")]
    Plot { file: String, why: String },
    #[cfg(feature = "manual")]
    #[error("there is no command {name:?}; the commands are {names}")]
    NoCommand { name: String, names: String },
    #[error("cannot write the output: {0}")]
    Write(io::Error),
    #[error("{0}; another --format can hold it, or choose the fields with --columns")]
    NotStorable(WriteError),
    #[error("the items cannot be edited: {0}")]
    Edit(#[from] EditError<RecordKey>),
    #[error("the demo's piece is no item: {0}")]
    Piece(#[from] RecordError),
    #[error("the demo's piece cannot be edited: {0}")]
    Set(#[from] SetError),
    #[error("the demo's pieces cannot be read: {0}")]
    Pieces(#[from] ParseError),
    #[error("the demo's draft cannot be typed into: {0}")]
    Input(#[from] InputError),
    #[error("the demo's draft cannot be committed: {0}")]
    Commit(#[from] Box<CommitError<Record>>),
    #[error("the demo's removal cannot be begun: {0}")]
    Removal(#[from] RemovalError<RecordKey>),
    #[error("the demo's step cannot be undone: {0}")]
    Undo(#[from] UndoError<RecordKey>),
    #[error("{0}")]
    List(#[from] UnknownList),
    #[error("the view is out of step: {0}")]
    Apply(#[from] ApplyError<RecordKey>),
    #[error("the view shows other rows than the list")]
    OutOfStep,
    #[cfg(feature = "browse")]
    #[error(
        "the view of list {list} differs from the list at line {line}; what it was told was written to {trace}, \
         which `usual-tide verify` reads"
    )]
    ViewDiffers {
        list: u64,
        line: usize,
        trace: String,
    },
    #[cfg(feature = "browse")]
    #[error(
        "the list's own thread has ended, which is a mistake of this program: please report it"
    )]
    StoreGone,
    #[cfg(feature = "browse")]
    #[error("the terminal cannot be used: {0}")]
    Terminal(io::Error),
}

/// The option that may help.
fn advice(why: &ReadError) -> &'static str {
    match why {
        ReadError::NoKeyColumn {
            separator: Some(_), ..
        } => " (--delimiter)",
        ReadError::NoKeyColumn { .. }
        | ReadError::Row {
            why: RecordError::NoKey { .. },
            ..
        }
        | ReadError::Json(ParseError::Record {
            why: RecordError::NoKey { .. },
            ..
        }) => " (--key names another)",
        _ => "",
    }
}

impl CommandError {
    /// A file whose items make no list.
    pub(crate) fn not_a_list(file: &str) -> impl FnOnce(EditError<RecordKey>) -> Self {
        let file = crate::input::shown(file);
        move |why| Self::NotAList { file, why }
    }

    /// A source that cannot be used.
    pub(crate) fn origin(source: &str, why: impl Into<String>) -> Self {
        let (source_text, why) = (crate::input::shown(source), why.into());
        // A source may say its own name.
        let own = why.strip_prefix(&source_text);
        let own = own
            .and_then(|rest| rest.strip_prefix(": "))
            .map(str::to_owned);
        Self::Origin {
            source_text,
            why: own.unwrap_or(why),
        }
    }

    /// Items that cannot be written to the output.
    pub(crate) fn output(why: WriteError) -> Self {
        match why {
            WriteError::Io(why) => Self::Write(why),
            why => Self::NotStorable(why),
        }
    }

    /// Whether whoever read the output has gone away, which is no failure.
    pub(crate) fn is_reader_gone(&self) -> bool {
        matches!(self, Self::Write(error) if error.kind() == io::ErrorKind::BrokenPipe)
    }
}

//! What can go wrong in a command, as one line each.

use usual_tide::record::{FieldNameError, ParseError, Record, RecordError, RecordKey, SetError};
use usual_tide::{
    ApplyError, CommitError, EditError, FeedError, FilterTextError, GroupTextError, InputError,
    LocaleError, ProposalError, SortTextError, UndoError, UnknownList,
};

#[derive(Debug, thiserror::Error)]
pub(crate) enum CommandError {
    #[error("{file}: {why}")]
    Read {
        file: String,
        #[source]
        why: std::io::Error,
    },
    #[error("{file}: not UTF-8 text: the byte at offset {offset} (line {line}) is not valid")]
    NotText {
        file: String,
        offset: usize,
        line: usize,
    },
    #[error("{file}: {why}")]
    Parse {
        file: String,
        #[source]
        why: ParseError,
    },
    #[error("{file}: {why}")]
    Items {
        file: String,
        #[source]
        why: EditError<RecordKey>,
    },
    #[error("both files are standard input: name at least one of them")]
    InputTwice,
    #[error("--key: {0}")]
    Key(#[source] FieldNameError),
    #[error("--sort: {0}")]
    Sort(#[from] SortTextError),
    #[error("--group: {0}")]
    Group(#[from] GroupTextError),
    #[error("--locale: {0}")]
    Locale(#[from] LocaleError),
    #[error("--filter: {0}")]
    Filter(#[from] FilterTextError),
    #[error("cannot write the output: {0}")]
    Write(#[source] std::io::Error),
    #[error("the demo's queue cannot be edited: {0}")]
    Edit(#[from] EditError<RecordKey>),
    #[error("the demo's piece is no item: {0}")]
    Piece(#[from] RecordError),
    #[error("the demo's piece cannot be edited: {0}")]
    Set(#[from] SetError),
    #[error("the demo's draft cannot be typed into: {0}")]
    Input(#[from] InputError),
    #[error("the demo's draft cannot be committed: {0}")]
    Commit(#[from] Box<CommitError<Record>>),
    #[error("the demo's removal cannot be proposed: {0}")]
    Proposal(#[from] ProposalError<RecordKey>),
    #[error("the demo's step cannot be undone: {0}")]
    Undo(#[from] UndoError<RecordKey>),
    #[error("{0}")]
    List(#[from] UnknownList),
    #[error("{0}")]
    Feed(#[from] FeedError),
    #[error("the view is out of step: {0}")]
    Apply(#[from] ApplyError<RecordKey>),
    #[error("the view shows other rows than the list")]
    OutOfStep,
}

//! Why a file cannot be read.

use super::format::FileFormat;
use super::other_kind::OtherKind;
use usual_tide::record::{FieldNameError, ParseError, RecordError};

/// Why a file holds no items, and where that shows. Lines and columns count from 1.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ReadError {
    /// The file cannot be opened or read.
    #[error(transparent)]
    Io(#[from] std::io::Error),
    /// It is not UTF-8.
    #[error(
        "not UTF-8 text: the byte at offset {offset} (line {line}, column {column}) is not valid; save it as UTF-8"
    )]
    NotText {
        /// The first byte that is not valid, counted from 0.
        offset: usize,
        /// Its line.
        line: usize,
        /// Its column, in bytes.
        column: usize,
    },
    /// It is no text at all, or of another kind.
    #[error("not UTF-8 text: {}", .kind.told())]
    OtherKind {
        /// What it is.
        kind: OtherKind,
    },
    /// It is not the JSON that it should be.
    #[error(transparent)]
    Json(#[from] ParseError),
    /// A line of a CSV file has more or fewer values than there are names.
    #[error("line {line}: {found} {} under {expected} {}", if *.found == 1 { "value" } else { "values" }, if *.expected == 1 { "name" } else { "names" })]
    WrongWidth {
        /// Where the values begin.
        line: u64,
        /// Names in the first line.
        expected: usize,
        /// Values in this one.
        found: usize,
    },
    /// A CSV file is malformed in another way.
    #[error("{0}")]
    Csv(String),
    /// A CSV file ends within a value in quotes: perhaps it is still being written.
    #[error("line {line}: the file ends before a quote that begins in this row is closed")]
    OpenQuote {
        /// Where the row begins.
        line: u64,
    },
    /// In a CSV file, something is between the closing quote of a value and the next value.
    #[error(
        "line {line}: there is text after the closing quote of a value; a quote within a value is written twice"
    )]
    BehindQuote {
        /// Where the row begins.
        line: u64,
    },
    /// A CSV file's first line has no names.
    #[error("line 1: there are no field names")]
    NoNames,
    /// A text in a CSV file's first line is no name of a field.
    #[error("line 1, field {field}: {why}")]
    BadName {
        /// Which, from 1.
        field: usize,
        /// What is wrong with it.
        why: FieldNameError,
    },
    /// A CSV file has no column for the key.
    #[error("line 1: {}", no_key_column(.name, .columns, *.separator))]
    NoKeyColumn {
        /// The name of the key field.
        name: String,
        /// The columns that there are.
        columns: Vec<String>,
        /// What seems to separate the values, where all are in one column.
        separator: Option<char>,
    },
    /// Two columns of a CSV file have the same name.
    #[error("line 1, field {field}: there is another column {name:?}")]
    NameTwice {
        /// Which, from 1.
        field: usize,
        /// The name.
        name: String,
    },
    /// A column of a CSV file would be a part of another, which is no object.
    #[error(
        "line 1, field {field}: {name:?} is in the way of another field: a name with dots is a way into objects"
    )]
    NameInWay {
        /// Which, from 1.
        field: usize,
        /// The name.
        name: String,
    },
    /// It cannot be read as what its name says, and looks like something else.
    #[error("{why} (by its name it is {named}, and it looks like {looks})")]
    OtherFormat {
        /// What its name says.
        named: FileFormat,
        /// What it looks like.
        looks: FileFormat,
        /// Why it cannot be read as that.
        why: Box<ReadError>,
    },
    /// A line of NDJSON is longer than any that is read.
    #[error("line {line}: longer than {most} bytes: is it NDJSON, an object a line?")]
    LongLine {
        /// Which.
        line: usize,
        /// The most that is read.
        most: u64,
    },
    /// The reading was ended by who had asked for it.
    #[error("the reading was ended")]
    Stopped,
    /// A row of a CSV file has no key.
    #[error("line {line}: {why}")]
    Row {
        /// Where the row begins.
        line: u64,
        /// What is wrong with it.
        why: RecordError,
    },
}

/// How many columns a message names.
const MOST_NAMED: usize = 12;

fn no_key_column(name: &str, columns: &[String], separator: Option<char>) -> String {
    let named: Vec<String> = columns
        .iter()
        .take(MOST_NAMED)
        .map(|one| format!("{one:?}"))
        .collect();
    let named = named.join(", ");
    if let Some(separator) = separator {
        return format!(
            "there is one column, {named}: perhaps {separator:?} is what separates the values"
        );
    }
    let more = match columns.len().saturating_sub(MOST_NAMED) {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    format!("there is no column {name:?}, which is to be the key, but {named}{more}")
}

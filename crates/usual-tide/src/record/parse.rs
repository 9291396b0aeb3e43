//! Records from JSON text.

use super::build::BlockWriter;
use super::columns::{ColumnValue, Columns};
use super::item::{Record, RecordError};
use super::name::FieldName;
use super::read::{read_array, read_members};
use memchr::memmem;
use serde_json::{Map, Value};
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError};

/// How records are laid out in a text.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Shape {
    /// One JSON array of objects.
    Json,
    /// One object a line; blank lines do not count.
    Ndjson,
}

/// Why a text holds no records. Lines and columns count from 1, elements from 0.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ParseError {
    /// It is not JSON.
    #[error("line {line}, column {column}: {message}")]
    Json {
        /// The line.
        line: usize,
        /// The column, in bytes.
        column: usize,
        /// What the JSON parser says.
        message: String,
    },
    /// A member has a name that the JSON parser keeps for itself: read, the object would be something else.
    #[error("the text {name:?} is reserved, and cannot be a part of the data")]
    Reserved {
        /// The name.
        name: &'static str,
    },
    /// It is JSON of another shape.
    #[error("expected an array of objects, found {found}")]
    NotAnArray {
        /// What it is instead.
        found: &'static str,
    },
    /// An element is not an object.
    #[error("{place}: expected an object, found {found}")]
    NotAnObject {
        /// Where: `element 3` or `line 4`.
        place: String,
        /// What it is instead.
        found: &'static str,
    },
    /// An element has no key.
    #[error("{place}: {why}")]
    Record {
        /// Where: `element 3` or `line 4`.
        place: String,
        /// What is wrong with it.
        why: RecordError,
    },
}

/// Reads records from a JSON array of objects, or from NDJSON, whichever the text is.
///
/// # Errors
///
/// [`ParseError`] with the line and column, or the element, that is wrong.
pub fn parse(text: &str, key: &FieldName) -> Result<Vec<Record>, ParseError> {
    let text = without_mark(text);
    if !text.trim_start().starts_with('{') {
        return parse_as(Shape::Json, text, key);
    }
    parse_as(Shape::Ndjson, text, key).map_err(|error| {
        // One object over several lines is neither.
        let whole: Result<Map<String, Value>, _> = serde_json::from_str(text);
        let found = "an object";
        whole.map_or(error, |_| ParseError::NotAnArray { found })
    })
}

/// Reads records of a known shape.
///
/// # Errors
///
/// [`ParseError`] with the line and column, or the element, that is wrong.
///
/// ```
/// use usual_tide::record::{FieldName, Shape, parse_as, parse_value};
///
/// let key = FieldName::parse("id")?;
/// let records = parse_as(Shape::Ndjson, "{\"id\": 1}\n{\"id\": 2}\n", &key)?;
/// assert_eq!(records.len(), 2);
/// assert_eq!(parse_value("[1, 2]")?, serde_json::json!([1, 2]));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn parse_as(shape: Shape, text: &str, key: &FieldName) -> Result<Vec<Record>, ParseError> {
    records_of(shape, text, &RecordMaker::new(key))
}

fn records_of(shape: Shape, text: &str, maker: &RecordMaker) -> Result<Vec<Record>, ParseError> {
    let text = without_mark(text);
    match shape {
        Shape::Json => {
            refuse_reserved(text.as_bytes())?;
            if let Some(records) = maker.read_array(text) {
                return Ok(records);
            }
            // Read once more as values, the text tells what is wrong.
            let value = parse_value(text)?;
            let Value::Array(elements) = value else {
                let found = kind(&value);
                return Err(ParseError::NotAnArray { found });
            };
            elements
                .into_iter()
                .enumerate()
                .map(|(index, value)| maker.record_of(value, || element(index)))
                .collect()
        }
        Shape::Ndjson => text
            .lines()
            .zip(1..)
            .filter_map(|(line, number)| parse_line(line, number, maker).transpose())
            .collect(),
    }
}

/// Reads one line of NDJSON, which counts from 1; nothing when it is blank. For text that comes piece by piece.
///
/// # Errors
///
/// [`ParseError`] with the line and column.
///
/// ```
/// use usual_tide::Item;
/// use usual_tide::record::{FieldName, ParseError, RecordMaker, parse_line, refuse_reserved};
///
/// let maker = RecordMaker::new(&FieldName::parse("id")?);
/// assert!(parse_line("  ", 1, &maker)?.is_none());
/// let Err(error) = parse_line("{\"id\": }", 7, &maker) else { return Err("it is no JSON".into()) };
/// assert!(error.to_string().contains("line 7"), "{error}");
/// // Text that is read in pieces by another parser is checked in pieces.
/// refuse_reserved(br#"{"id": 1}"#)?;
/// let record = maker.record_of(serde_json::json!({"id": 3}), || "row 3".into())?;
/// assert_eq!(record.key().to_value(), serde_json::json!(3));
/// let error = serde_json::from_str::<serde_json::Value>("[1,").unwrap_err();
/// assert!(ParseError::of_json(&error, 10).to_string().contains("line 11"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn parse_line(
    line: &str,
    number: usize,
    maker: &RecordMaker,
) -> Result<Option<Record>, ParseError> {
    if line.trim().is_empty() {
        return Ok(None);
    }
    refuse_reserved(line.as_bytes())?;
    let place = || format!("line {number}");
    if let Some(record) = maker.read_text(line) {
        let located = |why| ParseError::Record {
            place: place(),
            why,
        };
        return record.map(Some).map_err(located);
    }
    // Read once more as a value, the text tells what is wrong.
    let value =
        serde_json::from_str(line).map_err(|error| ParseError::of_json(&error, number - 1))?;
    maker.record_of(value, place).map(Some)
}

fn element(index: usize) -> String {
    format!("element {index} (counted from 0)")
}

/// Reads one JSON value.
///
/// # Errors
///
/// [`ParseError`] with the line and column.
pub fn parse_value(text: &str) -> Result<Value, ParseError> {
    refuse_reserved(text.as_bytes())?;
    serde_json::from_str(text).map_err(|error| ParseError::of_json(&error, 0))
}

/// Begins the names that the JSON parser keeps for itself.
const RESERVED: &str = "$serde_json::private::";

/// Refuses JSON text that has the name of a member which the JSON parser keeps for itself, be it written with
/// escapes. For text that is read in pieces.
///
/// # Errors
///
/// [`ParseError::Reserved`].
pub fn refuse_reserved(text: &[u8]) -> Result<(), ParseError> {
    static NAME: LazyLock<memmem::Finder<'_>> = LazyLock::new(|| memmem::Finder::new(RESERVED));
    static ESCAPE: LazyLock<memmem::Finder<'_>> = LazyLock::new(|| memmem::Finder::new("\\u00"));
    let name = RESERVED;
    let has = |text: &[u8]| NAME.find(text).is_some();
    let reserved = has(text) || {
        // A name can only hide where something is escaped.
        ESCAPE.find(text).is_some() && has(&without_escapes(text))
    };
    match reserved {
        true => Err(ParseError::Reserved { name }),
        false => Ok(()),
    }
}

/// The text with escapes of ASCII characters written out.
fn without_escapes(mut text: &[u8]) -> Vec<u8> {
    let mut plain = Vec::with_capacity(text.len());
    while let Some((first, rest)) = text.split_first() {
        let code = text
            .strip_prefix(b"\\u00")
            .and_then(|digits| digits.get(..2));
        let code = code.and_then(|digits| std::str::from_utf8(digits).ok());
        match code.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
            Some(code) => {
                plain.push(code);
                text = &text[6..];
            }
            None => {
                plain.push(*first);
                text = rest;
            }
        }
    }
    plain
}

/// Makes records that share the name of their key.
#[derive(Debug)]
pub struct RecordMaker {
    key: Arc<FieldName>,
    /// Knows the names that the record before had.
    writer: Mutex<BlockWriter>,
}

impl Clone for RecordMaker {
    fn clone(&self) -> Self {
        Self {
            key: Arc::clone(&self.key),
            writer: Mutex::default(),
        }
    }
}

impl RecordMaker {
    /// For records whose key is the field of this name.
    pub fn new(key: &FieldName) -> Self {
        Self {
            key: Arc::new(key.clone()),
            writer: Mutex::default(),
        }
    }

    fn writer(&self) -> MutexGuard<'_, BlockWriter> {
        self.writer.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A record of the text of an object; `None` when it cannot be read as one.
    fn read_text(&self, text: &str) -> Option<Result<Record, RecordError>> {
        let mut writer = self.writer();
        writer.clear();
        read_members(text, &mut writer).ok()?;
        Some(Record::of(writer.finish(&self.key).ok()?))
    }

    /// The records of the text of an array of objects; `None` when it cannot be read as one.
    fn read_array(&self, text: &str) -> Option<Vec<Record>> {
        let mut writer = self.writer();
        writer.clear();
        let mut records = Vec::new();
        let mut each = |writer: &mut BlockWriter| {
            let record = writer.finish(&self.key).ok().map(Record::of);
            let record = record.and_then(Result::ok);
            let is_read = record.is_some();
            records.extend(record);
            is_read
        };
        read_array(text, &mut writer, &mut each).ok()?;
        Some(records)
    }

    /// A record of a JSON value.
    ///
    /// # Errors
    ///
    /// [`RecordError`] when it is no object, or has no key.
    ///
    /// ```
    /// use usual_tide::record::{FieldName, RecordMaker};
    ///
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let maker = RecordMaker::new(&FieldName::parse("id")?);
    /// let record = maker.read(&serde_json::json!({"id": 7, "title": "Bowl"}))?;
    /// assert_eq!(record.get("title").unwrap(), "Bowl");
    /// # Ok(()) }
    /// ```
    pub fn read(&self, json: &Value) -> Result<Record, RecordError> {
        match json {
            Value::Object(members) => {
                Record::with_shared_name(members, &self.key, &mut self.writer())
            }
            _ => Err(RecordError::NotAnObject),
        }
    }

    /// The records of a text.
    ///
    /// # Errors
    ///
    /// [`ParseError`] with the line and column, or the element, that is wrong.
    ///
    /// ```
    /// use usual_tide::record::{FieldName, RecordMaker, Shape};
    ///
    /// let maker = RecordMaker::new(&FieldName::parse("id")?);
    /// assert_eq!(maker.parse_as(Shape::Json, r#"[{"id": 1}, {"id": 2}]"#)?.len(), 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn parse_as(&self, shape: Shape, text: &str) -> Result<Vec<Record>, ParseError> {
        records_of(shape, text, self)
    }

    /// The record with these members.
    ///
    /// # Errors
    ///
    /// [`RecordError`] when it would have no key.
    pub fn record(&self, members: Map<String, Value>) -> Result<Record, RecordError> {
        Record::with_shared_name(&members, &self.key, &mut self.writer())
    }

    /// The record that a row of a table is; a column without a value is null.
    ///
    /// # Errors
    ///
    /// [`RecordError`] when it would have no key, a value nests too deep, or a number is none.
    pub fn row(
        &self,
        columns: &Columns,
        values: &[ColumnValue<'_>],
    ) -> Result<Record, RecordError> {
        let mut writer = self.writer();
        writer.clear();
        columns.write(values, &mut writer)?;
        Record::of_written(&mut writer, &self.key)
    }

    /// A JSON value as a record; an error says where it is.
    ///
    /// # Errors
    ///
    /// [`ParseError`] when it is no object, or has no key.
    pub fn record_of(
        &self,
        value: Value,
        place: impl Fn() -> String,
    ) -> Result<Record, ParseError> {
        match value {
            Value::Object(members) => self.record(members).map_err(|why| ParseError::Record {
                place: place(),
                why,
            }),
            other => Err(ParseError::NotAnObject {
                place: place(),
                found: kind(&other),
            }),
        }
    }
}

impl ParseError {
    /// What the JSON parser found wrong, in a text before which this many lines are.
    pub fn of_json(error: &serde_json::Error, lines_before: usize) -> Self {
        let message = error.to_string();
        // The parser ends its message with the place, which is removed here.
        let message = message.split(" at line ").next().unwrap_or(&message);
        Self::Json {
            line: lines_before + error.line(),
            // The end of an empty text is after no column.
            column: error.column().max(1),
            message: in_plain_words(message).to_owned(),
        }
    }
}

/// The parser's messages as a person reads them; those that need no more stay as they are.
fn in_plain_words(message: &str) -> &str {
    match message {
        "EOF while parsing a list" => "the text ends within a list",
        "EOF while parsing an object" => "the text ends within an object",
        "EOF while parsing a string" => "the text ends within a string",
        "EOF while parsing a value" => "the text ends where a value is expected",
        "expected value" => "a value is expected here",
        "expected ident" => "true, false or null is expected here",
        "expected `,` or `]`" => "a comma or the end of the list is expected here",
        "expected `,` or `}`" => "a comma or the end of the object is expected here",
        "expected `:`" => "a colon is expected here",
        "key must be a string" => "the name of a member must be in quotes",
        "trailing comma" => "there is a comma with nothing after it",
        "trailing characters" => "there is more text after the end of the value",
        "recursion limit exceeded" => "lists and objects nest too deep",
        "invalid escape" => "there is no such escape in a string",
        "control character (\\u0000-\\u001F) found while parsing a string" => {
            "a control character in a string must be escaped"
        }
        other => other,
    }
}

fn kind(value: &Value) -> &'static str {
    match value {
        Value::Null => "null",
        Value::Bool(_) => "a boolean",
        Value::Number(_) => "a number",
        Value::String(_) => "a string",
        Value::Array(_) => "an array",
        Value::Object(_) => "an object",
    }
}

/// Without a byte order mark, which some programs put before UTF-8.
fn without_mark(text: &str) -> &str {
    text.strip_prefix('\u{feff}').unwrap_or(text)
}

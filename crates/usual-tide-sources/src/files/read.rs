//! Items from files.

use super::csv;
use super::error::ReadError;
use super::format::FileFormat;
use super::stream::read_open_file;
use std::fs::File;
use std::io::Read;
use std::path::Path;
use usual_tide::record::{FieldName, Record, Shape, parse_as};

/// The items of a file, in its order. Its format is what its name tells, else what it looks like.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
pub fn read_file(path: impl AsRef<Path>, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let format = FileFormat::of_path(&path);
    read_open_file(File::open(path)?, format, key, &mut |_, _| true)
}

/// The items that a reader yields, in a format or in the one that it looks like.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
pub fn read(
    mut from: impl Read,
    format: Option<FileFormat>,
    key: &FieldName,
) -> Result<Vec<Record>, ReadError> {
    let mut bytes = Vec::new();
    from.read_to_end(&mut bytes)?;
    let text = text(bytes)?;
    let looks = FileFormat::of_text(&text);
    let read = parse(&text, format.unwrap_or(looks), key);
    match (read, format) {
        (Err(why), Some(named)) if named != looks && !text.trim().is_empty() => {
            let why = Box::new(why);
            Err(ReadError::OtherFormat { named, looks, why })
        }
        (read, _) => read,
    }
}

/// Bytes as text.
///
/// # Errors
///
/// [`ReadError::NotText`] with the place of the first byte that is not UTF-8.
pub fn text(bytes: Vec<u8>) -> Result<String, ReadError> {
    String::from_utf8(bytes).map_err(|error| {
        let offset = error.utf8_error().valid_up_to();
        let before = &error.as_bytes()[..offset];
        let line_start = before.iter().rposition(|byte| *byte == b'\n');
        ReadError::NotText {
            offset,
            line: 1 + before.iter().filter(|byte| **byte == b'\n').count(),
            column: offset - line_start.map_or(0, |at| at + 1) + 1,
        }
    })
}

/// The items of a text. A byte order mark before it does not count.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
pub fn parse(text: &str, format: FileFormat, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    match format {
        // An object that begins a JSON file may be the first line of NDJSON.
        FileFormat::Json => Ok(usual_tide::record::parse(text, key)?),
        FileFormat::Ndjson => Ok(parse_as(Shape::Ndjson, text, key)?),
        FileFormat::Csv => csv::parse(text, key),
    }
}

//! Items from files.

use super::csv;
use super::error::ReadError;
use super::format::FileFormat;
use super::options::{FileContent, ReadOptions};
use super::other_kind::OtherKind;
use super::stream::read_open_file;
use std::fs::File;
use std::io::Read;
use std::path::Path;
use usual_tide::record::{FieldName, Record, Shape};

/// The items of a file, in its order. Its format is that of its name, or else the one that its content looks like.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
///
/// ```
/// use usual_tide::record::{FieldName, MemberValue};
/// use usual_tide_sources::files::{
///     CsvLayout, FileFormat, ReadOptions, read_as, read_file, read_open_file, replace_file, write_as, write_table,
/// };
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("pieces.csv");
///
/// let key = FieldName::parse("id")?;
/// let text = "id;title\n1;Bowl\n2;Mug\n";
/// let options = ReadOptions::default().format(FileFormat::Csv).delimiter(b';');
/// let content = read_as(text.as_bytes(), &options, &key)?;
/// assert_eq!(content.items.len(), 2);
///
/// // The file keeps its columns and the character between them.
/// replace_file(&path, |out| write_as(out, FileFormat::Csv, &content.layout, content.items.iter().map(|piece| piece.members())))?;
/// assert_eq!(std::fs::read_to_string(&path)?, text);
///
/// // An open file is read with progress; `false` stops it.
/// let again = read_open_file(std::fs::File::open(&path)?, &options, &key, &mut |_bytes, _total| true)?;
/// assert_eq!(again.items, content.items);
///
/// // New files: JSON, NDJSON and CSV are recognised by their names, or else by their content.
/// let json = folder.path().join("pieces.json");
/// std::fs::write(&json, r#"[{"id": 1}]"#)?;
/// assert_eq!(read_file(&json, &key)?.len(), 1);
/// assert_eq!(FileFormat::of_text("{\"id\": 1}\n"), FileFormat::Ndjson);
/// let tabs = CsvLayout::separated_by(b'\t').with_columns(["id".to_owned(), "title".to_owned()]);
/// let mut out = Vec::new();
/// write_as(&mut out, FileFormat::Csv, &tabs, [])?;
/// assert_eq!(out, b"id\ttitle\n");
/// write_table(&mut out, FileFormat::Csv, &["rows".to_owned()], [vec![MemberValue::Number("2")]])?;
/// assert!(out.ends_with(b"rows\n2\n"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn read_file(path: impl AsRef<Path>, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let options = ReadOptions::of_path(&path);
    let content = read_open_file(File::open(path)?, &options, key, &mut |_, _| true)?;
    Ok(content.items)
}

/// The items that a reader yields, in a format or in the one that it looks like.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
pub fn read(
    from: impl Read,
    format: Option<FileFormat>,
    key: &FieldName,
) -> Result<Vec<Record>, ReadError> {
    let options = ReadOptions::default().format(format);
    Ok(read_as(from, &options, key)?.items)
}

/// What a reader yields, read as the options say.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element.
pub fn read_as(
    mut from: impl Read,
    options: &ReadOptions,
    key: &FieldName,
) -> Result<FileContent, ReadError> {
    let mut bytes = Vec::new();
    from.read_to_end(&mut bytes)?;
    let text = text(bytes)?;
    let looks = FileFormat::of_text(&text);
    let read = parse_as(
        &text,
        options.format.unwrap_or(looks),
        options.delimiter,
        key,
    );
    match (read, options.format) {
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
/// [`ReadError::NotText`] with the place of the first byte that is not UTF-8, and [`ReadError::OtherKind`].
pub fn text(bytes: Vec<u8>) -> Result<String, ReadError> {
    if let Some(kind) = OtherKind::of(&bytes) {
        return Err(ReadError::OtherKind { kind });
    }
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
    Ok(parse_as(text, format, b',', key)?.items)
}

fn parse_as(
    text: &str,
    format: FileFormat,
    delimiter: u8,
    key: &FieldName,
) -> Result<FileContent, ReadError> {
    Ok(match format {
        // An object that begins a JSON file may be the first line of NDJSON.
        FileFormat::Json => FileContent::of_json(usual_tide::record::parse(text, key)?),
        FileFormat::Ndjson => {
            FileContent::of_json(usual_tide::record::parse_as(Shape::Ndjson, text, key)?)
        }
        FileFormat::Csv => {
            let (items, layout) = csv::parse(text, key, delimiter)?;
            FileContent { items, layout }
        }
    })
}

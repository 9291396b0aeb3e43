//! Items to files.

use super::csv::{self, CsvLayout, NotStorable};
use super::format::FileFormat;
use serde_json::{Map, Value};
use std::io::{self, Write};

/// Why items are not written.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum WriteError {
    /// The writer failed.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// An item could not be read back as it is.
    #[error("item {item} (counted from 0): {why}")]
    NotStorable {
        /// Its position among the items.
        item: usize,
        /// What of it.
        why: NotStorable,
    },
}

/// Writes items in a format: one line an item, members in their order, numbers as they were read.
///
/// CSV has a column for each member that any item has, dotted for those of objects, and null where an item has
/// none. What CSV cannot hold so that it is read back as it is (lists, objects without members, names with
/// dots) is an error, and nothing is written.
///
/// # Errors
///
/// [`WriteError`].
pub fn write<'a>(
    out: impl Write,
    format: FileFormat,
    items: impl IntoIterator<Item = &'a Map<String, Value>>,
) -> Result<(), WriteError> {
    write_as(out, format, &CsvLayout::default(), items)
}

/// Writes rows of values under these names as CSV, for programs that draw tables: lists and objects are JSON text,
/// which is not read back as what it was.
///
/// # Errors
///
/// [`WriteError::Io`].
pub fn write_table(
    mut out: impl Write,
    names: &[String],
    rows: impl IntoIterator<Item = Vec<Value>>,
) -> Result<(), WriteError> {
    csv::write_table(&mut out, b',', names, rows.into_iter())
}

/// Writes items with the columns that a CSV file has already, and the character between them.
///
/// # Errors
///
/// [`WriteError`].
pub fn write_as<'a>(
    mut out: impl Write,
    format: FileFormat,
    layout: &CsvLayout,
    items: impl IntoIterator<Item = &'a Map<String, Value>>,
) -> Result<(), WriteError> {
    let items = items.into_iter();
    match format {
        FileFormat::Json => {
            out.write_all(b"[")?;
            for (item, begin) in items.zip(std::iter::once("\n").chain(std::iter::repeat(",\n"))) {
                out.write_all(begin.as_bytes())?;
                serde_json::to_writer(&mut out, item).map_err(io::Error::from)?;
            }
            out.write_all(b"\n]\n")?;
        }
        FileFormat::Ndjson => {
            for item in items {
                serde_json::to_writer(&mut out, item).map_err(io::Error::from)?;
                out.write_all(b"\n")?;
            }
        }
        FileFormat::Csv => csv::write(&mut out, layout, items)?,
    }
    Ok(out.flush()?)
}

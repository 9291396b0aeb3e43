//! Items to files.

use super::csv::{self, CsvLayout, NotStorable};
use super::format::FileFormat;
use serde::ser::{Serialize, SerializeMap, Serializer};
use std::io::{self, Write};
use usual_tide::record::{MemberValue, Object};

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
    items: impl IntoIterator<Item = Object<'a>>,
) -> Result<(), WriteError> {
    write_as(out, format, &CsvLayout::default(), items)
}

/// Writes rows of values under these names. In CSV, lists and objects are JSON text then, which is not read back as
/// what it was: that is for programs that draw tables.
///
/// # Errors
///
/// [`WriteError::Io`].
pub fn write_table<'a>(
    mut out: impl Write,
    format: FileFormat,
    names: &[String],
    rows: impl IntoIterator<Item = Vec<MemberValue<'a>>>,
) -> Result<(), WriteError> {
    let rows = rows.into_iter();
    match format {
        FileFormat::Csv => csv::write_table(&mut out, b',', names, rows),
        _ => write_json(
            &mut out,
            format,
            rows.map(|values| NamedRow { names, values }),
        ),
    }
}

/// A row as an object.
struct NamedRow<'a> {
    names: &'a [String],
    values: Vec<MemberValue<'a>>,
}

impl Serialize for NamedRow<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut object = serializer.serialize_map(None)?;
        let members = self.names.iter().zip(&self.values).enumerate();
        // A name that was chosen twice is one member.
        for (at, (name, value)) in members {
            if !self.names[..at].contains(name) {
                object.serialize_entry(name, value)?;
            }
        }
        object.end()
    }
}

/// One line an item.
fn write_json(
    out: &mut dyn Write,
    format: FileFormat,
    items: impl Iterator<Item = impl Serialize>,
) -> Result<(), WriteError> {
    let (begin, between, end) = match format {
        FileFormat::Json => ("[", ",", "\n]\n"),
        _ => ("", "", ""),
    };
    out.write_all(begin.as_bytes())?;
    for (item, at) in items.zip(0..) {
        if at > 0 {
            out.write_all(between.as_bytes())?;
        }
        if format == FileFormat::Json {
            out.write_all(b"\n")?;
        }
        serde_json::to_writer(&mut *out, &item).map_err(io::Error::from)?;
        if format != FileFormat::Json {
            out.write_all(b"\n")?;
        }
    }
    out.write_all(end.as_bytes())?;
    Ok(out.flush()?)
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
    items: impl IntoIterator<Item = Object<'a>>,
) -> Result<(), WriteError> {
    let items = items.into_iter();
    match format {
        FileFormat::Csv => csv::write(&mut out, layout, items),
        _ => write_json(&mut out, format, items),
    }
}

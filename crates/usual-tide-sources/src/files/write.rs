//! Items to files.

use super::csv;
use super::format::FileFormat;
use serde_json::{Map, Value};
use std::io::{self, Write};

/// Writes items in a format: one line an item, members in their order, numbers as they were read.
///
/// CSV has no null and no absent member: both are empty there, and so is an empty text.
///
/// # Errors
///
/// The writer's.
pub fn write<'a>(
    mut out: impl Write,
    format: FileFormat,
    items: impl IntoIterator<Item = &'a Map<String, Value>>,
) -> io::Result<()> {
    let items = items.into_iter();
    match format {
        FileFormat::Json => {
            out.write_all(b"[")?;
            for (item, begin) in items.zip(std::iter::once("\n").chain(std::iter::repeat(",\n"))) {
                out.write_all(begin.as_bytes())?;
                serde_json::to_writer(&mut out, item)?;
            }
            out.write_all(b"\n]\n")?;
        }
        FileFormat::Ndjson => {
            for item in items {
                serde_json::to_writer(&mut out, item)?;
                out.write_all(b"\n")?;
            }
        }
        FileFormat::Csv => csv::write(&mut out, items)?,
    }
    out.flush()
}

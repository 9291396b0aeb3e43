//! Items as the rows of a CSV file.

use super::layout::CsvLayout;
use super::read::typed_value;
use crate::files::write::WriteError;
use std::io::Write;
use usual_tide::record::{MemberValue, Object};

/// A part of an item that CSV cannot hold so that it is read back as it is.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("CSV cannot hold the member {field:?}: {why}")]
pub struct NotStorable {
    /// The member, dotted where it is within an object.
    pub field: String,
    /// Why not.
    pub why: &'static str,
}

/// Writes items under a line of the names of all their members, those of objects dotted, after those of the
/// layout. Nothing is written where an item cannot be read back.
pub(in crate::files) fn write<'a>(
    out: &mut dyn Write,
    layout: &CsvLayout,
    items: impl Iterator<Item = Object<'a>>,
) -> Result<(), WriteError> {
    let items: Vec<Object<'a>> = items.collect();
    let mut layout = layout.clone();
    for (at, item) in items.iter().enumerate() {
        layout
            .admit(*item)
            .map_err(|why| WriteError::NotStorable { item: at, why })?;
    }
    if layout.names() == [""] {
        // Its first line would be empty.
        let why = NotStorable {
            field: String::new(),
            why: "a column without a name cannot be the only one",
        };
        return Err(WriteError::NotStorable { item: 0, why });
    }
    let delimiter = layout.delimiter;
    let width = layout.names().len();
    // Where other values are not text, text is in quotes.
    let mut has_typed = vec![false; width];
    for item in &items {
        each_value(&layout, &mut String::new(), *item, &mut |place, value| {
            has_typed[place] |= matches!(value, MemberValue::Number(_) | MemberValue::Bool(_));
        });
    }
    let mut line = String::new();
    for name in layout.names() {
        push(&mut line, name, needs_quotes(name, delimiter), delimiter);
    }
    end(out, &mut line)?;
    for item in items {
        let mut cells: Vec<(String, bool)> = vec![Default::default(); width];
        each_value(&layout, &mut String::new(), item, &mut |place, value| {
            cells[place] = cell(value, has_typed[place], delimiter);
        });
        for (text, in_quotes) in &cells {
            push(&mut line, text, *in_quotes, delimiter);
        }
        end(out, &mut line)?;
    }
    Ok(out.flush()?)
}

fn each_value(
    layout: &CsvLayout,
    above: &mut String,
    members: Object<'_>,
    found: &mut dyn FnMut(usize, MemberValue<'_>),
) {
    let start = above.len();
    for (name, value) in members.iter() {
        above.push_str(name);
        match value {
            MemberValue::Object(inner) => {
                above.push('.');
                each_value(layout, above, inner, found);
            }
            _ => {
                if let Some(place) = layout.place(above) {
                    found(place, value);
                }
            }
        }
        above.truncate(start);
    }
}

/// A value's text, and whether it must stand in quotes to be read as what it is.
fn cell(value: MemberValue<'_>, among_typed: bool, delimiter: u8) -> (String, bool) {
    match value {
        MemberValue::Null => (String::new(), false),
        MemberValue::Text(text) => {
            let looks_typed = typed_value(text).is_some();
            let in_quotes =
                text.is_empty() || among_typed || looks_typed || needs_quotes(text, delimiter);
            (text.to_owned(), in_quotes)
        }
        other => (other.to_string(), false),
    }
}

/// Whether a text would be read as something else without quotes, whatever its column.
pub(super) fn needs_quotes(text: &str, delimiter: u8) -> bool {
    let special = |byte: u8| byte == delimiter || matches!(byte, b'"' | b'\r' | b'\n');
    text.bytes().any(special)
        || text.starts_with('\u{feff}')
        || text.starts_with(char::is_whitespace)
        || text.ends_with(char::is_whitespace)
}

fn push(line: &mut String, text: &str, in_quotes: bool, delimiter: u8) {
    if in_quotes {
        line.push('"');
        line.push_str(&text.replace('"', "\"\""));
        line.push('"');
    } else {
        line.push_str(text);
    }
    line.push(char::from(delimiter));
}

/// Ends a line, without the character after its last value.
fn end(out: &mut dyn Write, line: &mut String) -> std::io::Result<()> {
    line.pop();
    line.push('\n');
    out.write_all(line.as_bytes())?;
    line.clear();
    Ok(())
}

/// Writes rows of values under these names, for programs that draw tables: lists and objects are JSON text, which
/// is not read back as what it was.
pub(in crate::files) fn write_table<'a>(
    out: &mut dyn Write,
    delimiter: u8,
    names: &[String],
    rows: impl Iterator<Item = Vec<MemberValue<'a>>>,
) -> Result<(), WriteError> {
    let mut line = String::new();
    for name in names {
        push(&mut line, name, needs_quotes(name, delimiter), delimiter);
    }
    end(out, &mut line)?;
    for row in rows {
        for value in row {
            let (text, in_quotes) = cell(value, false, delimiter);
            let in_quotes = in_quotes || needs_quotes(&text, delimiter);
            push(&mut line, &text, in_quotes, delimiter);
        }
        end(out, &mut line)?;
    }
    Ok(out.flush()?)
}

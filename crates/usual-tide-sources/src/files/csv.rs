//! Comma-separated values (RFC 4180).

use super::error::ReadError;
use crate::members::{put, way};
use csv::{ErrorKind, ReaderBuilder, StringRecord, Terminator, WriterBuilder};
use serde_json::{Map, Number, Value};
use std::io::{self, Write};
use usual_tide::record::{FieldName, FieldNameError, Record};

/// What all values of a column are.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Number,
    Flag,
    Text,
}

/// The rows under the line of names. A column whose values are all numbers as JSON writes them holds numbers,
/// which keep their text; one of `true` and `false` holds flags; an empty value is null.
pub(super) fn parse(text: &str, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let mut reader = ReaderBuilder::new().from_reader(text.as_bytes());
    let names = names(reader.headers().map_err(malformed)?)?;
    let rows: Result<Vec<StringRecord>, _> = reader.records().collect();
    let rows = rows.map_err(malformed)?;
    let kinds: Vec<Kind> = (0..names.len())
        .map(|column| kind(rows.iter().filter_map(|row| row.get(column))))
        .collect();
    let records = rows.iter().map(|row| {
        let mut members = Map::new();
        for ((name, kind), text) in names.iter().zip(&kinds).zip(row) {
            put(&mut members, name, value(text, *kind));
        }
        Record::new(members, key).map_err(|why| ReadError::Row {
            line: row.position().map_or(0, csv::Position::line),
            why,
        })
    });
    records.collect()
}

/// The names of the first line, each as the way into objects.
fn names(line: &StringRecord) -> Result<Vec<Vec<String>>, ReadError> {
    if line.iter().all(str::is_empty) {
        return Err(ReadError::NoNames);
    }
    let mut ways: Vec<Vec<String>> = Vec::new();
    for (index, name) in line.iter().enumerate() {
        let field = index + 1;
        let way = way(name);
        if name.is_empty() {
            let why = FieldNameError::Empty;
            return Err(ReadError::BadName { field, why });
        }
        let in_the_way = |other: &Vec<String>| other.starts_with(&way) || way.starts_with(other);
        if ways.iter().any(in_the_way) {
            let name = name.to_owned();
            return Err(ReadError::NameTwice { field, name });
        }
        ways.push(way);
    }
    Ok(ways)
}

fn kind<'a>(values: impl Iterator<Item = &'a str> + Clone) -> Kind {
    let mut values = values.filter(|value| !value.is_empty());
    let all = |test: fn(&str) -> bool| values.clone().all(test);
    if values.clone().next().is_none() {
        Kind::Text
    } else if all(|value| matches!(value, "true" | "false")) {
        Kind::Flag
    } else if values.all(|value| number(value).is_some()) {
        Kind::Number
    } else {
        Kind::Text
    }
}

/// A number as JSON writes it, so that `007` and `+5` are none.
fn number(text: &str) -> Option<Number> {
    let plain = text
        .bytes()
        .all(|byte| byte.is_ascii_digit() || b"-+.eE".contains(&byte));
    plain.then(|| text.parse().ok()).flatten()
}

fn value(text: &str, kind: Kind) -> Value {
    match kind {
        _ if text.is_empty() => Value::Null,
        Kind::Flag => Value::Bool(text == "true"),
        Kind::Number => number(text).map_or(Value::Null, Value::Number),
        Kind::Text => Value::String(text.to_owned()),
    }
}

fn malformed(error: csv::Error) -> ReadError {
    let told = error.to_string();
    match error.into_kind() {
        ErrorKind::Io(error) => ReadError::Io(error),
        ErrorKind::UnequalLengths {
            pos,
            expected_len,
            len,
        } => ReadError::WrongWidth {
            line: pos.map_or(0, |at| at.line()),
            expected: expected_len as usize,
            found: len as usize,
        },
        _ => ReadError::Csv(told),
    }
}

/// Writes items under a line of the names of all their members, those of objects dotted. Null and absent members
/// are empty; lists are JSON.
pub(super) fn write<'a>(
    out: &mut dyn Write,
    items: impl Iterator<Item = &'a Map<String, Value>>,
) -> io::Result<()> {
    let items: Vec<&Map<String, Value>> = items.collect();
    let mut columns = Columns::default();
    for item in &items {
        columns.add(String::new(), item);
    }
    let mut writer = WriterBuilder::new()
        .terminator(Terminator::Any(b'\n'))
        .from_writer(out);
    if !columns.names.is_empty() {
        writer.write_record(&columns.names).map_err(unwrapped)?;
    }
    for item in items {
        let mut cells = vec![String::new(); columns.names.len()];
        columns.fill(String::new(), item, &mut cells);
        writer.write_record(&cells).map_err(unwrapped)?;
    }
    writer.flush()
}

/// The writer's own error, of its own kind.
fn unwrapped(error: csv::Error) -> io::Error {
    match error.into_kind() {
        ErrorKind::Io(error) => error,
        other => io::Error::other(format!("{other:?}")),
    }
}

/// The dotted names of all values, in the order in which they first occur.
#[derive(Default)]
struct Columns {
    names: Vec<String>,
    places: std::collections::HashMap<String, usize>,
}

impl Columns {
    fn add(&mut self, above: String, members: &Map<String, Value>) {
        for (name, value) in members {
            let name = format!("{above}{name}");
            match value {
                Value::Object(inner) => self.add(name + ".", inner),
                _ => {
                    let next = self.names.len();
                    if !self.places.contains_key(&name) {
                        self.places.insert(name.clone(), next);
                        self.names.push(name);
                    }
                }
            }
        }
    }

    fn fill(&self, above: String, members: &Map<String, Value>, cells: &mut [String]) {
        for (name, value) in members {
            let name = format!("{above}{name}");
            let text = match value {
                Value::Object(inner) => {
                    self.fill(name + ".", inner, cells);
                    continue;
                }
                Value::Null => String::new(),
                Value::String(text) => text.clone(),
                other => other.to_string(),
            };
            if let Some(cell) = self
                .places
                .get(&name)
                .and_then(|place| cells.get_mut(*place))
            {
                *cell = text;
            }
        }
    }
}

//! Items from the rows of a CSV file.

use super::layout::CsvLayout;
use super::quotes::{BadQuotes, quoted_values};
use super::write::needs_quotes;
use crate::files::error::ReadError;
use crate::members::{path_of, put};
use csv::{ErrorKind, ReaderBuilder, StringRecord};
use serde_json::{Map, Number, Value};
use usual_tide::record::{FieldName, FieldNameError, RecordMaker};

/// A column as it is read.
struct Column {
    path: Vec<String>,
    /// Whether quotes say nothing of its values, since its name is in quotes without need.
    always_quoted: bool,
    /// Whether its values that could be numbers or flags are.
    typed: bool,
}

/// A row, and which of its values stand in quotes.
struct Row {
    values: StringRecord,
    quoted: Vec<bool>,
}

/// The rows under the line of names, and how the file is laid out.
pub(in crate::files) fn parse(
    text: &str,
    key: &FieldName,
    delimiter: u8,
) -> Result<(Vec<usual_tide::record::Record>, CsvLayout), ReadError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let mut reader = ReaderBuilder::new()
        .delimiter(delimiter)
        .has_headers(false)
        .from_reader(text.as_bytes());
    let mut rows = reader.records().map(|values| {
        let values = values.map_err(malformed)?;
        let place = values.position();
        let start = place.map_or(0, |place| place.byte() as usize);
        let line = place.map_or(0, csv::Position::line);
        let quoted = quoted_values(text.as_bytes(), start, delimiter);
        let quoted = quoted.map_err(|bad| match bad {
            BadQuotes::Open => ReadError::OpenQuote { line },
            BadQuotes::Behind => ReadError::BehindQuote { line },
        })?;
        Ok(Row { values, quoted })
    });
    let names = rows.next().transpose()?.ok_or(ReadError::NoNames)?;
    let (layout, mut columns) = columns(&names, delimiter)?;
    let rows: Vec<Row> = rows.collect::<Result<_, ReadError>>()?;
    for (at, column) in columns.iter_mut().enumerate() {
        let plain = rows.iter().filter_map(|row| {
            let counts = column.always_quoted || !*row.quoted.get(at)?;
            row.values
                .get(at)
                .filter(|value| counts && !value.is_empty())
        });
        let (mut values, mut typed) = (0, true);
        for value in plain {
            values += 1;
            typed = typed && typed_value(value).is_some();
        }
        column.typed = typed && values > 0;
    }
    let maker = RecordMaker::new(key);
    let records = rows.iter().map(|row| {
        let mut members = Map::new();
        for (at, (column, text)) in columns.iter().zip(&row.values).enumerate() {
            let in_quotes = row.quoted.get(at).copied().unwrap_or(false);
            put(&mut members, &column.path, column.value(text, in_quotes));
        }
        maker.record(members).map_err(|why| ReadError::Row {
            line: row.values.position().map_or(0, csv::Position::line),
            why,
        })
    });
    Ok((records.collect::<Result<_, _>>()?, layout))
}

/// The columns that the first line names.
fn columns(names: &Row, delimiter: u8) -> Result<(CsvLayout, Vec<Column>), ReadError> {
    if names.values.iter().all(str::is_empty) {
        return Err(ReadError::NoNames);
    }
    let mut layout = CsvLayout::separated_by(delimiter);
    let mut columns = Vec::with_capacity(names.values.len());
    for (index, name) in names.values.iter().enumerate() {
        let field = index + 1;
        FieldName::parse(name).map_err(|why| ReadError::BadName { field, why })?;
        let known = layout.names().len();
        let added = layout.add(name);
        if added.is_err() || layout.names().len() == known {
            let name = name.to_owned();
            return Err(ReadError::NameTwice { field, name });
        }
        let path = path_of(name);
        if path.iter().any(String::is_empty) {
            let why = FieldNameError::Empty;
            return Err(ReadError::BadName { field, why });
        }
        let in_quotes = names.quoted.get(index).copied().unwrap_or(false);
        columns.push(Column {
            path,
            always_quoted: in_quotes && !needs_quotes(name, delimiter),
            typed: false,
        });
    }
    Ok((layout, columns))
}

impl Column {
    fn value(&self, text: &str, in_quotes: bool) -> Value {
        let is_text = in_quotes && !self.always_quoted;
        match (is_text, text.is_empty()) {
            (true, _) => Value::from(text),
            (false, true) => Value::Null,
            (false, false) => {
                let typed = typed_value(text).filter(|_| self.typed);
                typed.unwrap_or_else(|| Value::from(text))
            }
        }
    }
}

/// A flag, or a number as JSON writes it: `007` and `+5` are not numbers.
pub(super) fn typed_value(text: &str) -> Option<Value> {
    match text {
        "true" => return Some(Value::Bool(true)),
        "false" => return Some(Value::Bool(false)),
        _ => {}
    }
    let plain = text
        .bytes()
        .all(|byte| byte.is_ascii_digit() || b"-+.eE".contains(&byte));
    let number: Option<Number> = plain.then(|| text.parse().ok()).flatten();
    number.map(Value::Number)
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

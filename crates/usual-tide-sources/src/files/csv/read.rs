//! Items from the rows of a CSV file.

use super::layout::CsvLayout;
use super::quotes::{BadQuotes, quoted_values};
use super::write::needs_quotes;
use crate::files::error::ReadError;
use crate::members::path_of;
use csv::{ErrorKind, ReaderBuilder, StringRecord};
use serde_json::Number;
use usual_tide::record::{
    ColumnValue, Columns, FieldName, FieldNameError, MemberValue, RecordMaker,
};

impl Row {
    fn is_quoted(&self, at: usize) -> bool {
        self.quoted.get(at).copied().unwrap_or(false)
    }
}

/// A column as it is read.
struct Column {
    path: Vec<String>,
    /// Whether quotes say nothing of its values, since its name is in quotes without need.
    always_quoted: bool,
    /// Whether its values that could be numbers or flags are: so far all of those that are not in quotes could be.
    typed: bool,
    /// Whether there is one.
    seen: bool,
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
    // As many as there are, since the parser takes one more away after the quotes were looked at.
    let text = text.trim_start_matches('\u{feff}');
    // What a column holds shows at its end: all rows are read once for that, and once more for the records, so that
    // only one of them is in memory beside these.
    let mut seen = rows(text, delimiter);
    let names = seen.next().transpose()?.ok_or(ReadError::NoNames)?;
    let (layout, mut columns) = columns(&names, delimiter)?;
    if columns.iter().all(|column| column.path != key.members()) {
        return Err(no_key_column(&layout, key, delimiter));
    }
    let mut count = 0;
    for row in seen {
        let row = row?;
        for (at, (column, value)) in columns.iter_mut().zip(&row.values).enumerate() {
            column.see(value, row.is_quoted(at));
        }
        count += 1;
    }
    for column in &mut columns {
        column.typed &= column.seen;
    }
    let maker = RecordMaker::new(key);
    let members = Columns::new(columns.iter().map(|column| column.path.clone()));
    let mut records = Vec::with_capacity(count);
    for row in rows(text, delimiter).skip(1) {
        let row = row?;
        let values = columns.iter().zip(&row.values).enumerate();
        let values = values.map(|(at, (column, text))| column.value(text, row.is_quoted(at)));
        let values: Vec<ColumnValue<'_>> = values.map(ColumnValue::Value).collect();
        let record = maker.row(&members, &values);
        records.push(record.map_err(|why| ReadError::Row {
            line: row.values.position().map_or(0, csv::Position::line),
            why,
        })?);
    }
    Ok((records, layout))
}

/// The rows, that of the names first.
fn rows(text: &str, delimiter: u8) -> impl Iterator<Item = Result<Row, ReadError>> {
    let reader = ReaderBuilder::new()
        .delimiter(delimiter)
        .has_headers(false)
        .from_reader(text.as_bytes());
    reader.into_records().map(move |values| {
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
    })
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
        if !name.is_empty() {
            FieldName::parse(name).map_err(|why| ReadError::BadName { field, why })?;
        }
        let known = layout.names().len();
        if layout.add(name).is_err() {
            let name = name.to_owned();
            return Err(ReadError::NameInWay { field, name });
        }
        if layout.names().len() == known {
            let name = name.to_owned();
            return Err(ReadError::NameTwice { field, name });
        }
        let path = path_of(name);
        // One that has no name at all is a column like others.
        if path.len() > 1 && path.iter().any(String::is_empty) {
            let why = FieldNameError::Empty;
            return Err(ReadError::BadName { field, why });
        }
        let in_quotes = names.quoted.get(index).copied().unwrap_or(false);
        columns.push(Column {
            path,
            always_quoted: in_quotes && !needs_quotes(name, delimiter),
            typed: true,
            seen: false,
        });
    }
    Ok((layout, columns))
}

/// Characters that separate the values of such files.
const SEPARATORS: [char; 4] = [',', ';', '\t', '|'];

fn no_key_column(layout: &CsvLayout, key: &FieldName, delimiter: u8) -> ReadError {
    let columns = layout.names().to_vec();
    let separator = match &*columns {
        [only] => SEPARATORS
            .into_iter()
            .find(|one| *one != char::from(delimiter) && only.contains(*one)),
        _ => None,
    };
    ReadError::NoKeyColumn {
        name: key.to_string(),
        columns,
        separator,
    }
}

impl Column {
    fn see(&mut self, text: &str, in_quotes: bool) {
        let counts = self.always_quoted || !in_quotes;
        if counts && !text.is_empty() {
            self.seen = true;
            self.typed = self.typed && typed_value(text).is_some();
        }
    }

    fn value<'a>(&self, text: &'a str, in_quotes: bool) -> MemberValue<'a> {
        let is_text = in_quotes && !self.always_quoted;
        match (is_text, text.is_empty()) {
            (true, _) => MemberValue::Text(text),
            (false, true) => MemberValue::Null,
            (false, false) => {
                let typed = typed_value(text).filter(|_| self.typed);
                typed.unwrap_or(MemberValue::Text(text))
            }
        }
    }
}

/// A flag, or a number as JSON writes it: `007` and `+5` are not numbers.
pub(super) fn typed_value(text: &str) -> Option<MemberValue<'_>> {
    match text {
        "true" => return Some(MemberValue::Bool(true)),
        "false" => return Some(MemberValue::Bool(false)),
        _ => {}
    }
    let plain = text
        .bytes()
        .all(|byte| byte.is_ascii_digit() || b"-+.eE".contains(&byte));
    let is_number = plain && text.parse::<Number>().is_ok();
    is_number.then_some(MemberValue::Number(text))
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

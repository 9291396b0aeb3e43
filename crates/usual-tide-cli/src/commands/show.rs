//! `usual-tide show`: the rows of a file.

use crate::args::{RowFormat, Show};
use crate::error::CommandError;
use crate::input;
use crate::output::table::table;
use crate::output::{Output, columns};
use serde_json::{Map, Value};
use usual_tide::record::{FieldName, MemberValue, Record};
use usual_tide::{BoundList, Store};
use usual_tide_sources::files::{self, FileFormat};

pub(crate) fn run(show: &Show, out: &mut Output) -> Result<(), CommandError> {
    // In the file's own order nothing after the last row that is shown need be read.
    let most = show.query.is_plain().then(|| {
        let taken = show.query.take?;
        taken.checked_add(show.query.skip)
    });
    let most = most.flatten();
    let items = input::read_first(&show.file, &show.items, most)?;
    let partly = most.is_some_and(|most| items.len() == most);
    let query = input::query(&show.query, items.iter())?;
    let chosen = input::columns(show.columns.as_ref(), &items)?;
    let mut store = Store::load(items).map_err(CommandError::not_a_list(&show.file))?;
    let list = store.bind(query);
    let rows = store.list(list)?;
    let chosen = chosen.as_deref();
    match show.format {
        RowFormat::Table => out.text(&table(&rows, chosen, partly, columns())),
        RowFormat::Json if rows.query().grouping().is_some() => {
            out.json(&by_section(&rows, chosen))
        }
        RowFormat::Json => write(&rows, chosen, FileFormat::Json, out),
        RowFormat::Ndjson => write(&rows, chosen, FileFormat::Ndjson, out),
        RowFormat::Csv => write(&rows, chosen, FileFormat::Csv, out),
    }
}

fn write(
    rows: &BoundList<'_, Record>,
    chosen: Option<&[FieldName]>,
    format: FileFormat,
    out: &mut Output,
) -> Result<(), CommandError> {
    let written = match chosen {
        None => files::write(out, format, rows.items().map(|item| item.members())),
        Some(names) => {
            let titles: Vec<String> = names.iter().map(ToString::to_string).collect();
            let values = rows.items().map(|item| {
                let values = names.iter().map(|name| item.field(name));
                let values = values.map(|value| value.unwrap_or(MemberValue::Null));
                values.collect()
            });
            files::write_table(out, format, &titles, values)
        }
    };
    written.map_err(CommandError::output)
}

/// The chosen fields of an item, under the names by which they were chosen.
fn picked(item: &Record, names: &[FieldName]) -> Map<String, Value> {
    let fields = names.iter().map(|name| {
        let value = item
            .field(name)
            .map_or(Value::Null, |value| value.to_json());
        (name.to_string(), value)
    });
    fields.collect()
}

fn by_section(rows: &BoundList<'_, Record>, chosen: Option<&[FieldName]>) -> Value {
    let sections = rows.sections().zip(0..).map(|(section, at)| {
        let items = rows.items_in(rows.rows_in(at)).map(|item| match chosen {
            None => Value::Object(item.to_members()),
            Some(names) => Value::Object(picked(item, names)),
        });
        let mut section = section.to_json();
        section["rows"] = items.collect();
        section
    });
    sections.collect()
}

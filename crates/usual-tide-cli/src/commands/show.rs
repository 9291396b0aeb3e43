//! `usual-tide show`: the rows of a file.

use crate::args::{Format, Show};
use crate::cells::{fitted, plain, width};
use crate::error::CommandError;
use crate::{input, output};
use anstyle::Style;
use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;
use usual_tide::Store;
use usual_tide::record::Record;

/// Blanks between columns.
const GAP: usize = 2;
/// The widest that a column gets while others are still to come.
const WIDEST: usize = 28;

pub(crate) fn run(show: &Show) -> Result<String, CommandError> {
    let items = input::read(&show.file, &show.query.key)?;
    let query = input::query(&show.query, &[&items])?;
    let mut store = Store::load(items).map_err(|why| CommandError::Items {
        file: input::shown(&show.file),
        why,
    })?;
    let list = store.bind(query);
    let rows = store.list(list)?;
    match show.format {
        Format::Json => {
            let items = rows
                .items()
                .map(|item| Value::Object(item.members().clone()));
            super::pretty(&items.collect())
        }
        Format::Text => {
            let items: Vec<&Arc<Record>> = rows.items().collect();
            let number = |row| rows.number(row);
            Ok(table(&items, number, output::columns()))
        }
    }
}

struct Column {
    heading: String,
    cells: Vec<String>,
    width: usize,
    to_the_right: bool,
}

impl Column {
    fn new(heading: &str, cells: Vec<String>, to_the_right: bool) -> Self {
        let widest = cells.iter().map(|cell| width(cell)).max().unwrap_or(0);
        Self {
            heading: heading.to_owned(),
            cells,
            width: widest.max(width(heading)).min(WIDEST),
            to_the_right,
        }
    }
}

/// As many columns as fit, the members in the order of the items.
fn table(
    items: &[&Arc<Record>],
    number: impl Fn(usize) -> Option<usize>,
    columns: usize,
) -> String {
    let mut shown: Vec<Column> = Vec::new();
    if items.first().is_some_and(|_| number(0).is_some()) {
        let number = |row| number(row).map(|n| n.to_string()).unwrap_or_default();
        let numbers = (0..items.len()).map(number).collect();
        shown.push(Column::new("no.", numbers, true));
    }
    for name in names(items) {
        let values = || items.iter().map(|item| item.members().get(&name));
        let numbers = values().flatten().all(|v| v.is_number() || v.is_null());
        let cells = values().map(|value| value.map(plain).unwrap_or_default());
        shown.push(Column::new(&name, cells.collect(), numbers));
    }
    let mut used = 0;
    let fits = shown.iter().take_while(|column| {
        used += column.width + GAP;
        used <= columns + GAP
    });
    let fitting: Vec<&Column> = fits.collect();
    let row = |cell: &dyn Fn(&Column) -> &str| {
        let cells = fitting
            .iter()
            .map(|column| fitted(cell(column), column.width, column.to_the_right));
        cells
            .collect::<Vec<_>>()
            .join(&" ".repeat(GAP))
            .trim_end()
            .to_owned()
    };
    let bold = Style::new().bold();
    let mut text = format!("{bold}{}{bold:#}\n", row(&|column| &column.heading));
    for at in 0..items.len() {
        text.push_str(&row(&|column| &column.cells[at]));
        text.push('\n');
    }
    let left_out: Vec<&str> = shown[fitting.len()..]
        .iter()
        .map(|c| c.heading.as_str())
        .collect();
    text.push_str(&format!("{} rows", items.len()));
    if !left_out.is_empty() {
        text.push_str(&format!("; not shown: {}", left_out.join(", ")));
    }
    text + "\n"
}

/// The members that any item has, in the order in which they first occur.
fn names(items: &[&Arc<Record>]) -> Vec<String> {
    let mut seen = HashSet::new();
    let names = items.iter().flat_map(|item| item.members().keys());
    names.filter(|name| seen.insert(*name)).cloned().collect()
}

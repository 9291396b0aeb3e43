//! `usual-tide show`: the rows of a file.

use crate::args::{Format, Show};
use crate::cells::{cut, fitted, plain, width};
use crate::error::CommandError;
use crate::{input, output};
use anstyle::Style;
use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;
use usual_tide::record::Record;
use usual_tide::{BoundList, Search, Section, Store};

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
        Format::Json if rows.query().grouping().is_some() => {
            let sections = rows.sections().zip(0..).map(|(section, at)| {
                let items = rows.items_in(rows.rows_in(at));
                let items = items.map(|item| Value::Object(item.members().clone()));
                let mut section = section.to_json();
                section["rows"] = items.collect();
                section
            });
            super::pretty(&sections.collect())
        }
        Format::Json => {
            let items = rows
                .items()
                .map(|item| Value::Object(item.members().clone()));
            super::pretty(&items.collect())
        }
        Format::Text => {
            let items: Vec<&Arc<Record>> = rows.items().collect();
            let number = |row| rows.number(row);
            let search = rows.query().searching();
            let headings = match rows.query().grouping() {
                Some(_) => rows.sections().zip(0..).map(heading_at(&rows)).collect(),
                None => Vec::new(),
            };
            Ok(table(&items, number, search, &headings, output::columns()))
        }
    }
}

/// Above which row a section's heading stands, and what it says.
type Heading = (usize, String);

fn heading_at(rows: &BoundList<'_, Record>) -> impl Fn((Arc<Section>, usize)) -> Heading {
    move |(section, at)| {
        let count = section.count();
        let noun = if count == 1 { "row" } else { "rows" };
        let text = format!("{} ({count} {noun})", output::heading(&section));
        (rows.rows_in(at).start, text)
    }
}

struct Column {
    heading: String,
    cells: Vec<String>,
    width: usize,
    to_the_right: bool,
    /// Whether a search looks into it.
    holds_text: bool,
}

impl Column {
    fn new(heading: &str, cells: Vec<String>, to_the_right: bool) -> Self {
        let widest = cells.iter().map(|cell| width(cell)).max().unwrap_or(0);
        Self {
            heading: heading.to_owned(),
            cells,
            width: widest.max(width(heading)).min(WIDEST),
            to_the_right,
            holds_text: false,
        }
    }
}

/// As many columns as fit, the members in the order of the items.
fn table(
    items: &[&Arc<Record>],
    number: impl Fn(usize) -> Option<usize>,
    search: Option<&Search<Record>>,
    sections: &[Heading],
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
        let holds_text = values().flatten().any(Value::is_string);
        shown.push(Column {
            holds_text,
            ..Column::new(&name, cells.collect(), numbers)
        });
    }
    let mut used = 0;
    let fits = shown.iter().take_while(|column| {
        used += column.width + GAP;
        used <= columns + GAP
    });
    let fitting: Vec<&Column> = fits.collect();
    let row = |cell: &dyn Fn(&Column) -> &str, search: Option<&Search<Record>>| {
        let cells = fitting.iter().map(|column| {
            let cell = fitted(cell(column), column.width, column.to_the_right);
            match search.filter(|_| column.holds_text) {
                Some(search) => marked(&cell, search),
                None => cell,
            }
        });
        cells
            .collect::<Vec<_>>()
            .join(&" ".repeat(GAP))
            .trim_end()
            .to_owned()
    };
    let bold = Style::new().bold();
    let mut text = String::new();
    if !fitting.is_empty() {
        let headings = row(&|column| &column.heading, None);
        text.push_str(&format!("{bold}{headings}{bold:#}\n"));
    }
    let gap = if sections.is_empty() { "" } else { "\n" };
    let mut sections = sections.iter().peekable();
    for at in 0..items.len() {
        while let Some((_, heading)) = sections.next_if(|section| section.0 <= at) {
            text.push_str(&format!("\n{bold}{}{bold:#}\n", cut(heading, columns)));
        }
        text.push_str(&row(&|column| &column.cells[at], search));
        text.push('\n');
    }
    let left_out: Vec<&str> = shown[fitting.len()..]
        .iter()
        .map(|c| c.heading.as_str())
        .collect();
    let rows = if items.len() == 1 { "row" } else { "rows" };
    text.push_str(&format!("{gap}{} {rows}", items.len()));
    if !left_out.is_empty() {
        text.push_str(&format!("; not shown: {}", left_out.join(", ")));
    }
    text + "\n"
}

/// A cell with the words that were searched for marked.
fn marked(cell: &str, search: &Search<Record>) -> String {
    let style = Style::new().bold().underline();
    let (mut text, mut end) = (String::new(), 0);
    for range in search.ranges(cell) {
        text.push_str(&cell[end..range.start]);
        text.push_str(&format!("{style}{}{style:#}", &cell[range.clone()]));
        end = range.end;
    }
    text + &cell[end..]
}

/// The members that any item has, in the order in which they first occur.
fn names(items: &[&Arc<Record>]) -> Vec<String> {
    let mut seen = HashSet::new();
    let names = items.iter().flat_map(|item| item.members().keys());
    names.filter(|name| seen.insert(*name)).cloned().collect()
}

//! Rows as a table that fits.

use super::cells::{cut, fitted, one_line, plain, width};
use super::counted;
use anstyle::Style;
use std::collections::HashSet;
use std::sync::Arc;
use usual_tide::record::{FieldName, MemberValue, Record};
use usual_tide::sections::Section;
use usual_tide::{BoundList, Group, Search};

/// Blanks between columns.
const GAP: usize = 2;
/// The widest that a column gets while the terminal is not wide enough for all.
const WIDEST: usize = 28;
/// The narrowest that a column is made, so that the chosen ones fit.
const NARROWEST: usize = 4;

const BOLD: Style = Style::new().bold();

/// The rows of a list as a table of this many columns; all members, or the fields that were chosen. `partly` when
/// there may be more rows than were read.
pub(crate) fn table(
    rows: &BoundList<'_, Record>,
    chosen: Option<&[FieldName]>,
    partly: bool,
    columns: usize,
) -> String {
    let items: Vec<&Arc<Record>> = rows.items().collect();
    let mut shown = Vec::new();
    if rows.query().is_numbered() && !items.is_empty() {
        let numbers = (0..items.len()).map(|row| rows.number(row));
        let numbers = numbers.map(|n| n.map(|n| n.to_string()).unwrap_or_default());
        shown.push(Column::new("no.", numbers.collect(), true));
    }
    match chosen {
        Some(names) => shown.extend(names.iter().map(|name| {
            let values: Vec<Option<MemberValue<'_>>> =
                items.iter().map(|item| item.field(name)).collect();
            Column::of(&name.to_string(), &values)
        })),
        None => shown.extend(members(&items).iter().map(|name| {
            let values: Vec<Option<MemberValue<'_>>> =
                items.iter().map(|item| item.members().get(name)).collect();
            Column::of(name, &values)
        })),
    }
    let left_out = fit(&mut shown, chosen.is_some(), columns);
    let body = body(rows, &shown, columns);
    let gap = if rows.query().grouping().is_some() {
        "\n"
    } else {
        ""
    };
    let mut foot = counted(items.len(), "row", "rows");
    if partly {
        foot.push_str("; the rest of the file was not read");
    } else if items.len() < rows.matching() {
        foot.push_str(&format!(" of {}", rows.matching()));
    }
    if !left_out.is_empty() {
        foot.push_str(&format!("; not shown: {}", left_out.join(", ")));
    }
    format!("{body}{gap}{foot}\n")
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
        let heading = one_line(heading);
        Self {
            width: widest.max(width(&heading)),
            heading,
            cells,
            to_the_right,
            holds_text: false,
        }
    }

    fn of(heading: &str, values: &[Option<MemberValue<'_>>]) -> Self {
        let there = || values.iter().flatten();
        let numbers = there().all(|value| value.as_number().is_some() || value.is_null());
        let cells = values
            .iter()
            .map(|value| value.map(plain).unwrap_or_default());
        Self {
            holds_text: there().any(|value| value.as_text().is_some()),
            ..Self::new(heading, cells.collect(), numbers)
        }
    }
}

/// Makes columns narrower, and takes out those that do not fit then; gives the names of these.
///
/// Columns that were chosen get as narrow as they must before one is left out; others stay readable.
fn fit(shown: &mut Vec<Column>, chosen: bool, columns: usize) -> Vec<String> {
    let needed = |shown: &[Column]| shown.iter().map(|column| column.width + GAP).sum::<usize>();
    let bound = columns.saturating_add(GAP);
    if needed(shown) > bound {
        for column in shown.iter_mut() {
            column.width = column.width.min(WIDEST);
        }
    }
    while chosen && needed(shown) > bound {
        let widest = shown.iter_mut().max_by_key(|column| column.width);
        match widest.filter(|column| column.width > NARROWEST) {
            Some(column) => column.width -= 1,
            None => break,
        }
    }
    let mut used = 0;
    let fitting = shown.iter().take_while(|column| {
        used += column.width + GAP;
        used <= bound
    });
    let fitting = fitting.count().max(1).min(shown.len());
    let left_out = shown
        .drain(fitting..)
        .map(|column| column.heading)
        .collect();
    if let [only] = shown.as_mut_slice() {
        only.width = only.width.min(columns);
    }
    left_out
}

fn body(rows: &BoundList<'_, Record>, shown: &[Column], columns: usize) -> String {
    let search = rows.query().searching();
    let line = |cell: &dyn Fn(&Column) -> &str, search: Option<&Search<Record>>| {
        let cells = shown.iter().map(|column| {
            let cell = fitted(cell(column), column.width, column.to_the_right);
            match search.filter(|_| column.holds_text) {
                Some(search) => marked(&cell, search),
                None => cell,
            }
        });
        let cells: Vec<String> = cells.collect();
        cells.join(&" ".repeat(GAP)).trim_end().to_owned()
    };
    let mut text = String::new();
    if !shown.is_empty() {
        let headings = line(&|column| &column.heading, None);
        text.push_str(&format!("{BOLD}{headings}{BOLD:#}\n"));
    }
    let mut sections = headings(rows).into_iter().peekable();
    for row in 0..rows.len() {
        while let Some((_, heading)) = sections.next_if(|section| section.0 <= row) {
            text.push_str(&format!("\n{BOLD}{}{BOLD:#}\n", cut(&heading, columns)));
        }
        text.push_str(&line(&|column| &column.cells[row], search));
        text.push('\n');
    }
    text
}

/// Above which row each section's heading stands, and what it says.
fn headings(rows: &BoundList<'_, Record>) -> Vec<(usize, String)> {
    let Some(group) = rows.query().grouping() else {
        return Vec::new();
    };
    let totals = total_names(group);
    let one = |(section, at): (Arc<Section>, usize)| {
        (rows.rows_in(at).start, section_line(&section, &totals))
    };
    rows.sections().zip(0..).map(one).collect()
}

/// What the totals of a grouping are called.
pub(crate) fn total_names(group: &Group<Record>) -> Vec<String> {
    let totals = group.totals();
    totals
        .map(|(total, field)| format!("{total} of {}", one_line(field)))
        .collect()
}

/// What a section's heading says: its name, how many rows it has, and its totals.
pub(crate) fn section_line(section: &Section, totals: &[String]) -> String {
    let mut text = super::heading(section);
    text.push_str(&format!(" ({}", counted(section.count(), "row", "rows")));
    for (name, total) in totals.iter().zip(section.totals()) {
        text.push_str(&format!(", {name} {total}"));
    }
    text + ")"
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
fn members(items: &[&Arc<Record>]) -> Vec<String> {
    let mut seen = HashSet::new();
    let names = items.iter().flat_map(|item| item.members().names());
    names
        .filter(|name| seen.insert(*name))
        .map(str::to_owned)
        .collect()
}

//! A change set in words.

use crate::cells::{cut, fitted, plain, quoted};
use crate::output;
use anstyle::{AnsiColor, Style};
use std::fmt::Write;
use usual_tide::record::Record;
use usual_tide::{ChangeSet, Item, Section, Updated};

pub(crate) const LEFT: Style = AnsiColor::BrightBlack.on_default();
pub(crate) const ARRIVED: Style = AnsiColor::BrightBlue.on_default().bold();
pub(crate) const MOVED: Style = AnsiColor::Magenta.on_default();
pub(crate) const CHANGED: Style = AnsiColor::Yellow.on_default();

/// Columns of the word that says what happened.
pub(crate) const VERB: usize = 8;

/// One line for each touched row: what left, arrived, moved, changed.
pub(crate) fn lines<'a>(
    changes: &ChangeSet<Record>,
    after: impl Fn(usize) -> Option<&'a Record>,
    columns: usize,
) -> Vec<String> {
    let mut lines = Vec::new();
    let mut say = |style: Style, verb: &str, record: &Record, what: String| {
        let key = fitted(&record.key().to_string(), 8, false);
        let title = fitted(&title(record), 28, false);
        let rest = cut(&what, columns.saturating_sub(VERB + 8 + 28 + 6));
        let verb = fitted(verb, VERB, false);
        lines.push(format!("{style}{verb}{style:#}  {key}  {title}  {rest}"));
    };
    for run in changes.removed() {
        for (at, record) in run.range().zip(run.rows.iter()) {
            say(LEFT, "left", record, format!("was number {}", at + 1));
        }
    }
    for run in changes.inserted() {
        for (at, record) in run.range().zip(run.rows.iter()) {
            say(ARRIVED, "arrived", record, format!("is number {}", at + 1));
        }
    }
    for run in changes.moved() {
        for offset in 0..run.len {
            let (from, to) = (run.from + offset, run.to + offset);
            if let Some(record) = after(to) {
                let what = format!("from number {} to number {}", from + 1, to + 1);
                say(MOVED, "moved", record, what);
            }
        }
    }
    for row in changes.updated() {
        say(CHANGED, "changed", &row.after, differences(row));
    }
    lines
}

/// One line for each section that left, arrived, moved or has another number of rows.
pub(crate) fn section_lines(changes: &ChangeSet<Section>) -> Vec<String> {
    let mut lines = Vec::new();
    let mut say = |style: Style, verb: &str, section: &Section, what: String| {
        let verb = fitted(verb, VERB, false);
        let heading = output::heading(section);
        lines.push(format!("{style}{verb}{style:#}  section {heading}  {what}"));
    };
    let rows = |count: usize| format!("{count} {}", if count == 1 { "row" } else { "rows" });
    for run in changes.removed() {
        for (at, section) in run.range().zip(run.rows.iter()) {
            say(LEFT, "left", section, format!("was section {}", at + 1));
        }
    }
    for run in changes.inserted() {
        for (at, section) in run.range().zip(run.rows.iter()) {
            let what = format!("is section {}, {}", at + 1, rows(section.count()));
            say(ARRIVED, "arrived", section, what);
        }
    }
    for row in changes.updated() {
        let what = format!("{} → {}", rows(row.before.count()), rows(row.after.count()));
        say(CHANGED, "changed", &row.after, what);
    }
    lines
}

/// A row's second name: its title, or else its first text beside the key.
fn title(record: &Record) -> String {
    let named = ["title", "name"]
        .iter()
        .find_map(|name| record.members().get(*name));
    let other = || {
        let key = record.key().to_value();
        record
            .members()
            .values()
            .find(|value| value.is_string() && **value != key)
    };
    named.or_else(other).map(plain).unwrap_or_default()
}

fn differences(row: &Updated<Record>) -> String {
    let field = |path: &str| {
        format!(
            "{}: {} → {}",
            path.trim_start_matches('/').replace('/', "."),
            quoted(row.before.get(path)),
            quoted(row.after.get(path)),
        )
    };
    let fields = row.fields();
    let texts: Vec<String> = fields.iter().map(|path| field(path.as_str())).collect();
    texts.join("; ")
}

/// All in one line, with the share of rows touched.
pub(crate) fn summary(changes: &ChangeSet<Record>) -> String {
    let rows = |runs: &[usual_tide::RowRun<Record>]| runs.iter().map(|run| run.rows.len()).sum();
    let counts: [(usize, &str); 4] = [
        (rows(changes.removed()), "left"),
        (rows(changes.inserted()), "arrived"),
        (changes.moved().iter().map(|run| run.len).sum(), "moved"),
        (changes.updated().len(), "changed"),
    ];
    let mut text = String::new();
    for (count, verb) in counts.into_iter().filter(|(count, _)| *count > 0) {
        let comma = if text.is_empty() { "" } else { ", " };
        // Writing to a string cannot fail.
        let _ = write!(text, "{comma}{count} {verb}");
    }
    if text.is_empty() {
        text.push_str("nothing changed");
    }
    let most = changes.before().max(changes.after());
    let touched = changes.touched();
    let share = touched as f64 * 100.0 / most.max(1) as f64;
    let _ = write!(text, "; {touched} of {most} rows touched ({share:.1} %)");
    text
}

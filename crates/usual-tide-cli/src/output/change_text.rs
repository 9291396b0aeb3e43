//! A change set in words.

use super::cells::{cut, fitted, one_line, plain, quoted, width};
use super::{counted, heading};
use anstyle::{AnsiColor, Style};
use usual_tide::changes::{RowRun, Updated};
use usual_tide::fields::FieldPath;
use usual_tide::record::Record;
use usual_tide::sections::Section;
use usual_tide::{BoundList, ChangeSet, Item};

pub(crate) const LEFT: Style = AnsiColor::Cyan.on_default().bold();
pub(crate) const ARRIVED: Style = AnsiColor::BrightBlue.on_default().bold();
pub(crate) const MOVED: Style = AnsiColor::Magenta.on_default();
pub(crate) const CHANGED: Style = AnsiColor::Yellow.on_default();

/// Columns of the word that says what happened.
pub(crate) const VERB: usize = 8;
/// The most columns of a key and of a title.
const KEY: usize = 36;
const TITLE: usize = 28;

/// What happened to one row.
pub(crate) struct ToldRow {
    pub(crate) style: Style,
    pub(crate) verb: &'static str,
    pub(crate) key: String,
    pub(crate) title: String,
    pub(crate) what: String,
}

impl ToldRow {
    fn of(style: Style, verb: &'static str, record: &Record, what: String) -> Self {
        Self {
            style,
            verb,
            key: one_line(&record.key().to_string()),
            title: title(record),
            what,
        }
    }
}

/// A change set as a person would tell it.
pub(crate) struct ChangeText {
    rows: Vec<ToldRow>,
    sections: Vec<String>,
    summary: String,
    renumbered: usize,
    columns: usize,
}

impl ChangeText {
    /// What turned a list into the rows that it has now, in lines of this many columns.
    pub(crate) fn new<'a>(
        changes: &'a ChangeSet<Record>,
        after: &'a BoundList<'_, Record>,
        columns: usize,
    ) -> Self {
        let mut told = Self::of_rows(changes, |at| after.at(at).map(|row| &**row), columns);
        if let Some(sections) = changes.sections() {
            let name = |at| after.section_at(at).map(|section| heading(&section));
            let sections = told_sections(sections, |at| name(at).unwrap_or_default());
            let lines = sections.map(|told| {
                let (style, verb) = (told.style, fitted(told.verb, VERB, false));
                format!("{style}{verb}{style:#}  {}", told.what)
            });
            told.sections = lines.collect();
        }
        told
    }

    /// The same of the rows alone.
    pub(crate) fn of_rows<'a>(
        changes: &'a ChangeSet<Record>,
        after: impl Fn(usize) -> Option<&'a Record> + 'a,
        columns: usize,
    ) -> Self {
        Self {
            rows: told_rows(changes, after).collect(),
            sections: Vec::new(),
            summary: summary(changes),
            renumbered: changes
                .renumbered()
                .into_iter()
                .flatten()
                .map(|run| run.len())
                .sum(),
            columns,
        }
    }

    /// One line for each touched row and section: what left, arrived, moved, changed.
    pub(crate) fn lines(&self) -> Vec<String> {
        let widest = |part: fn(&ToldRow) -> &String, most: usize| {
            let widths = self.rows.iter().map(|line| width(part(line)));
            widths.max().unwrap_or(0).min(most)
        };
        let (keys, titles) = (
            widest(|line| &line.key, KEY),
            widest(|line| &line.title, TITLE),
        );
        let rest = self.columns.saturating_sub(VERB + keys + titles + 6);
        let rows = self.rows.iter().map(|line| {
            let ToldRow { style, verb, .. } = line;
            let verb = fitted(verb, VERB, false);
            let key = fitted(&line.key, keys, false);
            let title = fitted(&line.title, titles, false);
            let what = cut(&line.what, rest);
            format!("{style}{verb}{style:#}  {key}  {title}  {what}")
        });
        rows.chain(self.sections.iter().cloned()).collect()
    }

    /// Rows of a list that numbers them whose number alone is another.
    pub(crate) fn renumbered(&self) -> Option<String> {
        let one = "row did not move and has another number, since rows came or went above it";
        let many = "rows did not move and have another number, since rows came or went above them";
        (self.renumbered > 0).then(|| counted(self.renumbered, one, many))
    }

    /// All in one line, with the share of rows touched.
    pub(crate) fn summary(&self) -> &str {
        &self.summary
    }
}

/// One for each touched row: what left, arrived, moved, changed, in this order; made as they are asked for.
pub(crate) fn told_rows<'a>(
    changes: &'a ChangeSet<Record>,
    after: impl Fn(usize) -> Option<&'a Record> + 'a,
) -> impl Iterator<Item = ToldRow> + 'a {
    let left = each(changes.removed())
        .map(|(at, record)| ToldRow::of(LEFT, "left", record, format!("was number {}", at + 1)));
    let arrived = each(changes.inserted()).map(|(at, record)| {
        ToldRow::of(ARRIVED, "arrived", record, format!("is number {}", at + 1))
    });
    let places = changes.moved().iter().flat_map(|run| {
        let offsets = 0..run.len;
        offsets.map(move |offset| (run.from + offset, run.to + offset))
    });
    let moved = places.filter_map(move |(from, to)| {
        let what = match from == to {
            true => format!("passed others, and still has number {}", to + 1),
            false => format!("from number {} to number {}", from + 1, to + 1),
        };
        Some(ToldRow::of(MOVED, "moved", after(to)?, what))
    });
    let changed = changes
        .updated()
        .iter()
        .map(|row| ToldRow::of(CHANGED, "changed", &row.after, differences(row)));
    left.chain(arrived).chain(moved).chain(changed)
}

/// Rows that left or arrived, with their positions.
fn each<T>(runs: &[RowRun<T>]) -> impl Iterator<Item = (usize, &T)> {
    runs.iter()
        .flat_map(|run| run.range().zip(run.rows.iter().map(|row| &**row)))
}

/// What happened to one section.
pub(crate) struct ToldSection {
    pub(crate) style: Style,
    pub(crate) verb: &'static str,
    pub(crate) what: String,
}

impl ToldSection {
    fn of(style: Style, verb: &'static str, name: &str, what: &str) -> Self {
        let what = format!("section {name}  {what}");
        Self { style, verb, what }
    }
}

/// One for each section that left, arrived, moved or has another number of rows; made as they are asked for.
pub(crate) fn told_sections<'a>(
    changes: &'a ChangeSet<Section>,
    name_after: impl Fn(usize) -> String + 'a,
) -> impl Iterator<Item = ToldSection> + 'a {
    let left = each(changes.removed()).map(|(at, section)| {
        let what = format!("was section {}", at + 1);
        ToldSection::of(LEFT, "left", &heading(section), &what)
    });
    let arrived = each(changes.inserted()).map(|(at, section)| {
        let rows = counted(section.count(), "row", "rows");
        let what = format!("is section {}, {rows}", at + 1);
        ToldSection::of(ARRIVED, "arrived", &heading(section), &what)
    });
    let places = changes.moved().iter().flat_map(|run| {
        let offsets = 0..run.len;
        offsets.map(move |offset| (run.from + offset, run.to + offset))
    });
    let moved = places.map(move |(from, to)| {
        let what = format!("from section {} to section {}", from + 1, to + 1);
        ToldSection::of(MOVED, "moved", &name_after(to), &what)
    });
    let changed = changes.updated().iter().map(|row| {
        let what = section_change(&row.before, &row.after);
        ToldSection::of(CHANGED, "changed", &heading(&row.after), &what)
    });
    left.chain(arrived).chain(moved).chain(changed)
}

/// What is another in a section.
fn section_change(before: &Section, after: &Section) -> String {
    let rows = |count: usize| counted(count, "row", "rows");
    let is_turned = before.is_collapsed() != after.is_collapsed();
    match (
        before.count() == after.count() && is_turned,
        after.is_collapsed(),
    ) {
        (true, true) => "is collapsed".to_owned(),
        (true, false) => "is expanded".to_owned(),
        (false, _) => format!("{} → {}", rows(before.count()), rows(after.count())),
    }
}

/// A row's second name: its title, or else its first text beside the key.
fn title(record: &Record) -> String {
    let named = ["title", "name"]
        .iter()
        .find_map(|name| record.members().get(name));
    let other = || {
        let key = record.key().to_value();
        record
            .members()
            .iter()
            .map(|(_, value)| value)
            .find(|value| value.as_text().is_some() && *value != key)
    };
    named.or_else(other).map(plain).unwrap_or_default()
}

fn differences(row: &Updated<Record>) -> String {
    let field = |path: &FieldPath| {
        let value = |item: &Record| quoted(item.get(path.as_pointer()));
        let name = one_line(&path.to_string());
        format!("{name}: {} → {}", value(&row.before), value(&row.after))
    };
    let fields = row.fields();
    let texts: Vec<String> = fields.iter().map(field).collect();
    texts.join("; ")
}

pub(crate) fn summary(changes: &ChangeSet<Record>) -> String {
    let rows = |runs: &[RowRun<Record>]| runs.iter().map(|run| run.rows.len()).sum();
    let counts: [(usize, &str); 4] = [
        (rows(changes.removed()), "left"),
        (rows(changes.inserted()), "arrived"),
        (changes.moved().iter().map(|run| run.len).sum(), "moved"),
        (changes.updated().len(), "changed"),
    ];
    let told = counts.into_iter().filter(|(count, _)| *count > 0);
    let told: Vec<String> = told
        .map(|(count, verb)| format!("{count} {verb}"))
        .collect();
    let text = match (told.is_empty(), changes.sections()) {
        (true, Some(sections)) if sections.touched() > 0 => "sections alone changed".to_owned(),
        (true, _) => "nothing changed".to_owned(),
        (false, _) => told.join(", "),
    };
    // Those that were there and those that are there now, each once.
    let all = changes.len_before() + counts[1].0;
    let touched = changes.touched();
    let share = touched as f64 * 100.0 / all.max(1) as f64;
    format!(
        "{text}; {touched} of {} touched ({share:.1} %)",
        counted(all, "row", "rows")
    )
}

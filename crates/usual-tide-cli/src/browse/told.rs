//! What the view of a list was told, in words.

use crate::output::change_text::{summary, told_rows, told_sections};
use crate::output::{counted, heading};
use anstyle::Style;
use usual_tide::record::Record;
use usual_tide::{BoundList, ChangeSet, Item};

/// Rows of one change set that are told one by one; the others are counted.
const MOST: usize = 200;

/// One change set, as the pane beside the list tells it.
#[derive(Debug)]
pub(crate) struct Told {
    /// The time of day.
    pub(crate) when: String,
    /// What was done, or that it came from the source.
    pub(crate) why: String,
    pub(crate) lines: Vec<ToldLine>,
    /// How many more rows were touched.
    pub(crate) more: usize,
    pub(crate) summary: String,
    /// What telling the view to draw anew would have cost.
    pub(crate) reload: String,
}

/// What happened to one row or section.
#[derive(Debug)]
pub(crate) struct ToldLine {
    pub(crate) style: Style,
    pub(crate) verb: &'static str,
    pub(crate) what: String,
}

impl Told {
    /// Tells what turned a list into the rows that it has now.
    pub(crate) fn new(
        changes: &ChangeSet<Record>,
        after: &BoundList<'_, Record>,
        why: &str,
    ) -> Self {
        let rows = told_rows(changes, |at| after.at(at).map(|row| &**row));
        let rows = rows.take(MOST).map(|row| ToldLine {
            style: row.style,
            verb: row.verb,
            what: format!("{}  {}  {}", row.key, row.title, row.what),
        });
        let mut lines: Vec<ToldLine> = rows.collect();
        let mut touched = touched_lines(changes);
        if let Some(sections) = changes.sections() {
            let name = |at| after.section_at(at).map(|section| heading(&section));
            touched += touched_lines(sections);
            let sections = told_sections(sections, move |at| name(at).unwrap_or_default());
            let room = MOST.saturating_sub(lines.len());
            lines.extend(sections.take(room).map(|section| ToldLine {
                style: section.style,
                verb: section.verb,
                what: section.what,
            }));
        }
        let renumbered: usize = changes
            .renumbered()
            .into_iter()
            .flatten()
            .map(|run| run.len())
            .sum();
        let mut summary = summary(changes);
        if renumbered > 0 {
            let rows = counted(renumbered, "row has", "rows have");
            summary.push_str(&format!("; {rows} another number"));
        }
        Self {
            when: jiff::Zoned::now().strftime("%H:%M:%S").to_string(),
            why: why.to_owned(),
            more: touched - lines.len(),
            lines,
            summary,
            reload: format!(
                "a reload would have drawn {} again",
                counted(changes.len_after(), "row", "rows")
            ),
        }
    }
}

/// How many lines tell of a change set.
fn touched_lines<T: Item>(changes: &ChangeSet<T>) -> usize {
    let runs = changes.removed().iter().chain(changes.inserted());
    let runs: usize = runs.map(|run| run.rows.len()).sum();
    let moved: usize = changes.moved().iter().map(|run| run.len).sum();
    runs + moved + changes.updated().len()
}

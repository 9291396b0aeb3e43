//! What the tour prints.

use super::Scene;
use crate::output::cells::{fitted, plain};
use crate::output::change_text::{ARRIVED, CHANGED, ChangeText, MOVED, VERB};
use crate::output::{counted, paragraph};
use anstyle::{AnsiColor, Style};
use std::collections::BTreeMap;
use usual_tide::record::Record;
use usual_tide::{ChangeSet, Item, Replica};

/// Lines of a change set that are told; the rest is counted.
const TOLD: usize = 6;
/// Touched rows of a list that are drawn.
const DRAWN: usize = 8;
/// Rows drawn around a touched one.
const AROUND: usize = 1;

const BOLD: Style = Style::new().bold();
const FAINT: Style = AnsiColor::BrightBlack.on_default();

pub(super) struct Screen {
    text: String,
    columns: usize,
}

impl Screen {
    pub(super) fn new(columns: usize) -> Self {
        Self {
            text: String::new(),
            columns,
        }
    }

    pub(super) fn text(self) -> String {
        self.text
    }

    fn line(&mut self, line: &str) {
        self.text.push_str(line.trim_end());
        self.text.push('\n');
    }

    pub(super) fn opening(&mut self, pieces: usize) {
        self.line(&format!("{BOLD}An evening at the kiln queue{BOLD:#}"));
        self.paragraph(&format!(
            "{pieces} pieces wait to be fired, in an order set by hand. A list shows them; a view hears of \
             nothing but the list's change sets, and draws what you see here. The code is what an app with a \
             type for its pieces writes."
        ));
    }

    pub(super) fn scene(&mut self, number: usize, scene: &Scene) {
        if !self.text.is_empty() {
            self.line("");
        }
        self.line(&format!("{BOLD}{number}. {}{BOLD:#}", scene.heading));
        self.paragraph(scene.story);
        self.line(&format!("   {FAINT}{}{FAINT:#}", scene.code));
    }

    pub(super) fn changes(&mut self, changes: &ChangeSet<Record>, view: &Replica<Record>) {
        self.line("");
        let after = |position| view.at(position).map(|row| &**row);
        let told = ChangeText::of_rows(changes, after, self.columns - 3);
        let lines = told.lines();
        for line in lines.iter().take(TOLD) {
            self.line(&format!("   {line}"));
        }
        if lines.len() > TOLD {
            self.line(&format!("   … and {} more", lines.len() - TOLD));
        }
        self.line(&format!("   {BOLD}{}{BOLD:#}", told.summary()));
        if let Some(renumbered) = told.renumbered() {
            self.line(&format!("   {renumbered}"));
        }
        self.line("");
        self.rows(changes, view);
    }

    /// An act that no row of the list tells of.
    pub(super) fn nothing(&mut self) {
        self.line("");
        self.line(&format!("   {BOLD}no row is touched{BOLD:#}"));
    }

    /// The list around its touched rows, which are marked.
    fn rows(&mut self, changes: &ChangeSet<Record>, view: &Replica<Record>) {
        let marks = marks(changes);
        let mut drawn = BTreeMap::new();
        for (at, mark) in marks.iter().take(DRAWN) {
            let near = at.saturating_sub(AROUND)..(at + AROUND + 1).min(view.len());
            for row in near {
                drawn.entry(row).or_insert(None);
            }
            drawn.insert(*at, Some(mark));
        }
        // Rows that only left are shown by what closes up after them.
        if marks.is_empty() {
            for run in changes.removed().iter().take(DRAWN / 2) {
                let gap = changes.follow(run.at);
                if let Some(usual_tide::changes::Followed::Gone(Some(at))) = gap {
                    let near = at.saturating_sub(AROUND)..(at + AROUND + 1).min(view.len());
                    drawn.extend(near.map(|row| (row, None)));
                }
            }
        }
        let mut next = 0;
        for (at, mark) in drawn {
            self.skipped(at - next);
            if let Some(row) = view.at(at) {
                self.row(at, row, mark.map_or(&Mark::PLAIN, |mark| mark));
            }
            next = at + 1;
        }
        self.skipped(view.len() - next);
    }

    fn skipped(&mut self, rows: usize) {
        if rows > 0 {
            let blanks = " ".repeat(VERB);
            let rows = counted(rows, "row", "rows");
            self.line(&format!("   {blanks} {FAINT}   ⋮  {rows}{FAINT:#}"));
        }
    }

    fn row(&mut self, at: usize, row: &Record, mark: &Mark) {
        let field = |name: &str| row.members().get(name).map(plain).unwrap_or_default();
        let state = if field("fired") == "true" {
            "fired"
        } else {
            "waits"
        };
        let style = mark.style;
        let line = format!(
            "   {style}{verb} {number:>4}  {key:<7} {title}  {maker}  {shelf}  {height:>4} mm  {state}{style:#}",
            verb = fitted(mark.verb, VERB, false),
            number = at + 1,
            key = row.key(),
            title = fitted(&field("title"), 26, false),
            maker = fitted(&field("maker"), 19, false),
            shelf = field("shelf"),
            height = field("height_mm"),
        );
        self.line(&line);
    }

    pub(super) fn closing(&mut self, rows: usize, scenes: usize, touched: usize, shown: usize) {
        self.line("");
        self.line(&format!("{BOLD}In step{BOLD:#}"));
        self.paragraph(&format!(
            "The view shows the same {rows} rows as the list, and only change sets updated it. In {scenes} steps they \
             touched {touched} rows; {scenes} reloads would have drawn {shown}."
        ));
    }

    /// Text in lines that fit.
    fn paragraph(&mut self, text: &str) {
        let indent = " ".repeat(3);
        let lines = paragraph(text, self.columns.min(96), &indent, &indent);
        self.line(&lines);
    }
}

/// What happened to a row that is drawn.
struct Mark {
    verb: &'static str,
    style: Style,
}

impl Mark {
    const PLAIN: Self = Self {
        verb: "",
        style: Style::new(),
    };
}

fn marks(changes: &ChangeSet<Record>) -> BTreeMap<usize, Mark> {
    let mut marks = BTreeMap::new();
    let mut mark = |at, verb, style| {
        marks.entry(at).or_insert(Mark { verb, style });
    };
    for at in changes.inserted().iter().flat_map(|run| run.range()) {
        mark(at, "arrived", ARRIVED);
    }
    for at in changes
        .moved()
        .iter()
        .flat_map(|run| run.to..run.to + run.len)
    {
        mark(at, "moved", MOVED);
    }
    for row in changes.updated() {
        mark(row.to, "changed", CHANGED);
    }
    marks
}

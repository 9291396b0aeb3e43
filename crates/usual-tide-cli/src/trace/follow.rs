//! A trace, line by line.

use super::cause::Cause;
use super::changes::TracedChanges;
use super::misapplied;
use super::read::{self, TraceLine};
use super::rows::{DoesNotFit, Rows, after, difference};
use std::collections::{HashSet, VecDeque};
use usual_tide::record::RecordKey;

/// Versions of the rows that are kept to be compared with.
const KEPT: usize = 64;

/// A trace that was in step to its end.
#[derive(Debug, PartialEq)]
pub(crate) struct InStep {
    pub(crate) changes: usize,
    /// How often the view's rows were compared.
    pub(crate) compared: usize,
    /// How many rows there are at the end.
    pub(crate) rows: usize,
}

/// Where a view parts from its change sets.
#[derive(Debug)]
pub(crate) struct Divergence {
    pub(crate) line: usize,
    /// What is not right there.
    pub(crate) what: String,
    /// The last change set before, with its line.
    pub(crate) changes: Option<(usize, TracedChanges)>,
    /// What the view showed, where it shows rows.
    pub(crate) shown: Option<Rows>,
    /// What it should have shown.
    pub(crate) expected: Rows,
    pub(crate) cause: Cause,
}

/// Follows a trace to its end, or to where the view parts from the change sets; an error is a line that is none.
pub(crate) fn follow(text: &str) -> Result<Result<InStep, Box<Divergence>>, (usize, String)> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let mut view: Option<View> = None;
    let lines = (1..)
        .zip(text.lines())
        .filter(|(_, line)| !line.trim().is_empty());
    for (number, line) in lines {
        let seen = read::line(line).map_err(|what| (number, what))?;
        let diverged = match (&mut view, seen) {
            (Some(view), TraceLine::Rows(rows)) => view.compare(number, rows),
            (Some(view), TraceLine::Changes(changes)) => view.apply(number, changes),
            (None, TraceLine::Rows(rows)) => {
                let diverged = twice(&rows).map(|key| Divergence::twice(number, key, &rows));
                view = Some(View::new(number, rows));
                diverged
            }
            (None, TraceLine::Changes(_)) => {
                let what = "a trace begins with the rows that the view shows".to_owned();
                return Err((number, what));
            }
        };
        if let Some(divergence) = diverged {
            return Ok(Err(Box::new(divergence)));
        }
    }
    let view = view.ok_or((1, "the trace is empty".to_owned()))?;
    Ok(Ok(InStep {
        changes: view.changes,
        compared: view.compared,
        rows: view.rows.len(),
    }))
}

/// What a view should show.
struct View {
    rows: Rows,
    /// The rows as they were, with the line since which they were so; the newest last.
    older: VecDeque<(usize, Rows)>,
    /// The last change set, its line, and the rows that it was for.
    last: Option<(usize, TracedChanges, Rows)>,
    /// The line since which the rows are so.
    since: usize,
    /// Whether the view was seen to show them.
    seen: bool,
    changes: usize,
    compared: usize,
}

impl View {
    fn new(line: usize, rows: Rows) -> Self {
        Self {
            rows,
            older: VecDeque::new(),
            last: None,
            since: line,
            seen: true,
            changes: 0,
            compared: 1,
        }
    }

    fn apply(&mut self, line: usize, changes: TracedChanges) -> Option<Divergence> {
        match after(&self.rows, &changes) {
            Ok(rows) => {
                let before = std::mem::replace(&mut self.rows, rows);
                self.older.push_back((self.since, before.clone()));
                if self.older.len() > KEPT {
                    self.older.pop_front();
                }
                self.last = Some((line, changes, before));
                self.since = line;
                self.seen = false;
                self.changes += 1;
                None
            }
            Err(misfit) => {
                let (what, cause) = match misfit {
                    DoesNotFit::Twice(key) => (
                        format!("the change set brings {key}, which is there already"),
                        Cause::DuplicateKey { key },
                    ),
                    DoesNotFit::Other(what) => {
                        let older = self.older.iter().rev();
                        let mut fitting = older.filter(|(_, rows)| after(rows, &changes).is_ok());
                        let cause = fitting.next().map_or(Cause::WithoutNotice, |(line, _)| {
                            Cause::OlderVersion { line: *line }
                        });
                        (
                            format!("the change set does not fit the rows: {what}"),
                            cause,
                        )
                    }
                };
                Some(Divergence {
                    line,
                    what,
                    changes: Some((line, changes)),
                    shown: None,
                    expected: self.rows.clone(),
                    cause,
                })
            }
        }
    }

    fn compare(&mut self, line: usize, shown: Rows) -> Option<Divergence> {
        self.compared += 1;
        if shown == self.rows {
            self.seen = true;
            return None;
        }
        let cause = self.cause(&shown);
        let at = difference(&shown, &self.rows);
        let row = |rows: &Rows| {
            rows.get(at)
                .map_or("no row".to_owned(), ToString::to_string)
        };
        Some(Divergence {
            line,
            what: format!(
                "at number {} the view shows {}, and it should show {}",
                at + 1,
                row(&shown),
                row(&self.rows)
            ),
            changes: self
                .last
                .as_ref()
                .map(|(line, changes, _)| (*line, changes.clone())),
            shown: Some(shown),
            expected: self.rows.clone(),
            cause,
        })
    }

    /// The line of the first change set that the view has not put into effect, when it shows rows as they were.
    fn left_out(&self, shown: &Rows) -> Option<usize> {
        let stands = self.older.iter().rposition(|(_, rows)| rows == shown)?;
        let next = self.older.get(stands + 1).map(|(since, _)| *since);
        Some(next.unwrap_or(self.since))
    }

    /// Puts the ways in which views go wrong into effect, the plainest first.
    fn cause(&self, shown: &Rows) -> Cause {
        if let Some(key) = twice(shown) {
            return Cause::DuplicateKey { key };
        }
        let Some((_, changes, before)) = self.last.as_ref().filter(|_| !self.seen) else {
            return Cause::WithoutNotice;
        };
        if let Some(line) = self.left_out(shown) {
            return Cause::LeftOut { line };
        }
        if misapplied::target_before_lift(before, changes).contains(shown) {
            return Cause::TargetBeforeLift;
        }
        let orders = misapplied::wrong_orders(before, changes).into_iter();
        if let Some((order, _)) = orders.into_iter().find(|(_, rows)| rows == shown) {
            return Cause::WrongOrder { order };
        }
        let older = self.older.iter().rev().skip(1);
        for (line, rows) in older {
            if misapplied::older_version(before, rows, changes).contains(shown) {
                return Cause::OlderVersion { line: *line };
            }
        }
        Cause::Unknown
    }
}

impl Divergence {
    fn twice(line: usize, key: RecordKey, rows: &Rows) -> Self {
        Self {
            line,
            what: format!("the view shows {key} twice"),
            changes: None,
            shown: Some(rows.clone()),
            expected: Rows::new(),
            cause: Cause::DuplicateKey { key },
        }
    }
}

fn twice(rows: &Rows) -> Option<RecordKey> {
    let mut seen = HashSet::new();
    rows.iter().find(|key| !seen.insert(*key)).cloned()
}

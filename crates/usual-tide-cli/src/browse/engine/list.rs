//! One list as the store's thread keeps it: the view's copy, the cursor, and what was told.

use super::trace::Trace;
use crate::browse::lines::Lines;
use crate::browse::messages::{
    Applied, LineKey, ListNews, ListNumber, ListStatus, Mark, RowMark, Which,
};
use crate::browse::told::Told;
use crate::error::CommandError;
use crate::input::QueryTexts;
use crate::output::table::total_names;
use std::collections::{HashMap, VecDeque};
use std::ops::Range;
use std::sync::Arc;
use usual_tide::lists::{FlatItem, FlatKey, FlatRow, Flattened};
use usual_tide::record::{Record, RecordKey};
use usual_tide::sections::SectionKey;
use usual_tide::writes::WriteState;
use usual_tide::{BoundList, ChangeSet, Feed, Item, ListId, Query, Selection, Store};

/// Change sets that a paused view is behind at most; from then on they are put together.
const MOST_HELD_BACK: usize = 1000;
/// Rows above and below the screen whose states are told too, so that scrolling shows them at once.
const AROUND: usize = 100;

/// A list, and the copy of it that a screen draws from.
pub(super) struct WorkedList {
    pub(super) number: ListNumber,
    pub(super) list: ListId,
    pub(super) texts: QueryTexts,
    feed: Feed<Record>,
    lines: Lines,
    trace: Trace,
    /// Change sets that the view was not told yet.
    held_back: VecDeque<(ChangeSet<Record>, Told)>,
    paused: bool,
    current: Selection<Record>,
    current_heading: Option<SectionKey>,
    step: u64,
    marked: Selection<Record>,
    /// Where a range of selected rows begins.
    anchor: Option<RecordKey>,
    visible: Range<usize>,
    /// What is to be told to the screen.
    applied: Vec<Arc<Applied>>,
    told: Vec<Arc<Told>>,
    marks: Arc<HashMap<RecordKey, RowMark>>,
    selected_hidden: usize,
    is_changed: bool,
}

impl WorkedList {
    pub(super) fn new(
        number: ListNumber,
        query: Query<Record>,
        texts: QueryTexts,
        store: &mut Store<Record>,
    ) -> Result<Self, CommandError> {
        let list = store.bind(query);
        let feed = store.feed(list)?;
        let lines = lines_of(store, list)?;
        Ok(Self {
            number,
            list,
            texts,
            feed,
            trace: Trace::new(lines.clone()),
            lines,
            held_back: VecDeque::new(),
            paused: false,
            current: Selection::new(),
            current_heading: None,
            step: 0,
            marked: Selection::new(),
            anchor: None,
            visible: 0..0,
            applied: Vec::new(),
            told: Vec::new(),
            marks: Arc::default(),
            selected_hidden: 0,
            is_changed: true,
        })
    }

    /// Reads what has changed, and puts it into effect on the view, unless that is paused. `true` when anything has.
    pub(super) fn read(&mut self, store: &Store<Record>, why: &str) -> Result<bool, CommandError> {
        let Some(changes) = self.feed.read(store)? else {
            return Ok(false);
        };
        let rows = store.list(self.list)?;
        let told = Told::new(&changes, &rows, why);
        self.current.follow(&changes, &rows);
        let selection = self.marked.follow(&changes, &rows);
        let is_other = [selection.removed, selection.hidden, selection.returned];
        let is_other = is_other.iter().any(|keys| !keys.is_empty());
        self.held_back.push_back((changes, told));
        if !self.paused {
            while self.tell_next() {}
        } else if self.held_back.len() > MOST_HELD_BACK {
            self.put_last_two_together(&rows);
        }
        if is_other {
            self.count_hidden(store)?;
        }
        self.is_changed = true;
        Ok(true)
    }

    /// Makes one change set of the last two that the view was not told.
    fn put_last_two_together(&mut self, rows: &BoundList<'_, Record>) {
        let Some((later, told)) = self.held_back.pop_back() else {
            return;
        };
        let both = self.held_back.back().and_then(|last| last.0.then(&later));
        match both {
            Some(both) => {
                let why = format!("{}, and others before", told.why);
                let told = Told::new(&both, rows, &why);
                self.held_back.pop_back();
                self.held_back.push_back((both, told));
            }
            None => self.held_back.push_back((later, told)),
        }
    }

    /// Tells the view the next change set. `false` when there is none.
    fn tell_next(&mut self) -> bool {
        let Some((changes, told)) = self.held_back.pop_front() else {
            return false;
        };
        let applied = match changes.sections() {
            None => {
                let line = |row: &Arc<Record>| FlatRow::Item(Arc::clone(row));
                self.lines.follow(&changes, line);
                Applied::Rows(changes.clone())
            }
            Some(_) => {
                let column = changes.flattened();
                let line = |item: &Arc<FlatItem<Record>>| item.row().clone();
                self.lines.follow(&column, line);
                Applied::Column(column)
            }
        };
        // What following a position needs is made ready here, not while a key waits.
        applied.follow(0);
        self.trace.note(changes, self.lines.clone());
        self.applied.push(Arc::new(applied));
        self.told.push(Arc::new(told));
        true
    }

    pub(super) fn pause(&mut self, paused: bool) {
        self.paused = paused;
        while !paused && self.tell_next() {}
        self.is_changed = true;
    }

    /// Tells a paused view the next change set. `false` when it is up to date.
    pub(super) fn step(&mut self) -> bool {
        self.is_changed = true;
        self.tell_next()
    }

    /// The cursor is on this line.
    pub(super) fn go(
        &mut self,
        store: &Store<Record>,
        line: Option<LineKey>,
        step: u64,
    ) -> Result<(), CommandError> {
        self.step = step;
        self.current_heading = None;
        match line {
            Some(FlatKey::Item(key)) => {
                self.current.select(&store.list(self.list)?, &key);
            }
            Some(FlatKey::Heading(section)) => self.current_heading = Some(section),
            None => {}
        }
        Ok(())
    }

    /// Puts the cursor on a row, where the list shows it.
    pub(super) fn go_to_row(
        &mut self,
        store: &Store<Record>,
        key: &RecordKey,
    ) -> Result<(), CommandError> {
        if self.current.select(&store.list(self.list)?, key) {
            self.current_heading = None;
            self.is_changed = true;
        }
        Ok(())
    }

    pub(super) fn show(&mut self, visible: Range<usize>) {
        self.visible = visible;
    }

    pub(super) fn mark(&mut self, store: &Store<Record>, mark: Mark) -> Result<(), CommandError> {
        let rows = store.list(self.list)?;
        match mark {
            Mark::Toggle(key) => {
                self.marked.toggle(&rows, &key);
                self.anchor = None;
            }
            Mark::To { from, to } => {
                let anchor = self.anchor.take();
                let anchor = anchor.filter(|key| rows.position(key).is_some());
                let anchor = anchor.unwrap_or(from);
                self.marked.select(&rows, &anchor);
                self.marked.extend_to(&rows, &to);
                self.anchor = Some(anchor);
            }
            Mark::All => self.marked.select_all(&rows),
            Mark::None => {
                self.marked.clear();
                self.anchor = None;
            }
        }
        self.count_hidden(store)?;
        self.is_changed = true;
        Ok(())
    }

    /// Counts the selected rows that the list hides.
    fn count_hidden(&mut self, store: &Store<Record>) -> Result<(), CommandError> {
        self.selected_hidden = match self.marked.is_empty() {
            true => 0,
            false => self.marked.hidden_in(&store.list(self.list)?).len(),
        };
        Ok(())
    }

    /// The keys of the rows that something is done to, in the order of the list.
    pub(super) fn keys(
        &self,
        store: &Store<Record>,
        which: Which,
    ) -> Result<Vec<RecordKey>, CommandError> {
        let rows = store.list(self.list)?;
        Ok(match which {
            Which::Selected => self.marked.selected_in(&rows),
            Which::Row(key) => vec![key],
            Which::Shown => rows.items().map(|item| item.key().clone()).collect(),
        })
    }

    /// The position in the column of the line that the cursor is on.
    fn position(&self, column: &Flattened<'_, Record>) -> Option<usize> {
        match &self.current_heading {
            Some(section) => column.heading_position(section),
            None => column.position(self.current.current()?),
        }
    }

    /// How the rows on the screen and around it stand; those that are plain are left out.
    fn marks(&self, store: &Store<Record>) -> HashMap<RecordKey, RowMark> {
        let from = self.visible.start.saturating_sub(AROUND);
        let count = self.visible.len() + 2 * AROUND;
        let mut marks = HashMap::new();
        let mut failed = false;
        for line in self.lines.from(from).take(count) {
            let FlatRow::Item(item) = line else {
                continue;
            };
            let key = item.key();
            let mark = RowMark {
                selected: self.marked.is_selected(key),
                state: store.writes().state(key),
                reason: None,
                blank: store.drafts().is_blank(key),
            };
            failed |= mark.state == WriteState::Failed;
            if mark != RowMark::default() {
                marks.insert(key.clone(), mark);
            }
        }
        if failed {
            for refused in store.writes().refused() {
                if let Some(mark) = marks.get_mut(&refused.write.key) {
                    mark.reason = Some(refused.reason.clone());
                }
            }
        }
        marks
    }

    /// How the list stands, when that is another than before.
    pub(super) fn news(&mut self, store: &Store<Record>) -> Result<Option<ListNews>, CommandError> {
        let marks = self.marks(store);
        if *self.marks != marks {
            self.marks = Arc::new(marks);
            self.is_changed = true;
        }
        if !std::mem::take(&mut self.is_changed) {
            return Ok(None);
        }
        let column = Flattened::of(store.list(self.list)?);
        let current = match self.held_back.is_empty() {
            true => self.position(&column).map(|at| (self.step, at)),
            false => None,
        };
        let rows = column.rows();
        Ok(Some(ListNews {
            list: self.number,
            lines: self.lines.clone(),
            applied: std::mem::take(&mut self.applied),
            told: std::mem::take(&mut self.told),
            current,
            status: ListStatus {
                texts: self.texts.clone(),
                grouped: rows.query().grouping().is_some(),
                totals: rows.query().grouping().map(total_names).unwrap_or_default(),
                numbered: rows.query().is_numbered(),
                matching: rows.matching(),
                held_back: self.held_back.len(),
                paused: self.paused,
                selected: self.marked.len() - self.selected_hidden,
                selected_hidden: self.selected_hidden,
                marks: Arc::clone(&self.marks),
            },
        }))
    }

    /// Tells of the list again, whether it has changed or not.
    pub(super) fn touch(&mut self) {
        self.is_changed = true;
    }

    pub(super) fn trace(&self) -> &Trace {
        &self.trace
    }

    pub(super) fn lines(&self) -> &Lines {
        &self.lines
    }

    /// Whether the view shows what the list has; the number of the first line that differs when it does not. A view
    /// that is paused is behind, which is no difference.
    pub(super) fn difference(&self, store: &Store<Record>) -> Result<Option<usize>, CommandError> {
        if !self.held_back.is_empty() {
            return Ok(None);
        }
        let rows = store.list(self.list)?;
        let differs = match rows.query().grouping() {
            // Rows that are one and the same need not be looked at.
            None => {
                let differing = |(line, item): (&FlatRow<Record>, &Arc<Record>)| match line {
                    FlatRow::Item(line) => !Arc::ptr_eq(line, item) && line != item,
                    FlatRow::Heading(_) => true,
                };
                self.lines.from(0).zip(rows.items()).position(differing)
            }
            Some(_) => {
                let column = Flattened::of(rows);
                let items = column.items();
                let len = self.lines.len().min(column.len());
                let differs = self
                    .lines
                    .from(0)
                    .zip(items)
                    .position(|(line, item)| line != item.row());
                return Ok(differs.or((self.lines.len() != column.len()).then_some(len)));
            }
        };
        let len = self.lines.len().min(rows.len());
        Ok(differs.or((self.lines.len() != rows.len()).then_some(len)))
    }
}

/// The lines of a list as it is.
fn lines_of(store: &Store<Record>, list: ListId) -> Result<Lines, CommandError> {
    let rows = store.list(list)?;
    Ok(match rows.query().grouping() {
        None => rows.items().cloned().map(FlatRow::Item).collect(),
        Some(_) => {
            let column = Flattened::of(rows);
            column.items().map(|item| item.row().clone()).collect()
        }
    })
}

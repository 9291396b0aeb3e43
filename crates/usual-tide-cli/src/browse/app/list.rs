//! One list as the screen shows it: its lines, the cursor, and what is in sight.

use crate::browse::lines::Lines;
use crate::browse::messages::{LineKey, ListNews, ListNumber, ListStatus, Request, RowMark, Which};
use crate::browse::told::Told;
use std::collections::VecDeque;
use std::ops::Range;
use std::sync::Arc;
use usual_tide::Item;
use usual_tide::lists::FlatRow;
use usual_tide::record::{Record, RecordKey};

/// Change sets that the pane keeps.
const MOST_TOLD: usize = 500;

/// A list on the screen.
pub(crate) struct ListView {
    pub(crate) number: ListNumber,
    pub(crate) lines: Lines,
    pub(crate) cursor: usize,
    /// The first line in sight.
    pub(crate) top: usize,
    /// Lines in sight, as it was drawn last.
    pub(crate) height: usize,
    /// The current column, and the first in sight.
    pub(crate) column: usize,
    pub(crate) first_column: usize,
    pub(crate) status: ListStatus,
    pub(crate) told: VecDeque<Arc<Told>>,
    /// How many change sets were told in all.
    pub(crate) told_in_all: usize,
    /// How far the pane is scrolled back, in lines.
    pub(crate) told_back: usize,
    step: u64,
    visible: Range<usize>,
}

impl ListView {
    pub(crate) fn new(news: ListNews) -> Self {
        let mut list = Self {
            number: news.list,
            lines: Lines::default(),
            cursor: 0,
            top: 0,
            height: 1,
            column: 0,
            first_column: 0,
            status: ListStatus::default(),
            told: VecDeque::new(),
            told_in_all: 0,
            told_back: 0,
            step: 0,
            visible: 0..0,
        };
        list.receive(news);
        list
    }

    /// Takes over how the list stands. The cursor stays on its row, and what is read where it is on the screen. Gives
    /// the lines that were shown before.
    pub(crate) fn receive(&mut self, news: ListNews) -> Lines {
        // The first line in sight, unless the cursor is on it, which may be what is moved.
        let within = usize::from(self.cursor == self.top);
        let mut anchor = self.top + within;
        for applied in &news.applied {
            self.cursor = applied.follow(self.cursor).unwrap_or(0);
            anchor = applied.follow(anchor).unwrap_or(anchor);
        }
        // What one is reading stays where it is, wherever the cursor goes; at the start what arrives there is seen.
        if self.top > 0 {
            self.top = anchor.saturating_sub(within);
        }
        if let Some((_, position)) = news.current.filter(|(step, _)| *step == self.step) {
            self.cursor = position;
        }
        let before = std::mem::replace(&mut self.lines, news.lines);
        self.cursor = self.cursor.min(self.lines.len().saturating_sub(1));
        self.status = news.status;
        self.told_in_all += news.told.len();
        for told in news.told {
            if self.told_back > 0 {
                self.told_back += told.lines.len() + 4;
            }
            self.told.push_back(told);
        }
        let surplus = self.told.len().saturating_sub(MOST_TOLD);
        self.told.drain(..surplus);
        before
    }

    /// The row under the cursor; none on a heading or in an empty list.
    pub(crate) fn row(&self) -> Option<&Arc<Record>> {
        self.lines.row(self.cursor)
    }

    pub(crate) fn line(&self) -> Option<&FlatRow<Record>> {
        self.lines.at(self.cursor)
    }

    pub(crate) fn line_key(&self) -> Option<LineKey> {
        self.line().map(FlatRow::flat_key)
    }

    /// The rows that an edit is for: the selected ones, or else the one under the cursor.
    pub(crate) fn acted_on(&self) -> Option<Which> {
        match self.status.selected {
            0 => self.row().map(|row| Which::Row(row.key().clone())),
            _ => Some(Which::Selected),
        }
    }

    pub(crate) fn mark(&self, key: &RecordKey) -> RowMark {
        self.status.marks.get(key).cloned().unwrap_or_default()
    }

    /// Puts the cursor on a line.
    pub(crate) fn go_to(&mut self, line: usize) -> Request {
        self.cursor = line.min(self.lines.len().saturating_sub(1));
        self.step += 1;
        Request::Current {
            list: self.number,
            line: self.line_key(),
            step: self.step,
        }
    }

    pub(crate) fn go_by(&mut self, by: isize) -> Request {
        self.go_to(self.cursor.saturating_add_signed(by))
    }

    /// Chooses the lines in sight so that the cursor is among them; asks for how these stand where they are others.
    pub(crate) fn look(&mut self, height: usize) -> Option<Request> {
        self.height = height.max(1);
        let last_top = self.lines.len().saturating_sub(self.height);
        self.top = self.top.min(last_top);
        // Under a heading that stays on top the first line is covered.
        let covered = usize::from(self.status.grouped && self.height > 2);
        if self.cursor < self.top + covered {
            self.top = self.cursor.saturating_sub(covered);
        }
        if self.cursor >= self.top + self.height {
            self.top = self.cursor + 1 - self.height;
        }
        let visible = self.top..(self.top + self.height).min(self.lines.len());
        (visible != self.visible).then(|| {
            self.visible = visible.clone();
            Request::Visible {
                list: self.number,
                lines: visible,
            }
        })
    }
}

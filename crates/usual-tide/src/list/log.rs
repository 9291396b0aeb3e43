//! What happened to a list's rows lately, for feeds that have not read it yet and for positions that
//! were read a moment ago.

use super::grouping::{SectionChange, Sectioned};
use super::version::Version;
use crate::change::{Alignment, Layout, Segment, TouchedRow, align_touched, compose_all};
use crate::living::push_living;
use crate::query::Window;
use hashbrown::HashMap;
use std::borrow::Cow;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError, Weak};

/// Changes that are kept when every feed has read them, so that a position that a person saw
/// a moment ago can still be resolved.
const KEPT_ENTRIES: usize = if cfg!(test) { 8 } else { 256 };

/// Changes that are kept however many rows they have.
const KEPT_AT_LEAST: usize = if cfg!(test) { 4 } else { 64 };

/// Rows that changes beyond these may have together.
const KEPT_ROWS: usize = if cfg!(test) { 32 } else { 4096 };

/// Unread changes at which the feeds that lag behind get theirs folded into one.
const MOST_UNREAD: usize = if cfg!(test) { 16 } else { 16_384 };

/// Feeds that are asked at every edit what they need.
const FEW_FEEDS: usize = if cfg!(test) { 1 } else { 16 };

/// One change of a list's rows.
pub(super) enum Entry<T> {
    /// One row of a list with this many rows before.
    Row {
        before: usize,
        row: TouchedRow<Arc<T>>,
    },
    /// Many rows at once.
    Rows(Arc<Alignment<T>>),
    /// The rows are the same, and another part of them is shown.
    Shown { rows: usize, before: Window },
}

impl<T> Entry<T> {
    pub(super) fn rows_before(&self) -> usize {
        match self {
            Self::Row { before, .. } => *before,
            Self::Rows(alignment) => alignment.before,
            Self::Shown { rows, .. } => *rows,
        }
    }

    fn align(&self) -> Cow<'_, Alignment<T>> {
        Cow::Owned(match self {
            Self::Row { before, row } => {
                let after =
                    *before + usize::from(row.after.is_some()) - usize::from(row.before.is_some());
                align_touched(*before, after, vec![row.lend()])
            }
            Self::Rows(alignment) => return Cow::Borrowed(alignment),
            Self::Shown { rows, .. } => Alignment::identity(*rows),
        })
    }

    /// Roughly what keeping the entry costs, in rows.
    fn weight(&self) -> usize {
        match self {
            Self::Row { .. } | Self::Shown { .. } => 1,
            Self::Rows(alignment) => {
                let arrived = alignment.segments.iter().map(|segment| match segment {
                    Segment::New(rows) => rows.len(),
                    _ => 1,
                });
                let gone = alignment.removed.iter().map(|run| run.rows.len());
                arrived.chain(gone).sum()
            }
        }
    }
}

/// A change as it is noted.
pub(super) struct LogEntry<T> {
    pub(super) rows: Entry<T>,
    pub(super) sections: Option<Box<Sectioned>>,
}

impl<T> LogEntry<T> {
    fn weight(&self) -> usize {
        self.rows.weight() + usize::from(self.sections.is_some())
    }
}

/// The changes of a list, oldest first; a version counts the changes before it.
pub(super) struct Log<T> {
    entries: VecDeque<LogEntry<T>>,
    first: u64,
    weight: usize,
    feeds: Vec<Weak<Mutex<Cursor<T>>>>,
    /// How many entries there may be before the feeds are asked again which of them they need: asking costs as much as
    /// there are feeds, so it is done once in as many edits.
    ask_at: usize,
}

impl<T> Log<T> {
    pub(super) fn new() -> Self {
        Self {
            entries: VecDeque::new(),
            first: 0,
            weight: 0,
            feeds: Vec::new(),
            ask_at: 0,
        }
    }

    pub(super) fn version(&self) -> Version {
        Version(self.first + self.entries.len() as u64)
    }

    pub(super) fn oldest(&self) -> Version {
        Version(self.first)
    }

    /// The changes since a version; `None` when some of them are gone.
    pub(super) fn since(&self, version: Version) -> Option<impl Iterator<Item = &LogEntry<T>>> {
        let skip = usize::try_from(version.0.checked_sub(self.first)?).ok()?;
        (skip <= self.entries.len()).then(|| self.entries.range(skip..))
    }

    pub(super) fn push(&mut self, rows: Entry<T>, sections: Option<Box<Sectioned>>) {
        let noted = LogEntry { rows, sections };
        self.weight += noted.weight();
        self.entries.push_back(noted);
    }

    /// Forgets the latest change, which was taken back.
    pub(super) fn forget_last(&mut self) {
        if let Some(entry) = self.entries.pop_back() {
            self.weight -= entry.weight();
        }
    }

    pub(super) fn add_feed(&mut self, cursor: &Arc<Mutex<Cursor<T>>>) {
        push_living(&mut self.feeds, Arc::downgrade(cursor));
    }

    /// Drops changes that are no longer needed.
    pub(super) fn trim(&mut self, rows: usize) {
        if self.entries.len() <= 1 {
            return;
        }
        if self.entries.len() <= KEPT_ENTRIES && self.weight <= KEPT_ROWS {
            return;
        }
        let is_over = self.entries.len() > MOST_UNREAD || self.weight > rows.max(MOST_UNREAD);
        if self.entries.len() < self.ask_at && !is_over {
            return;
        }
        if is_over {
            self.compact_unread();
        }
        let needed = self.oldest_unread();
        while self.first < needed.0
            && self.entries.len() > KEPT_AT_LEAST
            && (self.entries.len() > KEPT_ENTRIES || self.weight > KEPT_ROWS)
        {
            let Some(entry) = self.entries.pop_front() else {
                break;
            };
            self.weight -= entry.weight();
            self.first += 1;
        }
        // A few feeds cost nothing to ask.
        self.ask_at = match self.feeds.len() {
            0..=FEW_FEEDS => 0,
            feeds => self.entries.len() + feeds.min(MOST_UNREAD),
        };
    }

    fn oldest_unread(&mut self) -> Version {
        self.feeds.retain(|feed| feed.strong_count() > 0);
        let cursors = self.feeds.iter().filter_map(Weak::upgrade);
        cursors
            .map(|cursor| lock(&cursor).version)
            .min()
            .unwrap_or(self.version())
            .min(self.version())
    }

    /// Folds what each feed has not read into one change of its own.
    fn compact_unread(&mut self) {
        let now = self.version();
        tracing::debug!(
            changes = self.entries.len(),
            "folding what late feeds have not read"
        );
        // Feeds that have read as far share one folding: which they have read to, and what was folded before.
        let mut folded: HashMap<(Version, *const Folded<T>), Arc<Folded<T>>> = HashMap::new();
        for cursor in self.feeds.iter().filter_map(Weak::upgrade) {
            let mut cursor = lock(&cursor);
            if cursor.version < now {
                let before = cursor.folded.as_ref().map_or(std::ptr::null(), Arc::as_ptr);
                let shared = folded.entry((cursor.version, before));
                let shared = shared.or_insert_with(|| Arc::new(self.fold(&cursor)));
                cursor.folded = Some(Arc::clone(shared));
                cursor.version = now;
            }
        }
    }

    /// All that a feed has not read as one change.
    fn fold(&self, cursor: &Cursor<T>) -> Folded<T> {
        Folded {
            rows: self.unread(cursor, Alignment::clone),
            sections: self.unread_sections(cursor),
        }
    }

    /// Makes something of all that a feed has not read, as one alignment of all matching rows; `None`
    /// when nothing happened.
    pub(super) fn unread<R>(
        &self,
        cursor: &Cursor<T>,
        make: impl FnOnce(&Alignment<T>) -> R,
    ) -> Option<R> {
        let entries: Vec<Unread<'_, T>> = cursor
            .folded_rows()
            .into_iter()
            .map(Unread::Folded)
            .chain(
                self.since(cursor.version)?
                    .map(|noted| Unread::Entry(&noted.rows)),
            )
            .collect();
        let whole = compose_all(&entries, &|entry| entry.align())?;
        Some(make(&whole))
    }

    /// What happened to the sections since a feed was read.
    pub(super) fn unread_sections(&self, cursor: &Cursor<T>) -> SectionChange {
        let noted = self.since(cursor.version).into_iter().flatten();
        let noted = noted.filter_map(|noted| Some(&noted.sections.as_ref()?.change));
        let mut changes = cursor
            .folded
            .iter()
            .map(|folded| &folded.sections)
            .chain(noted)
            .filter(|change| !matches!(change, SectionChange::None));
        let Some(first) = changes.next() else {
            return SectionChange::None;
        };
        let mut touched = match (first, changes.next()) {
            (SectionChange::Recounted(few), None) => return SectionChange::Recounted(few.clone()),
            (first, second) => [first].into_iter().chain(second).collect::<Vec<_>>(),
        };
        touched.extend(changes);
        let aligned: Option<Vec<_>> = touched.into_iter().map(SectionChange::align).collect();
        let Some(aligned) = aligned else {
            return SectionChange::Anew;
        };
        match compose_all(&aligned, &|change| Cow::Borrowed(&**change)) {
            Some(change) => SectionChange::Touched(change.into_owned()),
            None => SectionChange::None,
        }
    }
}

/// How far a feed has read.
pub(super) struct Cursor<T> {
    pub(super) version: Version,
    /// What came before that version and is unread all the same.
    pub(super) folded: Option<Arc<Folded<T>>>,
    pub(super) window: Window,
    /// The sections when the feed was read; none in a list that was not grouped.
    pub(super) layout: Option<Layout>,
}

impl<T> Cursor<T> {
    /// The rows of what was folded.
    pub(super) fn folded_rows(&self) -> Option<&Alignment<T>> {
        self.folded.as_ref()?.rows.as_ref()
    }
}

/// Unread changes that were folded into one, for all feeds that have read as far.
pub(super) struct Folded<T> {
    rows: Option<Alignment<T>>,
    sections: SectionChange,
}

/// A part of what a feed has not read.
enum Unread<'a, T> {
    Folded(&'a Alignment<T>),
    Entry(&'a Entry<T>),
}

impl<T> Unread<'_, T> {
    fn align(&self) -> Cow<'_, Alignment<T>> {
        match self {
            Self::Folded(alignment) => Cow::Borrowed(*alignment),
            Self::Entry(entry) => entry.align(),
        }
    }
}

/// Locks a cursor. A reader that panicked left it as it was, so a poisoned lock is as good.
pub(super) fn lock<T>(cursor: &Mutex<Cursor<T>>) -> std::sync::MutexGuard<'_, Cursor<T>> {
    cursor.lock().unwrap_or_else(PoisonError::into_inner)
}

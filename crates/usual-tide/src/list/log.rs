//! What happened to a list's rows lately, for feeds that have not read it yet and for positions that
//! were read a moment ago.

use super::grouping::{SectionChange, Sectioned};
use super::unread::{Unread, lock_unread};
use super::version::Version;
use crate::change::{
    Alignment, Folded, Layout, Segment, TouchedRow, align_touched, compose, compose_all,
};
use crate::query::Window;
use std::borrow::Cow;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Changes that are kept when every feed has read them, so that a position that a person saw
/// a moment ago can still be resolved.
const KEPT_ENTRIES: usize = if cfg!(any(test, fuzzing)) { 8 } else { 256 };

/// Changes that are kept however many rows they have.
const KEPT_AT_LEAST: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };

/// Rows that changes beyond these may have together.
const KEPT_ROWS: usize = if cfg!(any(test, fuzzing)) { 32 } else { 4096 };

/// Up to so many rows a change is folded with the next edit, whoever makes it.
const FEW_ROWS: usize = if cfg!(any(test, fuzzing)) { 3 } else { 16 };

/// Changes that an edit folds: more than it adds, so that they are caught up with.
const FOLDED_AT_ONCE: usize = 2;

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

    pub(super) fn align(&self) -> Cow<'_, Alignment<T>> {
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

    /// Whether folding it costs little.
    fn is_small(&self) -> bool {
        match self {
            Self::Row { .. } | Self::Shown { .. } => true,
            Self::Rows(alignment) => Folded::is_small(alignment, FEW_ROWS),
        }
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
    pub(super) sections: Option<Arc<Sectioned>>,
    weight: usize,
}

/// The changes of a list, oldest first; a version counts the changes before it.
pub(super) struct Log<T> {
    entries: VecDeque<LogEntry<T>>,
    first: u64,
    weight: usize,
    unread: Arc<Mutex<Unread<T>>>,
}

impl<T> Log<T> {
    pub(super) fn new() -> Self {
        Self {
            entries: VecDeque::new(),
            first: 0,
            weight: 0,
            unread: Arc::new(Mutex::new(Unread::new())),
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

    pub(super) fn push(&mut self, rows: Entry<T>, sections: Option<Arc<Sectioned>>) {
        let weight = rows.weight() + usize::from(sections.is_some());
        self.weight += weight;
        self.entries.push_back(LogEntry {
            rows,
            sections,
            weight,
        });
    }

    /// Forgets the latest change, which was taken back.
    pub(super) fn forget_last(&mut self) {
        if let Some(entry) = self.entries.pop_back() {
            self.weight -= entry.weight;
        }
    }

    /// A feed that begins with the rows as they are now.
    pub(super) fn cursor(&self, window: Window, layout: Option<Layout>) -> Cursor<T> {
        let version = self.version();
        lock_unread(&self.unread).enter(version);
        Cursor {
            version,
            unread: Arc::clone(&self.unread),
            window,
            layout,
        }
    }

    /// Folds a little of what late feeds have not read, and drops changes that are no longer needed.
    pub(super) fn trim(&mut self, rows: usize) {
        let mut unread = lock_unread(&self.unread);
        let now = self.version();
        let behind = now.0 - unread.needed(now).0;
        let is_late = behind > KEPT_ENTRIES as u64;
        let is_heavy = behind > 0 && self.weight > rows.max(KEPT_ROWS);
        let last = self.entries.back();
        if (is_late || is_heavy || unread.is_late())
            && last.is_some_and(|noted| !noted.rows.is_small())
        {
            // An edit of many rows folds them itself, so that no later edit of one row has to.
            self.fold(&mut unread, usize::MAX);
        } else if is_late {
            self.fold(&mut unread, FOLDED_AT_ONCE);
        }
        let needed = unread.needed(now);
        drop(unread);
        while self.first < needed.0
            && self.entries.len() > KEPT_AT_LEAST
            && (self.entries.len() > KEPT_ENTRIES || self.weight > KEPT_ROWS)
        {
            let Some(entry) = self.entries.pop_front() else {
                break;
            };
            self.weight -= entry.weight;
            self.first += 1;
        }
    }

    /// Folds the next changes, at most so many.
    fn fold(&self, unread: &mut Unread<T>, most: usize) {
        let from = unread.needed(self.version());
        let entries = self.since(from).into_iter().flatten();
        for (version, noted) in (from.0..).zip(entries).take(most) {
            unread.fold(Version(version), noted);
        }
    }

    /// Makes something of all that a feed has not read, as one alignment of all matching rows; `None`
    /// when nothing happened.
    pub(super) fn unread<R>(
        &self,
        cursor: &Cursor<T>,
        make: impl FnOnce(&Alignment<T>) -> R,
    ) -> Option<R> {
        let (folded, rest) = {
            let unread = lock_unread(&cursor.unread);
            (unread.rows(cursor.version), unread.rest(cursor.version))
        };
        let entries: Vec<&Entry<T>> = self.since(rest)?.map(|noted| &noted.rows).collect();
        let whole = join(
            compose_all(&folded, &|rows| Cow::Borrowed(rows)),
            compose_all(&entries, &|entry| entry.align()),
        )?;
        Some(make(&whole))
    }

    /// What happened to the sections since a feed was read.
    pub(super) fn unread_sections(&self, cursor: &Cursor<T>) -> SectionChange {
        let (folded, rest) = {
            let unread = lock_unread(&cursor.unread);
            (unread.sections(cursor.version), unread.rest(cursor.version))
        };
        let noted = self.since(rest).into_iter().flatten();
        let noted = noted.filter_map(|noted| Some(&noted.sections.as_ref()?.change));
        let happened = |change: &&SectionChange| !matches!(change, SectionChange::None);
        let folded: Vec<_> = folded
            .iter()
            .map(|noted| &noted.change)
            .filter(happened)
            .collect();
        let noted: Vec<_> = noted.filter(happened).collect();
        if let ([], [SectionChange::Recounted(few)]) = (&folded[..], &noted[..]) {
            return SectionChange::Recounted(few.clone());
        }
        let align = |changes: Vec<_>| -> Option<Vec<_>> {
            changes.into_iter().map(SectionChange::align).collect()
        };
        let (Some(folded), Some(noted)) = (align(folded), align(noted)) else {
            return SectionChange::Anew;
        };
        let whole = join(
            compose_all(&folded, &|change| Cow::Borrowed(&**change)),
            compose_all(&noted, &|change| Cow::Borrowed(&**change)),
        );
        match whole {
            Some(change) => SectionChange::Touched(change.into_owned()),
            None => SectionChange::None,
        }
    }
}

/// What was folded and what came after it, which is composed by itself first: it is mostly much less.
fn join<'a, T>(
    folded: Option<Cow<'a, Alignment<T>>>,
    rest: Option<Cow<'a, Alignment<T>>>,
) -> Option<Cow<'a, Alignment<T>>> {
    match (folded, rest) {
        (Some(folded), Some(rest)) => Some(Cow::Owned(compose(&folded, &rest))),
        (only, None) | (None, only) => only,
    }
}

/// How far a feed has read.
pub(super) struct Cursor<T> {
    version: Version,
    unread: Arc<Mutex<Unread<T>>>,
    pub(super) window: Window,
    /// The sections when the feed was read; none in a list that was not grouped.
    pub(super) layout: Option<Layout>,
}

impl<T> Cursor<T> {
    pub(super) fn version(&self) -> Version {
        self.version
    }

    pub(super) fn read_to(&mut self, version: Version) {
        if version != self.version {
            let mut unread = lock_unread(&self.unread);
            unread.enter(version);
            unread.leave(self.version);
            self.version = version;
        }
    }
}

impl<T> Drop for Cursor<T> {
    fn drop(&mut self) {
        lock_unread(&self.unread).leave(self.version);
    }
}

/// Locks a cursor. A reader that panicked left it as it was, so a poisoned lock is as good.
pub(super) fn lock<T>(cursor: &Mutex<Cursor<T>>) -> MutexGuard<'_, Cursor<T>> {
    cursor.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
mod tests;

//! What late feeds have not read: folded in small parts, so that no edit pays for it.

use super::grouping::{SectionChange, Sectioned};
use super::log::{Entry, LogEntry};
use super::version::Version;
use crate::change::{Alignment, Folded, Section};
use std::collections::{BTreeMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// How far the feeds of a list have read, and what the late ones have missed.
pub(super) struct Unread<T> {
    /// How many feeds have read up to each version.
    feeds: BTreeMap<Version, usize>,
    /// The folded changes, oldest first. A span begins where a late feed has read to and ends where the next begins, so
    /// that all feeds share them.
    spans: VecDeque<Span<T>>,
    /// Where the last span ends.
    folded_to: Version,
}

/// The changes from one version to another.
struct Span<T> {
    from: Version,
    /// A large change that came first, as it was noted: nothing is folded as long as it is alone.
    first: Option<Noted<T>>,
    /// All later changes of the rows as one.
    rows: Option<Folded<T>>,
    sections: FoldedSections,
}

struct Noted<T> {
    rows: Arc<Alignment<T>>,
    sections: Option<Arc<Sectioned>>,
}

/// What many changes did to the sections.
enum FoldedSections {
    None,
    Touched(Folded<Section>),
    /// The rows were grouped again.
    Anew,
}

impl FoldedSections {
    fn add(&mut self, change: &SectionChange) {
        match (&mut *self, change) {
            (Self::Anew, _) | (_, SectionChange::None) => {}
            (_, SectionChange::Anew) => *self = Self::Anew,
            (folded, change) => {
                let Some(change) = change.align() else { return };
                match folded {
                    Self::Touched(folded) => folded.add(&change),
                    _ => *self = Self::Touched(Folded::of(change.into_owned())),
                }
            }
        }
    }

    fn sectioned(&self) -> Option<Arc<Sectioned>> {
        let change = match self {
            Self::None => return None,
            Self::Touched(folded) => SectionChange::Touched(folded.alignment()),
            Self::Anew => SectionChange::Anew,
        };
        Some(Arc::new(Sectioned {
            change,
            hidden_before: None,
        }))
    }
}

impl<T> Span<T> {
    fn new(from: Version) -> Self {
        Self {
            from,
            first: None,
            rows: None,
            sections: FoldedSections::None,
        }
    }

    /// The changes of the rows in their order.
    fn add_rows_to(&self, changes: &mut Vec<Arc<Alignment<T>>>) {
        if let Some(first) = &self.first {
            changes.push(Arc::clone(&first.rows));
        }
        if let Some(rows) = &self.rows {
            changes.push(Arc::new(rows.alignment()));
        }
    }

    /// The same of the sections.
    fn add_sections_to(&self, changes: &mut Vec<Arc<Sectioned>>) {
        let first = self.first.as_ref();
        changes.extend(first.and_then(|noted| noted.sections.clone()));
        changes.extend(self.sections.sectioned());
    }

    fn is_empty(&self) -> bool {
        self.first.is_none() && self.rows.is_none() && matches!(self.sections, FoldedSections::None)
    }

    fn add(&mut self, noted: &LogEntry<T>) {
        if self.is_empty()
            && let Entry::Rows(rows) = &noted.rows
        {
            self.first = Some(Noted {
                rows: Arc::clone(rows),
                sections: noted.sections.clone(),
            });
            return;
        }
        match (&noted.rows, &mut self.rows) {
            (Entry::Shown { .. }, Some(_)) => {}
            (Entry::Row { row, .. }, Some(rows)) => rows.add_row(row),
            (entry, _) => self.add_rows(&entry.align()),
        }
        if let Some(noted) = &noted.sections {
            self.sections.add(&noted.change);
        }
    }

    fn add_rows(&mut self, change: &Alignment<T>) {
        match &mut self.rows {
            Some(rows) => rows.add(change),
            rows => *rows = Some(Folded::of(change.clone())),
        }
    }

    /// Adds what came after these changes. O(k log n) in the rows that it touches.
    fn append(&mut self, later: Self) {
        if self.rows.is_none()
            && matches!(self.sections, FoldedSections::None)
            && later.first.is_none()
        {
            (self.rows, self.sections) = (later.rows, later.sections);
            return;
        }
        let (mut rows, mut sections) = (Vec::new(), Vec::new());
        later.add_rows_to(&mut rows);
        later.add_sections_to(&mut sections);
        for rows in rows {
            self.add_rows(&rows);
        }
        for sectioned in sections {
            self.sections.add(&sectioned.change);
        }
    }
}

impl<T> Unread<T> {
    pub(super) fn new() -> Self {
        Self {
            feeds: BTreeMap::new(),
            spans: VecDeque::new(),
            folded_to: Version(0),
        }
    }

    /// A feed begins at a version.
    pub(super) fn enter(&mut self, version: Version) {
        *self.feeds.entry(version).or_default() += 1;
    }

    /// A feed has read on, or is gone: what ended where it had read to is joined to what came after, or forgotten.
    pub(super) fn leave(&mut self, version: Version) {
        match self.feeds.get_mut(&version) {
            Some(feeds) if *feeds > 1 => {
                *feeds -= 1;
                return;
            }
            _ => self.feeds.remove(&version),
        };
        let at = self.spans.binary_search_by_key(&version, |span| span.from);
        if let Some(span) = at.ok().and_then(|at| self.spans.remove(at))
            && let Some(earlier) = at.ok().and_then(|at| at.checked_sub(1))
            && let Some(earlier) = self.spans.get_mut(earlier)
        {
            earlier.append(span);
        }
    }

    /// The first version that some feed has not read past.
    pub(super) fn oldest(&self) -> Option<Version> {
        self.feeds.first_key_value().map(|(version, _)| *version)
    }

    /// Whether something is folded.
    pub(super) fn is_late(&self) -> bool {
        !self.spans.is_empty()
    }

    /// The first version from which on the changes themselves are needed, of a list that has this one now.
    pub(super) fn needed(&self, now: Version) -> Version {
        match self.is_late() {
            true => self.folded_to,
            false => self.oldest().map_or(now, |oldest| oldest.min(now)),
        }
    }

    /// Folds the change after the last that was folded, which begins at a version.
    pub(super) fn fold(&mut self, from: Version, noted: &LogEntry<T>) {
        if self.spans.is_empty() || self.feeds.contains_key(&from) {
            self.spans.push_back(Span::new(from));
        }
        if let Some(span) = self.spans.back_mut() {
            span.add(noted);
        }
        self.folded_to = Version(from.0 + 1);
    }

    /// Where the changes that are not folded begin for a feed that has read to a version.
    pub(super) fn rest(&self, version: Version) -> Version {
        match self.is_late() {
            true => version.max(self.folded_to),
            false => version,
        }
    }

    fn missed(&self, version: Version) -> impl Iterator<Item = &Span<T>> {
        self.spans.iter().filter(move |span| span.from >= version)
    }

    /// The folded changes that a feed has not read, which has read to this version.
    pub(super) fn rows(&self, version: Version) -> Vec<Arc<Alignment<T>>> {
        let mut changes = Vec::new();
        for span in self.missed(version) {
            span.add_rows_to(&mut changes);
        }
        changes
    }

    /// What they did to the sections.
    pub(super) fn sections(&self, version: Version) -> Vec<Arc<Sectioned>> {
        let mut changes = Vec::new();
        for span in self.missed(version) {
            span.add_sections_to(&mut changes);
        }
        changes
    }
}

/// Locks what is unread. It calls no code of the app, so a poisoned lock is as good.
pub(super) fn lock_unread<T>(unread: &Mutex<Unread<T>>) -> MutexGuard<'_, Unread<T>> {
    unread.lock().unwrap_or_else(PoisonError::into_inner)
}

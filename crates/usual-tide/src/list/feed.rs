//! Feeds: what a consumer has not seen yet, as one change set.

use super::ListId;
use super::collapsed::{CollapsedView, hide_collapsed};
use super::grouping::SectionChange;
use super::log::{Cursor, Entry, lock};
use super::plan::RowItems;
use super::project::project;
use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::change::{
    Alignment, ChangeSet, Layout, MovedRun, Numbers, Rows, Sectioning, TouchedRow, align_by_key,
};
use crate::item::Item;
use crate::query::Window;
use std::borrow::Cow;
use std::fmt;
use std::ops::Range;
use std::sync::{Arc, Mutex};

/// Up to so many moved rows have their items copied; more share a snapshot of all items.
const FEW_MOVED: usize = if cfg!(any(test, fuzzing)) { 2 } else { 4096 };

/// One consumer's reader of one bound list.
///
/// Each read gives one change set for all that happened since the last one, or nothing when that comes
/// to nothing. Feeds that nobody reads cost each edit O(log n), however many they are, and memory up to the rows that
/// the list had and has; dropping a feed ends it.
///
/// See [`Store::feed`](crate::Store::feed).
///
/// ```
/// use usual_tide::{Item, Query, Store};
/// # use usual_tide_pieces::with_title::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
/// let mut store = Store::load([(1, "Bowl"), (2, "Mug")].map(piece))?;
/// let list = store.bind(Query::new().sort(Piece::TITLE));
/// let feed = store.feed(list)?;
/// store.edit(&1, |piece| piece.title = "Pot".into())?;
/// store.remove(&2)?;
/// assert!(feed.has_unread(&store)?);
/// // Both edits are one change set.
/// let changes = feed.read(&store)?.ok_or("two rows were touched")?;
/// assert_eq!(changes.touched(), 2);
/// assert!(feed.read(&store)?.is_none());
/// # Ok(()) }
/// ```
pub struct Feed<T: Item> {
    list: ListId,
    cursor: Arc<Mutex<Cursor<T>>>,
}

impl<T: Item> Feed<T> {
    /// The list that this feed reads.
    pub fn list(&self) -> ListId {
        self.list
    }
}

impl<T: Item> fmt::Debug for Feed<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Feed").field("list", &self.list).finish()
    }
}

impl<T: Item> ListState<T> {
    pub(crate) fn feed(&mut self, list: ListId) -> Feed<T> {
        let cursor = self.log.cursor(self.window(), self.layout().cloned());
        let cursor = Arc::new(Mutex::new(cursor));
        // A feed that is made before an edit begins where the edit is taken back to.
        if !self.rollback.is_empty() {
            self.rollback
                .push(RollbackStep::FeedMade(Arc::downgrade(&cursor)));
        }
        Feed { list, cursor }
    }

    /// Makes a feed begin with the rows as they are now.
    pub(super) fn begin_at_now(&self, cursor: &mut Cursor<T>) {
        cursor.read_to(self.log.version());
        cursor.window = self.window();
        cursor.layout = self.layout().cloned();
    }

    /// Whether anything happened since a feed was read, be it that it comes to nothing.
    pub(crate) fn has_unread(&self, feed: &Feed<T>) -> bool {
        lock(&feed.cursor).version() != self.log.version()
    }

    /// All that a feed of this list has not read, as one minimal set.
    pub(crate) fn read(&self, feed: &Feed<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        self.read_unread(&mut lock(&feed.cursor), context)
    }

    fn read_unread(&self, cursor: &mut Cursor<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        let window = self.window();
        if cursor.version() == self.log.version() {
            return None;
        }
        let grouped = cursor.layout.is_some() || self.grouping.is_some();
        let set = if grouped {
            self.read_grouped(cursor, context)
        } else {
            self.read_plain(cursor, context)
        };
        let set = set.map(|mut set| {
            self.tell_moved(&mut set, context);
            set.set_numbers(Numbers {
                before: cursor.window.skip,
                after: window.skip,
                shown: self.query.is_numbered(),
            });
            set
        });
        self.begin_at_now(cursor);
        set.filter(|set| !set.is_empty())
    }

    /// Gives a set the items of its moved rows, which are shown at their positions in A.
    fn tell_moved(&self, set: &mut ChangeSet<T>, context: Context<'_, T>) {
        if set.moved().is_empty() {
            return;
        }
        let start = self.shown().start;
        if let [MovedRun { to, len: 1, .. }] = set.moved()
            && self.grouping.is_none()
        {
            let slot = self.rows.get(start + to);
            if let Some(item) = slot.and_then(|slot| context.items.get(slot)) {
                set.set_moved_items(Rows::one(Arc::clone(item)));
            }
            return;
        }
        let mut slots = Vec::new();
        for run in set.moved() {
            for part in self.open_runs(start + run.to..start + run.to + run.len) {
                let rows = self.rows.rows_from(self.rows.cursor(part.start));
                slots.extend(rows.take(part.len()));
            }
        }
        let len = slots.len();
        let rows = match slots[..] {
            [slot] => context.items.get(slot).cloned().map(Rows::one),
            _ if len <= FEW_MOVED => {
                let items = slots.iter();
                let items: Vec<Arc<T>> = items
                    .filter_map(|slot| context.items.get(*slot).cloned())
                    .collect();
                Some(Rows::block(Arc::new(items), len))
            }
            _ => {
                let items = context.items.snapshot();
                Some(Rows::block(Arc::new(RowItems { slots, items }), len))
            }
        };
        if let Some(rows) = rows {
            set.set_moved_items(rows);
        }
    }

    /// The set of a list without sections.
    fn read_plain(&self, cursor: &Cursor<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        let window = self.window();
        let whole = cursor.window == Window::ALL && window == Window::ALL;
        if whole && let Some((before, row)) = self.only_row(cursor) {
            return Some(ChangeSet::of_row(before, row));
        }
        self.log.unread(cursor, |unread| {
            if whole {
                return ChangeSet::minimal(unread);
            }
            let before = cursor.window.range(unread.before);
            let after = window.range(unread.after);
            let items_at = |range| self.items_at(range, context);
            ChangeSet::minimal(&project(unread, before, after, items_at))
        })
    }

    /// The set of a list that was or is grouped.
    fn read_grouped(&self, cursor: &Cursor<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        let window = self.window();
        let whole = cursor.window == Window::ALL && window == Window::ALL;
        let after = self.layout().cloned();
        let after = after.unwrap_or_else(|| Layout::whole(self.rows.len()));
        if whole
            && let (Some(before), Some((rows, row))) = (&cursor.layout, self.only_row(cursor))
            && before.is_open()
            && after.is_open()
        {
            let before = before.clone();
            let sections = match self.log.unread_sections(cursor) {
                SectionChange::Recounted(few) => Sectioning::recounted(few, before, after),
                SectionChange::None => {
                    let same = Alignment::identity(after.len());
                    Sectioning::new(same, before, after)
                }
                SectionChange::Touched(change) => Sectioning::new(change, before, after),
                SectionChange::Anew => Sectioning::between(before, after),
            };
            let mut set = ChangeSet::of_row(rows, row);
            let stayed = row.before.as_ref().zip(row.after.as_ref());
            let only_row = stayed.map(|(before, after)| (before.0, after.0));
            set.set_sections(sections.of_row(only_row));
            return Some(set);
        }
        self.log.unread(cursor, |unread| {
            let before = cursor.layout.clone();
            let before = before.unwrap_or_else(|| Layout::whole(unread.before));
            let known = cursor.layout.is_some() && self.grouping.is_some();
            let change = match self.log.unread_sections(cursor) {
                SectionChange::None if known => Some(Alignment::identity(after.len())),
                change if known => change.into_alignment(),
                _ => None,
            };
            let change = change.unwrap_or_else(|| align_by_key(&before, &after));
            let folding = CollapsedView {
                before: &before,
                after: &after,
                sections: &change,
            };
            let items_at = |range| self.items_at(range, context);
            let open = if before.is_open() && after.is_open() {
                Cow::Borrowed(unread)
            } else {
                Cow::Owned(hide_collapsed(unread, &folding, items_at))
            };
            if whole {
                let mut set = ChangeSet::minimal(&open);
                set.set_sections(Sectioning::new(change, before, after.clone()));
                return set;
            }
            let shown_before = cursor.window.range(open.before);
            let shown_after = window.range(open.after);
            // A list without grouping has as many rows in its one section as it shows.
            let cut = |layout: &Layout, grouped: bool, shown: &Range<usize>| match grouped {
                true => layout.cut(shown),
                false => Layout::whole(shown.len()),
            };
            let before = cut(&before, cursor.layout.is_some(), &shown_before);
            let after = cut(&after, self.grouping.is_some(), &shown_after);
            let items_at = |range| self.open_items_at(range, context);
            let shown = project(&open, shown_before, shown_after, items_at);
            let mut set = ChangeSet::minimal(&shown);
            let change = align_by_key(&before, &after);
            set.set_sections(Sectioning::new(change, before, after));
            set
        })
    }

    /// The only touched row, which needs no composition, and how many rows there were.
    fn only_row(&self, cursor: &Cursor<T>) -> Option<(usize, &TouchedRow<Arc<T>>)> {
        let mut entries = self.log.since(cursor.version())?;
        match (&entries.next()?.rows, entries.next()) {
            (Entry::Row { before, row }, None) => Some((*before, row)),
            _ => None,
        }
    }
}

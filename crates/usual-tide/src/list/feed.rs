//! Feeds: what a consumer has not seen yet, as one change set.

use super::log::{Cursor, Entry, lock};
use super::project::project;
use super::state::{Context, ListState};
use super::{ListId, UnknownList};
use crate::change::{ChangeSet, Numbers};
use crate::item::Item;
use crate::query::Window;
use std::fmt;
use std::sync::{Arc, Mutex};

/// One consumer's reader of one bound list.
///
/// Each read gives one change set for all that happened since the last one, or nothing when that comes
/// to nothing. An unread feed costs nothing but the log of touched rows; dropping it ends it.
///
/// See [`Store::feed`](crate::Store::feed).
pub struct Feed<T: Item> {
    list: ListId,
    cursor: Arc<Mutex<Cursor<T>>>,
}

/// Why a feed cannot be read.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FeedError {
    /// Its list is gone.
    #[error(transparent)]
    UnknownList(#[from] UnknownList),
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
        let cursor = Arc::new(Mutex::new(Cursor {
            version: self.log.version(),
            unread: None,
            window: self.window(),
        }));
        self.log.add_feed(&cursor);
        Feed { list, cursor }
    }

    /// Whether anything happened since a feed was read, be it that it comes to nothing.
    pub(crate) fn has_unread(&self, feed: &Feed<T>) -> bool {
        let cursor = lock(&feed.cursor);
        cursor.version != self.log.version() || cursor.unread.is_some()
    }

    /// All that a feed of this list has not read, as one minimal set.
    pub(crate) fn read(&self, feed: &Feed<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        self.read_unread(&mut lock(&feed.cursor), context)
    }

    fn read_unread(&self, cursor: &mut Cursor<T>, context: Context<'_, T>) -> Option<ChangeSet<T>> {
        let (version, window) = (self.log.version(), self.window());
        if cursor.version == version && cursor.unread.is_none() {
            return None;
        }
        let set = self.read_row(cursor, window).or_else(|| {
            let whole = cursor.window == Window::ALL && window == Window::ALL;
            self.log.unread(cursor, |unread| {
                if whole {
                    return ChangeSet::minimal(unread);
                }
                let before = cursor.window.range(unread.before);
                let after = window.range(unread.after);
                let items_at = |range| self.items_at(range, context);
                ChangeSet::minimal(&project(unread, before, after, items_at))
            })
        });
        let set = set.map(|mut set| {
            set.set_numbers(Numbers {
                before: cursor.window.skip,
                after: window.skip,
                shown: self.query.is_numbered(),
            });
            set
        });
        cursor.version = version;
        cursor.unread = None;
        cursor.window = window;
        set.filter(|set| !set.is_empty())
    }

    /// The set for a single touched row, which needs no composition.
    fn read_row(&self, cursor: &Cursor<T>, window: Window) -> Option<ChangeSet<T>> {
        let whole = cursor.window == Window::ALL && window == Window::ALL;
        if !whole || cursor.unread.is_some() {
            return None;
        }
        let mut entries = self.log.since(cursor.version)?;
        match (entries.next(), entries.next()) {
            (Some(Entry::Row { before, row }), None) => Some(ChangeSet::of_row(*before, row)),
            _ => None,
        }
    }
}

//! Which rows are saved, and which wait or were refused.

use super::TicketError;
use crate::item::Item;
use crate::list::{FeedError, ListId};
use crate::store::Store;
use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::fmt;
use std::hash::Hash;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Weak};

/// How an item stands with the source.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Debug)]
pub enum Mark {
    /// The source has all of it.
    #[default]
    Saved,
    /// An edit of it waits for the source's answer.
    Pending,
    /// An edit of it was refused, and the person has not settled that yet; others may wait.
    Failed,
}

/// A row whose mark is another now.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Marked<K> {
    /// The row's position.
    pub at: usize,
    /// Its key.
    pub key: K,
    /// How it stands now.
    pub mark: Mark,
}

/// One consumer's reader of the marks of one bound list: what to draw again though the items are the same.
///
/// See [`Store::mark_feed`].
#[derive(Debug)]
pub struct MarkFeed {
    list: ListId,
    read: Arc<AtomicU64>,
}

/// How many writes of each item wait or were refused, and which items' marks changed when.
pub(super) struct Marks<K> {
    counts: HashMap<K, Counts>,
    /// The last change of each key's mark, by number and by key; kept while some feed has not read it.
    changes: BTreeMap<u64, K>,
    last: HashMap<K, u64>,
    now: u64,
    feeds: Vec<Weak<AtomicU64>>,
}

#[derive(Clone, Copy, Default)]
struct Counts {
    waiting: usize,
    refused: usize,
}

impl Counts {
    fn mark(self) -> Mark {
        match (self.refused, self.waiting) {
            (0, 0) => Mark::Saved,
            (0, _) => Mark::Pending,
            _ => Mark::Failed,
        }
    }
}

/// Changes that are noted before those that every feed has read are dropped.
const MANY: usize = if cfg!(test) { 4 } else { 1024 };

impl<K: Clone + Eq + Hash> Marks<K> {
    pub(super) fn new() -> Self {
        Self {
            counts: HashMap::new(),
            changes: BTreeMap::new(),
            last: HashMap::new(),
            now: 0,
            feeds: Vec::new(),
        }
    }

    /// So many more, or fewer, writes of an item wait or are refused.
    pub(super) fn count(&mut self, key: &K, waiting: isize, refused: isize) {
        let counts = self.counts.get(key).copied().unwrap_or_default();
        let waiting = counts.waiting.saturating_add_signed(waiting);
        self.set(key, waiting, counts.refused.saturating_add_signed(refused));
    }

    /// So many writes of an item wait, and so many were refused.
    pub(super) fn set(&mut self, key: &K, waiting: usize, refused: usize) {
        let counts = Counts { waiting, refused };
        let before = match counts.mark() {
            Mark::Saved => self.counts.remove(key),
            _ => self.counts.insert(key.clone(), counts),
        };
        if before.unwrap_or_default().mark() != counts.mark() {
            self.note(key);
        }
    }

    /// How an item stands.
    pub(super) fn of(&self, key: &K) -> Mark {
        self.counts
            .get(key)
            .map_or(Mark::Saved, |counts| counts.mark())
    }

    /// How many writes of an item wait.
    pub(super) fn waiting(&self, key: &K) -> usize {
        self.counts.get(key).map_or(0, |counts| counts.waiting)
    }

    fn note(&mut self, key: &K) {
        self.now += 1;
        if self.feeds.is_empty() {
            return;
        }
        if let Some(before) = self.last.insert(key.clone(), self.now) {
            self.changes.remove(&before);
        }
        self.changes.insert(self.now, key.clone());
        if self.changes.len() > MANY {
            self.forget_read();
        }
    }

    fn forget_read(&mut self) {
        self.feeds.retain(|feed| feed.strong_count() > 0);
        let read = self.feeds.iter().filter_map(Weak::upgrade);
        let read = read.map(|read| read.load(Ordering::Acquire)).min();
        let unread = self.changes.split_off(&(read.unwrap_or(self.now) + 1));
        for key in std::mem::replace(&mut self.changes, unread).values() {
            self.last.remove(key);
        }
    }
}

impl<T: Item> Store<T> {
    /// How an item stands with the source. O(1).
    pub fn mark(&self, key: &T::Key) -> Mark {
        self.marks().map_or(Mark::Saved, |marks| marks.of(key))
    }

    /// A feed of the marks of a list's rows: it tells which are another from now on, so that a view can dim a
    /// row that waits, and show it plain when it is saved, though its item is the same.
    ///
    /// ```
    /// use usual_tide::{Item, Mark, Query, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, fired: bool }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..3).map(|id| Piece { id, fired: false }))?;
    /// store.expect_answers();
    /// let list = store.bind(Query::new());
    /// let marks = store.mark_feed(list)?;
    /// store.edit(&1, |piece| piece.fired = true)?;
    /// let told = marks.read(&store)?;
    /// assert_eq!((told[0].at, told[0].mark), (1, Mark::Pending));
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`TicketError::NotExpecting`].
    pub fn mark_feed(&mut self, list: ListId) -> Result<MarkFeed, TicketError> {
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotExpecting)?;
        let read = Arc::new(AtomicU64::new(tickets.marks.now));
        tickets.marks.feeds.retain(|feed| feed.strong_count() > 0);
        tickets.marks.feeds.push(Arc::downgrade(&read));
        Ok(MarkFeed { list, read })
    }
}

impl MarkFeed {
    /// The list whose rows it tells of.
    pub fn list(&self) -> ListId {
        self.list
    }

    /// The rows whose marks have changed since the last read, by position. O(k log n) in those.
    ///
    /// # Errors
    ///
    /// [`FeedError`] when the list was unbound or is another store's.
    pub fn read<T: Item>(&self, store: &Store<T>) -> Result<Vec<Marked<T::Key>>, FeedError> {
        let rows = store.list(self.list)?;
        let Some(marks) = store.marks() else {
            return Ok(Vec::new());
        };
        let read = self.read.swap(marks.now, Ordering::AcqRel);
        let changed = marks.changes.range(read + 1..).map(|(_, key)| key);
        let mut marked: Vec<Marked<T::Key>> = changed
            .filter_map(|key| {
                Some(Marked {
                    at: rows.position(key)?,
                    key: key.clone(),
                    mark: store.mark(key),
                })
            })
            .collect();
        marked.sort_by_key(|marked| marked.at);
        Ok(marked)
    }
}

impl<K: fmt::Debug> fmt::Debug for Marks<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Marks")
            .field("items", &self.counts.len())
            .finish_non_exhaustive()
    }
}

//! Which items are saved, and which have writes that wait or were refused.

use super::TicketError;
use crate::item::Item;
use crate::list::{ListId, UnknownList};
use crate::living::push_living;
use crate::sorts::by_number;
use crate::store::Store;
use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::fmt;
use std::hash::Hash;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Weak};

/// The write state of an item.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Debug)]
pub enum WriteState {
    /// The source has all of it.
    #[default]
    Saved,
    /// An edit of it waits for the source's answer.
    Pending,
    /// An edit of it was refused, and the person has not settled that yet; others may wait.
    Failed,
}

/// A row whose write state has changed.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct StateChange<K> {
    /// The row's position.
    pub at: usize,
    /// Its key.
    pub key: K,
    /// Its state now.
    pub state: WriteState,
}

/// One consumer's reader of the write states of one bound list: which rows to draw again though their items are
/// the same.
///
/// See [`WritesMut::state_feed`](super::WritesMut::state_feed).
#[derive(Debug)]
pub struct WriteStateFeed {
    list: ListId,
    read: Arc<AtomicU64>,
}

/// How many writes of each item wait or were refused, and which items' states changed when.
pub(super) struct WriteStates<K> {
    counts: HashMap<K, Counts>,
    /// The last change of each key's state, by number and by key; kept while some feed has not read it.
    changes: BTreeMap<u64, K>,
    last: HashMap<K, u64>,
    now: u64,
    feeds: Vec<Weak<AtomicU64>>,
    /// Every feed has read up to this change, as far as was looked.
    read: u64,
    /// How many changes were noted since.
    since_look: usize,
}

#[derive(Clone, Copy, Default)]
struct Counts {
    waiting: usize,
    refused: usize,
}

impl Counts {
    fn state(self) -> WriteState {
        match (self.refused, self.waiting) {
            (0, 0) => WriteState::Saved,
            (0, _) => WriteState::Pending,
            _ => WriteState::Failed,
        }
    }
}

/// Changes that are noted before it is looked how far the feeds have read, unless there are more feeds.
const MANY: usize = if cfg!(any(test, fuzzing)) { 4 } else { 1024 };

/// Changes that are dropped with each that is noted, so that none pays for many.
const FEW: usize = 4;

impl<K: Clone + Eq + Hash> WriteStates<K> {
    pub(super) fn new() -> Self {
        Self {
            counts: HashMap::new(),
            changes: BTreeMap::new(),
            last: HashMap::new(),
            now: 0,
            feeds: Vec::new(),
            read: 0,
            since_look: 0,
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
        let before = match counts.state() {
            WriteState::Saved => self.counts.remove(key),
            _ => self.counts.insert(key.clone(), counts),
        };
        if before.unwrap_or_default().state() != counts.state() {
            self.note(key);
        }
    }

    /// The write state of an item.
    pub(super) fn of(&self, key: &K) -> WriteState {
        self.counts
            .get(key)
            .map_or(WriteState::Saved, |counts| counts.state())
    }

    /// How many writes of an item wait.
    pub(super) fn waiting(&self, key: &K) -> usize {
        self.counts.get(key).map_or(0, |counts| counts.waiting)
    }

    fn note(&mut self, key: &K) {
        self.now += 1;
        if !self.feeds.is_empty() {
            if let Some(before) = self.last.insert(key.clone(), self.now) {
                self.changes.remove(&before);
            }
            self.changes.insert(self.now, key.clone());
        }
        self.forget_read();
    }

    /// Drops some of what every feed has read.
    fn forget_read(&mut self) {
        self.since_look += 1;
        if self.since_look > MANY.max(self.feeds.len()) {
            self.since_look = 0;
            self.feeds.retain(|feed| feed.strong_count() > 0);
            let read = self.feeds.iter().filter_map(Weak::upgrade);
            let read = read.map(|read| read.load(Ordering::Acquire)).min();
            self.read = read.unwrap_or(self.now);
        }
        for _ in 0..FEW {
            let oldest = self.changes.first_entry();
            let Some(oldest) = oldest.filter(|oldest| *oldest.key() <= self.read) else {
                return;
            };
            self.last.remove(&oldest.remove());
        }
    }
}

impl<T: Item> Store<T> {
    pub(super) fn state_feed(&mut self, list: ListId) -> Result<WriteStateFeed, TicketError> {
        self.list(list)?;
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotTracked)?;
        let read = Arc::new(AtomicU64::new(tickets.states.now));
        push_living(&mut tickets.states.feeds, Arc::downgrade(&read));
        Ok(WriteStateFeed { list, read })
    }
}

impl WriteStateFeed {
    /// The list whose rows it reads.
    pub fn list(&self) -> ListId {
        self.list
    }

    /// The rows whose states have changed since the last read, by position. O(k log n) in those. See
    /// [`WritesMut::state_feed`](super::WritesMut::state_feed) for an example.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when the list was unbound or is another store's.
    pub fn read<T: Item>(&self, store: &Store<T>) -> Result<Vec<StateChange<T::Key>>, UnknownList> {
        let rows = store.list(self.list)?;
        let Some(states) = store.write_states() else {
            return Ok(Vec::new());
        };
        let read = self.read.swap(states.now, Ordering::AcqRel);
        let keys = states.changes.range(read + 1..).map(|(_, key)| key);
        let mut changed: Vec<StateChange<T::Key>> = keys
            .filter_map(|key| {
                Some(StateChange {
                    at: rows.position(key)?,
                    key: key.clone(),
                    state: states.of(key),
                })
            })
            .collect();
        by_number(&mut changed, |change| change.at);
        Ok(changed)
    }
}

impl<K: fmt::Debug> fmt::Debug for WriteStates<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("WriteStates")
            .field("items", &self.counts.len())
            .finish_non_exhaustive()
    }
}

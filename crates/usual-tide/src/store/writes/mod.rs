//! Writes: edits that wait for the data source's answer. They are shown at once and rolled back one by one.
//!
//! What the store shows is what the source has (the base) with the unanswered writes on top, in the order
//! in which they were made. Each layer of writes notes what it did, so that the layers can be withdrawn
//! from the top, the base be changed, and the writes be put on again, all in one batch: lists see what
//! it comes to.

mod added;
mod answer;
mod ask;
mod below_writes;
mod by_key;
mod facet;
mod in_place;
mod merge;
mod refused;
mod state;
mod waiting_index;
mod write;

pub use answer::TicketError;
pub use ask::{SubmitError, Submitted};
pub use facet::{Writes, WritesMut};
pub use refused::RefusedWrite;
pub use state::{StateChange, WriteState, WriteStateFeed};
pub use write::{Neighbours, Show, Ticket, Write, WriteKind};

use crate::item::Item;
use crate::order::Slot;
use crate::store::history::ItemEdit;
use hashbrown::HashMap;
use refused::RefusedWrites;
use state::WriteStates;
use std::collections::BTreeMap;
use std::sync::Arc;
use waiting_index::{RowPlace, WaitingIndex};
use write::Renaming;

/// The writes that wait for an answer, and those that were refused.
pub(super) struct Tickets<T: Item> {
    /// Puts an edit, as the item before and after it, on top of another version: `(now, before, after)`.
    merge: fn(&T, &T, &T) -> T,
    next: u64,
    /// By their first tickets: oldest first.
    layers: BTreeMap<Ticket, Layer<T>>,
    index: WaitingIndex<T::Key>,
    /// How many writes were to add a row at the start or the end and did not, since the source had one with its key.
    unplaced: usize,
    refused: RefusedWrites<T>,
    states: WriteStates<T::Key>,
    /// What the edit under way asks of the source, until it is final.
    asked: Option<Layer<T>>,
    /// The latest addition of each key, as long as writes of the key wait or are refused.
    additions: HashMap<T::Key, Ticket>,
    /// Whether the writes that wait are withdrawn at this moment, since something changes underneath.
    is_underneath: bool,
    /// Rows of withdrawn additions, while something changes underneath.
    withdrawn: HashMap<T::Key, Slot>,
}

/// Writes that were made as one, and what they did on top of what was there before.
struct Layer<T: Item> {
    edits: Vec<ItemEdit<T>>,
    writes: Vec<Arc<Write<T>>>,
}

impl<T: Item> Layer<T> {
    /// How many of its writes were to add a row at the start or the end and did not.
    fn unplaced(&self) -> usize {
        let at_ends =
            |write: &&Arc<Write<T>>| matches!(RowPlace::of(write), RowPlace::Start | RowPlace::End);
        let added = |edit: &&ItemEdit<T>| matches!(edit, ItemEdit::Added { .. });
        let asked = self.writes.iter().filter(at_ends).count();
        asked.saturating_sub(self.edits.iter().filter(added).count())
    }
}

impl<T: Item> Clone for Layer<T> {
    fn clone(&self) -> Self {
        Self {
            edits: self.edits.clone(),
            writes: self.writes.clone(),
        }
    }
}

impl<T: Item> Tickets<T> {
    fn new(merge: fn(&T, &T, &T) -> T) -> Self {
        Self {
            merge,
            next: 0,
            layers: BTreeMap::new(),
            index: WaitingIndex::new(),
            unplaced: 0,
            refused: RefusedWrites::new(),
            states: WriteStates::new(),
            asked: None,
            additions: HashMap::new(),
            is_underneath: false,
            withdrawn: HashMap::new(),
        }
    }

    fn waiting(&self) -> impl DoubleEndedIterator<Item = &Arc<Write<T>>> {
        self.layers.values().flat_map(|layer| &layer.writes)
    }

    /// Puts a layer on top; its writes get tickets and wait from now on. Gives the last ticket.
    fn push(&mut self, mut layer: Layer<T>) -> Ticket {
        for write in &mut layer.writes {
            self.next += 1;
            let ticket = Ticket(self.next);
            let write = Arc::make_mut(write);
            write.ticket = ticket;
            if write.kind() == WriteKind::Add {
                self.additions.insert(write.key.clone(), ticket);
            }
            write.made_by = self.additions.get(&write.key).copied();
            self.states.count(&write.key, 1, 0);
            self.index.add(write);
        }
        self.unplaced += layer.unplaced();
        if let Some(first) = layer.writes.first() {
            self.layers.insert(first.ticket, layer);
        }
        Ticket(self.next)
    }

    /// What another key that the source has given an added item means for the writes that wait.
    fn renaming(&self, by: Ticket, from: &T::Key, to: &T::Key) -> Renaming<T::Key> {
        let is_another = |write: &&Arc<Write<T>>| {
            write.key == *from && write.kind() == WriteKind::Add && write.ticket > by
        };
        let refused = self.refused.by_key.of_item(from);
        let refused = refused.filter_map(|ticket| self.refused.get(ticket));
        let refused = refused.map(|refused| &refused.write);
        let waiting = self.index.by_key.of_item(from);
        let waiting = waiting.filter_map(|ticket| self.find(ticket));
        let next = waiting.chain(refused).filter(is_another);
        let next = next.map(|write| write.ticket).min();
        let latest = self.additions.get(from).copied();
        Renaming {
            by,
            until: next.or(latest.filter(|latest| *latest > by)),
            from: from.clone(),
            to: to.clone(),
        }
    }

    /// Renames what was refused, and brings the index in step with the writes that wait, which are renamed already.
    fn rename_refused(&mut self, renaming: &Renaming<T::Key>) {
        self.refused.rename(renaming);
        if self.additions.get(&renaming.from) == Some(&renaming.by) {
            self.additions.remove(&renaming.from);
            self.additions.insert(renaming.to.clone(), renaming.by);
        }
        let layers = &self.layers;
        let keys = (&renaming.from, &renaming.to);
        self.index
            .by_key
            .rename(keys, |ticket| find(layers, ticket).map(|write| &**write));
        self.count_anew(&renaming.from);
        self.count_anew(&renaming.to);
    }

    /// The write that waits under a ticket. O(log n).
    fn find(&self, ticket: Ticket) -> Option<&Arc<Write<T>>> {
        find(&self.layers, ticket)
    }

    /// Renames the writes that wait.
    fn rename_waiting(&mut self, renaming: &Renaming<T::Key>) {
        for ticket in self.index.by_key.that_name(&renaming.from) {
            let layer = self.layers.range_mut(..=ticket).next_back();
            let writes = layer.into_iter().flat_map(|(_, layer)| &mut layer.writes);
            writes.for_each(|write| renaming.apply(write));
        }
    }

    /// A write waits no more, and so many more of its item are refused.
    fn end_waiting(&mut self, write: &Write<T>, refused: isize) {
        self.index.remove(write);
        self.states.count(&write.key, -1, refused);
        self.forget_addition(&write.key);
    }

    /// A refused write of an item is retried or dismissed.
    fn end_refused(&mut self, key: &T::Key) {
        self.states.count(key, 0, -1);
        self.forget_addition(key);
    }

    /// Forgets which addition made an item, when nothing that was asked of it is left.
    fn forget_addition(&mut self, key: &T::Key) {
        if self.states.of(key) == WriteState::Saved {
            self.additions.remove(key);
        }
    }

    /// Counts the writes of an item again, after it was given another key.
    fn count_anew(&mut self, key: &T::Key) {
        let (waiting, refused) = (self.index.by_key.count(key), self.refused.by_key.count(key));
        self.states.set(key, waiting, refused);
        self.forget_addition(key);
    }

    /// Forgets what an edit asked that was taken back, as a whole or in part.
    pub(super) fn roll_back(&mut self, whole: bool) {
        if whole {
            self.asked = None;
            self.is_underneath = false;
        }
        if !self.is_underneath {
            self.withdrawn.clear();
        }
    }
}

/// The write that waits under a ticket, among layers by their first tickets.
fn find<T: Item>(layers: &BTreeMap<Ticket, Layer<T>>, ticket: Ticket) -> Option<&Arc<Write<T>>> {
    let (_, layer) = layers.range(..=ticket).next_back()?;
    let place = |write: &Arc<Write<T>>| write.ticket.cmp(&ticket);
    let at = layer.writes.binary_search_by(place).ok()?;
    layer.writes.get(at)
}

//! Writes: edits that wait for the data source's answer. They are shown at once and rolled back one by one.
//!
//! What the store shows is what the source has (the base) with the unanswered writes on top, in the order
//! in which they were made. Each layer of writes notes what it did, so that the layers can be withdrawn
//! from the top, the base be changed, and the writes be put on again, all in one batch: lists see what
//! it comes to.

mod answer;
mod ask;
mod below_writes;
mod facet;
mod merge;
mod state;
mod write;

pub use answer::{RefusedWrite, TicketError};
pub use ask::{SubmitError, Submitted};
pub use facet::{Writes, WritesMut};
pub use state::{StateChange, WriteState, WriteStateFeed};
pub use write::{Neighbours, Show, Ticket, Write, WriteKind};

use crate::item::Item;
use crate::order::Slot;
use crate::store::history::ItemEdit;
use hashbrown::HashMap;
use state::WriteStates;
use std::collections::VecDeque;
use std::sync::Arc;
use write::Renaming;

/// The writes that wait for an answer, and those that were refused.
pub(super) struct Tickets<T: Item> {
    /// Puts an edit, as the item before and after it, on top of another version: `(now, before, after)`.
    merge: fn(&T, &T, &T) -> T,
    next: u64,
    /// Oldest first.
    layers: VecDeque<Layer<T>>,
    refused: Vec<RefusedWrite<T>>,
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

impl<T: Item> Tickets<T> {
    fn new(merge: fn(&T, &T, &T) -> T) -> Self {
        Self {
            merge,
            next: 0,
            layers: VecDeque::new(),
            refused: Vec::new(),
            states: WriteStates::new(),
            asked: None,
            additions: HashMap::new(),
            is_underneath: false,
            withdrawn: HashMap::new(),
        }
    }

    fn waiting(&self) -> impl DoubleEndedIterator<Item = &Arc<Write<T>>> {
        self.layers.iter().flat_map(|layer| &layer.writes)
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
        }
        self.layers.push_back(layer);
        Ticket(self.next)
    }

    /// What another key that the source has given an added item means for the writes that wait.
    fn renaming(&self, by: Ticket, from: &T::Key, to: &T::Key) -> Renaming<T::Key> {
        let is_another = |write: &&Arc<Write<T>>| {
            write.key == *from && write.kind() == WriteKind::Add && write.ticket > by
        };
        let refused = self.refused.iter().map(|refused| &refused.write);
        let next = self.waiting().chain(refused).filter(is_another);
        let next = next.map(|write| write.ticket).min();
        let latest = self.additions.get(from).copied();
        Renaming {
            by,
            until: next.or(latest.filter(|latest| *latest > by)),
            from: from.clone(),
            to: to.clone(),
        }
    }

    /// Renames what was refused; the writes that wait are renamed as they are put on again.
    fn rename_refused(&mut self, renaming: &Renaming<T::Key>) {
        for refused in &mut self.refused {
            renaming.apply(&mut refused.write);
        }
        if self.additions.get(&renaming.from) == Some(&renaming.by) {
            self.additions.remove(&renaming.from);
            self.additions.insert(renaming.to.clone(), renaming.by);
        }
        self.count_anew(&renaming.from);
        self.count_anew(&renaming.to);
    }

    /// So many more, or fewer, writes of an item wait or are refused.
    fn count(&mut self, key: &T::Key, waiting: isize, refused: isize) {
        self.states.count(key, waiting, refused);
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
        let of_item = |write: &Arc<Write<T>>| write.key == *key;
        let waiting = self.waiting().filter(|write| of_item(write)).count();
        let refused = self
            .refused
            .iter()
            .filter(|refused| of_item(&refused.write));
        self.states.set(key, waiting, refused.count());
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

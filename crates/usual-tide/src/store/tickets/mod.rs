//! Edits that the data source has not answered yet: shown at once, and taken back one by one.
//!
//! What the store shows is what the source has (the base) with the unanswered writes on top, in the order
//! in which they were made. Each layer of writes notes what it did, so that the layers can be withdrawn
//! from the top, the base be changed, and the writes be put on again, all in one batch: lists see what
//! it comes to.

mod answer;
mod ask;
mod mark;
mod merge;
mod underneath;
mod write;

pub use answer::{Refused, TicketError};
pub use ask::{SubmitError, Submitted};
pub use mark::{Mark, MarkFeed, Marked};
pub use write::{Neighbours, Show, Ticket, Write, WriteKind};

use super::history::Act;
use crate::item::Item;
use crate::order::Slot;
use hashbrown::HashMap;
use mark::Marks;
use std::collections::VecDeque;
use std::sync::Arc;

/// The writes that wait for an answer, and those that were refused.
pub(super) struct Tickets<T: Item> {
    /// Puts an edit, as the item before and after it, on top of another version: `(now, before, after)`.
    merge: fn(&T, &T, &T) -> T,
    next: u64,
    /// Oldest first.
    layers: VecDeque<Layer<T>>,
    refused: Vec<Refused<T>>,
    marks: Marks<T::Key>,
    /// What the edit under way asks of the source, until it is final.
    asked: Option<Layer<T>>,
    /// Rows of withdrawn additions, while something changes underneath.
    withdrawn: HashMap<T::Key, Slot>,
}

/// Writes that were made as one, and what they did on top of what was there before.
struct Layer<T: Item> {
    acts: Vec<Act<T>>,
    writes: Vec<Arc<Write<T>>>,
}

impl<T: Item> Tickets<T> {
    fn new(merge: fn(&T, &T, &T) -> T) -> Self {
        Self {
            merge,
            next: 0,
            layers: VecDeque::new(),
            refused: Vec::new(),
            marks: Marks::new(),
            asked: None,
            withdrawn: HashMap::new(),
        }
    }

    fn waiting(&self) -> impl DoubleEndedIterator<Item = &Arc<Write<T>>> {
        self.layers.iter().flat_map(|layer| &layer.writes)
    }

    fn give_ticket(&mut self) -> Ticket {
        self.next += 1;
        Ticket(self.next)
    }

    /// Puts a layer on top; its writes wait from now on.
    fn push(&mut self, layer: Layer<T>) {
        for write in &layer.writes {
            self.marks.count(&write.key, 1, 0);
        }
        self.layers.push_back(layer);
    }

    /// Counts the writes of an item anew, after it was given another key.
    fn count_anew(&mut self, key: &T::Key) {
        let of_item = |write: &Arc<Write<T>>| write.key == *key;
        let waiting = self.waiting().filter(|write| of_item(write)).count();
        let refused = self
            .refused
            .iter()
            .filter(|refused| of_item(&refused.write));
        self.marks.set(key, waiting, refused.count());
    }

    /// Forgets what an edit asked that was taken back.
    pub(super) fn take_back(&mut self) {
        self.asked = None;
        self.withdrawn.clear();
    }
}

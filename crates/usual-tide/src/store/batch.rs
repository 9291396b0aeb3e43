//! All or nothing.

use super::Store;
use super::journal::{OpenEdit, Origin};
use crate::item::Item;
use crate::list::{ListState, Savepoint};
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};

impl<T: Item> Store<T> {
    /// Runs several edits as one: all of them happen, or none.
    ///
    /// When the closure returns an error, or panics, the store and every list are as they were before.
    /// Inside the batch the store shows the edits made so far; the lists follow at the end, and every
    /// feed sees one change set. Batches nest: an inner one that fails takes back its own edits alone.
    ///
    /// Editing many items in a batch is faster than one by one.
    ///
    /// ```
    /// use usual_tide::{EditError, Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id, fired: false }))?;
    /// let refused = store.batch(|store| {
    ///     store.edit(&1, |piece| piece.fired = true)?;
    ///     store.remove(&99)
    /// });
    /// assert_eq!(refused.err(), Some(EditError::UnknownKey(99)));
    /// assert!(!store.get(&1).unwrap().fired);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// Those of the closure.
    pub fn batch<R, E>(&mut self, edits: impl FnOnce(&mut Self) -> Result<R, E>) -> Result<R, E> {
        self.batch_as(Origin::Person, None, edits)
    }

    /// Runs a batch that is one step with a name, such as for a menu: "Undo: Fire two".
    /// See [`HistoryMut::undo`](super::HistoryMut::undo) for an example.
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then.
    pub fn batch_named<R, E>(
        &mut self,
        name: &str,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.batch_as(Origin::Person, Some(name), edits)
    }

    /// Makes edits that come from the source, not from the person: rules do not check them, they are no step
    /// that can be undone, and steps before them can still be. A batch of its own; inside a person's batch it
    /// is a part of that step. The source knows nothing of the blank rows of new drafts: it removes and moves none, and an item
    /// with the key of one comes in its place.
    ///
    /// Where edits wait for the source's answer ([`WritesMut::track`](super::WritesMut::track)), the closure
    /// sees the items as the source has them, and those edits are made again on top of the result: O(p log n) a list
    /// for p of them, so that what the source sends at once is best applied at once.
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, fired: false }])?;
    /// store.from_source(|store| store.edit(&1, |piece| piece.fired = true))?;
    /// assert_eq!(store.history().undo_len(), 0);
    /// # Ok(()) }
    /// ```
    pub fn from_source<R, E>(
        &mut self,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        if !self.journal.is_open() && self.is_waiting() {
            return self.below_writes(None, |store, _| edits(store));
        }
        self.batch_as(Origin::Source, None, edits)
    }

    /// A batch with what it is noted as; inside another it is a part of that one.
    pub(super) fn batch_as<R, E>(
        &mut self,
        origin: Origin,
        name: Option<&str>,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.end_dropped_drafts();
        if self.journal.is_open() {
            // The lists catch up, so that taking back this batch leaves them where it began.
            let catch_up = |store: &mut Self| {
                store.update_lists();
                Ok::<(), E>(())
            };
            self.guarded(OpenEdit::of(origin), Start::of_edit(self), catch_up)?;
        }
        let open = OpenEdit {
            origin,
            name: name.map(Box::from),
        };
        self.guarded(open, Start::of_batch(self), edits)
    }

    /// One edit, or one part of an open batch: taken back when it fails.
    pub(super) fn attempt<R, E>(
        &mut self,
        edit: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.attempt_as(Origin::Person, edit)
    }

    /// The same with what it is noted as.
    pub(super) fn attempt_as<R, E>(
        &mut self,
        origin: Origin,
        edit: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        let start = if self.journal.is_open() {
            Start::of_edit(self)
        } else {
            Start::of_batch(self)
        };
        self.guarded(OpenEdit::of(origin), start, edit)
    }

    /// Runs a part of an edit, and rolls it back when it fails or panics. What `open` says of the edit counts
    /// where it is the outermost one; the parts of an open edit belong to that.
    fn guarded<R, E>(
        &mut self,
        open: OpenEdit,
        start: Start,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.journal.open.push(open);
        // Whatever the closure leaves half done is taken back before anyone can see it.
        let outcome = catch_unwind(AssertUnwindSafe(|| {
            let done = edits(self)?;
            if self.journal.open.len() == 1 {
                self.update_lists();
                self.hold_again();
                self.collect_writes();
            }
            Ok(done)
        }));
        let closed = self.journal.open.pop();
        match outcome {
            Ok(Ok(done)) => {
                if let Some(edit) = closed.filter(|_| !self.journal.is_open()) {
                    self.queue_collected();
                    self.note_steps(edit);
                    self.finish_edit();
                }
                Ok(done)
            }
            Ok(Err(error)) => {
                self.roll_back_to(start);
                Err(error)
            }
            Err(panic) => {
                self.roll_back_to(start);
                resume_unwind(panic)
            }
        }
    }

    fn roll_back_to(&mut self, start: Start) {
        let steps = self.journal.steps.len() - start.steps;
        tracing::debug!(steps, "taking back an edit");
        for (number, list) in self.journal.unbound.drain(start.unbound..) {
            self.lists.put_back(number, list);
        }
        if let Some(lists) = start.lists {
            self.lists.retain(|number, list| {
                let began = lists.of(number);
                if let Some(savepoint) = began {
                    list.roll_back(savepoint);
                }
                began.is_some()
            });
            self.journal.followed = start.followed;
        }
        self.roll_back(start.steps);
        self.uniques.roll_back(start.uniques);
        let whole = !self.journal.is_open();
        if whole {
            self.finish_edit();
        }
        if let Some(tickets) = &mut self.tickets {
            tickets.roll_back(whole);
        }
    }
}

/// Where a batch began.
struct Start {
    steps: usize,
    followed: usize,
    uniques: usize,
    unbound: usize,
    /// None for a single edit inside a batch, which no list follows.
    lists: Option<StartOfLists>,
}

/// Where the lists were when a batch began.
enum StartOfLists {
    /// Nothing of any list could be taken back; later lists have this number, or a higher one.
    Final { next: u64 },
    /// Their states by their numbers, ascending.
    Amid(Vec<(u64, Savepoint)>),
}

impl StartOfLists {
    /// The state of a list then; none of one that was bound since.
    fn of(&self, number: u64) -> Option<Savepoint> {
        match self {
            Self::Final { next } => (number < *next).then_some(Savepoint::FINAL),
            Self::Amid(lists) => {
                let at = lists.binary_search_by_key(&number, |(number, _)| *number);
                Some(lists[at.ok()?].1)
            }
        }
    }
}

impl Start {
    fn of_batch<T: Item>(store: &Store<T>) -> Self {
        // So it is outside of a batch; then there is nothing to keep for each list.
        let is_final = |list: &ListState<T>| list.savepoint() == Savepoint::FINAL;
        let lists = if store.lists.iter().all(is_final) {
            let next = store.lists.next_number();
            StartOfLists::Final { next }
        } else {
            let lists = store.lists.numbered();
            let lists = lists.map(|(number, list)| (number, list.savepoint()));
            StartOfLists::Amid(lists.collect())
        };
        Self {
            lists: Some(lists),
            ..Self::of_edit(store)
        }
    }

    fn of_edit<T: Item>(store: &Store<T>) -> Self {
        Self {
            steps: store.journal.steps.len(),
            followed: store.journal.followed,
            uniques: store.uniques.mark(),
            unbound: store.journal.unbound.len(),
            lists: None,
        }
    }
}

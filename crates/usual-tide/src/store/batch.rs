//! All or nothing.

use super::Store;
use super::undo_log::Origin;
use crate::item::Item;
use crate::list::Savepoint;
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
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, fired: bool }
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

    /// A batch with what it is noted as; inside another it is a part of that one.
    pub(super) fn batch_as<R, E>(
        &mut self,
        route: Origin,
        name: Option<&str>,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.end_dropped_drafts();
        if self.journal.depth > 0 {
            // The lists catch up, so that taking back this batch leaves them where it began.
            self.guarded(Start::of_edit(self), |store| {
                store.update_lists();
                Ok::<(), E>(())
            })?;
        }
        self.begin_edit(route, name);
        self.guarded(Start::of_batch(self), edits)
    }

    /// Notes where the edit that begins comes from, unless it is a part of another.
    fn begin_edit(&mut self, route: Origin, name: Option<&str>) {
        if self.journal.depth == 0 {
            self.history.route = route;
            self.history.name = name.map(Box::from);
        }
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
        route: Origin,
        edit: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.begin_edit(route, None);
        let start = if self.journal.depth == 0 {
            Start::of_batch(self)
        } else {
            Start::of_edit(self)
        };
        self.guarded(start, edit)
    }

    fn guarded<R, E>(
        &mut self,
        start: Start,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.journal.depth += 1;
        // Whatever the closure leaves half done is taken back before anyone can see it.
        let outcome = catch_unwind(AssertUnwindSafe(|| {
            let done = edits(self)?;
            if self.journal.depth == 1 {
                self.update_lists();
                self.hold_again();
                self.ask();
            }
            Ok(done)
        }));
        self.journal.depth -= 1;
        match outcome {
            Ok(Ok(done)) => {
                if self.journal.depth == 0 {
                    self.queue_collected();
                    self.note_steps();
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
            self.lists[number] = Some(list);
        }
        if let Some(lists) = start.lists {
            for (number, list) in self.lists.iter_mut().enumerate() {
                match lists.get(number) {
                    Some(Some(savepoint)) => {
                        if let Some(list) = list {
                            list.roll_back(*savepoint);
                        }
                    }
                    Some(None) => {}
                    // It was bound since.
                    None => *list = None,
                }
            }
            self.journal.followed = start.followed;
        }
        self.roll_back(start.steps);
        self.uniques.roll_back(start.uniques);
        if self.journal.depth == 0 {
            self.history.name = None;
            self.history.route = Origin::Person;
            self.finish_edit();
        }
        if let Some(tickets) = &mut self.tickets {
            tickets.roll_back(self.journal.depth == 0);
        }
    }
}

/// Where a batch began.
struct Start {
    steps: usize,
    followed: usize,
    uniques: usize,
    unbound: usize,
    /// The lists' states; none for a single edit inside a batch, which no list follows.
    lists: Option<Vec<Option<Savepoint>>>,
}

impl Start {
    fn of_batch<T: Item>(store: &Store<T>) -> Self {
        let marks = store
            .lists
            .iter()
            .map(|list| Some(list.as_ref()?.savepoint()));
        Self {
            lists: Some(marks.collect()),
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

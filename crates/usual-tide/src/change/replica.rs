//! A consumer's copy of the rows, kept by change sets alone.

use super::apply::ApplyError;
use super::set::ChangeSet;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use std::fmt;
use std::sync::Arc;

/// A copy of a bound list's rows that is kept by applying change sets, and nothing else.
///
/// It never looks at the store, so it shows what a view would show that applies the change sets correctly.
///
/// ```
/// use usual_tide::{Item, Place, Query, Replica, Store};
/// # use usual_tide_pieces::with_id::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
/// let list = store.bind(Query::new());
/// let feed = store.feed(list)?;
/// let mut replica: Replica<Piece> = store.list(list)?.items().cloned().collect();
///
/// store.add(Piece { id: 4 }, Place::Row(1))?;
/// if let Some(changes) = feed.read(&store)? {
///     replica.apply(&changes)?;
/// }
/// assert!(replica.items().eq(store.list(list)?.items()));
/// # Ok(()) }
/// ```
#[derive(Clone)]
pub struct Replica<T> {
    order: RowTree,
    /// The items by slot.
    items: Vec<Option<Arc<T>>>,
    free: Vec<Slot>,
}

impl<T> Default for Replica<T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<T: fmt::Debug> fmt::Debug for Replica<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.items()).finish()
    }
}

impl<T> Replica<T> {
    /// A copy without rows, such as that of a list that is empty so far.
    pub fn new() -> Self {
        Self {
            order: RowTree::new(false),
            items: Vec::new(),
            free: Vec::new(),
        }
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        self.order.len()
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The item at a position; `None` from the end on. O(log n).
    pub fn at(&self, position: usize) -> Option<&Arc<T>> {
        self.item(self.order.get(position)?)
    }

    /// The items in order.
    pub fn items(&self) -> impl Iterator<Item = &Arc<T>> {
        self.order.rows().filter_map(|slot| self.item(slot))
    }

    /// Takes rows out.
    pub(super) fn take(&mut self, at: usize, len: usize) -> Vec<Arc<T>> {
        let Self { order, items, free } = self;
        let mut taken = Vec::with_capacity(len);
        order.remove_run(at, len, |slot| {
            taken.extend(items[slot.index()].take());
            free.push(slot);
        });
        taken
    }

    /// Puts rows in.
    pub(super) fn put(&mut self, at: usize, rows: &[Arc<T>]) {
        let slots: Vec<Slot> = rows.iter().map(|item| self.keep(item)).collect();
        self.order.insert_run(at.min(self.len()), &slots, &[]);
    }

    /// Puts another item in the place of a row's.
    pub(super) fn replace(&mut self, at: usize, item: &Arc<T>) {
        if let Some(slot) = self.order.get(at) {
            self.items[slot.index()] = Some(Arc::clone(item));
        }
    }

    fn item(&self, slot: Slot) -> Option<&Arc<T>> {
        self.items.get(slot.index())?.as_ref()
    }

    fn keep(&mut self, item: &Arc<T>) -> Slot {
        let item = Some(Arc::clone(item));
        if let Some(slot) = self.free.pop() {
            self.items[slot.index()] = item;
            return slot;
        }
        self.items.push(item);
        Slot::from_u32((self.items.len() - 1) as u32)
    }
}

impl<T: Item> Replica<T> {
    /// Applies a change set. O(k log n).
    ///
    /// # Errors
    ///
    /// [`ApplyError`] when the set does not start from these rows; they are unchanged then.
    pub fn apply(&mut self, changes: &ChangeSet<T>) -> Result<(), ApplyError<T::Key>> {
        changes.check_fit(self.len(), |position| self.at(position))?;
        let lifted: Vec<Vec<Slot>> = changes
            .moved
            .iter()
            .map(|run| {
                let start = self.order.cursor(run.from);
                self.order.rows_from(start).take(run.len).collect()
            })
            .collect();

        let gone = changes
            .removed
            .iter()
            .map(|run| (run.at, run.rows.len(), true));
        let moved = changes.moved.iter().map(|run| (run.from, run.len, false));
        let mut out: Vec<(usize, usize, bool)> = gone.chain(moved).collect();
        out.sort_unstable();
        let Self { order, items, free } = self;
        for (at, len, gone) in out.into_iter().rev() {
            order.remove_run(at, len, |slot| {
                if gone {
                    items[slot.index()] = None;
                    free.push(slot);
                }
            });
        }

        let mut back = changes.moved.iter().zip(lifted).peekable();
        for run in &changes.inserted {
            while let Some((moved, slots)) = back.next_if(|(moved, _)| moved.to < run.at) {
                self.order.insert_run(moved.to, &slots, &[]);
            }
            let slots: Vec<Slot> = run.rows.iter().map(|item| self.keep(item)).collect();
            self.order.insert_run(run.at, &slots, &[]);
        }
        for (moved, slots) in back {
            self.order.insert_run(moved.to, &slots, &[]);
        }
        for row in &changes.updated {
            self.replace(row.to, &row.after);
        }
        Ok(())
    }
}

impl<T> FromIterator<Arc<T>> for Replica<T> {
    fn from_iter<I: IntoIterator<Item = Arc<T>>>(rows: I) -> Self {
        let items: Vec<Option<Arc<T>>> = rows.into_iter().map(Some).collect();
        let slots: Vec<Slot> = (0..items.len() as u32).map(Slot::from_u32).collect();
        Self {
            order: RowTree::build(&slots, None),
            items,
            free: Vec::new(),
        }
    }
}

//! Whether a change set fits some rows, and applying it to plain ones.

use super::set::ChangeSet;
use crate::item::Item;
use std::fmt::Debug;
use std::sync::Arc;

/// Why a change set does not fit the rows that it was to be applied to. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ApplyError<K: Debug> {
    /// The rows are not as many as the set starts from.
    #[error(
        "the change set starts from {expected} rows, and there are {found}: \
         a change set before it was left out, or this one was applied already"
    )]
    WrongLength {
        /// The rows that the set starts from.
        expected: usize,
        /// The rows there are.
        found: usize,
    },
    /// A row that the set removes or updates is another one here.
    #[error(
        "the change set expects {expected:?} at position {position}, and {found:?} is there: \
         the rows are not those that the set was made for"
    )]
    WrongRow {
        /// The position, before the change.
        position: usize,
        /// The key of the row in the set.
        expected: K,
        /// The key of the row that is there.
        found: K,
    },
}

impl<T: Item> ChangeSet<T> {
    /// Turns rows before into rows after. O(k) for k rows that only differ; where rows leave, arrive or move, also
    /// O(r) in the rows from the first of them to the last, and one shift of those after.
    ///
    /// # Errors
    ///
    /// [`ApplyError`] when the rows are not those that the set was made for; they are unchanged then.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// let mut rows: Vec<_> = store.list(list)?.items().cloned().collect();
    ///
    /// store.move_to(&3, Place::Start)?;
    /// feed.read(&store)?.unwrap().apply(&mut rows)?;
    /// assert_eq!(rows.iter().map(|row| row.id).collect::<Vec<_>>(), [3, 1, 2]);
    /// # Ok(()) }
    /// ```
    pub fn apply(&self, rows: &mut Vec<Arc<T>>) -> Result<(), ApplyError<T::Key>> {
        self.check_fit(rows.len(), |position| rows.get(position))?;
        if self.removed.is_empty() && self.inserted.is_empty() && self.moved.is_empty() {
            for row in &self.updated {
                if let Some(place) = rows.get_mut(row.to) {
                    *place = Arc::clone(&row.after);
                }
            }
            return Ok(());
        }
        // Rows before and after all that changes its place stay where they are, but for one shift.
        let still = self.still_runs();
        let head = still.first().filter(|run| run.from == 0 && run.to == 0);
        let head = head.map_or(0, |run| run.len);
        let at_the_end = |from: usize, to: usize| from == self.before && to == self.after;
        let tail = still
            .last()
            .filter(|run| at_the_end(run.from + run.len, run.to + run.len));
        let tail = tail.map_or(0, |run| run.len);
        let behind = rows.split_off(self.before - tail);
        let mut between: Vec<Option<Arc<T>>> = rows.split_off(head).into_iter().map(Some).collect();

        let mut after: Vec<Option<Arc<T>>> = vec![None; self.after - tail - head];
        let mut place = |at: usize, item: Option<Arc<T>>| {
            if let Some(row) = at.checked_sub(head).and_then(|at| after.get_mut(at)) {
                *row = item;
            }
        };
        for run in still.iter().chain(&self.moved) {
            for offset in 0..run.len {
                let from = (run.from + offset).checked_sub(head);
                if let Some(row) = from.and_then(|from| between.get_mut(from)) {
                    place(run.to + offset, row.take());
                }
            }
        }
        for run in &self.inserted {
            for (offset, item) in run.rows.iter().enumerate() {
                place(run.at + offset, Some(Arc::clone(item)));
            }
        }
        rows.extend(after.into_iter().flatten());
        rows.extend(behind);
        for row in &self.updated {
            if let Some(place) = rows.get_mut(row.to) {
                *place = Arc::clone(&row.after);
            }
        }
        Ok(())
    }

    /// Checks the length, and the key of every row that the set carries an old item of.
    pub(super) fn check_fit<'a>(
        &self,
        len: usize,
        row: impl Fn(usize) -> Option<&'a Arc<T>>,
    ) -> Result<(), ApplyError<T::Key>> {
        if len != self.before {
            return Err(ApplyError::WrongLength {
                expected: self.before,
                found: len,
            });
        }
        let removed = self.removed.iter().flat_map(|run| {
            let rows = run.rows.iter().enumerate();
            rows.map(move |(offset, item)| (run.at + offset, item))
        });
        let updated = self.updated.iter().map(|row| (row.from, &row.before));
        for (position, item) in removed.chain(updated) {
            if let Some(found) = row(position)
                && found.key() != item.key()
            {
                return Err(ApplyError::WrongRow {
                    position,
                    expected: item.key().clone(),
                    found: found.key().clone(),
                });
            }
        }
        Ok(())
    }
}

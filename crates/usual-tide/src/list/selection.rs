//! What a person has marked in a list.

use super::positions::PositionError;
use super::view::BoundList;
use crate::change::{ChangeSet, Followed};
use crate::item::Item;
use hashbrown::HashSet;
use std::fmt;
use std::sync::Arc;

/// The current row, the selected rows and the open row of one list, by their keys, so that they survive
/// whatever happens to the rows.
///
/// It is kept by the change sets that the view applies: pass each to [`follow`](Self::follow).
///
/// ```
/// use usual_tide::{Item, Query, Selection, Store};
/// # #[derive(Clone, PartialEq, Debug, Item)]
/// # struct Piece { #[item(key)] id: u32 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load((1..=5).map(|id| Piece { id }))?;
/// let list = store.bind(Query::new());
/// let feed = store.feed(list)?;
/// let mut selection = Selection::new();
/// selection.select(&store.list(list)?, 1)?;
/// selection.extend_to(&store.list(list)?, 3)?;
/// assert_eq!(selection.current(), Some(&4));
///
/// store.remove(&4)?;
/// if let Some(changes) = feed.read(&store)? {
///     let dropped = selection.follow(&changes, &store.list(list)?);
///     assert_eq!(dropped.selected, [4]);
/// }
/// assert_eq!(selection.current(), Some(&5));
/// assert_eq!(selection.selected_in(&store.list(list)?), [2, 3]);
/// # Ok(()) }
/// ```
pub struct Selection<T: Item> {
    /// The current row, with its position when the last change set was followed.
    current: Option<(T::Key, usize)>,
    /// Where a range begins.
    anchor: Option<T::Key>,
    selected: HashSet<T::Key>,
    /// Rows that were selected since the last change set was followed.
    chosen: Vec<T::Key>,
    open: Option<T::Key>,
}

/// What a change took from a selection.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Dropped<K> {
    /// The row that was current and is gone; its successor is current now, or else its predecessor.
    pub current: Option<K>,
    /// Selected rows that are gone, in the order that they had.
    pub selected: Vec<K>,
    /// The row that was open and is gone.
    pub open: Option<K>,
}

impl<T: Item> Selection<T> {
    /// Nothing is current, selected or open.
    pub fn new() -> Self {
        Self {
            current: None,
            anchor: None,
            selected: HashSet::new(),
            chosen: Vec::new(),
            open: None,
        }
    }

    /// The key of the current row.
    pub fn current(&self) -> Option<&T::Key> {
        self.current.as_ref().map(|current| &current.0)
    }

    /// The key of the open row; there is one at the most.
    pub fn open_row(&self) -> Option<&T::Key> {
        self.open.as_ref()
    }

    /// Whether a row is selected.
    pub fn is_selected(&self, key: &T::Key) -> bool {
        self.selected.contains(key)
    }

    /// How many rows are selected.
    pub fn len(&self) -> usize {
        self.selected.len()
    }

    /// Whether no row is selected.
    pub fn is_empty(&self) -> bool {
        self.selected.is_empty()
    }

    /// The keys of the selected rows in the list's order: what to pass to an edit of many. O(k log n).
    pub fn selected_in(&self, rows: &BoundList<'_, T>) -> Vec<T::Key> {
        let mut places: Vec<(usize, &T::Key)> = self
            .selected
            .iter()
            .filter_map(|key| Some((rows.position(key)?, key)))
            .collect();
        places.sort_unstable_by_key(|place| place.0);
        places.into_iter().map(|place| place.1.clone()).collect()
    }

    /// Makes a row current and the only one selected.
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn select(
        &mut self,
        rows: &BoundList<'_, T>,
        position: usize,
    ) -> Result<(), PositionError> {
        let key = key_at(rows, position)?;
        self.clear();
        self.choose(key.clone());
        self.go_to(key.clone(), position);
        self.anchor = Some(key);
        Ok(())
    }

    /// Makes a row current, and selects it when it was not selected, or the other way round.
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn toggle(
        &mut self,
        rows: &BoundList<'_, T>,
        position: usize,
    ) -> Result<(), PositionError> {
        let key = key_at(rows, position)?;
        if !self.selected.remove(&key) {
            self.choose(key.clone());
        }
        self.go_to(key.clone(), position);
        self.anchor = Some(key);
        Ok(())
    }

    /// Makes a row current and selects the range from the row that was selected or toggled last, or
    /// from the first row when that is not shown. What was selected outside of the range no longer
    /// is. O(rows in the range).
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn extend_to(
        &mut self,
        rows: &BoundList<'_, T>,
        position: usize,
    ) -> Result<(), PositionError> {
        let key = key_at(rows, position)?;
        let anchor = self
            .anchor
            .as_ref()
            .and_then(|anchor| rows.position(anchor));
        let anchor = anchor.unwrap_or(0);
        let range = anchor.min(position)..anchor.max(position) + 1;
        self.choose_all(rows.items_in(range));
        self.go_to(key, position);
        Ok(())
    }

    /// Selects every row. O(n).
    pub fn select_all(&mut self, rows: &BoundList<'_, T>) {
        self.choose_all(rows.items());
    }

    /// Selects nothing; the current row stays.
    pub fn clear(&mut self) {
        self.selected.clear();
        self.chosen.clear();
        self.anchor = None;
    }

    /// Opens a row, and closes the one that was open.
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn open(&mut self, rows: &BoundList<'_, T>, position: usize) -> Result<(), PositionError> {
        self.open = Some(key_at(rows, position)?);
        Ok(())
    }

    /// Closes the open row.
    pub fn close(&mut self) {
        self.open = None;
    }

    /// Follows a change set that the view applies; `rows` are the rows after it. Tells what is gone.
    /// O(k) in the rows that left.
    pub fn follow(&mut self, changes: &ChangeSet<T>, rows: &BoundList<'_, T>) -> Dropped<T::Key> {
        let mut dropped = Dropped {
            current: None,
            selected: Vec::new(),
            open: None,
        };
        let mut gone_from = None;
        for run in changes.removed() {
            for (position, item) in run.range().zip(run.rows.iter()) {
                let key = item.key();
                if self.selected.remove(key) {
                    dropped.selected.push(key.clone());
                }
                if self.open.as_ref() == Some(key) {
                    dropped.open = self.open.take();
                }
                if self.current() == Some(key) {
                    gone_from = Some(position);
                }
            }
        }
        // A row that came and went between two change sets is in neither.
        let is_gone = |key: &T::Key| rows.position(key).is_none();
        for key in std::mem::take(&mut self.chosen) {
            if self.selected.contains(&key) && is_gone(&key) {
                self.selected.remove(&key);
                dropped.selected.push(key);
            }
        }
        if self.open.as_ref().is_some_and(is_gone) {
            dropped.open = self.open.take();
        }
        let Some((key, position)) = self.current.take() else {
            return dropped;
        };
        if let Some(position) = rows.position(&key) {
            self.current = Some((key, position));
            return dropped;
        }
        let nearest = match gone_from.and_then(|position| changes.follow(position)) {
            Some(Followed::At(nearest)) => Some(nearest),
            Some(Followed::Gone(nearest)) => nearest,
            None => rows.len().checked_sub(1).map(|last| last.min(position)),
        };
        self.current = nearest.and_then(|position| Some((key_at(rows, position).ok()?, position)));
        dropped.current = Some(key);
        dropped
    }

    fn go_to(&mut self, key: T::Key, position: usize) {
        self.current = Some((key, position));
    }

    /// Selects these rows and no others.
    fn choose_all<'a>(&mut self, items: impl Iterator<Item = &'a Arc<T>>)
    where
        T: 'a,
    {
        self.chosen = items.map(|item| item.key().clone()).collect();
        self.selected = self.chosen.iter().cloned().collect();
    }

    /// Selects a row by its key.
    fn choose(&mut self, key: T::Key) {
        self.chosen.push(key.clone());
        self.selected.insert(key);
    }
}

fn key_at<T: Item>(rows: &BoundList<'_, T>, position: usize) -> Result<T::Key, PositionError> {
    let item = rows.at(position).ok_or(PositionError::OutOfRange {
        position,
        len: rows.len(),
    })?;
    Ok(item.key().clone())
}

impl<T: Item> Default for Selection<T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<T: Item> fmt::Debug for Selection<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Selection")
            .field("current", &self.current())
            .field("selected", &self.selected)
            .field("open", &self.open)
            .finish()
    }
}

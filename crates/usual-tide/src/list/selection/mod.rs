//! What a person has marked in a list.

mod follow;

pub use follow::SelectionChange;

use super::positions::PositionError;
use super::view::{BoundList, Presence};
use crate::item::Item;
use hashbrown::HashSet;
use std::fmt;
use std::sync::Arc;

/// The current row, the selected rows and the open row of one list, by their keys, so that they survive
/// whatever happens to the rows.
///
/// It is kept by the change sets that the view applies: pass each to [`follow`](Self::follow). Rows that a filter,
/// a search, a window or a collapsed section hides stay selected, and the current row is current again when it
/// comes back. A row that is removed is selected no longer, unless an undo or the cancelling of its removal
/// brings it back. An item that was added and gets another key from the source is what it was: current, selected, open.
///
/// ```
/// use usual_tide::{Item, Query, Selection, Store};
/// # use usual_tide_pieces::with_id::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load((1..=5).map(|id| Piece { id }))?;
/// let list = store.bind(Query::new());
/// let feed = store.feed(list)?;
/// let mut selection = Selection::new();
/// selection.select_at(&store.list(list)?, 1)?;
/// selection.extend_to_at(&store.list(list)?, 3)?;
/// assert_eq!(selection.current(), Some(&4));
///
/// store.remove(&4)?;
/// if let Some(changes) = feed.read(&store)? {
///     let change = selection.follow(&changes, &store.list(list)?);
///     assert_eq!(change.removed, [4]);
/// }
/// assert_eq!(selection.current(), Some(&5));
/// assert_eq!(selection.selected_in(&store.list(list)?), [2, 3]);
///
/// store.history_mut().undo()?;
/// if let Some(changes) = feed.read(&store)? {
///     selection.follow(&changes, &store.list(list)?);
/// }
/// assert_eq!(selection.current(), Some(&4));
/// assert_eq!(selection.selected_in(&store.list(list)?), [2, 3, 4]);
/// # Ok(()) }
/// ```
///
/// ```
/// # use usual_tide::{Item, Query, Selection, Store};
/// # use usual_tide_pieces::with_id::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let mut store = Store::load((1..=5).map(|id| Piece { id }))?;
/// # let list = store.bind(Query::new());
/// // By key as by position; one row at a time with the arrow keys; one row may be open.
/// let rows = store.list(list)?;
/// let mut selection = Selection::new();
/// assert!(selection.select(&rows, &2));
/// assert!(selection.extend_to(&rows, &4));
/// assert!(selection.toggle(&rows, &3));
/// selection.toggle_at(&rows, 4)?;
/// assert_eq!(selection.selected_in(&rows), [2, 4, 5]);
/// selection.step(&rows, -1);
/// assert_eq!(selection.current(), Some(&4));
/// selection.open_at(&rows, 0)?;
/// assert!(selection.open(&rows, &1));
/// assert_eq!(selection.open_row(), Some(&1));
/// selection.close();
/// selection.select_all(&rows);
/// assert!((1..=5).all(|id| selection.is_selected(&id)));
/// // A row that the list does not show.
/// assert!(!selection.select(&rows, &9));
/// # Ok(()) }
/// ```
pub struct Selection<T: Item> {
    /// The current row, with its position when the last change set was followed.
    current: Option<(T::Key, usize)>,
    /// The row that the person made current, while it is not shown.
    wanted: Option<T::Key>,
    /// Where a range begins.
    anchor: Option<T::Key>,
    selected: HashSet<T::Key>,
    /// Selected rows that were removed: they are selected again when they come back.
    lost: HashSet<T::Key>,
    /// Rows that were selected since the last change set was followed.
    chosen: Vec<T::Key>,
    open: Option<T::Key>,
    /// How many keys that the source has given to added items are followed.
    given_keys: u64,
    /// Whether the list may hide a selected row.
    may_hide: bool,
    /// How many items had left the store when the last change set was followed.
    left: u64,
}

impl<T: Item> Selection<T> {
    /// Nothing is current, selected or open.
    pub fn new() -> Self {
        Self {
            current: None,
            wanted: None,
            anchor: None,
            selected: HashSet::new(),
            lost: HashSet::new(),
            chosen: Vec::new(),
            open: None,
            given_keys: 0,
            may_hide: false,
            left: 0,
        }
    }

    /// The key of the current row, which the list shows.
    pub fn current(&self) -> Option<&T::Key> {
        self.current.as_ref().map(|current| &current.0)
    }

    /// The key of the open row, even if it is hidden; there is one at most.
    pub fn open_row(&self) -> Option<&T::Key> {
        self.open.as_ref()
    }

    /// Whether a row is selected, even if it is hidden. O(1).
    pub fn is_selected(&self, key: &T::Key) -> bool {
        self.selected.contains(key)
    }

    /// How many rows are selected, the hidden ones among them, as of the last change set that was followed. O(1).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Selection, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let mut selection = Selection::new();
    /// selection.select_all(&store.list(list)?);
    /// assert_eq!(selection.len(), 3);
    /// # Ok(()) }
    /// ```
    pub fn len(&self) -> usize {
        self.selected.len()
    }

    /// Whether no row is selected, nor a hidden one. O(1).
    pub fn is_empty(&self) -> bool {
        self.selected.is_empty()
    }

    /// The keys of the selected rows that the list shows, in its order: what to pass to an edit of many.
    /// O(k log n).
    pub fn selected_in(&self, rows: &BoundList<'_, T>) -> Vec<T::Key> {
        let mut places: Vec<(usize, &T::Key)> = self
            .selected
            .iter()
            .filter_map(|key| Some((rows.position(key)?, key)))
            .collect();
        places.sort_unstable_by_key(|place| place.0);
        places.into_iter().map(|place| place.1.clone()).collect()
    }

    /// The keys of the selected rows that are hidden, in no order: "3 more selected". O(k log n).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Selection, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id, fired: id == 2 }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// let mut selection = Selection::new();
    /// selection.select(&store.list(list)?, &2);
    ///
    /// store.list_mut(list)?.set_query(Query::new().filter(Piece::FIRED.is(false)));
    /// let changes = feed.read(&store)?.ok_or("a row is hidden")?;
    /// let change = selection.follow(&changes, &store.list(list)?);
    /// assert_eq!((change.hidden, change.left), (vec![2], Some(2)));
    /// assert_eq!(selection.hidden_in(&store.list(list)?), [2]);
    /// assert_eq!(selection.current(), Some(&3));
    ///
    /// store.list_mut(list)?.set_query(Query::new());
    /// let changes = feed.read(&store)?.ok_or("it is back")?;
    /// selection.follow(&changes, &store.list(list)?);
    /// assert_eq!(selection.current(), Some(&2));
    /// # Ok(()) }
    /// ```
    pub fn hidden_in(&self, rows: &BoundList<'_, T>) -> Vec<T::Key> {
        // No change set tells of another key for a row that is hidden.
        let keys = self.selected.iter().map(|key| rows.key_now(key));
        let hidden = |key: &&T::Key| rows.presence(key) == Presence::Hidden;
        keys.filter(hidden).cloned().collect()
    }

    /// The keys of all selected rows, the hidden ones among them, in no order: what to note when the app is closed.
    pub fn keys(&self) -> impl Iterator<Item = &T::Key> {
        self.selected.iter()
    }

    /// Selects the rows with these keys and no others, and makes one current: what was noted when the app was closed. Of rows that
    /// the list hides, or that are not there yet, [`follow`](Self::follow) tells when they come. No row is open. O(k log n).
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Selection, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }, Piece { id: 2 }])?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// let mut selection = Selection::new();
    /// selection.restore(&store.list(list)?, [2, 3], Some(3));
    /// assert_eq!((selection.len(), selection.current()), (1, None));
    ///
    /// // The next page comes.
    /// store.add(Piece { id: 3 }, Place::End)?;
    /// let changes = feed.read(&store)?.ok_or("a row came")?;
    /// let change = selection.follow(&changes, &store.list(list)?);
    /// assert_eq!(change.returned, [3]);
    /// assert_eq!((selection.len(), selection.current()), (2, Some(&3)));
    /// # Ok(()) }
    /// ```
    pub fn restore(
        &mut self,
        rows: &BoundList<'_, T>,
        selected: impl IntoIterator<Item = T::Key>,
        current: Option<T::Key>,
    ) {
        *self = Self {
            given_keys: rows.given_keys().count(),
            left: rows.left().count(),
            ..Self::new()
        };
        for key in selected {
            let key = rows.key_now(&key).clone();
            match rows.presence(&key) {
                Presence::Shown(_) => self.choose(key),
                Presence::Hidden => {
                    self.may_hide = true;
                    self.selected.insert(key);
                }
                Presence::Absent => {
                    self.lost.insert(key);
                }
            }
        }
        let current = current.map(|key| rows.key_now(&key).clone());
        match current.as_ref().and_then(|key| rows.position(key)) {
            Some(position) => self.current = current.map(|key| (key, position)),
            None => self.wanted = current,
        }
    }

    /// Makes a row current and the only one selected. `false`, and nothing has changed, when the list does not
    /// show it. O(log n).
    pub fn select(&mut self, rows: &BoundList<'_, T>, key: &T::Key) -> bool {
        let position = rows.position(key);
        position.is_some_and(|position| self.select_at(rows, position).is_ok())
    }

    /// The same by the row's position. O(log n).
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn select_at(
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

    /// Goes this many rows down from the current one, or up with a negative number, not past the ends, and selects
    /// that row alone: what an arrow key does, or a page key. Without a current row it is the first, or going up
    /// the last. Gives the position; `None` where the list shows no row. O(log n).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Selection, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..30).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let rows = store.list(list)?;
    /// let mut selection = Selection::new();
    /// assert_eq!(selection.step(&rows, 1), Some(0));
    /// assert_eq!(selection.step(&rows, 1), Some(1));
    /// assert_eq!(selection.step(&rows, -20), Some(0));
    /// assert_eq!(selection.step(&rows, 100), Some(29));
    /// # Ok(()) }
    /// ```
    pub fn step(&mut self, rows: &BoundList<'_, T>, by: isize) -> Option<usize> {
        let last = rows.len().checked_sub(1)?;
        let from = self.current().and_then(|key| rows.position(key));
        let to = match from {
            Some(from) => from.saturating_add_signed(by).min(last),
            None if by < 0 => last,
            None => 0,
        };
        self.select_at(rows, to).ok()?;
        Some(to)
    }

    /// Makes a row current, and selects it when it was not selected, or the other way round. `false`, and nothing
    /// has changed, when the list does not show it. O(log n).
    pub fn toggle(&mut self, rows: &BoundList<'_, T>, key: &T::Key) -> bool {
        let position = rows.position(key);
        position.is_some_and(|position| self.toggle_at(rows, position).is_ok())
    }

    /// The same by the row's position. O(log n).
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn toggle_at(
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

    /// Selects a row no longer, be it hidden. `false` when it was not selected. O(1).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Selection, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }, Piece { id: 2 }])?;
    /// let list = store.bind(Query::new());
    /// let mut selection = Selection::new();
    /// selection.select_all(&store.list(list)?);
    /// assert!(selection.deselect(&1));
    /// assert_eq!(selection.selected_in(&store.list(list)?), [2]);
    /// # Ok(()) }
    /// ```
    pub fn deselect(&mut self, key: &T::Key) -> bool {
        // Neither when it is undone that it was removed.
        self.lost.remove(key);
        self.selected.remove(key)
    }

    /// Makes a row current and selects the range from the row that was selected or toggled last; where that is not shown
    /// any more, from the current row, or from the first without one. What was selected outside of the range no longer is.
    /// `false`, and nothing has changed, when the list does not show the row. O(rows in the range).
    pub fn extend_to(&mut self, rows: &BoundList<'_, T>, key: &T::Key) -> bool {
        let position = rows.position(key);
        position.is_some_and(|position| self.extend_to_at(rows, position).is_ok())
    }

    /// The same by the row's position. O(rows in the range).
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn extend_to_at(
        &mut self,
        rows: &BoundList<'_, T>,
        position: usize,
    ) -> Result<(), PositionError> {
        let key = key_at(rows, position)?;
        let position_of = |key: &T::Key| rows.position(key);
        let anchor = match self.anchor.as_ref().and_then(position_of) {
            Some(anchor) => anchor,
            None => {
                let anchor = self.current().and_then(position_of).unwrap_or(0);
                self.anchor = key_at(rows, anchor).ok();
                anchor
            }
        };
        let range = anchor.min(position)..anchor.max(position) + 1;
        self.choose_all(rows.items_in(range));
        self.go_to(key, position);
        Ok(())
    }

    /// Selects every row that the list shows. O(n).
    pub fn select_all(&mut self, rows: &BoundList<'_, T>) {
        self.choose_all(rows.items());
    }

    /// Selects nothing, hidden rows neither; the current row stays.
    pub fn clear(&mut self) {
        self.selected.clear();
        self.lost.clear();
        self.chosen.clear();
        self.anchor = None;
    }

    /// Opens a row, and closes the one that was open. `false`, and nothing has changed, when the list does not
    /// show it. O(log n).
    pub fn open(&mut self, rows: &BoundList<'_, T>, key: &T::Key) -> bool {
        let position = rows.position(key);
        position.is_some_and(|position| self.open_at(rows, position).is_ok())
    }

    /// The same by the row's position. O(log n).
    ///
    /// # Errors
    ///
    /// [`PositionError::OutOfRange`], and nothing has changed.
    pub fn open_at(
        &mut self,
        rows: &BoundList<'_, T>,
        position: usize,
    ) -> Result<(), PositionError> {
        self.open = Some(key_at(rows, position)?);
        Ok(())
    }

    /// Closes the open row.
    pub fn close(&mut self) {
        self.open = None;
    }

    fn go_to(&mut self, key: T::Key, position: usize) {
        self.current = Some((key, position));
        self.wanted = None;
    }

    /// Selects these rows and no others.
    fn choose_all<'a>(&mut self, items: impl Iterator<Item = &'a Arc<T>>)
    where
        T: 'a,
    {
        self.chosen = items.map(|item| item.key().clone()).collect();
        self.selected = self.chosen.iter().cloned().collect();
        self.lost.clear();
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

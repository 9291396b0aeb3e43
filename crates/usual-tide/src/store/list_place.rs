//! Places as a person sees them: relative to the rows of a list.

use super::Store;
use super::error::EditError;
use super::place::Place;
use crate::item::Item;
use crate::list::{ListId, UnknownList};
use std::fmt::Debug;

/// Why an edit at a place in a list was refused. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ListEditError<K: Debug> {
    /// The list is not bound to this store.
    #[error(transparent)]
    UnknownList(#[from] UnknownList),
    /// The list is sorted, so that its order is not set by hand.
    #[error("the list is sorted, and a place in it cannot be chosen: take the sort off first")]
    Sorted,
    /// The list does not show this item.
    #[error("the list does not show the item with the key {0:?}")]
    NotShown(K),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<K>),
}

impl<T: Item> Store<T> {
    /// Adds an item at a place among the rows that a list shows.
    ///
    /// It lands next to its visible neighbour in source order: right after the row above it, or right
    /// before the row below when it is first. Whether the list then shows it is up to the filter.
    /// O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, there is no such place in it, or the key is taken.
    pub fn add_in(
        &mut self,
        list: ListId,
        item: T,
        place: Place<T::Key>,
    ) -> Result<(), ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let place = store.place_in(list, &place, &[])?.unwrap_or(Place::End);
            Ok(store.add(item, place)?)
        })
    }

    /// Moves rows of a list to another place in it, side by side in their order. `true` when the list
    /// shows another order afterwards. O(k log n) a list.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: char }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let order = |store: &Store<Piece>| store.items().map(|piece| piece.id).collect::<String>();
    /// let mut store = Store::load("AxyBzC".chars().map(|id| Piece { id }))?;
    /// let capitals = store.bind(Query::new().filter(|piece: &Piece| piece.id.is_uppercase()));
    ///
    /// // The list shows A, B, C. Dropping A into the gap between B and C puts it right after B,
    /// // whatever hidden rows there are.
    /// store.move_in(capitals, &['A'], Place::Gap(2))?;
    /// assert_eq!(order(&store), "xyBAzC");
    ///
    /// // To the very top of the list: right before B, which was first.
    /// store.move_in(capitals, &['C'], Place::Start)?;
    /// assert_eq!(order(&store), "xyCBAz");
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, does not show one of the rows, or has no such place.
    pub fn move_in(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        place: Place<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let mut lifted = keys
                .iter()
                .map(|key| store.shown_position(list, key))
                .collect::<Result<Vec<_>, _>>()?;
            lifted.sort_unstable();
            lifted.dedup();
            match store.place_in(list, &place, &lifted)? {
                Some(place) => Ok(store.move_many(keys, place)?),
                None => Ok(false),
            }
        })
    }

    fn shown_position(&self, list: ListId, key: &T::Key) -> Result<usize, ListEditError<T::Key>> {
        self.known_slot(key)?;
        let position = self.list(list)?.position(key);
        position.ok_or_else(|| ListEditError::NotShown(key.clone()))
    }

    /// A place among the shown rows as a place in source order; none when the lifted rows are there
    /// already. `lifted` are positions in the list, ascending.
    pub(super) fn place_in(
        &self,
        list: ListId,
        place: &Place<T::Key>,
        lifted: &[usize],
    ) -> Result<Option<Place<T::Key>>, ListEditError<T::Key>> {
        let shown = self.list(list)?;
        if shown.query().sorting().is_some() {
            return Err(ListEditError::Sorted);
        }
        let (rows, rest) = (shown.len(), shown.len() - lifted.len());
        let within = |position: usize, last: usize| {
            (position <= last)
                .then_some(position)
                .ok_or(EditError::OutOfRange { position, last })
        };
        let before = |gap: usize| gap - lifted.partition_point(|position| *position < gap);
        let target = match place {
            Place::Start => 0,
            Place::End => rest,
            Place::Row(row) => within(*row, rest)?,
            Place::Gap(gap) => before(within(*gap, rows)?),
            Place::Before(key) => before(self.shown_position(list, key)?),
            Place::After(key) => before(self.shown_position(list, key)? + 1),
        };
        // Rows that are hidden in between are no reason to touch the source.
        if lifted.iter().copied().eq(target..target + lifted.len()) && !lifted.is_empty() {
            return Ok(None);
        }
        let neighbour = |row: usize| {
            let shifted = |row, lifted: &usize| row + usize::from(*lifted <= row);
            let item = shown.get(lifted.iter().fold(row, shifted))?;
            Some(item.key().clone())
        };
        let above = target.checked_sub(1).and_then(neighbour).map(Place::After);
        Ok(above.or_else(|| neighbour(target).map(Place::Before)))
    }
}

//! Edits of several items at once.

use super::Store;
use super::duplicates::{OnDuplicate, among};
use super::error::EditError;
use super::place::Place;
use crate::item::Item;
use crate::order::Slot;
use crate::parts::rows_in_parts;
use hashbrown::HashMap;
use std::sync::Arc;

impl<T: Item> Store<T> {
    /// Adds items side by side, in their order. All are added, or none. O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::Duplicates`] with every key that is taken or occurs twice, and those of
    /// [`add`](Self::add), of the first item that is refused.
    pub fn add_many(
        &mut self,
        items: impl IntoIterator<Item = T>,
        place: Place<T::Key>,
    ) -> Result<(), EditError<T::Key>> {
        self.add_many_with(items, place, OnDuplicate::Refuse)
    }

    /// The same, with a choice of what to do when a key occurs twice. With
    /// [`OnDuplicate::KeepFirst`] an item whose key is taken is left out; with
    /// [`OnDuplicate::KeepLast`] it replaces the item that has the key, at that one's place.
    ///
    /// # Errors
    ///
    /// Those of [`add_many`](Self::add_many).
    ///
    /// ```
    /// use usual_tide::edits::OnDuplicate;
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
    /// let mut store = Store::load([(1, "Bowl")].map(piece))?;
    /// store.add_many_with([(1, "Mug"), (2, "Jug")].map(piece), Place::End, OnDuplicate::KeepLast)?;
    /// let titles: Vec<&str> = store.items().map(|piece| piece.title.as_str()).collect();
    /// assert_eq!(titles, ["Mug", "Jug"]);
    /// # Ok(()) }
    /// ```
    pub fn add_many_with(
        &mut self,
        items: impl IntoIterator<Item = T>,
        place: Place<T::Key>,
        on_duplicate: OnDuplicate,
    ) -> Result<(), EditError<T::Key>> {
        self.end_dropped_drafts();
        let mut items: Vec<T> = items.into_iter().collect();
        for item in &mut items {
            self.normalize(item);
        }
        let at = self.target_position(&place, &[])?;
        let items = match on_duplicate {
            OnDuplicate::Refuse => {
                let is_taken = |key: &T::Key| {
                    let slot = self.slot(key);
                    slot.is_some_and(|slot| !self.yields_to_source(slot))
                };
                let found = among(items.iter().map(T::key), is_taken);
                if !found.is_empty() {
                    return Err(EditError::Duplicates(found));
                }
                items
            }
            OnDuplicate::KeepFirst | OnDuplicate::KeepLast => {
                let last = on_duplicate == OnDuplicate::KeepLast;
                keep_one(items, last)
            }
        };
        self.attempt(|store| {
            let aside = store.set_aside_for(items.iter().map(T::key));
            let at = at - aside.iter().filter(|blank| blank.at < at).count();
            store.base.keys.reserve(items.len(), &store.base.items);
            let mut added = Vec::with_capacity(items.len());
            for item in items {
                match store.slot(item.key()) {
                    None => {
                        store.accept(&item)?;
                        added.push(store.register_item(Arc::new(item))?);
                    }
                    Some(slot) if on_duplicate == OnDuplicate::KeepLast => {
                        if store.base.items.get(slot).is_some_and(|old| **old != item) {
                            store.accept(&item)?;
                            store.swap_item(slot, Arc::new(item));
                        }
                    }
                    Some(_) => {}
                }
            }
            store.base.source.insert_run(at, &added, &[]);
            store.return_blanks(aside);
            Ok(())
        })
    }

    /// Edits items in the same way. How many differ afterwards; a key that is named twice counts once. All
    /// are edited, or none.
    ///
    /// The closure may run on several threads at once. It is faster than as many single edits in a batch.
    /// O(k log n) a list.
    ///
    /// ```
    /// # use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=5).map(|id| Piece { id, fired: id == 2 }))?;
    /// assert_eq!(store.edit_many(&[1, 2, 3], |piece| piece.fired = true)?, 2);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`] with the first key that no item has, and those of
    /// [`edit`](Self::edit), of the first item that is refused.
    pub fn edit_many(
        &mut self,
        keys: &[T::Key],
        edit: impl Fn(&mut T) + Sync,
    ) -> Result<usize, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slots = rows_in_parts(keys.len(), |part| -> Result<Vec<Slot>, _> {
            keys[part].iter().map(|key| self.known_slot(key)).collect()
        });
        let mut slots = slots.into_iter().collect::<Result<Vec<_>, _>>()?.concat();
        slots.sort_unstable();
        slots.dedup();
        let edited = rows_in_parts(slots.len(), |part| -> Result<Vec<_>, _> {
            let edited = slots[part].iter().map(|slot| self.edited(*slot, &edit));
            edited.filter_map(Result::transpose).collect()
        });
        let edited = edited.into_iter().collect::<Result<Vec<_>, _>>()?;
        let count = edited.iter().map(Vec::len).sum();
        self.attempt(|store| {
            for (slot, item) in edited.into_iter().flatten() {
                store.accept(&item)?;
                store.set_version(slot, item);
            }
            Ok(count)
        })
    }

    /// An item as an edit leaves it; none when it stays the same.
    fn edited(
        &self,
        slot: Slot,
        edit: &impl Fn(&mut T),
    ) -> Result<Option<Edited<T>>, EditError<T::Key>> {
        let Some(before) = self.base.items.get(slot) else {
            return Ok(None);
        };
        let mut item = T::clone(before);
        edit(&mut item);
        self.normalize(&mut item);
        if before.key() != item.key() {
            return Err(EditError::KeyChanged {
                from: before.key().clone(),
                to: item.key().clone(),
            });
        }
        let differs = **before != item || self.yields_to_source(slot);
        Ok(differs.then(|| (slot, Arc::new(item))))
    }

    /// Removes items; gives them back in source order. A key that is named twice counts once. All are
    /// removed, or none. O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`] with the first key that no item has.
    pub fn remove_many(&mut self, keys: &[T::Key]) -> Result<Vec<Arc<T>>, EditError<T::Key>> {
        self.end_dropped_drafts();
        let rows = self.known_rows(keys)?;
        let items = rows
            .iter()
            .filter_map(|(_, slot)| self.base.items.get(*slot));
        let items = items.cloned().collect();
        self.attempt(|store| {
            for (_, slot) in rows {
                store.remove_row(slot);
            }
            Ok(items)
        })
    }

    /// Moves items side by side to another place in source order; they keep their relative order.
    /// `true` when any of them has another position afterwards. O(k log n) a list.
    ///
    /// ```
    /// # use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_letter::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load("abcde".chars().map(|id| Piece { id }))?;
    /// store.move_many(&['d', 'b'], Place::After('e'))?;
    /// assert_eq!(store.items().map(|piece| piece.id).collect::<String>(), "acebd");
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`] and [`EditError::OutOfRange`].
    pub fn move_many(
        &mut self,
        keys: &[T::Key],
        place: Place<T::Key>,
    ) -> Result<bool, EditError<T::Key>> {
        self.end_dropped_drafts();
        let rows = self.known_rows(keys)?;
        let lifted: Vec<usize> = rows.iter().map(|(position, _)| *position).collect();
        let to = self.target_position(&place, &lifted)?;
        if lifted.iter().copied().eq(to..to + lifted.len()) {
            return Ok(false);
        }
        self.attempt(|store| {
            for (_, slot) in &rows {
                store.detach(*slot);
            }
            for (offset, (_, slot)) in rows.iter().enumerate() {
                store.attach(*slot, to + offset);
            }
            Ok(true)
        })
    }

    /// Positions and slots of items, in source order, each once.
    pub(super) fn known_rows(
        &self,
        keys: &[T::Key],
    ) -> Result<Vec<(usize, Slot)>, EditError<T::Key>> {
        let mut rows = keys
            .iter()
            .map(|key| Ok((self.known_position(key)?, self.changeable_slot(key)?)))
            .collect::<Result<Vec<_>, _>>()?;
        rows.sort_unstable();
        rows.dedup();
        Ok(rows)
    }
}

/// An item as an edit leaves it.
type Edited<T> = (Slot, Arc<T>);

/// One item for each key, at the place of the first: the first of them, or the last.
pub(super) fn keep_one<T: Item>(items: Vec<T>, last: bool) -> Vec<T> {
    let mut places: HashMap<T::Key, usize> = HashMap::with_capacity(items.len());
    let mut kept: Vec<T> = Vec::with_capacity(items.len());
    for item in items {
        match places.get(item.key()) {
            Some(place) if last => kept[*place] = item,
            Some(_) => {}
            None => {
                places.insert(item.key().clone(), kept.len());
                kept.push(item);
            }
        }
    }
    kept
}

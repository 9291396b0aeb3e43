//! Sections of grouped lists: collapsed, expanded, and entered by rows that are moved there.

use super::Store;
use super::list_place::ListEditError;
use super::place::Place;
use crate::change::SectionKey;
use crate::item::Item;
use crate::list::{ListId, UnknownList};
use std::fmt::Debug;

/// Why a section cannot be collapsed or expanded. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SectionError {
    /// The list is not bound to this store.
    #[error(transparent)]
    UnknownList(#[from] UnknownList),
    /// The list has no such section.
    #[error("the list has no section {0:?}")]
    UnknownSection(SectionKey),
}

impl<T: Item> Store<T> {
    /// Hides the rows of a section under its heading; its count and totals go on. `true` when it was expanded.
    /// A section that goes and comes back is collapsed again. O(rows of the section) for its feeds.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, SectionKey, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, shelf: String }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([piece(1, "A"), piece(2, "A"), piece(3, "B")])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let feed = store.feed(list)?;
    ///
    /// store.collapse(list, &SectionKey::from("A"))?;
    /// assert_eq!(feed.read(&store)?.ok_or("no change")?.removed()[0].range(), 0..2);
    /// let rows = store.list(list)?;
    /// assert_eq!((rows.len(), rows.sections().count()), (1, 2));
    /// assert_eq!(rows.section(0).ok_or("no section")?.count(), 2);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`SectionError`].
    pub fn collapse(&mut self, list: ListId, section: &SectionKey) -> Result<bool, SectionError> {
        self.set_collapsed(list, Some(section), true)
    }

    /// Shows the rows of a section again. `true` when it was collapsed.
    ///
    /// # Errors
    ///
    /// [`SectionError`].
    pub fn expand(&mut self, list: ListId, section: &SectionKey) -> Result<bool, SectionError> {
        self.set_collapsed(list, Some(section), false)
    }

    /// Collapses every section that is there. `true` when one was expanded.
    ///
    /// # Errors
    ///
    /// [`SectionError`] when the list is unknown.
    pub fn collapse_all(&mut self, list: ListId) -> Result<bool, SectionError> {
        self.set_collapsed(list, None, true)
    }

    /// Expands every section that is there. `true` when one was collapsed.
    ///
    /// # Errors
    ///
    /// [`SectionError`] when the list is unknown.
    pub fn expand_all(&mut self, list: ListId) -> Result<bool, SectionError> {
        self.set_collapsed(list, None, false)
    }

    fn set_collapsed(
        &mut self,
        list: ListId,
        section: Option<&SectionKey>,
        collapsed: bool,
    ) -> Result<bool, SectionError> {
        self.attempt_with_lists(|store| {
            let (state, _) = store.list_state_mut(list)?;
            match (state.set_collapsed(section, collapsed), section) {
                (Some(changed), _) => Ok(changed),
                (None, Some(section)) => Err(SectionError::UnknownSection(section.clone())),
                (None, None) => Ok(false),
            }
        })
    }

    /// Moves rows of a list to another section, as the grouping says how, and leaves their place in the
    /// source; in a sorted list they stand there as the sort wants it. `true` when an item changed.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, SectionKey, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, shelf: String }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([piece(1, "A"), piece(2, "B")])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF).regroup()));
    /// store.regroup(list, &[1], &SectionKey::from("B"))?;
    /// assert_eq!(store.get(&1).ok_or("no piece")?.shelf, "B");
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the grouping does not say how, or the item refuses; a row is not shown.
    pub fn regroup(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        section: &SectionKey,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            store.known_section(list, section)?;
            let mut changed = false;
            for key in keys {
                store.shown_position(list, key)?;
                changed |= store.enter_section(list, key, section)?;
            }
            Ok(changed)
        })
    }

    /// Moves rows of a list to a place in a section: `Row` and `Gap` count the rows of that section, and the
    /// keys of `Before` and `After` are in it. Rows that come from another section are changed as the grouping
    /// says. `true` when an item or the order changed.
    ///
    /// This is what a drag reports that ends over a section, be it empty, collapsed, or at the seam of two.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, has no such section or place, the grouping does not say how a
    /// row is changed, or a row is not shown.
    pub fn move_to_section(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        section: &SectionKey,
        place: Place<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            store.known_section(list, section)?;
            let lifted = store.lifted(list, keys)?;
            let target_position = store.destination_in_section(list, section, &place, &lifted)?;
            store.move_rows_to(list, keys, target_position)
        })
    }

    fn known_section(
        &self,
        list: ListId,
        section: &SectionKey,
    ) -> Result<usize, ListEditError<T::Key>> {
        let at = self.list(list)?.section_position(section);
        Ok(at.ok_or_else(|| SectionError::UnknownSection(section.clone()))?)
    }

    /// The section of an item in a grouped list.
    pub(super) fn section_of(&self, list: ListId, item: &T) -> Result<SectionKey, UnknownList> {
        let rows = self.list(list)?;
        Ok(rows
            .query()
            .grouping()
            .map_or(SectionKey::WHOLE, |group| group.key(item)))
    }

    /// Changes an item so that it belongs to a section. `true` when it did not.
    pub(super) fn enter_section(
        &mut self,
        list: ListId,
        key: &T::Key,
        section: &SectionKey,
    ) -> Result<bool, ListEditError<T::Key>> {
        let slot = self.known_slot(key)?;
        let Some(item) = self.items.get(slot) else {
            return Ok(false);
        };
        if self.section_of(list, item)? == *section {
            return Ok(false);
        }
        let changed = self.regrouped(list, T::clone(item), section)?;
        Ok(self.replace(changed)?)
    }

    /// An item as it is in a section.
    pub(super) fn regrouped(
        &self,
        list: ListId,
        mut item: T,
        section: &SectionKey,
    ) -> Result<T, ListEditError<T::Key>> {
        let from = self.section_of(list, &item)?;
        if from == *section {
            return Ok(item);
        }
        let rows = self.list(list)?;
        let moved = rows
            .query()
            .grouping()
            .and_then(|group| group.move_to(&mut item, section));
        let other_section = || {
            Box::new(OtherSection {
                from,
                to: section.clone(),
            })
        };
        match moved {
            None => Err(ListEditError::OtherSection(other_section())),
            Some(Err(error)) => Err(ListEditError::CannotRegroup(error)),
            Some(Ok(())) if self.section_of(list, &item)? != *section => {
                Err(ListEditError::NotRegrouped(other_section()))
            }
            Some(Ok(())) => Ok(item),
        }
    }
}

/// A row was to go from one section to another.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct OtherSection {
    /// The section that the row is in.
    pub from: SectionKey,
    /// The section that it was to go to.
    pub to: SectionKey,
}

impl std::fmt::Display for OtherSection {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "from section {:?} to {:?}",
            self.from.to_string(),
            self.to.to_string()
        )
    }
}

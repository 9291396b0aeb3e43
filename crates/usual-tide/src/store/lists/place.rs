//! Places as a person sees them: relative to the rows of a list.

use super::sections::{OtherSection, SectionError};
use crate::item::SectionKey;
use crate::item::{InputError, Item};
use crate::list::{BoundList, ListId, UnknownList};
use crate::store::{EditError, Place, Store};
use std::fmt::Debug;
use std::ops::Range;

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
    /// The list has no such section.
    #[error(transparent)]
    Section(#[from] SectionError),
    /// The row would go to another section, and the grouping does not say how its item is changed for that.
    #[error(
        "the row cannot go {0}: the grouping does not say how an item is regrouped (Group::regroup)"
    )]
    OtherSection(Box<OtherSection>),
    /// The item would not take the section's value.
    #[error("the row cannot go to the other section: {0}")]
    CannotRegroup(InputError),
    /// The item was changed as the grouping says, and does not belong to the section all the same.
    #[error("the row was to go {0}, and what the grouping made of it does not belong there")]
    NotRegrouped(Box<OtherSection>),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<K>),
}

impl<T: Item> Store<T> {
    pub(super) fn add_in(
        &mut self,
        list: ListId,
        item: T,
        place: Place<T::Key>,
    ) -> Result<(), ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let (item, place) = store.item_for_place(list, item, &place)?;
            Ok(store.add(item, place)?)
        })
    }

    pub(super) fn move_in(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        place: Place<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let lifted = store.lifted(list, keys)?;
            let rows = store.list(list)?;
            let own = lifted.iter().filter_map(|at| section_at(&rows, *at));
            let own: Vec<SectionKey> = own.collect();
            let target_position = store.destination_in(list, &place, &lifted, &own)?;
            store.move_rows_to(list, keys, target_position)
        })
    }

    /// Moves a row past its neighbour in the list, or into the neighbouring section. `false` at the end.
    pub(super) fn move_by_one(
        &mut self,
        list: ListId,
        key: &T::Key,
        down: bool,
    ) -> Result<bool, ListEditError<T::Key>> {
        let at = self.shown_position(list, key)?;
        let rows = self.list(list)?;
        if rows.query().sorting().is_some() {
            return Err(ListEditError::Sorted);
        }
        let keys = std::slice::from_ref(key);
        let place = rows.section_row(at);
        let own = place.map_or(0..rows.len(), |place| rows.rows_in(place.section));
        let neighbour = match down {
            true => Some(at + 1),
            false => at.checked_sub(1),
        };
        match neighbour.filter(|neighbour| own.contains(neighbour)) {
            Some(to) => self.move_in(list, keys, Place::Row(to)),
            None => {
                let section = place.and_then(|place| match down {
                    true => rows.section_at(place.section + 1),
                    false => rows.section_at(place.section.checked_sub(1)?),
                });
                let Some(section) = section else {
                    return Ok(false);
                };
                let end = if down { Place::Start } else { Place::End };
                self.move_to_section(list, keys, section.key(), end)
            }
        }
    }

    /// The positions of rows in a list, ascending.
    pub(super) fn lifted(
        &self,
        list: ListId,
        keys: &[T::Key],
    ) -> Result<Vec<usize>, ListEditError<T::Key>> {
        let positions = keys.iter().map(|key| self.shown_position(list, key));
        let mut lifted = positions.collect::<Result<Vec<_>, _>>()?;
        lifted.sort_unstable();
        lifted.dedup();
        Ok(lifted)
    }

    /// Carries out a move.
    pub(super) fn move_rows_to(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        target_position: Destination<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        let mut changed = false;
        if let Some(section) = &target_position.section {
            let rows = self.list(list)?;
            let comes_from_another = |key: &&T::Key| {
                let own = rows.position(key).and_then(|at| section_at(&rows, at));
                own.as_ref() != Some(section)
            };
            let coming: Vec<&T::Key> = keys.iter().filter(comes_from_another).collect();
            changed = !coming.is_empty();
            self.enter_section(list, coming, section)?;
        }
        if let Some(place) = target_position.place
            && (changed || !target_position.there)
        {
            changed |= self.move_many(keys, place)?;
        }
        Ok(changed)
    }

    /// An item that is new to a list, as it is in the section of its place, and the place in the source.
    pub(in crate::store) fn item_for_place(
        &self,
        list: ListId,
        item: T,
        place: &Place<T::Key>,
    ) -> Result<PlacedItem<T>, ListEditError<T::Key>> {
        let own = self.section_of(list, &item)?;
        let target_position = self.destination_in(list, place, &[], &[own])?;
        let item = match &target_position.section {
            Some(section) => self.regrouped(list, item, section)?,
            None => item,
        };
        Ok((item, target_position.place.unwrap_or(Place::End)))
    }

    pub(super) fn shown_position(
        &self,
        list: ListId,
        key: &T::Key,
    ) -> Result<usize, ListEditError<T::Key>> {
        self.known_slot(key)?;
        let position = self.list(list)?.position(key);
        position.ok_or_else(|| ListEditError::NotShown(key.clone()))
    }

    /// A place among the shown rows as a place in source order. `lifted` are positions in the list, ascending,
    /// and `own` the sections of the rows that are to go there.
    ///
    /// Between two sections the rows stay in their own where that is one of the two, else they go to the one
    /// above.
    fn destination_in(
        &self,
        list: ListId,
        place: &Place<T::Key>,
        lifted: &[usize],
        own: &[SectionKey],
    ) -> Result<Destination<T::Key>, ListEditError<T::Key>> {
        let shown = self.list(list)?;
        let shown_keys = 0..shown.len();
        let target = self.target(list, place, lifted, &shown_keys)?;
        let section = if shown.query().grouping().is_none() {
            None
        } else {
            let of = |position: Option<usize>| section_at(&shown, position?);
            let above = || of(target.above);
            let below = || of(target.below);
            let named = match place {
                Place::Before(key) | Place::After(key) => of(shown.position(key)),
                _ => None,
            };
            let is_own = |section: &SectionKey| own.iter().all(|own| own == section);
            named
                .or_else(|| above().filter(is_own))
                .or_else(|| below().filter(is_own))
                .or_else(above)
                .or_else(below)
        };
        self.destination_at(list, target, section)
    }

    /// A place among the rows of a section.
    pub(super) fn destination_in_section(
        &self,
        list: ListId,
        section: &SectionKey,
        place: &Place<T::Key>,
        lifted: &[usize],
    ) -> Result<Destination<T::Key>, ListEditError<T::Key>> {
        let shown = self.list(list)?;
        let at = shown.section_position(section);
        let rows = at.map_or(0..0, |at| shown.rows_in(at));
        let inside: Vec<usize> = lifted
            .iter()
            .copied()
            .filter(|position| rows.contains(position))
            .collect();
        let mut target = self.target(list, place, &inside, &rows)?;
        target.there &= inside.len() == lifted.len();
        self.destination_at(list, target, Some(section.clone()))
    }

    /// The neighbours of a place among some of the rows that a list shows.
    fn target(
        &self,
        list: ListId,
        place: &Place<T::Key>,
        lifted: &[usize],
        among: &Range<usize>,
    ) -> Result<Target, ListEditError<T::Key>> {
        let shown = self.list(list)?;
        if shown.query().sorting().is_some() {
            return Err(ListEditError::Sorted);
        }
        let (rows, rest) = (among.len(), among.len() - lifted.len());
        let within = |position: usize, last: usize| {
            (position <= last)
                .then_some(position)
                .ok_or(EditError::OutOfRange { position, last })
        };
        let first = among.start;
        let before = |gap: usize| gap - lifted.partition_point(|position| *position < first + gap);
        let of_key = |key: &T::Key| {
            let position = self.shown_position(list, key)?;
            let inside = among.contains(&position).then(|| position - first);
            inside.ok_or_else(|| ListEditError::NotShown(key.clone()))
        };
        let target = match place {
            Place::Start => 0,
            Place::End => rest,
            Place::Row(row) => within(*row, rest)?,
            Place::Gap(gap) => before(within(*gap, rows)?),
            Place::Before(key) => before(of_key(key)?),
            Place::After(key) => before(of_key(key)? + 1),
        };
        let start = first + target;
        // The position of a row that is not taken out, by its place among those.
        let position = |row: usize| {
            let shifted = |row, lifted: &usize| row + usize::from(*lifted <= row);
            let position = lifted.iter().fold(first + row, shifted);
            among.contains(&position).then_some(position)
        };
        Ok(Target {
            above: target.checked_sub(1).and_then(position),
            below: position(target),
            there: lifted.iter().copied().eq(start..start + lifted.len()) && !lifted.is_empty(),
        })
    }

    /// The place in the source next to a neighbour in the same section.
    fn destination_at(
        &self,
        list: ListId,
        target: Target,
        section: Option<SectionKey>,
    ) -> Result<Destination<T::Key>, ListEditError<T::Key>> {
        let shown = self.list(list)?;
        let neighbour = |position: Option<usize>| {
            let item = shown.at(position?)?;
            let same = section.is_none() || section_at(&shown, position?) == section;
            same.then(|| item.key().clone())
        };
        let above = neighbour(target.above).map(Place::After);
        Ok(Destination {
            place: above.or_else(|| neighbour(target.below).map(Place::Before)),
            section,
            there: target.there,
        })
    }
}

/// The section that a row stands in: that of a held row need not be its item's.
fn section_at<T: Item>(rows: &BoundList<'_, T>, position: usize) -> Option<SectionKey> {
    let place = rows.section_row(position)?;
    Some(rows.section_at(place.section)?.key().clone())
}

/// An item that is new to a list, and its place in the source.
type PlacedItem<T> = (T, Place<<T as Item>::Key>);

/// A place among the rows of a list: the positions of the rows around it that are not taken out.
struct Target {
    above: Option<usize>,
    below: Option<usize>,
    /// Whether the rows that are taken out are there already; rows that are hidden in between are no reason to touch the
    /// source.
    there: bool,
}

/// Where rows go.
pub(super) struct Destination<K> {
    /// The place in source order; none where there is no neighbour.
    place: Option<Place<K>>,
    /// The section in a grouped list.
    section: Option<SectionKey>,
    there: bool,
}

//! Sections of grouped lists: collapsed, expanded, and entered by rows that are moved there.

use super::place::ListEditError;
use crate::item::Item;
use crate::item::SectionKey;
use crate::list::{ListId, UnknownList};
use crate::store::{Place, Store};
use hashbrown::HashSet;
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
    pub(super) fn set_collapsed(
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

    pub(super) fn collapse_only(
        &mut self,
        list: ListId,
        keys: HashSet<SectionKey>,
    ) -> Result<bool, UnknownList> {
        self.attempt_with_lists(|store| {
            let (state, _) = store.list_state_mut(list)?;
            Ok(state.collapse_only(keys))
        })
    }

    pub(super) fn regroup(
        &mut self,
        list: ListId,
        keys: &[T::Key],
        section: &SectionKey,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            store.known_section(list, section)?;
            for key in keys {
                store.shown_position(list, key)?;
            }
            store.enter_section(list, keys, section)
        })
    }

    pub(super) fn move_to_section(
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
    pub(in crate::store) fn section_of(
        &self,
        list: ListId,
        item: &T,
    ) -> Result<SectionKey, UnknownList> {
        let rows = self.list(list)?;
        Ok(rows
            .query()
            .grouping()
            .map_or(SectionKey::WHOLE, |group| group.key(item)))
    }

    /// Changes items so that they belong to a section, where the rows stand then, held or not. `true` when one did not.
    pub(super) fn enter_section<'k>(
        &mut self,
        list: ListId,
        keys: impl IntoIterator<Item = &'k T::Key>,
        section: &SectionKey,
    ) -> Result<bool, ListEditError<T::Key>>
    where
        T::Key: 'k,
    {
        let mut changed = false;
        let mut held = Vec::new();
        for key in keys {
            let slot = self.known_slot(key)?;
            let Some(item) = self.base.items.get(slot) else {
                continue;
            };
            if self.special.holds(slot) {
                held.push(slot);
            }
            if self.section_of(list, item)? != *section {
                let item = self.regrouped(list, T::clone(item), section)?;
                changed |= self.replace(item)?;
            }
        }
        if !held.is_empty() {
            self.update_lists();
            let (state, context) = self.list_state_mut(list)?;
            for slot in held {
                state.hold_anew(slot, context);
            }
        }
        Ok(changed)
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

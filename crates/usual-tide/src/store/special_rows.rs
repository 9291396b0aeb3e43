//! Special rows: held ones, blank ones of drafts, and those proposed for removal.

use super::Store;
use super::drafts::OpenDraft;
use super::journal::{PriorPlace, Step};
use super::removals::PendingRemoval;
use crate::item::Item;
use crate::order::Slot;
use std::collections::{BTreeMap, BTreeSet};

/// Which rows are special, and why.
#[derive(Clone)]
pub(super) struct SpecialRows<K> {
    pub(super) drafts: Vec<OpenDraft>,
    /// Rows of drafts that are no items of the person's yet.
    pub(super) blanks: BTreeSet<Slot>,
    /// Rows that the app holds.
    pub(super) held: BTreeSet<Slot>,
    pub(super) removals: BTreeMap<u64, PendingRemoval<K>>,
    pub(super) next_removal: u64,
}

impl<K> SpecialRows<K> {
    pub(super) fn new() -> Self {
        Self {
            drafts: Vec::new(),
            blanks: BTreeSet::new(),
            held: BTreeSet::new(),
            removals: BTreeMap::new(),
            next_removal: 0,
        }
    }

    /// Whether a row keeps its place in every list that shows it.
    pub(super) fn holds(&self, slot: Slot) -> bool {
        let held = |draft: &OpenDraft| draft.slot == Some(slot);
        self.held.contains(&slot) || self.drafts.iter().any(held)
    }

    /// The rows that keep their place.
    pub(super) fn all_held(&self) -> BTreeSet<Slot> {
        let drafts = self.drafts.iter().filter_map(|draft| draft.slot);
        self.held.iter().copied().chain(drafts).collect()
    }

    /// Makes the draft of a blank row one of an item.
    pub(super) fn hand_over(&mut self, blank: Slot, item: Slot) {
        self.blanks.remove(&blank);
        for draft in &mut self.drafts {
            if draft.slot == Some(blank) {
                draft.slot = Some(item);
            }
        }
    }

    /// Forgets a row whose item is gone for good: its slot may get another.
    pub(super) fn forget(&mut self, slot: Slot) {
        self.blanks.remove(&slot);
        self.held.remove(&slot);
        for draft in &mut self.drafts {
            draft.slot = draft.slot.filter(|row| *row != slot);
        }
    }
}

impl<T: Item> Store<T> {
    /// Changes which rows are special; taken back with the edit that it is a part of.
    pub(super) fn change_special_rows<R>(
        &mut self,
        change: impl FnOnce(&mut SpecialRows<T::Key>) -> R,
    ) -> R {
        let before = Box::new(self.special.clone());
        self.journal.steps.push(Step::SpecialRows { before });
        change(&mut self.special)
    }

    /// Checks that only rows of the store are special.
    pub(super) fn check_special_rows(&self) -> Result<(), String> {
        let special = &self.special;
        let removals = special.removals.values();
        let pending: BTreeSet<Slot> = removals.flat_map(PendingRemoval::slots).collect();
        if !self
            .base
            .concealed
            .iter()
            .copied()
            .collect::<BTreeSet<_>>()
            .is_subset(&pending)
        {
            return Err("a concealed row is in no pending removal".to_owned());
        }
        let mut apart = pending.iter().chain(&special.blanks).chain(&special.held);
        match apart.find(|slot| !self.base.source.contains(**slot)) {
            Some(slot) => Err(format!("{slot:?} is special and is not in the store")),
            None => Ok(()),
        }
    }

    /// What a row's place is near to.
    pub(super) fn prior(&self, slot: Slot) -> PriorPlace {
        let mut before = self.base.source.rows_before(slot);
        let blanks = &self.special.blanks;
        if blanks.is_empty() {
            return PriorPlace {
                after: before.next(),
                blanks: 0,
            };
        }
        let position = self.base.source.position(slot);
        // One that was taken out a moment ago has no position.
        let above = |blank: &&Slot| {
            let place = self.base.source.position(**blank);
            place.is_some() && place < position
        };
        PriorPlace {
            after: before.find(|row| !blanks.contains(row)),
            blanks: blanks.iter().filter(above).count(),
        }
    }

    /// A position counted without blank rows, as one among all rows.
    pub(super) fn position_among_blanks(&self, position: usize) -> usize {
        let places = self.special.blanks.iter();
        let mut places: Vec<usize> = places
            .filter_map(|row| self.base.source.position(*row))
            .collect();
        places.sort_unstable();
        let passed = |position, place: &usize| position + usize::from(*place <= position);
        places.iter().fold(position, passed).min(self.len())
    }
}

//! Special rows: held ones, blank ones of drafts, and those proposed for removal.

use super::Store;
use super::blank_rows::BlankRows;
use super::drafts::OpenDraft;
use super::journal::Step;
use super::removals::PendingRemoval;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use hashbrown::HashMap;
use hashbrown::hash_map::Entry;
use std::collections::{BTreeMap, BTreeSet};

/// Which rows are special, and why.
pub(super) struct SpecialRows<K> {
    /// Open drafts by their numbers.
    drafts: BTreeMap<u64, OpenDraft>,
    /// The drafts of each row that has any.
    drafts_of: HashMap<Slot, Vec<u64>>,
    pub(super) blanks: BlankRows,
    /// Rows that the app holds.
    held: BTreeSet<Slot>,
    pub(super) removals: BTreeMap<u64, PendingRemoval<K>>,
    pub(super) next_removal: u64,
}

/// How one row was special before an edit.
pub(super) enum PriorSpecial<K> {
    Blank {
        slot: Slot,
        was: bool,
    },
    Held {
        slot: Slot,
        was: bool,
    },
    Draft {
        number: u64,
        was: Option<OpenDraft>,
    },
    Removal {
        number: u64,
        was: Option<PendingRemoval<K>>,
    },
    /// In its place the removal had another row, with the key of that.
    RemovalRow {
        number: u64,
        row: Slot,
        was: (K, Slot),
    },
}

impl<K: Clone> SpecialRows<K> {
    pub(super) fn new() -> Self {
        Self {
            drafts: BTreeMap::new(),
            drafts_of: HashMap::new(),
            blanks: BlankRows::new(),
            held: BTreeSet::new(),
            removals: BTreeMap::new(),
            next_removal: 0,
        }
    }

    /// Whether a row keeps its place in every list that shows it.
    pub(super) fn holds(&self, slot: Slot) -> bool {
        self.held.contains(&slot) || self.drafts_of.contains_key(&slot)
    }

    /// Whether any row keeps its place.
    pub(super) fn holds_any(&self) -> bool {
        !self.held.is_empty() || !self.drafts_of.is_empty()
    }

    /// The rows that keep their place.
    pub(super) fn all_held(&self) -> BTreeSet<Slot> {
        let drafts = self.drafts_of.keys();
        self.held.iter().chain(drafts).copied().collect()
    }

    /// The row that a change may have had held.
    pub(super) fn row_held_by(&self, changed: &PriorSpecial<K>) -> Option<Slot> {
        match changed {
            PriorSpecial::Held { slot, .. } => Some(*slot),
            PriorSpecial::Draft { number, .. } => self.draft(*number)?.slot,
            PriorSpecial::Blank { .. }
            | PriorSpecial::Removal { .. }
            | PriorSpecial::RemovalRow { .. } => None,
        }
    }

    pub(super) fn draft(&self, number: u64) -> Option<&OpenDraft> {
        self.drafts.get(&number)
    }

    pub(super) fn draft_count(&self) -> usize {
        self.drafts.len()
    }

    /// Sets what is known of a draft; nothing when it is closed. Returns what was known.
    fn set_draft(&mut self, number: u64, open: Option<OpenDraft>) -> Option<OpenDraft> {
        let slot = |open: &Option<OpenDraft>| open.as_ref().and_then(|open| open.slot);
        if let Some(slot) = slot(&open) {
            self.drafts_of.entry(slot).or_default().push(number);
        }
        let was = match open {
            Some(open) => self.drafts.insert(number, open),
            None => self.drafts.remove(&number),
        };
        if let Some(slot) = slot(&was)
            && let Entry::Occupied(mut drafts) = self.drafts_of.entry(slot)
        {
            // When it was of the same row, it is there twice by now.
            if let Some(at) = drafts.get().iter().position(|other| *other == number) {
                drafts.get_mut().remove(at);
            }
            if drafts.get().is_empty() {
                drafts.remove();
            }
        }
        was
    }

    /// Forgets a row whose item is gone for good: its slot may get another.
    pub(super) fn forget(&mut self, slot: Slot, source: &RowTree) {
        self.blanks.set(slot, false, source);
        self.held.remove(&slot);
        for number in self.drafts_of.remove(&slot).unwrap_or_default() {
            if let Some(open) = self.drafts.get_mut(&number) {
                open.slot = None;
            }
        }
    }

    /// Makes one row special again as it was.
    pub(super) fn restore(&mut self, prior: PriorSpecial<K>, source: &RowTree) {
        match prior {
            PriorSpecial::Blank { slot, was } => drop(self.blanks.set(slot, was, source)),
            PriorSpecial::Held { slot, was } => drop(set(&mut self.held, slot, was)),
            PriorSpecial::Draft { number, was } => drop(self.set_draft(number, was)),
            PriorSpecial::Removal { number, was } => drop(match was {
                Some(removal) => self.removals.insert(number, removal),
                None => self.removals.remove(&number),
            }),
            PriorSpecial::RemovalRow { number, row, was } => {
                if let Some(removal) = self.removals.get_mut(&number) {
                    removal.replace_row(row, was);
                }
            }
        }
    }
}

/// Puts a row into a set or takes it out; returns whether it was there.
fn set(rows: &mut BTreeSet<Slot>, slot: Slot, is: bool) -> bool {
    match is {
        true => !rows.insert(slot),
        false => rows.remove(&slot),
    }
}

/// Each change is rolled back with the edit that it is a part of.
impl<T: Item> Store<T> {
    fn note_special(&mut self, prior: PriorSpecial<T::Key>) {
        self.journal.steps.push(Step::Special { prior });
    }

    pub(super) fn set_blank(&mut self, slot: Slot, is: bool) {
        let was = self.special.blanks.set(slot, is, &self.base.source);
        self.note_special(PriorSpecial::Blank { slot, was });
    }

    /// Makes a row blank that was added by the steps from one on: it is blank for all of them, so that none is taken
    /// for an edit.
    pub(super) fn set_blank_from(&mut self, steps: usize, slot: Slot) {
        let was = self.special.blanks.set(slot, true, &self.base.source);
        let prior = PriorSpecial::Blank { slot, was };
        self.journal.steps.insert(steps, Step::Special { prior });
    }

    pub(super) fn set_held(&mut self, slot: Slot, is: bool) {
        let was = set(&mut self.special.held, slot, is);
        self.note_special(PriorSpecial::Held { slot, was });
    }

    /// Opens a draft, or gives an open one another row; `None` closes it.
    pub(super) fn set_draft(&mut self, number: u64, open: Option<OpenDraft>) {
        let was = self.special.set_draft(number, open);
        self.note_special(PriorSpecial::Draft { number, was });
    }

    pub(super) fn add_pending_removal(&mut self, removal: PendingRemoval<T::Key>) -> u64 {
        // A number that was rolled back is not used again.
        let number = self.special.next_removal;
        self.special.next_removal += 1;
        let was = self.special.removals.insert(number, removal);
        self.note_special(PriorSpecial::Removal { number, was });
        number
    }

    pub(super) fn end_pending_removal(&mut self, number: u64) {
        let was = self.special.removals.remove(&number);
        self.note_special(PriorSpecial::Removal { number, was });
    }

    /// Makes the drafts of a blank row those of an item.
    pub(super) fn hand_over_blank(&mut self, blank: Slot, item: Slot) {
        self.set_blank(blank, false);
        self.hand_over_drafts(blank, item);
    }

    /// Makes a row special in the ways that another is which goes, since its item has another key by now: its drafts, and
    /// that it is held or that its removal is pending. Before the lists follow.
    pub(super) fn hand_over(&mut self, from: Slot, to: Slot) {
        self.hand_over_drafts(from, to);
        if self.special.held.contains(&from) {
            self.set_held(from, false);
            self.set_held(to, true);
        }
        if let Some(removal) = self.base.concealed.remove(&from) {
            let slot = from;
            self.journal.steps.push(Step::Revealed { slot, removal });
            self.hand_over_removal(removal, from, to);
        }
        if !self.base.concealed.contains_key(&to) {
            for list in self.lists.iter_mut() {
                list.hand_over_hold(from, to);
            }
        }
    }

    fn hand_over_drafts(&mut self, from: Slot, to: Slot) {
        let drafts = self.special.drafts_of.get(&from).cloned();
        for number in drafts.unwrap_or_default() {
            self.set_draft(number, Some(OpenDraft { slot: Some(to) }));
        }
    }

    /// Makes a row one of a pending removal in the place of another, unless it is in one already.
    fn hand_over_removal(&mut self, number: u64, from: Slot, to: Slot) {
        let key = self.base.items.get(to).map(|item| item.key().clone());
        let Some(key) = key.filter(|_| !self.base.concealed.contains_key(&to)) else {
            return;
        };
        let removal = self.special.removals.get_mut(&number);
        let replaced = removal.and_then(|removal| removal.replace_row(from, (key, to)));
        if let Some(was) = replaced {
            self.note_special(PriorSpecial::RemovalRow {
                number,
                row: to,
                was,
            });
            self.base.concealed.insert(to, number);
            self.journal.steps.push(Step::Concealed { slot: to });
        }
    }

    /// Checks that only rows of the store are special.
    pub(super) fn check_special_rows(&self) -> Result<(), String> {
        let special = &self.special;
        let concealed = &self.base.concealed;
        let removals = special.removals.iter();
        let pending =
            removals.flat_map(|(number, removal)| removal.slots().map(|row| (row, *number)));
        let pending: BTreeSet<(Slot, u64)> = pending.collect();
        let is_stray = |row: &(&Slot, &u64)| !pending.contains(&(*row.0, *row.1));
        if let Some((slot, removal)) = concealed.iter().find(is_stray) {
            return Err(format!("{slot:?} is not in the pending removal {removal}"));
        }
        let apart = concealed.keys().chain(&special.held).copied();
        let mut apart = apart.chain(special.blanks.iter());
        if let Some(slot) = apart.find(|slot| !self.base.source.contains(*slot)) {
            return Err(format!("{slot:?} is special and is not in the store"));
        }
        self.check_blank_rows()
    }
}

//! The rules that items must hold to.

use super::Store;
use super::error::EditError;
use super::journal::Origin;
use super::uniques::Uniques;
use crate::item::{FailedField, Item, Rules};
use crate::order::Slot;
use std::sync::Arc;

/// A batch is open, and this cannot be done inside one.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[error("a batch is open: do this before or after it")]
pub struct InBatch;

impl<T: Item> Store<T> {
    /// Sets the rules that every item added or edited from now on must hold to. Items that are there
    /// stay, whatever they hold: [`broken_rules`](Self::broken_rules) finds those that would fail.
    /// O(n) with a unique rule.
    ///
    /// See [`Rules`] for an example.
    ///
    /// # Errors
    ///
    /// [`InBatch`] inside a batch.
    pub fn set_rules(&mut self, rules: Rules<T>) -> Result<(), InBatch> {
        if self.journal.is_open() {
            return Err(InBatch);
        }
        let mut uniques = Uniques::new(rules.unique_rules());
        if !uniques.is_empty() {
            for slot in self.base.source.rows() {
                if let Some(item) = self.base.items.get(slot) {
                    uniques.set(slot, Some(rules.unique_values(item)));
                }
            }
            uniques.finish_edit();
        }
        self.uniques = uniques;
        self.rules = Some(Arc::new(rules));
        Ok(())
    }

    /// What is wrong with an item that is to be added, or to replace the one with its key; nothing when
    /// it would be accepted. Meant for a form that checks as it goes.
    pub fn failures(&self, item: &T) -> Vec<FailedField<T::Key>> {
        self.failures_in(item, self.slot(item.key()))
    }

    /// What is wrong with an item that is to come into a row.
    pub(super) fn failures_in(&self, item: &T, row: Option<Slot>) -> Vec<FailedField<T::Key>> {
        let Some(rules) = &self.rules else {
            return Vec::new();
        };
        let mut tidied = item.clone();
        rules.normalize(&mut tidied);
        rules.failures(&tidied, |rule, value| self.holder(rule, value, row))
    }

    /// The items that break the rules as they are, in source order: those that were there before the
    /// rules, or that the source brought. Blank rows of new drafts are no items yet. O(n).
    pub fn broken_rules(&self) -> impl Iterator<Item = (&T::Key, Vec<FailedField<T::Key>>)> {
        let broken = |item: &'_ Arc<T>| {
            let rules = self.rules.as_ref()?;
            let row = self.slot(item.key());
            let failed = rules.failures(item, |rule, value| self.holder(rule, value, row));
            (!failed.is_empty()).then_some(failed)
        };
        let rows = self.base.source.rows();
        let items = rows.filter(|slot| !self.special.blanks.contains(*slot));
        let items = items.filter_map(|slot| self.base.items.get(slot));
        items.filter_map(move |item| Some((item.key(), broken(item)?)))
    }

    /// Takes white space off where the rules ask for it.
    pub(super) fn normalize(&self, item: &mut T) {
        if let Some(rules) = self.rules_in_force() {
            rules.normalize(item);
        }
    }

    /// Accepts an item, or returns every field that fails.
    pub(super) fn accept(&self, item: &T) -> Result<(), EditError<T::Key>> {
        let Some(rules) = self.rules_in_force() else {
            return Ok(());
        };
        let row = self.slot(item.key());
        let failed = rules.failures(item, |rule, value| self.holder(rule, value, row));
        if failed.is_empty() {
            return Ok(());
        }
        let key = item.key().clone();
        Err(EditError::Invalid { key, failed })
    }

    /// What comes from the source is not checked.
    fn rules_in_force(&self) -> Option<&Rules<T>> {
        let person = self.journal.origin() != Origin::Source;
        self.rules.as_deref().filter(|_| person)
    }

    /// Keeps the index of unique values in step.
    pub(super) fn index_values(&mut self, slot: Slot, item: Option<&T>) {
        if self.uniques.is_empty() {
            return;
        }
        if let Some(rules) = &self.rules {
            let values = item.map(|item| rules.unique_values(item));
            self.uniques.set(slot, values);
        }
    }
}

//! Rows that are held in place.

use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::item::Item;
use crate::order::Slot;
use std::collections::BTreeSet;
use std::sync::Arc;

impl<T: Item> ListState<T> {
    /// The same list, in which no row is ever held: one that counts values counts those of now.
    #[cfg(feature = "suggestions")]
    pub(crate) fn holding_no_rows(self) -> Self {
        Self {
            holds_rows: false,
            ..self
        }
    }

    /// Holds a row that the list shows: it keeps its place, whatever its item becomes.
    pub(crate) fn hold(&mut self, slot: Slot, context: Context<'_, T>) {
        if !self.rows.contains(slot) {
            // It was to arrive in the place of another, and did not.
            self.forget_held(slot);
            return;
        }
        if !self.holds_rows || self.held.contains_key(&slot) {
            return;
        }
        if let Some(item) = context.items.get(slot) {
            let placed_by = None;
            self.rollback
                .push(RollbackStep::HeldRow { slot, placed_by });
            self.held.insert(slot, Arc::clone(item));
        }
    }

    /// Shows a row that may not match, where its item belongs, and holds it.
    pub(crate) fn show(&mut self, slot: Slot, context: Context<'_, T>) {
        if !self.rows.contains(slot) && !context.is_concealed(slot) {
            self.arrive(slot, context);
        }
        self.hold(slot, context);
    }

    /// Lets go of a row, which goes where it belongs.
    pub(crate) fn release(&mut self, slot: Slot, context: Context<'_, T>) {
        let Some(placed_by) = self.forget_held(slot) else {
            return;
        };
        if let Some(item) = context.items.get(slot) {
            self.settle(slot, item, &placed_by, context);
        }
    }

    /// Puts a held row where its item belongs by now, and goes on to hold it there.
    pub(crate) fn hold_anew(&mut self, slot: Slot, context: Context<'_, T>) {
        if self.held.contains_key(&slot) {
            self.release(slot, context);
            self.show(slot, context);
        }
    }

    /// Holds a row that is about to arrive as another is that goes: it gets the place of that one, whatever its item is.
    pub(crate) fn hand_over_hold(&mut self, from: Slot, to: Slot) {
        if self.rows.contains(to) {
            return;
        }
        if let Some(placed_by) = self.forget_held(from) {
            self.rollback.push(RollbackStep::HeldRow {
                slot: to,
                placed_by: None,
            });
            self.held.insert(to, placed_by);
        }
    }

    /// Checks that the rows that are to be held are, where the list shows them, and no others.
    pub(crate) fn check_held(&self, to_be_held: &BTreeSet<Slot>) -> Result<(), String> {
        let is_missing =
            |slot: &&Slot| self.rows.contains(**slot) && !self.held.contains_key(*slot);
        if let Some(slot) = to_be_held
            .iter()
            .find(is_missing)
            .filter(|_| self.holds_rows)
        {
            return Err(format!("{slot:?} is shown and not held"));
        }
        let is_stray = |slot: &&Slot| !to_be_held.contains(*slot) || !self.rows.contains(**slot);
        match self.held.keys().find(is_stray) {
            Some(slot) => Err(format!("{slot:?} is held and is not to be")),
            None => Ok(()),
        }
    }

    /// Holds a row no more; returns the item that it was placed by.
    pub(super) fn forget_held(&mut self, slot: Slot) -> Option<Arc<T>> {
        let placed_by = self.held.remove(&slot)?;
        self.rollback.push(RollbackStep::HeldRow {
            slot,
            placed_by: Some(Arc::clone(&placed_by)),
        });
        Some(placed_by)
    }
}

//! Rows that are held in place.

use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::item::Item;
use crate::order::Slot;
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
        if !self.holds_rows || !self.rows.contains(slot) || self.held.contains_key(&slot) {
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

//! Another query for a list that is in use.

use super::bits::Bits;
use super::evaluate::evaluate;
use super::grouping::{SectionChange, Sectioned};
use super::log::Entry;
use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use crate::change::{Alignment, RowRun, Rows};
use crate::item::Item;
use crate::order::Slot;
use crate::query::Query;
use std::sync::Arc;

impl<T: Item> ListState<T> {
    /// Shows what another query yields. Feeds see it as one minimal change.
    ///
    /// O(n) for another filter, O(n log n) for another sort, O(1) for another window. User code runs
    /// before anything changes.
    pub(crate) fn requery(&mut self, query: Query<T>, context: Context<'_, T>) {
        if query == self.query {
            return;
        }
        let change = if query.same_rows(&self.query) {
            None
        } else if query.same_order(&self.query) {
            let change = self.refilter(&query, context);
            self.trim_earlier_order();
            // Rows that come back have none.
            self.next_bytes = None;
            change.map(|(change, deltas)| (change, self.update_sections(deltas)))
        } else {
            Some(self.reorder(&query, context))
        };
        let before = self.window();
        let old = std::mem::replace(&mut self.query, query);
        self.rollback.push(RollbackStep::Requeried(Box::new(old)));
        if let Some((change, sectioned)) = change {
            self.note(Entry::Rows(Arc::new(change)), sectioned);
        }
        if self.query.searching().is_some() || self.row_text.is_some() {
            self.cache_row_text(context);
        }
        if before != self.window() {
            let rows = self.rows.len();
            let sectioned = Sectioned::noted(SectionChange::None, self.hidden());
            self.note(Entry::Shown { rows, before }, sectioned);
        }
    }

    /// The rows in the order of another sort.
    fn reorder(
        &mut self,
        query: &Query<T>,
        context: Context<'_, T>,
    ) -> (Alignment<T>, Option<Arc<Sectioned>>) {
        self.earlier_order = None;
        self.next_bytes = None;
        let held = |slot| self.held.contains_key(&slot);
        let mut rows = evaluate(query, context, held);
        let same_group = query.same_group(&self.query);
        let earlier = self.grouping.as_ref().filter(|_| same_group);
        let grouping = rows.grouping(query, earlier, context);
        let mut from = vec![usize::MAX; context.items.used()];
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            from[slot.index()] = at;
        }
        let mut change = Alignment::empty(self.rows.len(), rows.slots.len());
        let item = |slot: Slot| context.items.get(slot).cloned();
        let mut stays = Bits::new(self.rows.len());
        for slot in &rows.slots {
            match from[slot.index()] {
                usize::MAX => {
                    if let Some(item) = item(*slot) {
                        change.push_new(Rows::one(item));
                    }
                }
                at => {
                    change.push_kept(at, 1);
                    stays.set(at);
                }
            }
        }
        for (at, slot) in self.rows.chunks().flatten().enumerate() {
            if let (false, Some(item)) = (stays.has(at), item(*slot)) {
                let rows = Rows::one(item);
                change.removed.push(RowRun { at, rows });
            }
        }
        // A held row is placed by its item of now, in the new order.
        if !self.held.is_empty() {
            self.rollback.push(RollbackStep::Held(self.held.clone()));
            for (slot, placed_by) in &mut self.held {
                if let Some(item) = context.items.get(*slot) {
                    *placed_by = Arc::clone(item);
                }
            }
        }
        self.replace_rows(&rows.slots, rows.keys.as_deref());
        let hidden = self.hidden();
        let ungrouped = self.grouping.is_none() && grouping.is_none();
        let old = std::mem::replace(&mut self.grouping, grouping);
        self.rollback
            .push(RollbackStep::Regrouped(old.map(Box::new)));
        let sections = if ungrouped {
            SectionChange::None
        } else {
            SectionChange::Anew
        };
        (change, Sectioned::noted(sections, hidden))
    }

    pub(super) fn replace_rows(&mut self, slots: &[Slot], keys: Option<&[u64]>) {
        let new = self.rows.replace(slots, keys);
        let old = std::mem::replace(&mut self.rows, new);
        self.rollback.push(RollbackStep::Rebuilt(Box::new(old)));
    }
}

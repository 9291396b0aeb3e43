//! The order that rows had before a filter hid them.

use super::bits::Bits;
use super::evaluate::Evaluated;
use super::grouped::in_order;
use super::merged::rows_that;
use super::rollback_step::RollbackStep;
use super::state::{Context, ListState};
use super::update::Touch;
use crate::change::Layout;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::query::Query;
use std::cmp::Ordering;

/// The order is kept while at least one row is hidden for so many that are shown.
const HIDDEN_SHARE: usize = 15;

/// Up to one row for so many that were sorted, those that an edit touched since are sorted in.
const TOUCHED_SHARE: usize = if cfg!(any(test, fuzzing)) { 2 } else { 3 };

/// The rows of a sorted or grouped list as they were before a filter or a search hid many of them: when they come back, only the
/// rows that edits touched since are sorted.
pub(super) struct EarlierOrder {
    rows: RowTree,
    /// The sections of these rows in a grouped list.
    layout: Option<Layout>,
    /// By slot, of those that there were then.
    touched: Bits,
    touched_count: usize,
}

impl EarlierOrder {
    pub(super) fn bytes(&self) -> usize {
        self.rows.bytes() + self.touched.bytes()
    }

    pub(super) fn key_bytes(&self) -> usize {
        self.rows.key_bytes()
    }

    fn most_touched(&self) -> usize {
        self.rows.len() / TOUCHED_SHARE
    }
}

/// Whether so many rows are hidden that their order is worth its memory.
fn is_worth_keeping(rows: usize, shown: usize) -> bool {
    rows >= shown + shown.div_ceil(HIDDEN_SHARE)
}

impl<T: Item> ListState<T> {
    /// Keeps the rows that an edit replaced, if all that it did was to hide many of a sorted or grouped list. It must be final.
    pub(super) fn keep_earlier_order(&mut self) {
        use RollbackStep::{Logged, Rebuilt, Requeried, Sections};
        let ([Rebuilt(_), Requeried(_), rest @ ..]
        | [Rebuilt(_), Sections { .. }, Requeried(_), rest @ ..]) = &self.rollback[..]
        else {
            return;
        };
        if !rest.iter().all(|step| matches!(step, Logged)) {
            return;
        }
        let (mut rows, mut layout) = (None, None);
        for step in self.rollback.drain(..) {
            match step {
                Rebuilt(before) => rows = Some(before),
                Sections { before, .. } => layout = Some(before),
                Requeried(query) if !query.same_order(&self.query) => return,
                _ => {}
            }
        }
        if let Some(rows) = rows
            && self.keeps_order_of(rows.len(), self.rows.len())
        {
            self.earlier_order = Some(EarlierOrder {
                rows: *rows,
                layout,
                touched: Bits::new(self.rows.slots()),
                touched_count: 0,
            });
        }
    }

    /// Whether the order of so many rows is kept while so many of them are shown.
    pub(super) fn keeps_order_of(&self, rows: usize, shown: usize) -> bool {
        self.earlier_order.is_none()
            && self.query.order().is_some()
            && self.held.is_empty()
            && is_worth_keeping(rows, shown)
    }

    /// Notes the rows that an edit touches, whose places in the earlier order may be wrong from now on.
    pub(super) fn touch_earlier_order(&mut self, touches: &[Touch<'_, T>]) {
        if !self.rollback.is_empty() {
            // What the list replaced before in this edit has their places of then.
            self.rollback.push(RollbackStep::Touched);
        }
        let Some(earlier) = &mut self.earlier_order else {
            return;
        };
        if touches.len() <= earlier.most_touched() {
            for touch in touches {
                earlier.touched_count += usize::from(earlier.touched.insert(touch.slot.index()));
            }
        }
        if touches.len().max(earlier.touched_count) > earlier.most_touched() {
            self.earlier_order = None;
        }
    }

    /// Lets go of the earlier order when most of its rows are shown again.
    pub(super) fn trim_earlier_order(&mut self) {
        let shown = self.rows.len();
        self.earlier_order
            .take_if(|earlier| !is_worth_keeping(earlier.rows.len(), shown));
    }

    /// All rows that are hits in the order of the list, from the earlier order; `None` where it does not have most of them. O(n),
    /// and O(log n) comparisons for each row that it does not have.
    pub(super) fn order_again(
        &self,
        hits: &Bits,
        query: &Query<T>,
        context: Context<'_, T>,
    ) -> Option<Evaluated> {
        let earlier = self.earlier_order.as_ref()?;
        let is_known = |slot: Slot| hits.has(slot.index()) && !earlier.touched.has(slot.index());
        let known = rows_that(&earlier.rows, earlier.layout.as_ref(), is_known);
        let unknown = hits.count() - known.slots.len();
        if unknown > earlier.most_touched() || !self.held.is_empty() {
            return None;
        }
        let others = match unknown {
            0 => Vec::new(),
            _ => {
                let mut is_known = Bits::new(context.items.used());
                known
                    .slots
                    .iter()
                    .for_each(|slot| is_known.set(slot.index()));
                let source = context.source.chunks().flatten().copied();
                source
                    .filter(|slot| hits.has(slot.index()) && !is_known.has(slot.index()))
                    .collect()
            }
        };
        Some(self.merged(&known, &in_order(others, query, context), context))
    }

    /// Checks that the rows that no edit touched since are in the order of the list still, and in their sections.
    pub(super) fn check_earlier_order(&self, context: Context<'_, T>) -> Result<(), String> {
        let Some((earlier, sort)) = self.earlier_order.as_ref().zip(self.query.order()) else {
            return Ok(());
        };
        let rows = earlier.rows.rows().enumerate();
        let untouched = rows.filter(|(_, slot)| !earlier.touched.has(slot.index()));
        let (places, untouched): (Vec<usize>, Vec<Slot>) = untouched.unzip();
        if let Some((group, layout)) = self.query.grouping().zip(earlier.layout.as_ref()) {
            for (at, slot) in places.into_iter().zip(&untouched) {
                let section = layout.at_row(at).map(|(_, placed)| placed.section.key());
                let own = context.items.get(*slot).map(|item| group.key(item));
                if section != own.as_ref() {
                    return Err(format!(
                        "{slot:?} was in {section:?}, and belongs in {own:?}"
                    ));
                }
            }
        }
        for pair in untouched.windows(2) {
            let items = (context.items.get(pair[0]), context.items.get(pair[1]));
            let by_keys = match items {
                (Some(one), Some(two)) => sort.compare(one, two),
                _ => Ordering::Equal,
            };
            let source = |at: usize| context.source.position(pair[at]);
            if by_keys.then_with(|| source(0).cmp(&source(1))).is_ge() {
                return Err(format!("{:?} was before {:?}", pair[0], pair[1]));
            }
        }
        Ok(())
    }
}

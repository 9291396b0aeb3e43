//! What is kept of each item for searches and sorts: folded text and collation keys, brought up to date when
//! it is asked for.

use crate::item::Arena;
use crate::order::Slot;
use crate::parts::{WORTH_SHARING, in_parts};
use crate::text::{ByteColumn, Full};
use std::fmt;
use std::sync::Arc;

/// What a column keeps of an item.
pub(crate) trait ColumnOf<T>: Send + Sync {
    /// Writes the bytes of an item; `true` when they come from plain ASCII text.
    fn write(&self, item: &T, into: &mut Vec<u8>) -> bool;

    /// Tells what this keeps from what others do.
    fn name(&self) -> &ColumnName;
}

/// What a column keeps. Two of the same name keep the same.
#[derive(PartialEq, Eq, Debug)]
pub(crate) enum ColumnName {
    /// The folded text of these fields.
    Searched(Vec<String>),
    /// The keys of this field's text in this order.
    Collated(String, String),
}

/// The columns of a store.
pub(crate) struct Columns<T> {
    columns: Vec<Column<T>>,
}

struct Column<T> {
    of: Arc<dyn ColumnOf<T>>,
    bytes: ByteColumn,
}

impl<T: Send + Sync> Columns<T> {
    pub(crate) const fn new() -> Self {
        Self {
            columns: Vec::new(),
        }
    }

    /// Has a column from now on. O(text of all items) when it is new.
    pub(crate) fn add(&mut self, of: &Arc<dyn ColumnOf<T>>, items: &mut Arena<T>) {
        self.bring_up(items);
        if self
            .columns
            .iter()
            .any(|column| column.of.name() == of.name())
        {
            return;
        }
        let Ok(bytes) = fill(&**of, items) else {
            tracing::warn!("there is more text than an index can hold; items are asked instead");
            return;
        };
        let of = Arc::clone(of);
        self.columns.push(Column { of, bytes });
        items.note_changes(true);
    }

    /// Brings the columns in step with the items. O(text of the items that changed).
    pub(crate) fn bring_up(&mut self, items: &mut Arena<T>) {
        if self.columns.is_empty() {
            return;
        }
        let changed: Vec<Slot> = items.changed().collect();
        let mut buffer = Vec::new();
        self.columns.retain_mut(|column| {
            changed.iter().all(|slot| {
                let Some(item) = items.get(*slot) else {
                    column.bytes.clear(slot.index());
                    return true;
                };
                buffer.clear();
                let plain = column.of.write(item, &mut buffer);
                column.bytes.set(slot.index(), &buffer, plain).is_ok()
            })
        });
        // Not before: what is written comes from user code, which may panic.
        items.forget_changed();
    }

    /// Whether lists are ordered by columns, so that these must be in step before each edit reaches the lists.
    pub(crate) fn order_lists(&self) -> bool {
        let collated = |column: &Column<T>| matches!(column.of.name(), ColumnName::Collated(..));
        self.columns.iter().any(collated)
    }

    /// The bytes of a column, when there is one and it is in step with the items.
    pub(crate) fn get(&self, name: &ColumnName, items: &Arena<T>) -> Option<&ByteColumn> {
        let column = self
            .columns
            .iter()
            .find(|column| column.of.name() == name)?;
        (!items.has_changed()).then_some(&column.bytes)
    }

    /// Forgets all columns.
    pub(crate) fn clear(&mut self, items: &mut Arena<T>) {
        self.columns.clear();
        items.note_changes(false);
    }

    /// Bytes held.
    pub(crate) fn memory(&self) -> usize {
        self.columns
            .iter()
            .map(|column| column.bytes.memory())
            .sum()
    }
}

/// What a column keeps of all items. Side by side little is written at a time, since that is held twice until it is joined.
fn fill<T: Send + Sync>(of: &dyn ColumnOf<T>, items: &Arena<T>) -> Result<ByteColumn, Full> {
    let used = items.used();
    let at_a_time = (used / 16).max(WORTH_SHARING);
    let mut whole = ByteColumn::for_items(used);
    for first in (0..used).step_by(at_a_time) {
        let parts = in_parts(at_a_time.min(used - first), |part| {
            let mut bytes = ByteColumn::for_items(part.len());
            let mut buffer = Vec::new();
            for (at, slot) in part.clone().map(|at| first + at).enumerate() {
                if let Some(item) = Slot::new(slot).and_then(|slot| items.get(slot)) {
                    buffer.clear();
                    let plain = of.write(item, &mut buffer);
                    bytes.set(at, &buffer, plain)?;
                }
            }
            Ok((first + part.start, bytes))
        });
        for part in parts {
            let (first, bytes) = part?;
            whole.append(first, bytes)?;
        }
    }
    whole.shrink();
    Ok(whole)
}

impl<T> fmt::Debug for Columns<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names = self.columns.iter().map(|column| column.of.name());
        f.debug_list().entries(names).finish()
    }
}

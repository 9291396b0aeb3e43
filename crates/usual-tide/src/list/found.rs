//! What a search finds in the text that is kept of the items.

use super::bits::Bits;
use super::state::Context;
use crate::item::Item;
use crate::order::Slot;
use crate::parts::in_parts;
use crate::query::{Query, Search};
use crate::text::{ByteColumn, Finders};

/// A search beside the text that is kept for it.
pub(crate) struct Kept<'a, T> {
    search: &'a Search<T>,
    finders: Finders<'a>,
    column: &'a ByteColumn,
    context: Context<'a, T>,
}

impl<'a, T: Item> Kept<'a, T> {
    /// The search of a query; `None` when it has none, or no text is kept for it.
    pub(super) fn of(query: &'a Query<T>, context: Context<'a, T>) -> Option<Self> {
        Self::search(query.searching()?, context)
    }

    pub(crate) fn search(search: &'a Search<T>, context: Context<'a, T>) -> Option<Self> {
        let column = context.columns.get(&search.column()?.name())?;
        Some(Self {
            search,
            finders: search.words().finders(),
            column,
            context,
        })
    }

    fn ask(&self, slot: Slot) -> bool {
        let item = self.context.items.get(slot);
        item.is_some_and(|item| self.search.finds(item))
    }

    /// Whether one item holds the words.
    pub(super) fn holds(&self, slot: Slot) -> bool {
        self.finders
            .hold(self.column, slot.index(), || self.ask(slot))
    }

    /// All items that hold the words, by slot: one pass over the text.
    pub(super) fn all(&self) -> Bits {
        let parts = in_parts(self.column.len(), |part| {
            let mut found = Bits::new(self.context.items.used());
            let ask = |slot| Slot::new(slot).is_some_and(|slot| self.ask(slot));
            self.finders
                .find(self.column, part, ask, |slot| found.set(slot));
            found
        });
        let mut parts = parts.into_iter();
        let mut all = parts.next().unwrap_or_else(|| Bits::new(0));
        for part in parts {
            all.join(&part);
        }
        all
    }

    /// How many items hold the words.
    pub(crate) fn count(&self) -> usize {
        self.all().count()
    }
}

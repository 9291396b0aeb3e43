//! What a search finds in the text that is kept of the items.

use super::bits::Bits;
use super::state::{Context, ListState};
use super::version::Version;
use super::view::BoundList;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use crate::query::{Query, Search};
use crate::text::{ByteColumn, Finders};

/// The text of a list's few rows, side by side, so that the next letter of a search finds it in one pass.
pub(super) struct RowText {
    version: Version,
    /// By position.
    text: ByteColumn,
}

/// From this share of items (one in so many) on, rows are few.
const FEW: usize = if cfg!(any(test, fuzzing)) { 2 } else { 16 };

impl<T: Item> ListState<T> {
    /// The text of the rows, if nothing has happened since it was kept.
    pub(super) fn row_text(&self) -> Option<&ByteColumn> {
        let near = self.row_text.as_ref()?;
        (near.version == self.version()).then_some(&near.text)
    }

    /// Keeps the text of the rows where they are few and the query has a search.
    pub(super) fn cache_row_text(&mut self, context: Context<'_, T>) {
        self.row_text = None;
        let few = self.rows.len() <= context.items.used() / FEW;
        let Some(kept) = CachedSearch::of(&self.query, context).filter(|_| few) else {
            return;
        };
        let mut text = ByteColumn::default();
        for (at, slot) in self.rows.rows().enumerate() {
            let bytes = kept.column.get(slot.index()).unwrap_or_default();
            if text
                .set(at, bytes, kept.column.is_plain(slot.index()))
                .is_err()
            {
                return;
            }
        }
        let version = self.version();
        self.row_text = Some(RowText { version, text });
    }
}

impl<T: Item> BoundList<'_, T> {
    /// How many of the rows that match so far hold the words of a search too: what one letter more would leave.
    /// O(text of the rows), in one pass where they are what an earlier search left.
    pub fn count_found(&self, search: &Search<T>) -> usize {
        let (state, context) = self.parts();
        let Some(kept) = CachedSearch::search(search, context) else {
            let items = state.rows.rows().filter_map(|slot| context.items.get(slot));
            return items.filter(|item| search.finds(item)).count();
        };
        let same_text = |other: &Search<T>| other.same_fields(search);
        match state
            .row_text()
            .filter(|_| self.query().searching().is_some_and(same_text))
        {
            Some(near) => kept.among(near, &state.rows).count(),
            None => {
                let all = kept.all_for(state.rows.len());
                let holds = |slot: &Slot| match &all {
                    Some(all) => all.has(slot.index()),
                    None => kept.holds(*slot),
                };
                state.rows.rows().filter(holds).count()
            }
        }
    }
}

/// A search beside the text that is kept for it.
pub(crate) struct CachedSearch<'a, T: Item> {
    search: &'a Search<T>,
    finders: Finders<'a>,
    column: &'a ByteColumn,
    context: Context<'a, T>,
}

impl<'a, T: Item> CachedSearch<'a, T> {
    /// The search of a query; `None` when it has none, or no text is kept for it.
    pub(super) fn of(query: &'a Query<T>, context: Context<'a, T>) -> Option<Self> {
        Self::search(query.searching()?, context)
    }

    pub(crate) fn search(search: &'a Search<T>, context: Context<'a, T>) -> Option<Self> {
        let column = context
            .columns
            .get(search.column()?.name(), context.items)?;
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

    /// The same where so many rows are to be asked that it costs less than to ask them one by one, here and there in the text.
    pub(super) fn all_for(&self, rows: usize) -> Option<Bits> {
        (rows > self.context.items.used() / FEW).then(|| self.all())
    }

    /// The rows of a list that hold the words, by position, from their text alone.
    pub(super) fn among(&self, near: &ByteColumn, rows: &RowTree) -> Bits {
        let mut found = Bits::new(rows.len());
        let ask = |at| rows.get(at).is_some_and(|slot| self.ask(slot));
        self.finders
            .find(near, 0..near.len(), ask, |at| found.set(at));
        found
    }

    /// How many items hold the words.
    pub(crate) fn count(&self) -> usize {
        self.all().count()
    }
}

//! Searches over all items, and the text that is kept for them.

use super::Store;
use crate::item::Item;
use crate::list::CachedSearch;
use crate::query::Search;

impl<T: Item> Store<T> {
    /// Folds the text of all items for searches in the fields of this one, which a search otherwise does when it
    /// begins. Good to do when the person goes to the search box: the first letter finds it done. The text is
    /// kept, folded, beside the items, and brought up to date when the next search asks. O(text).
    ///
    /// Fields that are shown by a closure and are no text cannot be kept; their items are asked each time.
    pub fn prepare_search(&mut self, search: &Search<T>) {
        if let Some(column) = search.column() {
            self.base.columns.add(&column, &mut self.base.items);
        }
    }

    /// How many items hold the words of a search, whatever the lists show. O(text) over what is kept of it.
    ///
    /// ```
    /// use usual_tide::{Item, Search, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, #[item(search)] title: String }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
    /// let mut store = Store::load([(1, "Celadon bowl"), (2, "Café plate"), (3, "Bowl")].map(piece))?;
    /// assert_eq!(store.count_found(&Search::new("bowl")), 2);
    /// assert_eq!(store.count_found(&Search::new("cafe")), 1);
    /// # Ok(()) }
    /// ```
    pub fn count_found(&mut self, search: &Search<T>) -> usize {
        self.prepare_search(search);
        match CachedSearch::search(search, self.context()) {
            Some(kept) => kept.count(),
            None => self.items().filter(|item| search.finds(item)).count(),
        }
    }

    /// Forgets the text and keys that are kept for searches and sorts; the next query that needs them keeps
    /// them again, and until then items are asked.
    pub fn forget_kept(&mut self) {
        self.base.columns.clear(&mut self.base.items);
    }

    /// Bytes that are kept of the items for searches and sorts, spare capacity included.
    pub fn kept_bytes(&self) -> usize {
        self.base.columns.memory()
    }
}

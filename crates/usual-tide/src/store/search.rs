//! Searches over all items, and the text that is cached for them.

use super::Store;
use crate::item::Item;
use crate::list::CachedSearch;
use crate::query::Search;

impl<T: Item> Store<T> {
    /// Folds and caches the text of the fields that this search looks into, whatever its words; a search that
    /// finds no cached text does so when it begins. Call it when the person enters the search box, and the first
    /// letter is answered at once. Later edits update the cached text. O(text).
    ///
    /// Fields that a closure shows, and that are not text, cannot be cached; a search reads them from each item.
    ///
    /// ```
    /// use usual_tide::{Item, Search, Store};
    /// # use usual_tide_pieces::with_searched_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let pieces = (0..99).map(|id| Piece { id, title: format!("Bowl {id}") });
    /// let mut store = Store::load(pieces)?;
    /// store.prepare_search(&Search::new(""));
    /// let cached = store.cache_bytes();
    /// // When memory is short.
    /// store.clear_cache();
    /// assert!(store.cache_bytes() < cached);
    /// # Ok(()) }
    /// ```
    pub fn prepare_search(&mut self, search: &Search<T>) {
        if let Some(column) = search.text_column() {
            self.base.columns.add(&column, &mut self.base.items);
        }
    }

    /// How many items match a search, whatever the lists show. O(cached text).
    ///
    /// ```
    /// use usual_tide::{Item, Search, Store};
    /// # use usual_tide_pieces::with_searched_title::Piece;
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

    /// Drops the cached text of searches and the cached keys of sorts. The next query that needs them caches them
    /// again. See [`prepare_search`](Self::prepare_search) for an example.
    pub fn clear_cache(&mut self) {
        self.base.columns.clear(&mut self.base.items);
    }

    /// Bytes of memory that the cached text and sort keys take, unused capacity included.
    pub fn cache_bytes(&self) -> usize {
        self.base.columns.memory()
    }
}

//! Lists that are made while others read the store, and bound in a moment.

use super::Store;
use crate::item::Item;
use crate::list::{ListId, ListState};
use crate::query::Query;
use std::fmt;

/// The rows of a query as [`Store::prepare_list`] found them, to be bound by [`Store::bind_prepared`].
///
/// It holds what a bound list holds, and is dropped like any value when it is not wanted any more.
pub struct PreparedList<T: Item> {
    store: u64,
    /// The edits that the store had seen; none when it was amid one, which may be taken back.
    edits: Option<u64>,
    list: ListState<T>,
}

impl<T: Item> Store<T> {
    /// Finds the rows of a query, to be bound by [`bind_prepared`](Self::bind_prepared). Where several threads use a
    /// store, the long part of binding a list so hinders none that reads. O(n log n), as [`bind`](Self::bind).
    ///
    /// [`SharedStore::bind`](crate::SharedStore::bind) does both.
    ///
    /// ```
    /// use std::sync::RwLock;
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_height::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let pieces = (0..9).map(|id| Piece { id, height_mm: 100 - id });
    /// let store = RwLock::new(Store::load(pieces)?);
    /// let tallest_first = Query::new().sort(Piece::HEIGHT_MM.descending());
    /// // Of use to searches and to sorts by locale alone.
    /// store.write().unwrap().prepare_query(&tallest_first);
    /// // Others read meanwhile.
    /// let prepared = store.read().unwrap().prepare_list(tallest_first);
    /// let list = store.write().unwrap().bind_prepared(prepared);
    /// assert_eq!(store.read().unwrap().list(list)?.at(0).unwrap().id, 0);
    /// # Ok(()) }
    /// ```
    pub fn prepare_list(&self, query: Query<T>) -> PreparedList<T> {
        PreparedList {
            store: self.id,
            edits: self.edits_seen(),
            list: ListState::bind(query, self.context()),
        }
    }

    /// Binds a list that was prepared. O(1) when the store was not edited since, and when it has what the query reads
    /// of each item (see [`prepare_query`](Self::prepare_query)); otherwise as [`bind`](Self::bind), so that the list
    /// always shows the items of this moment.
    pub fn bind_prepared(&mut self, prepared: PreparedList<T>) -> ListId {
        self.bind_if_current(prepared)
            .unwrap_or_else(|query| self.bind(query))
    }

    /// Binds a list whose rows are still those of its query, or gives the query back.
    pub(in crate::store) fn bind_if_current(
        &mut self,
        prepared: PreparedList<T>,
    ) -> Result<ListId, Query<T>> {
        let PreparedList { store, edits, list } = prepared;
        if store != self.id || edits.is_none() || edits != self.edits_seen() {
            return Err(list.into_query());
        }
        self.keep_for(list.query());
        Ok(self.add_list(list))
    }

    /// Caches what a query reads of each item: the folded text that its search looks into, and the keys of a sort by
    /// locale. [`bind`](Self::bind) does it itself; call it before [`prepare_list`](Self::prepare_list), which cannot and
    /// has an example. O(text) the first time for these fields, then O(1).
    pub fn prepare_query(&mut self, query: &Query<T>) {
        self.keep_for(query);
    }

    /// The number of edits that changed anything; none amid one.
    fn edits_seen(&self) -> Option<u64> {
        (!self.journal.is_open()).then_some(self.edits)
    }
}

impl<T: Item> fmt::Debug for PreparedList<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("PreparedList")
            .field("edits", &self.edits)
            .finish_non_exhaustive()
    }
}

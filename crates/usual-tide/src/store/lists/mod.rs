//! The lists of a store: bound, changed, read, unbound.

mod bound;
mod list_mut;
mod place;
mod prepared;
mod sections;

pub(super) use bound::BoundLists;
pub use list_mut::ListMut;
pub use place::ListEditError;
pub use prepared::PreparedList;
pub use sections::{OtherSection, SectionError};

use super::Store;
use super::error::EditError;
use super::journal::Step;
use crate::change::ChangeSet;
use crate::item::Item;
use crate::list::{BoundList, Context, Feed, ListId, ListState, UnknownList};
use crate::order::Slot;
use crate::query::Query;
use std::collections::BTreeSet;

impl<T: Item> Store<T> {
    /// Binds a list that shows what a query yields, from now on. O(n log n) once.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_height::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let heights = [120, 80, 240];
    /// let mut store = Store::load((0..3).map(|id| Piece { id, height_mm: heights[id as usize] }))?;
    /// let tallest_first = store.bind(Query::new().sort(Piece::HEIGHT_MM.descending()));
    /// let ids: Vec<u32> = store.list(tallest_first)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [2, 0, 1]);
    /// # Ok(()) }
    /// ```
    pub fn bind(&mut self, query: Query<T>) -> ListId {
        let list = self.evaluated(query);
        self.add_list(list)
    }

    /// Binds a list of which only the counts of its sections are of use.
    #[cfg(feature = "suggestions")]
    pub(super) fn bind_for_counts(&mut self, query: Query<T>) -> ListId {
        let list = self.evaluated(query).holding_no_rows();
        self.add_list(list)
    }

    fn evaluated(&mut self, query: Query<T>) -> ListState<T> {
        // In an open batch the new list begins where the others are.
        self.update_lists();
        self.keep_for(&query);
        ListState::bind(query, self.context())
    }

    /// Adds a list whose rows are those of its query; it holds the rows that are held.
    fn add_list(&mut self, mut list: ListState<T>) -> ListId {
        for slot in self.special.all_held() {
            list.hold(slot, self.context());
        }
        // A list that is bound is taken back as a whole.
        list.finish_edit();
        ListId {
            store: self.id,
            number: self.lists.add(list),
        }
    }

    /// Ends a list. Its feeds and its id are of no use afterwards.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when it is not bound to this store.
    pub fn unbind(&mut self, list: ListId) -> Result<(), UnknownList> {
        let number = self.number(list)?;
        let unbound = self.lists.take(number);
        if self.journal.is_open() {
            // The open batch may be taken back.
            self.journal
                .unbound
                .extend(unbound.map(|list| (number, list)));
        }
        Ok(())
    }

    /// The rows of a list as they are now. O(1). See [`bind`](Self::bind) for an example.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when it is not bound to this store.
    pub fn list(&self, list: ListId) -> Result<BoundList<'_, T>, UnknownList> {
        let (state, context) = self.list_state(list)?;
        Ok(BoundList::new(list, state, context))
    }

    /// A list, to change its query, and to edit the items by its rows. O(1). See
    /// [`ListMut::change_query`] and [`ListMut::move_to`] for examples.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when it is not bound to this store.
    pub fn list_mut(&mut self, list: ListId) -> Result<ListMut<'_, T>, UnknownList> {
        self.number(list)?;
        Ok(ListMut::new(self, list))
    }

    /// A feed of a list: it has what happens to the list from now on.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when the list is not bound to this store.
    pub fn feed(&mut self, list: ListId) -> Result<Feed<T>, UnknownList> {
        Ok(self.list_state_mut(list)?.0.feed(list))
    }

    pub(super) fn requery(&mut self, list: ListId, query: Query<T>) -> Result<(), UnknownList> {
        self.number(list)?;
        self.attempt_with_lists(|store| {
            store.keep_for(&query);
            let held = store.special.all_held();
            let (state, context) = store.list_state_mut(list)?;
            state.requery(query, context);
            for slot in held {
                state.hold(slot, context);
            }
            Ok(())
        })
    }

    /// Holds an item's rows: in every list that shows it, now or later, it keeps its place and stays
    /// visible, whatever its item becomes, until it is released. Meant for a row that is being edited.
    ///
    /// Moving the item itself still moves the row, and so does moving the row to another section. A held row in a
    /// list that is sorted again is placed by its item of that moment.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=2).map(|id| Piece { id, fired: false }))?;
    /// let waiting = store.bind(Query::new().filter(|piece: &Piece| !piece.fired));
    /// store.hold(&1)?;
    /// store.edit(&1, |piece| piece.fired = true)?;
    /// assert_eq!(store.list(waiting)?.position(&1), Some(0));
    /// store.release(&1)?;
    /// assert_eq!(store.list(waiting)?.position(&1), None);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`].
    pub fn hold(&mut self, key: &T::Key) -> Result<(), EditError<T::Key>> {
        let slot = self.known_slot(key)?;
        self.attempt_with_lists(|store| {
            store.set_held(slot, true);
            store.hold_row(slot);
            Ok(())
        })
    }

    /// Lets go of an item's rows; each goes where it belongs.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`].
    pub fn release(&mut self, key: &T::Key) -> Result<(), EditError<T::Key>> {
        let slot = self.known_slot(key)?;
        self.attempt_with_lists(|store| {
            store.set_held(slot, false);
            store.release_row(slot);
            Ok(())
        })
    }

    pub(super) fn hold_row(&mut self, slot: Slot) {
        self.each_list(|list, context| list.hold(slot, context));
    }

    /// Lets go of a row that is no longer held.
    pub(super) fn release_row(&mut self, slot: Slot) {
        if !self.special.holds(slot) {
            self.each_list(|list, context| list.release(slot, context));
        }
    }

    /// Shows a row in a list, whether it matches or not, and holds it there.
    pub(super) fn show_row(&mut self, list: ListId, slot: Slot) -> Result<(), UnknownList> {
        let (state, context) = self.list_state_mut(list)?;
        state.show(slot, context);
        Ok(())
    }

    /// Holds the rows that are to be held in lists that have begun to show them.
    pub(super) fn hold_again(&mut self) {
        if !self.special.holds_any() {
            return;
        }
        // A list can only begin to show a row that was touched; a query that shows others holds them itself. A row that
        // was there can get drafts from one that goes.
        let handed_over = self.journal.steps.iter().filter_map(|step| match step {
            Step::Special { prior } => self.special.row_held_by(prior),
            _ => None,
        });
        let touched = self.journal.steps.iter().filter_map(Step::slot);
        let touched = touched.chain(handed_over);
        let touched: BTreeSet<Slot> = touched.filter(|slot| self.special.holds(*slot)).collect();
        for slot in touched {
            self.hold_row(slot);
        }
    }

    /// Keeps of each item what a query reads of it, from now on.
    fn keep_for(&mut self, query: &Query<T>) {
        for column in query.columns() {
            self.base.columns.add(&column, &mut self.base.items);
        }
    }

    fn each_list(&mut self, change: impl Fn(&mut ListState<T>, Context<'_, T>)) {
        let context = self.base.context();
        for list in self.lists.iter_mut() {
            change(list, context);
        }
    }

    /// An attempt that changes lists. In an open batch the lists catch up with it first.
    pub(super) fn attempt_with_lists<R, E>(
        &mut self,
        change: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<R, E> {
        self.batch(|store| {
            store.update_lists();
            change(store)
        })
    }

    fn number(&self, list: ListId) -> Result<u64, UnknownList> {
        let number = list.number;
        let is_bound = list.store == self.id && self.lists.get(number).is_some();
        is_bound.then_some(number).ok_or(UnknownList { number })
    }

    pub(crate) fn list_state(
        &self,
        list: ListId,
    ) -> Result<(&ListState<T>, Context<'_, T>), UnknownList> {
        let number = self.number(list)?;
        let state = self.lists.get(number).ok_or(UnknownList { number })?;
        Ok((state, self.context()))
    }

    pub(super) fn list_state_mut(
        &mut self,
        list: ListId,
    ) -> Result<(&mut ListState<T>, Context<'_, T>), UnknownList> {
        let number = self.number(list)?;
        let context = self.base.context();
        let state = self.lists.get_mut(number).ok_or(UnknownList { number })?;
        Ok((state, context))
    }
}

impl<T: Item> Feed<T> {
    /// All that happened to the list since the last read, as one minimal change set; `None` when that
    /// comes to nothing. O(k log k) in the touched rows.
    ///
    /// Inside a batch it says nothing: what happens there may be taken back.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when the list was unbound or is another store's.
    pub fn read(&self, store: &Store<T>) -> Result<Option<ChangeSet<T>>, UnknownList> {
        let (list, context) = store.list_state(self.list())?;
        if store.journal.is_open() {
            return Ok(None);
        }
        Ok(list.read(self, context))
    }

    /// Whether anything happened to the list since the last read. It may come to nothing:
    /// only [`read`](Self::read) knows. O(1).
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when the list was unbound or is another store's.
    pub fn has_unread(&self, store: &Store<T>) -> Result<bool, UnknownList> {
        let (list, _) = store.list_state(self.list())?;
        Ok(!store.journal.is_open() && list.has_unread(self))
    }
}

//! A list as it is changed: its query, and the items by its rows.

use super::{ListEditError, SectionError};
use crate::item::Item;
use crate::item::SectionKey;
use crate::list::{BoundList, ListId};
use crate::query::Query;
use crate::store::{Draft, Place, Store};
use std::fmt;

/// A bound list, to change its query, and to edit the items by its rows: [`Store::list_mut`].
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// # use usual_tide_pieces::with_shelf::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
/// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
/// let mut rows = store.list_mut(list)?;
/// assert!(rows.move_down(&1)?);
/// assert!(rows.move_up(&1)?);
/// assert!(rows.collapse(&"A".into())?);
/// assert!(rows.expand(&"A".into())?);
/// // A list that is no longer shown costs edits nothing more once it is unbound.
/// store.unbind(list)?;
/// assert!(store.list(list).is_err());
/// # Ok(()) }
/// ```
pub struct ListMut<'a, T: Item> {
    store: &'a mut Store<T>,
    list: ListId,
}

impl<'a, T: Item> ListMut<'a, T> {
    pub(super) fn new(store: &'a mut Store<T>, list: ListId) -> Self {
        Self { store, list }
    }

    /// Changes the query of the list; every feed of it sees the minimal change from the old rows to the new.
    ///
    /// The closure gets the query and returns another. What it leaves as it is costs nothing: the old
    /// sort with another filter sorts no more than the rows that arrive. O(n) for another filter, O(n log n) for another
    /// sort, O(1) for another window.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let titles = ["Bowl", "Mug", "Big bowl"];
    /// # let mut store = Store::load((0..3).map(|id| Piece { id, title: titles[id as usize].into() }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.list_mut(list)?.change_query(|query| {
    ///     query.filter(|piece: &Piece| piece.title.to_lowercase().contains("bowl"))
    /// });
    /// assert_eq!(feed.read(&store)?.unwrap().removed().len(), 1);
    /// # Ok(()) }
    /// ```
    pub fn change_query(&mut self, change: impl FnOnce(Query<T>) -> Query<T>) {
        let Ok(query) = self.rows_now().map(|rows| rows.query().clone()) else {
            return;
        };
        self.set_query(change(query));
    }

    /// Gives the list another query. Parts that are equal to those of the query before cost nothing; a query
    /// that is equal as a whole changes nothing. Costs as [`change_query`](Self::change_query).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..3).map(|id| Piece { id, fired: id == 1 }))?;
    /// let list = store.bind(Query::new());
    /// store.list_mut(list)?.set_query(Query::new().filter(Piece::FIRED.is(false)));
    /// assert_eq!(store.list(list)?.len(), 2);
    /// # Ok(()) }
    /// ```
    pub fn set_query(&mut self, query: Query<T>) {
        let done = self.store.requery(self.list, query);
        debug_assert!(done.is_ok(), "the list was looked up before");
    }

    fn rows_now(&self) -> Result<BoundList<'_, T>, crate::list::UnknownList> {
        self.store.list(self.list)
    }

    /// Shows this many more rows at the end of a list with a window; a list without one shows all rows anyway.
    /// O(rows that arrive).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..100).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new().take(20));
    /// store.list_mut(list)?.load_more(20);
    /// assert_eq!(store.list(list)?.len(), 40);
    /// # Ok(()) }
    /// ```
    pub fn load_more(&mut self, rows: usize) {
        self.change_query(|query| match query.taken() {
            Some(taken) => query.take(taken.saturating_add(rows)),
            None => query,
        });
    }

    /// Adds an item at a place among the rows that the list shows.
    ///
    /// It lands next to its visible neighbour in source order: right after the row above it, or right
    /// before the row below when it is first. Whether the list then shows it is up to the filter.
    /// O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, there is no such place in it, or the key is taken.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_letter::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let order = |store: &Store<Piece>| store.items().map(|piece| piece.id).collect::<String>();
    /// let mut store = Store::load("AxyB".chars().map(|id| Piece { id }))?;
    /// let capitals = store.bind(Query::new().filter(|piece: &Piece| piece.id.is_uppercase()));
    /// store.list_mut(capitals)?.add(Piece { id: 'C' }, Place::Gap(1))?;
    /// assert_eq!(order(&store), "ACxyB");
    /// # Ok(()) }
    /// ```
    pub fn add(&mut self, item: T, place: Place<T::Key>) -> Result<(), ListEditError<T::Key>> {
        self.store.add_in(self.list, item, place)
    }

    /// Moves rows to another place in the list, side by side in their order. `true` when the list shows another
    /// order afterwards. O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, does not show one of the rows, or has no such place.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_letter::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let order = |store: &Store<Piece>| store.items().map(|piece| piece.id).collect::<String>();
    /// let mut store = Store::load("AxyBzC".chars().map(|id| Piece { id }))?;
    /// let capitals = store.bind(Query::new().filter(|piece: &Piece| piece.id.is_uppercase()));
    ///
    /// // The list shows A, B, C. Dropping A into the gap between B and C puts it right after B,
    /// // whatever hidden rows there are.
    /// store.list_mut(capitals)?.move_to(&['A'], Place::Gap(2))?;
    /// assert_eq!(order(&store), "xyBAzC");
    ///
    /// // To the very top of the list: right before B, which was first.
    /// store.list_mut(capitals)?.move_to(&['C'], Place::Start)?;
    /// assert_eq!(order(&store), "xyCBAz");
    /// # Ok(()) }
    /// ```
    pub fn move_to(
        &mut self,
        keys: &[T::Key],
        place: Place<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.store.move_in(self.list, keys, place)
    }

    /// Moves a row up by one: past the row above it, whatever hidden rows are between, and in a grouped list from
    /// the first place of a section to the last of the section above. `false` when it is the first row.
    /// O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted or does not show the row, or the grouping does not say how a row
    /// is changed for another section.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_letter::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let order = |store: &Store<Piece>| store.items().map(|piece| piece.id).collect::<String>();
    /// let mut store = Store::load("ABC".chars().map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// assert!(store.list_mut(list)?.move_up(&'B')?);
    /// assert_eq!(order(&store), "BAC");
    /// assert!(!store.list_mut(list)?.move_up(&'B')?, "it is the first");
    /// # Ok(()) }
    /// ```
    pub fn move_up(&mut self, key: &T::Key) -> Result<bool, ListEditError<T::Key>> {
        self.store.move_by_one(self.list, key, false)
    }

    /// Moves a row down by one: past the row below it, whatever hidden rows are between, and in a grouped list
    /// from the last place of a section to the first of the section below. `false` when it is the last row.
    /// O(log n) a list. See [`move_up`](Self::move_up) for an example.
    ///
    /// # Errors
    ///
    /// Those of [`move_up`](Self::move_up).
    pub fn move_down(&mut self, key: &T::Key) -> Result<bool, ListEditError<T::Key>> {
        self.store.move_by_one(self.list, key, true)
    }

    /// Moves rows to another section, as the grouping says how, and leaves their place in the source; in a sorted
    /// list they stand there as the sort wants it. `true` when an item changed. O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the grouping does not say how, or the item refuses; a row is not shown.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([piece(1, "A"), piece(2, "B")])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF).regroup()));
    /// store.list_mut(list)?.regroup(&[1], &"B".into())?;
    /// assert_eq!(store.get(&1).ok_or("no piece")?.shelf, "B");
    /// # Ok(()) }
    /// ```
    pub fn regroup(
        &mut self,
        keys: &[T::Key],
        section: &SectionKey,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.store.regroup(self.list, keys, section)
    }

    /// Moves rows to a place in a section: `Row` and `Gap` count the rows of that section, and the
    /// keys of `Before` and `After` are in it. Rows that come from another section are changed as the grouping
    /// says. `true` when an item or the order changed. O(k log n) a list.
    ///
    /// This is what a drag reports that ends over a section, be it empty, collapsed, or between two.
    ///
    /// # Errors
    ///
    /// [`ListEditError`]: the list is sorted, has no such section or place, the grouping does not say how a
    /// row is changed, or a row is not shown.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([piece(1, "A"), piece(2, "B"), piece(3, "B")])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF).regroup()));
    /// store.list_mut(list)?.move_to_section(&[1], &"B".into(), Place::Row(1))?;
    /// let ids: Vec<u32> = store.list(list)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [2, 1, 3]);
    /// # Ok(()) }
    /// ```
    pub fn move_to_section(
        &mut self,
        keys: &[T::Key],
        section: &SectionKey,
        place: Place<T::Key>,
    ) -> Result<bool, ListEditError<T::Key>> {
        self.store.move_to_section(self.list, keys, section, place)
    }

    /// Begins a draft of a new item at a place among the rows that the list shows; the list shows the row even if
    /// it does not match. In a grouped list it belongs to the section of the place, if the grouping says how. In
    /// a sorted list, where no place can be chosen, only [`Place::Start`] and [`Place::End`] are
    /// taken: the row stands where its sort key puts it. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`ListEditError`].
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, fired: true }])?;
    /// let fired = store.bind(Query::new().filter(Piece::FIRED.is(true)));
    /// let blank = Piece { id: 2, fired: false };
    /// let draft = store.list_mut(fired)?.begin_new_draft(blank, Place::End)?;
    /// assert_eq!(store.list(fired)?.position(&2), Some(1));
    /// store.drafts_mut().discard(draft)?;
    /// # Ok(()) }
    /// ```
    pub fn begin_new_draft(
        &mut self,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, ListEditError<T::Key>> {
        self.store.begin_new_draft_in(self.list, item, place)
    }

    /// Hides the rows of a section under its heading; its count and totals stay. `true` when it was expanded.
    /// A section that goes and comes back is collapsed again. O(rows of the section) for its feeds.
    ///
    /// # Errors
    ///
    /// [`SectionError`].
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([piece(1, "A"), piece(2, "A"), piece(3, "B")])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let feed = store.feed(list)?;
    ///
    /// store.list_mut(list)?.collapse(&"A".into())?;
    /// assert_eq!(feed.read(&store)?.ok_or("no change")?.removed()[0].range(), 0..2);
    /// let rows = store.list(list)?;
    /// assert_eq!((rows.len(), rows.sections().count()), (1, 2));
    /// assert_eq!(rows.section_at(0).ok_or("no section")?.count(), 2);
    /// # Ok(()) }
    /// ```
    pub fn collapse(&mut self, section: &SectionKey) -> Result<bool, SectionError> {
        self.store.set_collapsed(self.list, Some(section), true)
    }

    /// Shows the rows of a section again. `true` when it was collapsed. O(rows of the section) for its feeds. See
    /// [`collapse`](Self::collapse) for an example.
    ///
    /// # Errors
    ///
    /// [`SectionError`].
    pub fn expand(&mut self, section: &SectionKey) -> Result<bool, SectionError> {
        self.store.set_collapsed(self.list, Some(section), false)
    }

    /// Collapses every section that is there. `true` when one was expanded. O(n) for its feeds.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf_number::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..6).map(|id| Piece { id, shelf: id % 2 }))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// store.list_mut(list)?.collapse_all();
    /// assert!(store.list(list)?.is_empty());
    /// store.list_mut(list)?.expand_all();
    /// assert_eq!(store.list(list)?.len(), 6);
    /// # Ok(()) }
    /// ```
    pub fn collapse_all(&mut self) -> bool {
        let done = self.store.set_collapsed(self.list, None, true);
        done.unwrap_or(false)
    }

    /// Collapses the sections with these keys and expands all others: what was noted of
    /// [`collapsed_sections`](crate::BoundList::collapsed_sections), for one, when the app was closed. Those that are not there yet
    /// are collapsed when they come, be it after the first items are loaded. `true` when one that is there changed; `false` in a
    /// list without grouping. O(s log s), and O(rows of the sections that changed) for its feeds.
    ///
    /// ```
    /// use usual_tide::sections::SectionKey;
    /// use usual_tide::{Group, Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([])?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// store.list_mut(list)?.collapse_only([SectionKey::from("B"), SectionKey::from("C")]);
    /// store.reload([piece(1, "A"), piece(2, "B")])?;
    /// store.add(piece(3, "C"), Place::End)?;
    ///
    /// let rows = store.list(list)?;
    /// let open: Vec<bool> = rows.sections().map(|section| !section.is_collapsed()).collect();
    /// assert_eq!(open, [true, false, false]);
    /// assert_eq!(rows.collapsed_sections().count(), 2);
    /// # Ok(()) }
    /// ```
    pub fn collapse_only(&mut self, sections: impl IntoIterator<Item = SectionKey>) -> bool {
        let sections = sections.into_iter().collect();
        let done = self.store.collapse_only(self.list, sections);
        done.unwrap_or(false)
    }

    /// Expands every section that is there. `true` when one was collapsed. O(n) for its feeds. See
    /// [`collapse_all`](Self::collapse_all) for an example.
    pub fn expand_all(&mut self) -> bool {
        let done = self.store.set_collapsed(self.list, None, false);
        done.unwrap_or(false)
    }
}

impl<T: Item> fmt::Debug for ListMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("ListMut").field(&self.list).finish()
    }
}

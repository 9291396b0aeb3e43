//! Queries: what a bound list shows, and in what order.

mod any_value;
mod collated;
mod columns;
mod filter;
mod group;
mod lookup;
mod names;
mod refinement;
mod search;
mod sort;
mod sort_key;
mod sort_text;
mod standard_values;
mod text_error;
mod text_prefix;
mod value;
mod window;

pub(crate) use columns::{ColumnOf, Columns};
#[cfg(feature = "cql2")]
pub use filter::FilterText;
pub use filter::{Condition, Filter};
#[cfg(feature = "calendar")]
pub use group::Period;
#[cfg(feature = "decimals")]
pub use group::WidthError;
pub use group::{Group, Total};
pub(crate) use group::{Tallied, Tally};
pub use lookup::FieldLookup;
#[cfg(feature = "record")]
pub(crate) use lookup::{most_like, nearest};
pub use names::{NameInText, name_in_text, names_in};
pub(crate) use refinement::Refinement;
pub use search::Search;
pub use sort::Sort;
pub use text_error::{QueryTextError, QueryTextProblem};
pub use value::{SortRank, SortValue};
pub(crate) use window::Window;

use std::fmt;
use std::sync::Arc;

/// What a bound list shows and in what order.
///
/// A query without filter and sort shows every item in source order. A query is cheap to clone;
/// its closures are shared.
///
/// ```
/// use usual_tide::{Item, Query, Sort};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, fired: bool, height_mm: u32 }
///
/// let query = Query::new()
///     .filter(|piece: &Piece| !piece.fired)
///     .sort(Piece::HEIGHT_MM.descending().then(Sort::by(|piece: &Piece| &piece.title)))
///     .take(50)
///     .numbered();
/// # let _ = query;
/// ```
///
/// ```
/// use usual_tide::{Group, Item, Query, Search};
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, #[item(search)] title: String, fired: bool }
///
/// // Each part can be read back, replaced, and taken out again.
/// let query = Query::new()
///     .filter(Piece::FIRED.is(false))
///     .search(Search::new("bowl"))
///     .sort(Piece::TITLE)
///     .group(Group::by(Piece::FIRED))
///     .skip(20)
///     .take(10)
///     .numbered();
/// assert!(query.is_filtered() && query.is_numbered());
/// assert_eq!(query.sorting().and_then(|sort| sort.text()), Some("title".to_owned()));
/// assert_eq!(query.grouping().and_then(|group| group.text()), Some("fired".to_owned()));
/// assert!(query.searching().is_some());
/// assert_eq!((query.skipped(), query.taken()), (20, Some(10)));
/// let all = query.unfiltered().unsearched().unsorted().ungrouped().skip(0).take_all();
/// assert!(all == Query::new().numbered());
/// ```
pub struct Query<T> {
    filter: Option<Arc<dyn Filter<T>>>,
    search: Option<Arc<Search<T>>>,
    sort: Option<Sort<T>>,
    group: Option<Group<T>>,
    /// The order of rows by group and sort.
    order: Option<Sort<T>>,
    window: Window,
    numbered: bool,
}

/// How the rows that one query shows are known to lie to those of another, before any window.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Scope {
    /// Every row of the new one is a row of the old one.
    Narrower,
    /// Every row of the old one is a row of the new one.
    Wider,
    Unknown,
}

impl<T: 'static> Query<T> {
    /// Every item in source order.
    pub fn new() -> Self {
        Self {
            filter: None,
            search: None,
            sort: None,
            group: None,
            order: None,
            window: Window::ALL,
            numbered: false,
        }
    }

    /// Shows only items that meet a condition, which replaces an earlier one: a closure
    /// (`|piece: &Piece| ...`), or a [`Condition`], of which an edit asks nothing when it is in none of
    /// its fields.
    ///
    /// It must depend on the item alone. Should it panic, nothing has changed.
    #[must_use]
    pub fn filter(mut self, filter: impl Filter<T> + 'static) -> Self {
        self.filter = Some(Arc::new(filter));
        self
    }

    /// Shows all items again.
    #[must_use]
    pub fn unfiltered(mut self) -> Self {
        self.filter = None;
        self
    }

    /// Shows only items that hold the words of a search, in place of an earlier search; the filter stays.
    ///
    /// One letter more in a live query asks only the rows that are shown, one less only those that are not.
    #[must_use]
    pub fn search(mut self, search: Search<T>) -> Self {
        self.search = Some(Arc::new(search));
        self
    }

    /// Shows items whatever words they hold.
    #[must_use]
    pub fn unsearched(mut self) -> Self {
        self.search = None;
        self
    }

    /// The search, to mark what it found in the rows.
    pub fn searching(&self) -> Option<&Search<T>> {
        self.search.as_deref()
    }

    /// Sorts the rows, in place of an earlier sort. Rows that tie keep source order.
    #[must_use]
    pub fn sort(mut self, sort: impl Into<Sort<T>>) -> Self {
        self.sort = Some(sort.into());
        self.in_order()
    }

    /// Shows the rows in source order again.
    #[must_use]
    pub fn unsorted(mut self) -> Self {
        self.sort = None;
        self.in_order()
    }

    /// Puts the rows into sections, in place of an earlier grouping; within a section they are sorted.
    #[must_use]
    pub fn group(mut self, group: Group<T>) -> Self {
        self.group = Some(group);
        self.in_order()
    }

    /// Shows the rows without sections again.
    #[must_use]
    pub fn ungrouped(mut self) -> Self {
        self.group = None;
        self.in_order()
    }

    /// The grouping, for its totals and headings.
    pub fn grouping(&self) -> Option<&Group<T>> {
        self.group.as_ref()
    }

    fn in_order(mut self) -> Self {
        self.order = match (&self.group, &self.sort) {
            (Some(group), sort) => Some(Sort::grouped(group, sort.as_ref())),
            (None, sort) => sort.clone(),
        };
        self
    }

    /// Leaves out the first rows.
    #[must_use]
    pub fn skip(mut self, rows: usize) -> Self {
        self.window.skip = rows;
        self
    }

    /// Shows at most this many rows.
    #[must_use]
    pub fn take(mut self, rows: usize) -> Self {
        self.window.take = Some(rows);
        self
    }

    /// Shows the rows to the end.
    #[must_use]
    pub fn take_all(mut self) -> Self {
        self.window.take = None;
        self
    }

    /// Numbers the rows from 1, skipped ones included; change sets then tell which rows that did not
    /// move show another number.
    #[must_use]
    pub fn numbered(mut self) -> Self {
        self.numbered = true;
        self
    }

    /// Whether a filter says which items are shown.
    pub fn is_filtered(&self) -> bool {
        self.filter.is_some()
    }

    /// The filter, where it is a condition and no closure.
    ///
    /// ```
    /// use usual_tide::{Item, Query};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// let query: Query<Piece> = Query::new().filter(Piece::FIRED.is(false));
    /// assert_eq!(query.condition().and_then(|condition| condition.text()).as_deref(), Some("fired = FALSE"));
    /// assert_eq!(query, Query::new().filter(Piece::FIRED.is(false)));
    /// ```
    pub fn condition(&self) -> Option<&Condition<T>> {
        self.filter.as_ref()?.as_condition()
    }

    /// The sort, within the sections of a grouped list.
    pub fn sorting(&self) -> Option<&Sort<T>> {
        self.sort.as_ref()
    }

    /// How many rows are left out at the start.
    pub fn skipped(&self) -> usize {
        self.window.skip
    }

    /// How many rows are shown at most, when that is limited.
    pub fn taken(&self) -> Option<usize> {
        self.window.take
    }

    /// Whether rows show their number.
    pub fn is_numbered(&self) -> bool {
        self.numbered
    }

    pub(crate) fn matches(&self, item: &T) -> bool {
        self.filter.as_ref().is_none_or(|filter| filter.shows(item))
            && self.search.as_ref().is_none_or(|search| search.finds(item))
    }

    /// Whether the filter lets an item pass, whatever the search says.
    pub(crate) fn passes_filter(&self, item: &T) -> bool {
        self.filter.as_ref().is_none_or(|filter| filter.shows(item))
    }

    /// What is kept of each item for this query.
    pub(crate) fn columns(&self) -> Vec<Arc<dyn ColumnOf<T>>> {
        let search = self.search.as_ref().and_then(|search| search.column());
        let sort = self.sort.as_ref().and_then(|sort| sort.column());
        search.into_iter().chain(sort).collect()
    }

    /// Whether an edit is known to make no difference to filter and search.
    pub(crate) fn is_unaffected_by(&self, before: &T, after: &T) -> bool {
        let filter = self.filter.as_ref();
        let search = self.search.as_ref();
        filter.is_none_or(|filter| filter.is_unaffected_by(before, after))
            && search.is_none_or(|search| search.is_unaffected_by(before, after))
    }

    /// Whether some items may not be shown.
    pub(crate) fn has_filter(&self) -> bool {
        self.filter.is_some() || self.search.is_some()
    }

    fn same_filter(&self, other: &Self) -> bool {
        match (&self.filter, &other.filter) {
            (None, None) => true,
            (Some(one), Some(two)) => {
                let conditions = || one.as_condition().zip(two.as_condition());
                Arc::ptr_eq(one, two) || conditions().is_some_and(|(one, two)| one == two)
            }
            _ => false,
        }
    }

    fn same_search(&self, other: &Self) -> bool {
        match (&self.search, &other.search) {
            (Some(one), Some(two)) if Arc::ptr_eq(one, two) => true,
            (one, two) => one == two,
        }
    }

    /// What is known of the rows of this query beside those of an earlier one.
    pub(crate) fn scope(&self, earlier: &Self) -> Scope {
        if !self.same_filter(earlier) {
            return Scope::Unknown;
        }
        match (&self.search, &earlier.search) {
            (Some(_), None) => Scope::Narrower,
            (None, Some(_)) => Scope::Wider,
            (Some(now), Some(before)) if now.narrows(before) => Scope::Narrower,
            (Some(now), Some(before)) if before.narrows(now) => Scope::Wider,
            _ => Scope::Unknown,
        }
    }

    /// The order of the rows by group and sort; none where it is that of the source.
    pub(crate) fn order(&self) -> Option<&Sort<T>> {
        self.order.as_ref()
    }

    pub(crate) fn window(&self) -> Window {
        self.window
    }

    /// Whether the other query is known to show the same rows before its window is laid over them.
    pub(crate) fn same_rows(&self, other: &Self) -> bool {
        self.same_search(other) && self.same_filter(other) && self.same_order(other)
    }

    /// Whether the other query is known to order rows in the same way.
    pub(crate) fn same_order(&self, other: &Self) -> bool {
        self.sort == other.sort && self.same_group(other)
    }

    pub(crate) fn same_group(&self, other: &Self) -> bool {
        self.group == other.group
    }
}

/// With the same parts. Parts that are data (conditions on fields, searches, sorts and groupings by fields) are
/// compared by what they say; a closure is the same as its clones alone.
impl<T: 'static> PartialEq for Query<T> {
    fn eq(&self, other: &Self) -> bool {
        self.same_rows(other) && self.window == other.window && self.numbered == other.numbered
    }
}

impl<T> Clone for Query<T> {
    fn clone(&self) -> Self {
        Self {
            filter: self.filter.clone(),
            search: self.search.clone(),
            sort: self.sort.clone(),
            group: self.group.clone(),
            order: self.order.clone(),
            window: self.window,
            numbered: self.numbered,
        }
    }
}

impl<T: 'static> Default for Query<T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<T> fmt::Debug for Query<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Query")
            .field("filtered", &self.filter.is_some())
            .field("search", &self.search)
            .field("sort", &self.sort)
            .field("group", &self.group)
            .field("window", &self.window)
            .field("numbered", &self.numbered)
            .finish()
    }
}

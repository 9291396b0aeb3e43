//! Reading a bound list.

use super::ListId;
use super::grouping::find_section;
use super::positions::PositionError;
use super::state::{Context, ListState};
use super::version::Version;
use crate::change::{Layout, Section, SectionReplica, SectionRow};
use crate::item::{GivenKeys, Item, LeftKeys, SectionKey};
use crate::order::Slot;
use crate::query::{Query, Window};
use std::fmt;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

/// The rows of a bound list as they are now.
///
/// It borrows the store, so nothing can change while it is used; a position is good as long as it
/// is. A position that came from a screen is better resolved with [`key_shown`](Self::key_shown).
///
/// ```
/// use usual_tide::{Item, Query, Store};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: &'static str, fired: bool }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let store_items = [("P-1", false), ("P-2", true), ("P-3", false)];
/// let mut store = Store::load(store_items.map(|(id, fired)| Piece { id, fired }))?;
/// let waiting = store.bind(Query::new().filter(|piece: &Piece| !piece.fired));
///
/// let rows = store.list(waiting)?;
/// assert_eq!(rows.len(), 2);
/// assert_eq!(rows.at(1).unwrap().id, "P-3");
/// assert_eq!(rows.position(&"P-3"), Some(1));
/// assert_eq!(rows.position(&"P-2"), None);
/// assert!(rows.at(2).is_none());
/// # Ok(()) }
/// ```
pub struct BoundList<'a, T: Item> {
    id: ListId,
    state: &'a ListState<T>,
    context: Context<'a, T>,
    /// The sections that the window shows, once they were asked for.
    layout: OnceLock<Layout>,
}

impl<'a, T: Item> BoundList<'a, T> {
    pub(crate) fn new(id: ListId, state: &'a ListState<T>, context: Context<'a, T>) -> Self {
        Self {
            id,
            state,
            context,
            layout: OnceLock::new(),
        }
    }

    pub(super) fn parts(&self) -> (&'a ListState<T>, Context<'a, T>) {
        (self.state, self.context)
    }

    /// Which list this is.
    pub fn id(&self) -> ListId {
        self.id
    }

    /// The list's query.
    pub fn query(&self) -> &'a Query<T> {
        self.state.query()
    }

    /// The number of rows shown.
    pub fn len(&self) -> usize {
        self.state.shown().len()
    }

    /// Whether no row is shown.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The number of rows that match, those outside of the window included.
    pub fn matching(&self) -> usize {
        self.state.rows.len()
    }

    /// The item at a position; `None` from the end on. O(log n).
    pub fn at(&self, position: usize) -> Option<&'a Arc<T>> {
        if position >= self.len() {
            return None;
        }
        let row = self.state.row_of_open(self.state.shown().start + position);
        self.context.items.get(self.state.rows.get(row)?)
    }

    /// The item with a key, when the list shows it. O(log n).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..2).map(|id| Piece { id, fired: id == 1 }))?;
    /// let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    /// assert!(store.list(waiting)?.get(&0).is_some());
    /// assert!(store.list(waiting)?.get(&1).is_none(), "it is in the store, and not shown");
    /// # Ok(()) }
    /// ```
    pub fn get(&self, key: &T::Key) -> Option<&'a Arc<T>> {
        let slot = self.context.keys.find(key, self.context.items)?;
        self.position_of(slot)?;
        self.context.items.get(slot)
    }

    /// Where an item is for this list: shown, hidden, or not there at all. O(log n).
    ///
    /// ```
    /// use usual_tide::lists::Presence;
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..2).map(|id| Piece { id, fired: id == 1 }))?;
    /// let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    /// let rows = store.list(waiting)?;
    /// assert_eq!(rows.presence(&0), Presence::Shown(0));
    /// assert_eq!(rows.presence(&1), Presence::Hidden);
    /// assert_eq!(rows.presence(&2), Presence::Absent);
    /// # Ok(()) }
    /// ```
    pub fn presence(&self, key: &T::Key) -> Presence {
        let slot = self.context.keys.find(key, self.context.items);
        match slot.filter(|slot| !self.context.is_concealed(*slot)) {
            None => Presence::Absent,
            Some(slot) => self
                .position_of(slot)
                .map_or(Presence::Hidden, Presence::Shown),
        }
    }

    /// The position of an item; `None` when it is not shown. O(log n).
    pub fn position(&self, key: &T::Key) -> Option<usize> {
        self.position_of(self.context.keys.find(key, self.context.items)?)
    }

    /// The keys of the items that have left the store of late, or were proposed for removal.
    pub(super) fn left(&self) -> &'a LeftKeys<T::Key> {
        self.context.left
    }

    /// Whether an item is there, shown or hidden. O(1).
    pub(super) fn has(&self, key: &T::Key) -> bool {
        let slot = self.context.keys.find(key, self.context.items);
        slot.is_some_and(|slot| !self.context.is_concealed(slot))
    }

    /// The keys that the source has given to items that were added under others.
    pub(super) fn given_keys(&self) -> &'a GivenKeys<T::Key> {
        self.context.given_keys
    }

    /// The key that an item has by now which was added under this one.
    pub(super) fn key_now<'k>(&'k self, key: &'k T::Key) -> &'k T::Key {
        self.context.key_now(key)
    }

    /// Whether the list shows an item. O(1), O(log n) where a window or a collapsed section may hide it.
    pub(super) fn shows(&self, key: &T::Key) -> bool {
        let Some(slot) = self.context.keys.find(key, self.context.items) else {
            return false;
        };
        let is_open = self.state.layout().is_none_or(Layout::is_open);
        match is_open && self.state.shown().len() == self.state.rows.len() {
            true => self.state.rows.contains(slot),
            false => self.position_of(slot).is_some(),
        }
    }

    fn position_of(&self, slot: Slot) -> Option<usize> {
        let shown = self.state.shown();
        let mut at = self.state.rows.position(slot)?;
        if let Some(layout) = self.state.layout().filter(|layout| !layout.is_open()) {
            if layout.at_row(at)?.1.shown == 0 {
                return None;
            }
            at = layout.shown_before(at);
        }
        shown.contains(&at).then(|| at - shown.start)
    }

    /// The number that a row shows in a list that numbers its rows: from 1, skipped rows included.
    pub fn number(&self, position: usize) -> Option<usize> {
        let numbered = self.query().is_numbered() && position < self.len();
        numbered.then(|| self.state.shown().start + position + 1)
    }

    /// The items in order.
    pub fn items(&self) -> impl Iterator<Item = &'a Arc<T>> + use<'a, T> {
        self.items_in(0..self.len())
    }

    /// The items at some positions, in order; positions past the end are left out. O(log n) and
    /// O(1) a row.
    pub fn items_in(
        &self,
        positions: Range<usize>,
    ) -> impl Iterator<Item = &'a Arc<T>> + use<'a, T> {
        let (rows, items) = (&self.state.rows, self.context.items);
        let start = positions.start.min(self.len());
        let end = positions.end.min(self.len()).max(start);
        let first = self.state.shown().start;
        let runs = self.state.open_runs(first + start..first + end).into_iter();
        runs.flat_map(move |run| rows.rows_from(rows.cursor(run.start)).take(run.len()))
            .filter_map(|slot| items.get(slot))
    }

    /// The sections that are shown, in order. A list without grouping is one section.
    pub fn sections(&self) -> impl Iterator<Item = Arc<Section>> + use<T> {
        let layout = self.layout();
        let sections = layout.sections();
        let sections: Vec<_> = sections
            .iter()
            .map(|placed| Arc::clone(&placed.section))
            .collect();
        sections.into_iter()
    }

    /// The keys of the collapsed sections, in no order: also of those that are not there now, and would be collapsed when they
    /// come. See [`collapse_only`](crate::ListMut::collapse_only), which takes them.
    pub fn collapsed_sections(&self) -> impl Iterator<Item = &'a SectionKey> + use<'a, T> {
        let grouping = self.state.grouping.as_ref();
        grouping
            .into_iter()
            .flat_map(|grouping| &grouping.collapsed)
    }

    /// How many sections are shown. O(1), and O(s) the first time where the window cuts them.
    pub fn section_count(&self) -> usize {
        self.layout().len()
    }

    /// The section at a position; `None` from the end on.
    pub fn section_at(&self, position: usize) -> Option<Arc<Section>> {
        Some(Arc::clone(&self.layout().get(position)?.1.section))
    }

    /// The position of a section; `None` when it is not shown.
    pub fn section_position(&self, key: &SectionKey) -> Option<usize> {
        let layout = self.layout();
        match self.query().grouping() {
            Some(group) => find_section(group, layout, key).ok(),
            None => (*key == SectionKey::WHOLE).then_some(0),
        }
    }

    /// The rows of a section that are shown, by their positions in the list; none from the end on.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, Store};
    /// use usual_tide::sections::SectionRow;
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([(1, "B"), (2, "A"), (3, "B"), (4, "B")].map(piece))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)).take(3));
    /// let rows = store.list(list)?;
    /// assert_eq!((rows.len(), rows.matching(), rows.section_count()), (3, 4, 2));
    /// assert_eq!(rows.section_position(&"B".into()), Some(1));
    /// assert_eq!(rows.rows_in(1), 1..3);
    /// let ids: Vec<u32> = rows.items_in(1..3).map(|piece| piece.id).collect();
    /// assert_eq!(ids, [1, 3]);
    /// // The second row of the second section is the list's third.
    /// let place = SectionRow { section: 1, row: 1 };
    /// assert_eq!(rows.section_row(2), Some(place));
    /// assert_eq!(rows.at_section_row(place).map(|piece| piece.id), Some(3));
    /// assert!(rows.bytes().rows > 0);
    /// # Ok(()) }
    /// ```
    pub fn rows_in(&self, section: usize) -> Range<usize> {
        match self.layout().get(section) {
            Some((before, placed)) => before.shown..before.shown + placed.shown,
            None => self.len()..self.len(),
        }
    }

    /// The section of a row, and its position there; `None` from the end on. O(log s) in the sections.
    pub fn section_row(&self, position: usize) -> Option<SectionRow> {
        self.layout().place(position)
    }

    /// The item at a position within a section; `None` when there is no such row. O(log n).
    pub fn at_section_row(&self, place: SectionRow) -> Option<&'a Arc<T>> {
        let rows = self.rows_in(place.section);
        let position = rows.start.checked_add(place.row)?;
        rows.contains(&position).then(|| self.at(position))?
    }

    /// The sections that the window shows. O(s) the first time where the window cuts them.
    pub(crate) fn layout(&self) -> &Layout {
        self.layout.get_or_init(|| match self.state.layout() {
            None => Layout::whole(self.len()),
            Some(layout) if self.state.window() == Window::ALL => layout.clone(),
            Some(layout) => layout.cut(&self.state.shown()),
        })
    }

    /// How often the list has changed: note it when positions are read for the screen.
    pub fn version(&self) -> Version {
        self.state.version()
    }

    /// The key of the row that was shown at a position when the list had a version: what the person
    /// saw, even when the row has moved or is gone by now; where the source has given that item another key since, that
    /// key. The last 64 changes of a list are always known, more while they have few rows. O(changes since).
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let on_screen = store.list(list)?.version();
    ///
    /// store.add(Piece { id: 9 }, Place::Start)?;
    /// // The person taps the first row, which still shows piece 1.
    /// let tapped = store.list(list)?.key_shown(0, on_screen)?;
    /// assert_eq!(tapped, 1);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`PositionError`] when the list had no such position, or has changed too often since.
    pub fn key_shown(&self, position: usize, version: Version) -> Result<T::Key, PositionError> {
        self.state.key_shown(position, version, self.context)
    }

    /// Bytes that the list takes beside the items: for its rows, and for the sort keys cached beside
    /// them. Spare capacity counts, and so do the order that the rows of a sorted or grouped list had before a search or a filter
    /// hid many of them, and what a sorted list keeps of each row while pages arrive.
    pub fn bytes(&self) -> ListBytes {
        ListBytes {
            rows: self.state.bytes(),
            sort_keys: self.state.key_bytes(),
        }
    }
}

impl<T: Item> SectionReplica<T> {
    /// A copy of what a list shows.
    pub fn of(rows: &BoundList<'_, T>) -> Self {
        let sections = rows.sections().zip(0..);
        Self::new(sections.map(|(section, at)| {
            let items = rows.items_in(rows.rows_in(at)).cloned();
            (section, items.collect())
        }))
    }
}

/// Where an item is for a list.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Presence {
    /// The list shows it, at this position.
    Shown(usize),
    /// The store has it, and the list does not show it: a filter, a search, the window or a collapsed section hides
    /// it.
    Hidden,
    /// The store does not have it, or its removal is pending.
    Absent,
}

/// What a bound list takes in memory.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct ListBytes {
    /// For the rows and their positions.
    pub rows: usize,
    /// For the sort keys beside the rows.
    pub sort_keys: usize,
}

impl<T: Item> fmt::Debug for BoundList<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("BoundList")
            .field("id", &self.id)
            .field("query", self.query())
            .field("len", &self.len())
            .finish()
    }
}

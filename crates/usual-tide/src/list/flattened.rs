//! A grouped list read as one column, in which headings are rows.

use super::view::BoundList;
use crate::change::{FlatItem, FlatKey, FlatRow};
use crate::item::Item;
use crate::item::SectionKey;
use std::fmt;

/// A bound list as one column, in which the headings of sections are rows too: for a toolkit that knows only one
/// column. Change sets over it are those of a feed, [flattened](crate::ChangeSet::flattened). A list without
/// grouping has no headings.
///
/// ```
/// use usual_tide::lists::{FlatRow, Flattened};
/// use usual_tide::{Group, Item, Query, Store};
/// # use usual_tide_pieces::with_shelf::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
/// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
/// let column = Flattened::of(store.list(list)?);
/// let texts = (0..column.len()).filter_map(|at| column.at(at)).map(|row| match row {
///     FlatRow::Heading(section) => section.heading().to_owned(),
///     FlatRow::Item(piece) => piece.id.to_string(),
/// });
/// assert_eq!(texts.collect::<Vec<_>>(), ["A", "1", "2", "B", "3"]);
/// assert_eq!(column.position(&3), Some(4));
/// # Ok(()) }
/// ```
pub struct Flattened<'a, T: Item> {
    rows: BoundList<'a, T>,
}

impl<'a, T: Item> Flattened<'a, T> {
    /// The column of a list.
    pub fn of(rows: BoundList<'a, T>) -> Self {
        Self { rows }
    }

    /// The list.
    pub fn rows(&self) -> &BoundList<'a, T> {
        &self.rows
    }

    /// How many rows and headings there are.
    pub fn len(&self) -> usize {
        self.rows.len() + self.headings()
    }

    /// Whether there is neither a row nor a heading.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    fn headings(&self) -> usize {
        match self.rows.query().grouping() {
            Some(_) => self.rows.section_count(),
            None => 0,
        }
    }

    /// The row or heading at a position of the column; `None` from the end on. O(log n + log² s).
    pub fn at(&self, position: usize) -> Option<FlatRow<T>> {
        let row = match self.headings() {
            0 => position,
            headings => {
                let section = last_at_most(headings, position, |section| self.heading_at(section))?;
                let within = position - self.heading_at(section);
                if within == 0 {
                    return self.rows.section_at(section).map(FlatRow::Heading);
                }
                let rows = self.rows.rows_in(section);
                Some(rows.start + within - 1).filter(|row| rows.contains(row))?
            }
        };
        self.rows.at(row).cloned().map(FlatRow::Item)
    }

    /// The position of an item in the column; `None` when it is not shown. O(log n).
    pub fn position(&self, key: &T::Key) -> Option<usize> {
        let row = self.rows.position(key)?;
        match self.headings() {
            0 => Some(row),
            _ => Some(row + self.rows.section_row(row)?.section + 1),
        }
    }

    /// The position of a section's heading in the column; `None` when it has none. O(log s).
    pub fn heading_position(&self, section: &SectionKey) -> Option<usize> {
        let section = self.rows.section_position(section)?;
        (section < self.headings()).then(|| self.heading_at(section))
    }

    /// The position in the column of what is known by a key. O(log n).
    ///
    /// ```
    /// use usual_tide::lists::{FlatKey, Flattened};
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let column = Flattened::of(store.list(list)?);
    /// assert_eq!(column.heading_position(&"B".into()), Some(3));
    /// assert_eq!(column.position_of(&FlatKey::Heading("B".into())), Some(3));
    /// let last = column.at(4).ok_or("five rows")?;
    /// assert_eq!(last.flat_key(), FlatKey::Item(3));
    /// # Ok(()) }
    /// ```
    pub fn position_of(&self, key: &FlatKey<T::Key>) -> Option<usize> {
        match key {
            FlatKey::Heading(section) => self.heading_position(section),
            FlatKey::Item(key) => self.position(key),
        }
    }

    /// The rows and headings in order, each with its key: what a copy that is kept by change sets begins with.
    pub fn items(&self) -> impl Iterator<Item = FlatItem<T>> {
        (0..self.len()).filter_map(|at| self.at(at).map(FlatItem::new))
    }

    /// The position of a heading by the section's position.
    fn heading_at(&self, section: usize) -> usize {
        self.rows.rows_in(section).start + section
    }
}

/// The last of this many ascending numbers that is not above a limit.
fn last_at_most(count: usize, limit: usize, number: impl Fn(usize) -> usize) -> Option<usize> {
    let (mut low, mut high) = (0, count);
    while low < high {
        let middle = low + (high - low) / 2;
        match number(middle) <= limit {
            true => low = middle + 1,
            false => high = middle,
        }
    }
    low.checked_sub(1)
}

impl<T: Item> fmt::Debug for Flattened<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Flattened").field(&self.rows).finish()
    }
}

//! A grouped list as one column, in which headings are rows.

use super::flattening::flatten;
use super::layout::Layout;
use super::section::Section;
use super::sectioning::Sectioning;
use crate::change::set::ChangeSet;
use crate::item::SectionKey;
use crate::item::{FieldPath, Item};
use std::sync::Arc;

/// A row of a column in which the headings of sections are rows too.
#[derive(Debug)]
pub enum FlatRow<T> {
    /// The heading of a section; its rows follow.
    Heading(Arc<Section>),
    /// A row.
    Item(Arc<T>),
}

/// What a row of such a column is known by.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum FlatKey<K> {
    /// The heading of the section with this key.
    Heading(SectionKey),
    /// The item with this key.
    Item(K),
}

impl<T> Clone for FlatRow<T> {
    fn clone(&self) -> Self {
        match self {
            Self::Heading(section) => Self::Heading(Arc::clone(section)),
            Self::Item(item) => Self::Item(Arc::clone(item)),
        }
    }
}

impl<T: PartialEq> PartialEq for FlatRow<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Heading(one), Self::Heading(two)) => one == two,
            (Self::Item(one), Self::Item(two)) => Arc::ptr_eq(one, two) || one == two,
            _ => false,
        }
    }
}

impl<T: Item> FlatRow<T> {
    /// What the row is known by.
    pub fn flat_key(&self) -> FlatKey<T::Key> {
        match self {
            Self::Heading(section) => FlatKey::Heading(section.key().clone()),
            Self::Item(item) => FlatKey::Item(item.key().clone()),
        }
    }
}

/// A row of a column with its key beside it, as an item of its own.
#[derive(Clone, PartialEq, Debug)]
pub struct FlatItem<T: Item> {
    key: FlatKey<T::Key>,
    row: FlatRow<T>,
}

impl<T: Item> FlatItem<T> {
    /// The row with its key.
    pub fn new(row: FlatRow<T>) -> Self {
        let key = row.flat_key();
        Self { key, row }
    }

    /// The row.
    pub fn row(&self) -> &FlatRow<T> {
        &self.row
    }
}

impl<T: Item> Item for FlatItem<T> {
    type Key = FlatKey<T::Key>;

    fn key(&self) -> &Self::Key {
        &self.key
    }

    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        match (&self.row, &later.row) {
            (FlatRow::Item(one), FlatRow::Item(two)) => one.changed_fields(two),
            (FlatRow::Heading(one), FlatRow::Heading(two)) => one.changed_fields(two),
            _ => Vec::new(),
        }
    }
}

impl<T: Item> ChangeSet<T> {
    /// The set over a column in which the headings of sections are rows too: for a toolkit that knows only one
    /// column. A list without grouping has no headings. As few moves as possible, and all that can be done with
    /// a change set can be done with this one. O(k log n) in the rows and sections of the set. The column itself is
    /// [`Flattened`](crate::lists::Flattened).
    ///
    /// ```
    /// use usual_tide::changes::Step;
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([(1, "A"), (2, "B")].map(piece))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let feed = store.feed(list)?;
    /// // The column is: A, piece 1, B, piece 2. Piece 2 is the last of shelf B.
    /// store.remove(&2)?;
    /// let changes = feed.read(&store)?.ok_or("no change")?.flattened();
    /// assert_eq!(changes.steps(), [Step::Remove { at: 2, count: 2 }]);
    /// # Ok(()) }
    /// ```
    pub fn flattened(&self) -> ChangeSet<FlatItem<T>> {
        let whole;
        let sections = match &self.sections {
            Some(sections) => &**sections,
            None => {
                let (before, after) = (Layout::whole(self.before), Layout::whole(self.after));
                whole = Sectioning::between(before, after);
                &whole
            }
        };
        ChangeSet::minimal(&flatten(sections, &self.to_alignment()))
    }
}

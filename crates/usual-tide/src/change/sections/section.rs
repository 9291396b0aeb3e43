//! Sections: runs of rows under one heading.

use crate::item::{FieldPath, Item, SectionKey, SectionName, Value};
use std::hash::Hash;
use std::sync::Arc;

/// A run of rows under one heading, as it is at one time.
///
/// See [`BoundList::sections`](crate::BoundList::sections).
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// # use usual_tide_pieces::with_shelf::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
/// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
/// store.list_mut(list)?.collapse(&"A".into())?;
/// let section = store.list(list)?.section_at(0).ok_or("two sections")?;
/// // It counts its rows, and shows none of them.
/// assert_eq!((section.heading(), section.count(), section.is_collapsed()), ("A", 2, true));
/// # Ok(()) }
/// ```
#[derive(Clone, Debug)]
pub struct Section {
    pub(crate) name: Arc<SectionName>,
    pub(crate) count: usize,
    pub(crate) totals: Arc<[Value<'static>]>,
    pub(crate) collapsed: bool,
}

impl Section {
    /// The one section of a list without grouping.
    pub(crate) fn whole(count: usize) -> Self {
        Self {
            name: Arc::new(SectionName::new(SectionKey::WHOLE, String::new())),
            count,
            totals: Arc::default(),
            collapsed: false,
        }
    }

    /// A section of which only the rows are counted.
    pub(crate) fn nameless(key: SectionKey, count: usize) -> Self {
        Self {
            name: Arc::new(SectionName::new(key, String::new())),
            ..Self::whole(count)
        }
    }

    pub(crate) fn with_count(&self, count: usize) -> Self {
        Self {
            count,
            ..self.clone()
        }
    }

    /// The value that its rows have in common.
    pub fn key(&self) -> &SectionKey {
        &self.name.key
    }

    /// The text above its rows; empty where the value is missing, unless the grouping says otherwise.
    pub fn heading(&self) -> &str {
        &self.name.heading
    }

    /// How many rows it has, those that a collapsed section or a window hides included.
    pub fn count(&self) -> usize {
        self.count
    }

    /// The totals that the grouping asks for, in its order; a missing value where no row has one.
    pub fn totals(&self) -> &[Value<'static>] {
        &self.totals
    }

    /// Whether its rows are hidden until it is expanded.
    pub fn is_collapsed(&self) -> bool {
        self.collapsed
    }

    /// Whether the totals are the same; one that is no number is the same as another.
    fn has_totals_of(&self, other: &Self) -> bool {
        let is_nan = |value: &Value<'_>| matches!(value, Value::Float(number) if number.is_nan());
        let mut pairs = self.totals.iter().zip(other.totals.iter());
        self.totals.len() == other.totals.len()
            && pairs.all(|(one, two)| one == two || is_nan(one) && is_nan(two))
    }

    /// The rows that it shows, before any window.
    pub(crate) fn open_rows(&self) -> usize {
        if self.collapsed { 0 } else { self.count }
    }
}

impl PartialEq for Section {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
            && self.count == other.count
            && self.collapsed == other.collapsed
            && self.has_totals_of(other)
    }
}

/// Sections have change sets of their own.
impl Item for Section {
    type Key = SectionKey;

    fn key(&self) -> &SectionKey {
        &self.name.key
    }

    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        let differs = [
            ("/heading", self.heading() != later.heading()),
            ("/count", self.count != later.count),
            ("/totals", !self.has_totals_of(later)),
            ("/collapsed", self.collapsed != later.collapsed),
        ];
        let differing = differs.into_iter().filter(|(_, differs)| *differs);
        differing.map(|(name, _)| FieldPath::new(name)).collect()
    }
}

/// A position in a grouped list: which section, and which row of it, both from 0.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct SectionRow {
    /// The position of the section among the sections.
    pub section: usize,
    /// The position of the row among the rows that the section shows.
    pub row: usize,
}

//! Sections: runs of rows under one heading.

use crate::item::{FieldPath, Item, Value};
use std::fmt;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// What a section's rows have in common: the value that they are grouped by.
///
/// The rows of a list without grouping are one section, which has no value.
///
/// ```
/// use usual_tide::fields::Value;
/// use usual_tide::sections::SectionKey;
///
/// let key = SectionKey::from("Kuro");
/// assert_eq!(key.value(), Some(&Value::from("Kuro")));
/// assert_eq!(key.to_string(), "Kuro");
/// ```
#[derive(Clone, Debug)]
pub struct SectionKey(Option<Value<'static>>);

impl SectionKey {
    /// The key of the one section of a list without grouping.
    pub const WHOLE: Self = Self(None);

    /// The value; none for the one section of a list without grouping.
    pub fn value(&self) -> Option<&Value<'static>> {
        self.0.as_ref()
    }
}

impl<V: Into<Value<'static>>> From<V> for SectionKey {
    fn from(value: V) -> Self {
        Self(Some(value.into()))
    }
}

impl fmt::Display for SectionKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.as_ref().map_or(Ok(()), |value| value.fmt(f))
    }
}

/// Keys are the same when the values are, to the bit: a float that is no number is the same as itself.
impl PartialEq for SectionKey {
    fn eq(&self, other: &Self) -> bool {
        match (&self.0, &other.0) {
            (None, None) => true,
            (Some(one), Some(two)) => same(one, two),
            _ => false,
        }
    }
}

impl Eq for SectionKey {}

/// A value that rows are grouped by, lent, to be looked up in a table.
pub(crate) struct GroupValue<'a>(pub(crate) Value<'a>);

impl PartialEq for GroupValue<'_> {
    fn eq(&self, other: &Self) -> bool {
        same(&self.0, &other.0)
    }
}

impl Eq for GroupValue<'_> {}

impl Hash for GroupValue<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        hash_value(&self.0, state);
    }
}

fn same(one: &Value<'_>, two: &Value<'_>) -> bool {
    match (one, two) {
        (Value::Float(one), Value::Float(two)) => bits(*one) == bits(*two),
        (Value::List(one), Value::List(two)) => {
            one.len() == two.len() && one.iter().zip(two).all(|(one, two)| same(one, two))
        }
        _ => one == two,
    }
}

/// Both zeros are one, and all that are no number.
fn bits(number: f64) -> u64 {
    if number.is_nan() {
        f64::NAN.to_bits()
    } else {
        (number + 0.0).to_bits()
    }
}

impl Hash for SectionKey {
    fn hash<H: Hasher>(&self, state: &mut H) {
        if let Some(value) = &self.0 {
            hash_value(value, state);
        }
    }
}

fn hash_value<H: Hasher>(value: &Value<'_>, state: &mut H) {
    std::mem::discriminant(value).hash(state);
    match value {
        Value::Missing => {}
        Value::Bool(flag) => flag.hash(state),
        Value::Integer(number) => number.hash(state),
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => number.hash(state),
        Value::Float(number) => bits(*number).hash(state),
        Value::Text(text) => text.hash(state),
        Value::Choice(choice) => choice.hash(state),
        #[cfg(feature = "calendar")]
        Value::Date(date) => date.hash(state),
        #[cfg(feature = "calendar")]
        Value::Timestamp(moment) => moment.hash(state),
        Value::List(values) => values.iter().for_each(|value| hash_value(value, state)),
    }
}

/// A run of rows under one heading, as it is at one time.
///
/// See [`BoundList::sections`](crate::BoundList::sections).
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// # #[derive(Clone, PartialEq, Debug, Item)]
/// # struct Piece { #[item(key)] id: u32, shelf: String }
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

/// What stays the same of a section as long as it is there.
#[derive(PartialEq, Debug)]
pub(crate) struct SectionName {
    pub(crate) key: SectionKey,
    pub(crate) heading: String,
}

impl Section {
    /// The one section of a list without grouping.
    pub(crate) fn whole(count: usize) -> Self {
        Self {
            name: Arc::new(SectionName {
                key: SectionKey::WHOLE,
                heading: String::new(),
            }),
            count,
            totals: Arc::default(),
            collapsed: false,
        }
    }

    /// A section of which only the rows are counted.
    pub(crate) fn nameless(key: SectionKey, count: usize) -> Self {
        let heading = String::new();
        Self {
            name: Arc::new(SectionName { key, heading }),
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

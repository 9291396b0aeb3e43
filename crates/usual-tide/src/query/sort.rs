//! Sorts: one or more keys, each with its direction.

use super::collated::{eight_bytes, key_within};
use super::columns::ColumnOf;
use super::group::Group;
use super::names::name_in_text;
use super::refinement::{Refinement, compare_by};
use super::sort_key::{ByComparison, ByField, ByPart, ByValue, SortKey};
use super::value::{SortRank, SortValue};
use crate::item::{AnyField, Field, NaturalOrder};
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// An order of rows, by one key or by several that break each other's ties.
///
/// Rows that tie in every key keep source order. Missing values come last in either direction
/// unless [`missing_first`](Self::missing_first) says otherwise.
///
/// ```
/// use usual_tide::{Item, Sort};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, shelf: Option<String>, height_mm: u32 }
///
/// let by_shelf_then_tallest: Sort<Piece> = Sort::by(|piece: &Piece| &piece.shelf)
///     .missing_first()
///     .then(Piece::HEIGHT_MM.descending());
/// # let _ = by_shelf_then_tallest;
/// ```
///
/// ```
/// use usual_tide::{Fields, Item, Query, Sort, Store};
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, height_mm: u32, width_mm: u32, shelf: Option<u32> }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, height_mm, width_mm, shelf)| Piece { id, height_mm, width_mm, shelf };
/// let mut store = Store::load([(1, 90, 10, None), (2, 30, 20, Some(4)), (3, 50, 30, Some(2))].map(piece))?;
/// // By a value that is computed, by a field known by name only, and with missing values first or last.
/// let by_area = Sort::by_value(|piece: &Piece| piece.height_mm * piece.width_mm);
/// let by_name = Sort::by_field(Piece::field_named("height_mm").ok_or("no such field")?);
/// let first = Sort::from(Piece::SHELF).missing_first();
/// let last = Sort::from(Piece::SHELF).descending().missing_last();
/// for (sort, expected) in [(by_area, [2, 1, 3]), (by_name, [2, 3, 1]), (first, [1, 3, 2]), (last, [2, 3, 1])] {
///     let list = store.bind(Query::new().sort(sort));
///     let ids: Vec<u32> = store.list(list)?.items().map(|piece| piece.id).collect();
///     assert_eq!(ids, expected);
/// }
/// # Ok(()) }
/// ```
pub struct Sort<T> {
    levels: Arc<[Level<T>]>,
}

/// One key of a sort.
pub(super) struct Level<T> {
    pub(super) key: Arc<dyn SortKey<T>>,
    descending: bool,
    missing_first: bool,
}

/// Bits that a rank takes at the top of a prefix.
pub(super) const RANK_BITS: u32 = 2;

impl<T> Sort<T> {
    /// Ascending by a part of the item, which is read in place.
    pub fn by<V>(get: impl Fn(&T) -> &V + Send + Sync + 'static) -> Self
    where
        T: 'static,
        V: SortValue + ?Sized + 'static,
    {
        Self::single(ByPart::new(get), NaturalOrder::default())
    }

    /// Ascending by a value that is computed from the item, each time it is compared.
    pub fn by_value<V>(get: impl Fn(&T) -> V + Send + Sync + 'static) -> Self
    where
        T: 'static,
        V: SortValue + 'static,
    {
        Self::single(ByValue::new(get), NaturalOrder::default())
    }

    /// In an order of your own, which must be total. No prefix can be cached for it, so it is slower
    /// than the others.
    pub fn from_fn(compare: impl Fn(&T, &T) -> Ordering + Send + Sync + 'static) -> Self
    where
        T: 'static,
    {
        Self::single(ByComparison(compare), NaturalOrder::default())
    }

    /// By a field, whatever its type, in the direction that is natural to it.
    pub fn by_field(field: AnyField<T>) -> Self
    where
        T: 'static,
    {
        let order = field.natural_order();
        Self::single(field, order)
    }

    /// By section first, then within each.
    pub(super) fn grouped(group: &Group<T>, within: Option<&Self>) -> Self
    where
        T: 'static,
    {
        let sections = Self::single(group.level(), NaturalOrder::default());
        match within {
            Some(sort) => sections.then(sort.clone()),
            None => sections,
        }
    }

    pub(super) fn single(key: impl SortKey<T> + 'static, order: NaturalOrder) -> Self {
        let level = Level {
            key: Arc::new(key),
            descending: order.descending,
            missing_first: order.missing_first,
        };
        Self {
            levels: Arc::new([level]),
        }
    }

    /// The last key in ascending order, whatever is natural to its field.
    #[must_use]
    pub fn ascending(self) -> Self {
        self.with_last(|level| level.descending = false)
    }

    /// The last key in descending order.
    #[must_use]
    pub fn descending(self) -> Self {
        self.with_last(|level| level.descending = true)
    }

    /// Missing values of the last key last, in either direction, whatever is natural to its field.
    #[must_use]
    pub fn missing_last(self) -> Self {
        self.with_last(|level| level.missing_first = false)
    }

    /// Missing values of the last key first, in either direction.
    #[must_use]
    pub fn missing_first(self) -> Self {
        self.with_last(|level| level.missing_first = true)
    }

    /// Another sort for the rows that tie in this one.
    #[must_use]
    pub fn then(self, next: impl Into<Self>) -> Self {
        let next = next.into();
        let levels = self.levels.iter().chain(next.levels.iter());
        Self {
            levels: levels.cloned().collect(),
        }
    }

    /// Sorts, each for the rows that tie in those before it.
    pub(super) fn joined(sorts: &[Self]) -> Self {
        let levels = sorts.iter().flat_map(|sort| sort.levels.iter());
        Self {
            levels: levels.cloned().collect(),
        }
    }

    fn with_last(self, change: impl FnOnce(&mut Level<T>)) -> Self {
        let mut levels: Vec<Level<T>> = self.levels.iter().cloned().collect();
        if let Some(last) = levels.last_mut() {
            change(last);
        }
        Self {
            levels: levels.into(),
        }
    }

    /// The sort as text that parses to the same order ([`parse`](Self::parse)): for settings. `None` where it says
    /// more than the text can: closures, missing values placed by hand. A collation is not in the text.
    ///
    /// ```
    /// use usual_tide::{Item, Sort};
    /// # use usual_tide_pieces::with_title_and_height::Piece;
    /// let sort: Sort<Piece> = Piece::HEIGHT_MM.descending().then(Piece::TITLE);
    /// assert_eq!(sort.text().as_deref(), Some("-height_mm, title"));
    /// ```
    pub fn text(&self) -> Option<String> {
        let levels = self.levels.iter().map(|level| {
            let key = level.key.identity()?;
            let sign = match (level.descending, key.natural.descending) {
                (true, false) => "-",
                (false, true) => "+",
                _ => "",
            };
            let plain = level.missing_first == key.natural.missing_first;
            plain.then(|| format!("{sign}{}", name_in_text(&key.field)))
        });
        let levels: Option<Vec<String>> = levels.collect();
        levels.map(|levels| levels.join(", "))
    }

    pub(crate) fn compare(&self, one: &T, two: &T) -> Ordering {
        self.compare_from(0, one, two)
    }

    /// What can be kept of each item for the first key, where that is worth it.
    pub(crate) fn column(&self) -> Option<Arc<dyn ColumnOf<T>>> {
        self.levels.first()?.key.column()
    }

    /// Compares two items by what is kept for the first key, and then by the others.
    pub(crate) fn compare_cached(&self, one: (&T, &[u8]), two: (&T, &[u8])) -> Ordering {
        let Some(level) = self.levels.first() else {
            return Ordering::Equal;
        };
        let first = match (key_within(one.1), key_within(two.1)) {
            (Some(one), Some(two)) if level.descending => two.cmp(one),
            (Some(one), Some(two)) => one.cmp(two),
            (None, None) => Ordering::Equal,
            (None, Some(_)) if level.missing_first => Ordering::Less,
            (Some(_), None) if !level.missing_first => Ordering::Less,
            _ => Ordering::Greater,
        };
        first.then_with(|| self.compare_from(1, one.0, two.0))
    }

    /// The prefix by what is kept for the first key.
    pub(crate) fn cached_prefix(&self, kept: &[u8]) -> u64 {
        let Some(level) = self.levels.first() else {
            return 0;
        };
        match key_within(kept) {
            Some(key) => level.placed(SortRank::Value, eight_bytes(key, 0)),
            None => level.placed(SortRank::Missing, 0),
        }
    }

    /// The bytes that are kept for the first key, from one of them on, in its direction.
    pub(crate) fn cached_bytes_from(&self, kept: &[u8], byte: usize) -> u64 {
        let bytes = eight_bytes(key_within(kept).unwrap_or_default(), byte);
        match self.levels.first() {
            Some(level) if level.descending => !bytes,
            _ => bytes,
        }
    }

    /// Whether items whose prefixes are equal are equal in this order.
    pub(crate) fn is_decided_by_prefix(&self) -> bool {
        self.layout().decided == self.levels.len()
    }

    /// Compares two items whose prefixes are equal.
    pub(crate) fn compare_past_prefix(&self, one: &T, two: &T) -> Ordering {
        self.compare_from(self.layout().decided, one, two)
    }

    fn compare_from(&self, level: usize, one: &T, two: &T) -> Ordering {
        compare_by(&self.levels[level..], one, two)
    }

    /// The beginning of an item's place in this order: as many keys as fit, the last of them perhaps
    /// cut short.
    pub(crate) fn prefix(&self, item: &T) -> u64 {
        let (mut prefix, mut used) = (0, 0);
        for level in self.levels.iter() {
            let bits = level.prefix(item);
            match level.width() {
                Some(width) if used + width < u64::BITS => {
                    prefix |= (bits & !(u64::MAX >> width)) >> used;
                    used += width;
                }
                _ => return prefix | bits >> used,
            }
        }
        prefix
    }

    fn layout(&self) -> Layout {
        let (mut used, mut decided) = (0, 0);
        for level in self.levels.iter() {
            match level.width() {
                Some(width) if used + width <= u64::BITS => used += width,
                _ => break,
            }
            decided += 1;
            if used == u64::BITS {
                break;
            }
        }
        Layout { used, decided }
    }

    /// How ties in the prefix can be broken.
    pub(crate) fn refinement(&self) -> Option<Refinement<'_, T>> {
        let layout = self.layout();
        let levels = &self.levels[layout.decided..];
        Refinement::within_prefix(levels, u64::BITS - layout.used)
    }

    /// How ties in the first key can be broken by the others.
    pub(crate) fn refinement_past_first(&self) -> Option<Refinement<'_, T>> {
        Refinement::of(self.levels.get(1..)?)
    }
}

/// How the prefix is divided among the levels.
struct Layout {
    /// Bits taken by levels that fit as a whole.
    used: u32,
    /// How many levels fit as a whole.
    decided: usize,
}

impl<T> Level<T> {
    /// Bits within which this level is decided; `None` when it never is.
    fn width(&self) -> Option<u32> {
        let bits = self.key.deciding_bits();
        let rank = if self.key.ranked() { RANK_BITS } else { 0 };
        (bits > 0 && bits + rank <= u64::BITS).then_some(bits + rank)
    }

    fn rank_place(&self, rank: SortRank) -> u64 {
        match rank {
            SortRank::Missing if self.missing_first => 0,
            SortRank::Value => 1,
            SortRank::NotANumber => 2,
            SortRank::Missing => 3,
        }
    }

    pub(super) fn prefix(&self, item: &T) -> u64 {
        if self.key.ranked() {
            let (rank, prefix) = self.key.ranked_prefix(item);
            return self.placed(rank, prefix);
        }
        self.directed(self.key.prefix(item))
    }

    pub(super) fn directed(&self, prefix: u64) -> u64 {
        if self.descending { !prefix } else { prefix }
    }

    /// A prefix below its rank.
    fn placed(&self, rank: SortRank, prefix: u64) -> u64 {
        let place = self.rank_place(rank) << (u64::BITS - RANK_BITS);
        match rank {
            SortRank::Value => place | self.directed(prefix) >> RANK_BITS,
            _ => place,
        }
    }

    pub(super) fn compare(&self, one: &T, two: &T) -> Ordering {
        let order = match self.key.ranked() {
            true => self.key.compare_ranked(one, two),
            false => Ok(self.key.compare(one, two)),
        };
        let order = match order {
            Ok(order) => order,
            Err((one, two)) => return self.rank_place(one).cmp(&self.rank_place(two)),
        };
        if self.descending {
            order.reverse()
        } else {
            order
        }
    }
}

/// By the same keys, where these are fields; a closure is the same as its clones alone.
impl<T> PartialEq for Sort<T> {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.levels, &other.levels) || self.levels == other.levels
    }
}

impl<T> PartialEq for Level<T> {
    fn eq(&self, other: &Self) -> bool {
        let same_key = || {
            let keys = self.key.identity().zip(other.key.identity());
            keys.is_some_and(|(one, two)| one == two)
        };
        self.descending == other.descending
            && self.missing_first == other.missing_first
            && (Arc::ptr_eq(&self.key, &other.key) || same_key())
    }
}

impl<T> Clone for Level<T> {
    fn clone(&self) -> Self {
        Self {
            key: Arc::clone(&self.key),
            ..*self
        }
    }
}

impl<T> Clone for Sort<T> {
    fn clone(&self) -> Self {
        Self {
            levels: Arc::clone(&self.levels),
        }
    }
}

impl<T> fmt::Debug for Sort<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let level = |level: &Level<T>| {
            let sign = if level.descending { "-" } else { "" };
            let key = level.key.identity().map(|key| key.field);
            format!("{sign}{}", key.as_deref().unwrap_or("closure"))
        };
        f.debug_list()
            .entries(self.levels.iter().map(level))
            .finish()
    }
}

impl<T: 'static, V: SortValue + 'static> Field<T, V> {
    /// Ascending by this field.
    pub fn ascending(self) -> Sort<T> {
        Sort::from(self).ascending()
    }

    /// Descending by this field.
    pub fn descending(self) -> Sort<T> {
        Sort::from(self).descending()
    }
}

impl<T: 'static, V: SortValue + 'static> From<Field<T, V>> for Sort<T> {
    /// In the direction that is natural to the field.
    fn from(field: Field<T, V>) -> Self {
        let order = field.natural_order();
        Self::single(ByField(field), order)
    }
}

impl<T: 'static> AnyField<T> {
    /// Ascending by this field.
    pub fn ascending(self) -> Sort<T> {
        Sort::by_field(self).ascending()
    }

    /// Descending by this field.
    pub fn descending(self) -> Sort<T> {
        Sort::by_field(self).descending()
    }
}

impl<T: 'static> From<AnyField<T>> for Sort<T> {
    /// In the direction that is natural to the field.
    fn from(field: AnyField<T>) -> Self {
        Self::by_field(field)
    }
}

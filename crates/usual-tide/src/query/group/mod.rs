//! Groupings: what puts rows into sections, and in which order.

mod by;
mod initial;
mod level;
#[cfg(feature = "calendar")]
mod period;
mod sum;
mod text;
mod total;
#[cfg(feature = "decimals")]
mod width;

#[cfg(feature = "calendar")]
pub use period::Period;
pub use total::Total;
pub(crate) use total::{Tallied, Tally};
#[cfg(feature = "decimals")]
pub use width::WidthError;

use crate::item::{AnyField, FieldValue, InputError, Value};
use crate::item::{SectionKey, SectionName};
use crate::query::names::name_in_text;
use crate::sorts::by_number;
use crate::text::Collation;
use by::{ByClosure, ByShown, ByValue, GroupBy};
use hashbrown::HashMap;
use initial::ByInitial;
#[cfg(feature = "calendar")]
use jiff::tz::TimeZone;
use level::GroupLevel;
#[cfg(feature = "calendar")]
use period::ByPeriod;
#[cfg(feature = "decimals")]
use rust_decimal::Decimal;
use std::fmt;
use std::sync::Arc;
use total::{TotalOf, same_tallied};
#[cfg(feature = "decimals")]
use width::ByWidth;

/// What puts rows into sections: the value that the rows of a section have in common.
///
/// Sections come in the order of their values, ascending, missing ones last, unless the grouping says
/// otherwise; within a section rows keep the order of the list. A section without rows is gone, unless
/// the grouping keeps it.
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// use usual_tide::query::{Period, Total};
/// use jiff::civil::{Date, date};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, due: Date, height_mm: u32 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let days = [date(2026, 3, 5), date(2026, 4, 1), date(2026, 3, 28)];
/// let mut store = Store::load((0..3).map(|id| Piece { id, due: days[id as usize], height_mm: 100 + id }))?;
/// let by_month = Group::by_period(Piece::DUE, Period::Month).total(Total::Maximum, Piece::HEIGHT_MM);
/// let list = store.bind(Query::new().group(by_month));
///
/// let rows = store.list(list)?;
/// let headings: Vec<String> = rows.sections().map(|section| section.heading().to_owned()).collect();
/// assert_eq!(headings, ["2026-03", "2026-04"]);
/// let march = rows.section_at(0).ok_or("no section")?;
/// assert_eq!((march.count(), march.totals()[0].to_string()), (2, "102".to_owned()));
/// # Ok(()) }
/// ```
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// use usual_tide::fields::Value;
/// use usual_tide::text::Collation;
/// # #[derive(Clone, PartialEq, Debug, Item)]
/// # struct Piece { #[item(key)] id: u32, title: String, shelf: String, stock: u32 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, title, shelf, stock): (u32, &str, &str, u32)| {
/// #     Piece { id, title: title.into(), shelf: shelf.into(), stock }
/// # };
/// let pieces = [(1, "Écuelle", "top", 0), (2, "Bowl", "floor", 2), (3, "2 cups", "top", 5)];
/// let mut store = Store::load(pieces.map(piece))?;
/// let groupings = [
///     (Group::by(Piece::SHELF), "floor top"),
///     (Group::by(Piece::SHELF).collated(&Collation::plain()).descending(), "top floor"),
///     (Group::by_shown(Piece::STOCK), "0 2 5"),
///     // Letters first, without case and accents; then digits.
///     (Group::by_initial(Piece::TITLE), "B E 0–9"),
///     (Group::by_initial_in(Piece::TITLE, &Collation::plain()), "B E 0–9"),
///     // The first two come first, and stay when they have no rows.
///     (Group::by(Piece::SHELF).in_order(["top", "kiln"]).keep_empty(), "top kiln floor"),
/// ];
/// for (group, expected) in groupings {
///     let list = store.bind(Query::new().group(group));
///     let headings: Vec<String> = store.list(list)?.sections().map(|section| section.heading().to_owned()).collect();
///     assert_eq!(headings.join(" "), expected);
/// }
/// // What a row becomes when it is moved to another section, for a grouping by something computed.
/// let in_stock = Group::from_fn(|piece: &Piece| if piece.stock > 0 { "in stock" } else { "sold out" })
///     .regroup_with(|piece, section| {
///         piece.stock = u32::from(*section == Value::Text("in stock".into()));
///         Ok(())
///     });
/// let list = store.bind(Query::new().group(in_stock));
/// store.list_mut(list)?.regroup(&[1], &"in stock".into())?;
/// assert_eq!(store.get(&1).map(|piece| piece.stock), Some(1));
/// # Ok(()) }
/// ```
pub struct Group<T> {
    parts: Arc<Parts<T>>,
}

/// How an item is changed so that it belongs to a section.
enum Regroup<T> {
    /// Its field is set to the section's value.
    ByField,
    ByClosure(Arc<RegroupClosure<T>>),
}

type RegroupClosure<T> = dyn Fn(&mut T, &Value<'_>) -> Result<(), InputError> + Send + Sync;

impl<T> Clone for Regroup<T> {
    fn clone(&self) -> Self {
        match self {
            Self::ByField => Self::ByField,
            Self::ByClosure(closure) => Self::ByClosure(Arc::clone(closure)),
        }
    }
}

impl<T> PartialEq for Regroup<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::ByField, Self::ByField) => true,
            (Self::ByClosure(one), Self::ByClosure(two)) => Arc::ptr_eq(one, two),
            _ => false,
        }
    }
}

/// Makes the heading of a value.
type Heading = dyn Fn(&Value<'_>) -> String + Send + Sync;

struct Parts<T> {
    by: Arc<dyn GroupBy<T>>,
    heading: Option<Arc<Heading>>,
    descending: bool,
    missing_first: bool,
    collation: Option<Collation>,
    /// The places of values whose order is given.
    given: Arc<HashMap<SectionKey, u32>>,
    keeps_empty: bool,
    totals: Vec<TotalOf<T>>,
    regroup: Option<Regroup<T>>,
}

impl<T> Clone for Parts<T> {
    fn clone(&self) -> Self {
        Self {
            by: Arc::clone(&self.by),
            heading: self.heading.clone(),
            collation: self.collation.clone(),
            given: Arc::clone(&self.given),
            totals: self.totals.clone(),
            regroup: self.regroup.clone(),
            ..*self
        }
    }
}

impl<T: 'static> Group<T> {
    /// By the value of a field.
    pub fn by(field: impl Into<AnyField<T>>) -> Self {
        Self::of(ByValue(field.into()))
    }

    /// By the text that a field shows.
    pub fn by_shown(field: impl Into<AnyField<T>>) -> Self {
        Self::of(ByShown(field.into()))
    }

    /// By the first letter of the text that a field shows, without case and accents; digits are one section
    /// and whatever is neither is another, both after the letters.
    pub fn by_initial(field: impl Into<AnyField<T>>) -> Self {
        Self::by_initial_in(field, &Collation::plain())
    }

    /// The same by the letters that a locale lists texts under, in its order: in Swedish, Å, Ä and Ö are
    /// letters of their own; in Czech, Ch is.
    pub fn by_initial_in(field: impl Into<AnyField<T>>, collation: &Collation) -> Self {
        Self::of(ByInitial::new(field.into(), collation.clone()))
    }

    /// By the day, week, month, quarter or year of a field that holds a day or a moment. A moment belongs to
    /// the day that it has in UTC; see [`by_period_in`](Self::by_period_in). The value is the first day
    /// of the period.
    #[cfg(feature = "calendar")]
    pub fn by_period(field: impl Into<AnyField<T>>, period: Period) -> Self {
        Self::by_period_in(field, period, TimeZone::UTC)
    }

    /// The same by the day that a moment has in a time zone.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query, Store};
    /// use usual_tide::jiff::{Timestamp, tz::TimeZone};
    /// use usual_tide::query::Period;
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, fired: Timestamp }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, fired: "2026-03-05T23:30:00Z".parse()? }])?;
    /// let two_hours_east = TimeZone::fixed(usual_tide::jiff::tz::offset(2));
    /// let list = store.bind(Query::new().group(Group::by_period_in(Piece::FIRED, Period::Day, two_hours_east)));
    /// assert_eq!(store.list(list)?.section_at(0).map(|day| day.heading().to_owned()), Some("2026-03-06".into()));
    /// # Ok(()) }
    /// ```
    #[cfg(feature = "calendar")]
    pub fn by_period_in(field: impl Into<AnyField<T>>, period: Period, zone: TimeZone) -> Self {
        Self::of(ByPeriod {
            field: field.into(),
            period,
            zone,
        })
    }

    /// By ranges of a number that are so wide; the value is where the range begins.
    ///
    /// # Errors
    ///
    /// [`WidthError`] when the width is not above zero.
    #[cfg(feature = "decimals")]
    pub fn by_width(
        field: impl Into<AnyField<T>>,
        width: impl Into<Decimal>,
    ) -> Result<Self, WidthError> {
        Ok(Self::of(ByWidth::new(field.into(), width.into())?))
    }

    /// By what a closure makes of an item. It must depend on the item alone.
    pub fn from_fn<V: FieldValue>(value: impl Fn(&T) -> V + Send + Sync + 'static) -> Self {
        Self::of(ByClosure::new(value))
    }

    fn of(by: impl GroupBy<T> + 'static) -> Self {
        Self {
            parts: Arc::new(Parts {
                by: Arc::new(by),
                heading: None,
                descending: false,
                missing_first: false,
                collation: None,
                given: Arc::default(),
                keeps_empty: false,
                totals: Vec::new(),
                regroup: None,
            }),
        }
    }
}

impl<T> Group<T> {
    fn change(mut self, change: impl FnOnce(&mut Parts<T>)) -> Self {
        change(Arc::make_mut(&mut self.parts));
        self
    }

    /// Sections from the largest value to the smallest.
    #[must_use]
    pub fn descending(self) -> Self {
        self.change(|parts| parts.descending = true)
    }

    /// The section of missing values first, in either direction.
    #[must_use]
    pub fn missing_first(self) -> Self {
        self.change(|parts| parts.missing_first = true)
    }

    /// Values that are text in the order of a collation.
    #[must_use]
    pub fn collated(self, collation: &Collation) -> Self {
        self.change(|parts| parts.collation = Some(collation.clone()))
    }

    /// Sections of these values first, in this order; others follow in the order of their values.
    #[must_use]
    pub fn in_order<V: Into<SectionKey>>(self, values: impl IntoIterator<Item = V>) -> Self {
        let mut given = HashMap::new();
        for (value, place) in values.into_iter().zip(0..) {
            given.entry(value.into()).or_insert(place);
        }
        self.change(|parts| parts.given = Arc::new(given))
    }

    /// Sections stay when they have lost their rows, and those of a given order are there from the start.
    #[must_use]
    pub fn keep_empty(self) -> Self {
        self.change(|parts| parts.keeps_empty = true)
    }

    /// Headings of your own, in place of the text of the value.
    #[must_use]
    pub fn heading(self, heading: impl Fn(&Value<'_>) -> String + Send + Sync + 'static) -> Self {
        self.change(|parts| parts.heading = Some(Arc::new(heading)))
    }

    /// One total more for each section, of the numbers (or for the least and greatest: the values) of a
    /// field. Kept by work on the touched rows alone.
    #[must_use]
    pub fn total(self, total: Total, field: impl Into<AnyField<T>>) -> Self {
        let of = TotalOf::new(total, field.into());
        self.change(|parts| parts.totals.push(of))
    }

    /// Lets a row be moved to another section: its field is set to that section's value. Only a grouping by
    /// the value of a field can do that; for others see [`regroup_with`](Self::regroup_with).
    #[must_use]
    pub fn regroup(self) -> Self {
        self.change(|parts| parts.regroup = Some(Regroup::ByField))
    }

    /// Lets a row be moved to another section: the closure changes the item so that it belongs to the section
    /// of a value.
    #[must_use]
    pub fn regroup_with(
        self,
        regroup: impl Fn(&mut T, &Value<'_>) -> Result<(), InputError> + Send + Sync + 'static,
    ) -> Self {
        self.change(|parts| parts.regroup = Some(Regroup::ByClosure(Arc::new(regroup))))
    }

    /// What each total is and of which field, in the order in which they were asked for.
    pub fn totals(&self) -> impl Iterator<Item = (Total, &str)> {
        let totals = self.parts.totals.iter();
        totals.map(|total| (total.total, total.field.name()))
    }

    pub(crate) fn value<'a>(&self, item: &'a T) -> Value<'a> {
        self.parts.by.value(item)
    }

    /// The section that an item belongs to.
    pub fn key(&self, item: &T) -> SectionKey {
        SectionKey::from(self.parts.by.value(item).into_owned())
    }

    /// The heading of a section.
    pub fn heading_of(&self, key: &SectionKey) -> String {
        let value = key.value().unwrap_or(&Value::Missing);
        match &self.parts.heading {
            Some(heading) => heading(value),
            None => self.parts.by.heading(value),
        }
    }

    pub(crate) fn name(&self, key: SectionKey) -> Arc<SectionName> {
        let heading = self.heading_of(&key);
        Arc::new(SectionName::new(key, heading))
    }

    pub(crate) fn keeps_empty(&self) -> bool {
        self.parts.keeps_empty
    }

    /// The sections that are there without rows, in their order.
    pub(crate) fn given(&self) -> Vec<SectionKey> {
        let mut given: Vec<(&SectionKey, &u32)> = match self.parts.keeps_empty {
            true => self.parts.given.iter().collect(),
            false => Vec::new(),
        };
        by_number(&mut given, |(_, place)| **place as usize);
        given.into_iter().map(|(key, _)| key.clone()).collect()
    }

    pub(crate) fn has_totals(&self) -> bool {
        !self.parts.totals.is_empty()
    }

    /// What an item adds to each total.
    pub(crate) fn tallied(&self, item: &T) -> Tallied {
        let totals = self.parts.totals.iter();
        totals.map(|total| total.of(item)).collect()
    }

    /// What nothing adds up to.
    pub(crate) fn tally(&self) -> Tally {
        Tally::new(self.parts.totals.iter().map(|total| total.total))
    }

    /// Whether an edit is known to leave an item in its section with the same totals.
    pub(crate) fn same_totals(&self, before: &T, after: &T) -> bool {
        let mut totals = self.parts.totals.iter();
        totals.all(|total| same_tallied(&total.of(before), &total.of(after)))
    }

    /// Changes an item so that it belongs to a section; `None` where the grouping does not say how.
    pub(crate) fn move_to(&self, item: &mut T, key: &SectionKey) -> Option<Result<(), InputError>> {
        let value = key.value().unwrap_or(&Value::Missing);
        Some(match self.parts.regroup.as_ref()? {
            Regroup::ByField => self.parts.by.set(item, value),
            Regroup::ByClosure(regroup) => regroup(item, value),
        })
    }

    /// The grouping as text that parses to the same sections in the same order ([`parse`](Self::parse)): for
    /// settings. `None` where it says more than the text can: closures, headings, a given order, empty sections that
    /// are kept, missing values first, another time zone. Totals, regrouping and a collation are not in the text.
    ///
    /// ```
    /// use usual_tide::{Group, Item};
    /// # use usual_tide_pieces::with_height::Piece;
    /// let group = Group::by_width(Piece::HEIGHT_MM, 50)?.descending();
    /// assert_eq!(group.text().as_deref(), Some("-height_mm:width=50"));
    /// # Ok::<(), usual_tide::query::WidthError>(())
    /// ```
    pub fn text(&self) -> Option<String> {
        let parts = &self.parts;
        let plain = parts.heading.is_none()
            && !parts.missing_first
            && !parts.keeps_empty
            && parts.given.is_empty();
        let by = parts.by.identity().filter(|by| plain && by.has_text)?;
        let sign = if parts.descending { "-" } else { "" };
        let name = name_in_text(&by.field);
        Some(match by.by.split(' ').next() {
            None | Some("") => format!("{sign}{name}"),
            Some(how) => format!("{sign}{name}:{how}"),
        })
    }

    pub(super) fn level(&self) -> GroupLevel<T> {
        GroupLevel::new(self.clone())
    }
}

/// By the same values in the same order, with the same headings, totals and regrouping; closures are the same as their
/// clones alone.
impl<T> PartialEq for Group<T> {
    fn eq(&self, other: &Self) -> bool {
        let (one, two) = (&self.parts, &other.parts);
        if Arc::ptr_eq(one, two) {
            return true;
        }
        let identities = || one.by.identity().zip(two.by.identity());
        let same_by = || identities().is_some_and(|(one, two)| one == two);
        let same_heading = match (&one.heading, &two.heading) {
            (None, None) => true,
            (Some(one), Some(two)) => Arc::ptr_eq(one, two),
            _ => false,
        };
        let collation = |parts: &Parts<T>| parts.collation.as_ref().map(Collation::identity);
        (Arc::ptr_eq(&one.by, &two.by) || same_by())
            && same_heading
            && one.descending == two.descending
            && one.missing_first == two.missing_first
            && one.keeps_empty == two.keeps_empty
            && one.given == two.given
            && one.regroup == two.regroup
            && collation(one) == collation(two)
            && one.totals == two.totals
    }
}

impl<T> Clone for Group<T> {
    fn clone(&self) -> Self {
        Self {
            parts: Arc::clone(&self.parts),
        }
    }
}

impl<T> fmt::Debug for Group<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Group")
            .field("by", &self.parts.by.identity())
            .field("descending", &self.parts.descending)
            .field("keeps_empty", &self.parts.keeps_empty)
            .finish_non_exhaustive()
    }
}

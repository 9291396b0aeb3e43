//! Filters: which items a list shows, by closure, by condition or by text.

#[cfg(feature = "cql2")]
mod arithmetic;
mod build;
mod comparison;
mod condition;
#[cfg(feature = "cql2")]
mod cql2;
mod like;
mod listed;
mod operand;

pub use condition::Condition;
#[cfg(feature = "cql2")]
pub use cql2::FilterText;

/// Which items a list shows: a closure, or a [`Condition`].
///
/// It must depend on the item alone.
///
/// ```
/// use usual_tide::{Item, Query, Store};
/// use usual_tide::query::Filter;
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, height_mm: u32, title: String }
///
/// /// Pieces that fit under a shelf.
/// struct Fits { below_mm: u32 }
///
/// impl Filter<Piece> for Fits {
///     fn shows(&self, piece: &Piece) -> bool {
///         piece.height_mm < self.below_mm
///     }
///     fn is_unaffected_by(&self, before: &Piece, after: &Piece) -> bool {
///         before.height_mm == after.height_mm
///     }
/// }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, height_mm)| Piece { id, height_mm, title: String::new() };
/// let mut store = Store::load([(1, 90), (2, 300)].map(piece))?;
/// let list = store.bind(Query::new().filter(Fits { below_mm: 100 }));
/// assert_eq!(store.list(list)?.len(), 1);
/// // A condition is a filter that can be compared and printed.
/// let tall = Piece::HEIGHT_MM.at_least(100);
/// assert!(Filter::as_condition(&tall).is_some());
/// # Ok(()) }
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` is no filter of `{T}`",
    label = "no `Filter<{T}>`",
    note = "a filter is a `Condition<{T}>`, made by the methods of a field or by `Condition::parse`, or a closure that \
            gives a `bool` and is `Send + Sync`: `|item: &{T}| ...`"
)]
pub trait Filter<T>: Send + Sync {
    /// Whether an item is shown.
    fn shows(&self, item: &T) -> bool;

    /// Whether an edit from one version of an item to a later one can make no difference, because it is in
    /// none of the fields that the filter reads. `false` where that is not known.
    fn is_unaffected_by(&self, before: &T, after: &T) -> bool {
        let _ = (before, after);
        false
    }

    /// The condition that the filter is, where it is one: it can be compared with others and printed.
    fn as_condition(&self) -> Option<&Condition<T>> {
        None
    }
}

impl<T, F: Fn(&T) -> bool + Send + Sync> Filter<T> for F {
    fn shows(&self, item: &T) -> bool {
        self(item)
    }
}

impl<T> Filter<T> for Condition<T> {
    /// Only what is certain: an item for which the condition is unknown is not shown.
    fn shows(&self, item: &T) -> bool {
        self.test(item) == Some(true)
    }

    fn is_unaffected_by(&self, before: &T, after: &T) -> bool {
        self.is_unaffected(before, after)
    }

    fn as_condition(&self) -> Option<&Condition<T>> {
        Some(self)
    }
}

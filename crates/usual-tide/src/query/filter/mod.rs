//! Filters: which items a list shows, by closure, by condition or by text.

mod build;
mod condition;
mod cql2;
mod like;
mod operand;

pub use condition::Condition;
pub use cql2::FilterText;

/// Which items a list shows: a closure, or a [`Condition`].
///
/// It must depend on the item alone.
pub trait Filter<T>: Send + Sync {
    /// Whether an item is shown.
    fn shows(&self, item: &T) -> bool;

    /// Whether an edit from one version of an item to a later one can make no difference, because it is in
    /// none of the fields that the filter reads. `false` where that is not known.
    fn is_unaffected_by(&self, before: &T, after: &T) -> bool {
        let _ = (before, after);
        false
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
}

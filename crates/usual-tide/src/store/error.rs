//! Why an edit is refused.

use super::duplicates::DuplicateKey;
use crate::item::FailedField;
use std::fmt::Debug;

/// Why an edit was refused. Nothing was changed.
///
/// ```
/// use usual_tide::{Item, Place, Store};
/// # use usual_tide_pieces::with_title::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
/// let mut store = Store::load([(1, "Bowl")].map(piece))?;
/// assert!(store.add(piece((1, "Mug")), Place::End).is_err_and(|error| error.is_duplicate()));
/// assert!(store.replace(piece((2, "Mug"))).is_err_and(|error| error.is_unknown_key()));
/// assert!(store.replace(piece((1, "Mug")))?);
/// # Ok(()) }
/// ```
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EditError<K: Debug> {
    /// No item has this key.
    #[error("no item has the key {0:?}: it was removed, or never added")]
    UnknownKey(K),
    /// An item has this key already.
    #[error("the key {key:?} is taken by the item at position {position}")]
    DuplicateKey {
        /// The key.
        key: K,
        /// Where in source order the item is that has it.
        position: usize,
    },
    /// Keys that occur more than once among the given items, or are taken by other items.
    #[error("{}", super::duplicates::describe(.0))]
    Duplicates(Vec<DuplicateKey<K>>),
    /// There is no such place.
    #[error("position {position} is out of range: it can be 0 to {last}")]
    OutOfRange {
        /// The position asked for.
        position: usize,
        /// The last one there is.
        last: usize,
    },
    /// The edit changed the item's key, which is its identity. To give an item another key, remove
    /// it and add it again.
    #[error("the edit changed the key from {from:?} to {to:?}: remove the item and add it again")]
    KeyChanged {
        /// The key before.
        from: K,
        /// The key that the edit gave it.
        to: K,
    },
    /// The item breaks rules of the store.
    #[error("the item {key:?} is refused: {}", crate::item::describe(.failed))]
    Invalid {
        /// The item's key.
        key: K,
        /// Every field that failed, and why.
        failed: Vec<FailedField<K>>,
    },
    /// A store holds at most 2^32 - 2 items.
    #[error("the store is full: it holds at most 4,294,967,294 items")]
    TooMany,
}

impl<K: Debug> EditError<K> {
    /// Whether the edit named an item that is not there.
    pub fn is_unknown_key(&self) -> bool {
        matches!(self, Self::UnknownKey(_))
    }

    /// The fields that rules refused; none when the edit was refused for another reason.
    pub fn failed_fields(&self) -> &[FailedField<K>] {
        match self {
            Self::Invalid { failed, .. } => failed,
            _ => &[],
        }
    }

    /// Whether a key would have occurred twice.
    pub fn is_duplicate(&self) -> bool {
        matches!(self, Self::DuplicateKey { .. } | Self::Duplicates(_))
    }
}

//! The counted tree: which row is at a position, and where a row is.
//!
//! It knows nothing of items. A row is a [`Slot`]; a tree may keep one `u64` beside every row, the
//! order-preserving prefix of the row's sort key. One tree serves the source order of a store,
//! and one serves each bound list and each replica. Beside it a smaller one, the [`Sequence`], for elements that stand
//! for many rows each.

mod bulk;
mod check;
mod edit;
mod ids;
mod merge;
mod node;
#[cfg(feature = "probe")]
mod probe;
mod read;
#[cfg(test)]
pub(crate) mod reads;
mod search;
mod sequence;
mod sweep;
mod tree;

#[cfg(test)]
mod tests;

pub(crate) use ids::Slot;
pub(crate) use merge::Arrival;
#[cfg(feature = "probe")]
pub use probe::TreeProbe;
pub(crate) use sequence::{CountedSums, Measured, Sequence};
pub(crate) use sweep::RowSweep;
pub(crate) use tree::{Cursor, RowTree};

/// Rows in a leaf, and children of an inner node.
///
/// Measured best on 10^6 rows among 32, 64 and 128; shrunk in the crate's own tests, so that a
/// few dozen rows already build a tree of several levels.
pub(crate) const LEAF: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };
/// Children of an inner node; see [`LEAF`].
pub(crate) const FAN: usize = if cfg!(any(test, fuzzing)) { 4 } else { 32 };

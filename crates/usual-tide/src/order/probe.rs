//! A way to the counted tree for the benches alone.

use super::{RowTree, Slot};

/// The counted tree, as the benches see it. Not part of the library's interface.
#[derive(Clone, Debug)]
pub struct TreeProbe(RowTree);

#[doc(hidden)]
impl TreeProbe {
    /// A tree of rows 0 to `rows`, in that order.
    pub fn of(rows: u32) -> Self {
        let slots: Vec<Slot> = (0..rows).map(Slot::from_u32).collect();
        Self(RowTree::build(&slots, None))
    }

    /// Takes a row out and puts it in at a position; gives the position that it had.
    pub fn lift_and_put(&mut self, row: u32, position: usize) -> Option<usize> {
        let (from, _) = self.0.remove(Slot::from_u32(row))?;
        self.0.insert(position, Slot::from_u32(row), 0);
        Some(from)
    }

    /// Where a row is.
    pub fn position(&self, row: u32) -> Option<usize> {
        self.0.position(Slot::from_u32(row))
    }

    /// The row at a position.
    pub fn row_at(&self, position: usize) -> Option<usize> {
        Some(self.0.get(position)?.index())
    }
}

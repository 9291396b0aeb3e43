//! Small ids: no bare index with a meaning of its own.

/// Names one item of a store, or one row of a replica, for as long as it is there.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub(crate) struct Slot(u32);

impl Slot {
    /// The most slots that a store can have; the largest `u32` is kept free for "none".
    pub(crate) const MOST: usize = u32::MAX as usize - 1;

    /// The slot with this index; `None` past [`Slot::MOST`].
    pub(crate) fn new(index: usize) -> Option<Self> {
        (index < Self::MOST).then_some(Self(index as u32))
    }

    /// A slot of an index that is known to be in range, such as one that a slot gave.
    pub(crate) const fn from_u32(index: u32) -> Self {
        Self(index)
    }

    pub(crate) const fn index(self) -> usize {
        self.0 as usize
    }
}

/// Names one node in its arena: a leaf among the leaves, an inner node among the inner nodes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) struct NodeId(u32);

impl NodeId {
    /// No node: the parent of the root, or the leaf of a row that is not in the tree.
    pub(super) const NONE: Self = Self(u32::MAX);

    /// A tree holds fewer nodes than rows, and rows are counted in `u32`.
    pub(super) const fn new(index: usize) -> Self {
        Self(index as u32)
    }

    pub(super) const fn index(self) -> usize {
        self.0 as usize
    }

    pub(super) fn is_none(self) -> bool {
        self == Self::NONE
    }
}

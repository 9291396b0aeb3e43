//! The tree itself: its arenas, and the small steps that every operation is made of.

use super::LEAF;
use super::ids::{NodeId, Slot};
use super::node::{Inner, Leaf};

/// A sequence of rows in which a row is found by its position and a position by its row, both in
/// O(log n), and rows come and go anywhere in O(log n).
///
/// A counted B+ tree (order statistics: Bayer and McCreight 1972, with a count beside every
/// child) in two arenas, with a link from every row back to its leaf. A leaf keeps no order of
/// its own: callers say where a row goes, by position or by a search.
#[derive(Clone, Debug)]
pub(crate) struct RowTree {
    pub(super) leaves: Vec<Leaf>,
    /// The prefixes beside the rows, leaf by leaf; empty in a tree without prefixes.
    pub(super) keys: Vec<[u64; LEAF]>,
    pub(super) keyed: bool,
    pub(super) inners: Vec<Inner>,
    pub(super) free_leaves: Vec<NodeId>,
    pub(super) free_inners: Vec<NodeId>,
    /// The leaf of each slot, [`NodeId::NONE`] for a slot that has no row here.
    pub(super) leaf_of: Vec<NodeId>,
    pub(super) root: NodeId,
    /// Levels of inner nodes above the leaves.
    pub(super) height: u32,
    pub(super) len: u32,
}

/// A place between two rows, good until the tree changes.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Cursor {
    pub(super) leaf: NodeId,
    pub(super) index: usize,
}

impl RowTree {
    /// An empty tree; a keyed one keeps a prefix beside every row.
    pub(crate) fn new(keyed: bool) -> Self {
        Self {
            leaves: vec![Leaf::new()],
            keys: if keyed { vec![[0; LEAF]] } else { Vec::new() },
            keyed,
            inners: Vec::new(),
            free_leaves: Vec::new(),
            free_inners: Vec::new(),
            leaf_of: Vec::new(),
            root: NodeId::new(0),
            height: 0,
            len: 0,
        }
    }

    pub(super) fn new_leaf(&mut self) -> NodeId {
        if let Some(id) = self.free_leaves.pop() {
            return id;
        }
        self.leaves.push(Leaf::new());
        if self.keyed {
            self.keys.push([0; LEAF]);
        }
        NodeId::new(self.leaves.len() - 1)
    }

    pub(super) fn new_inner(&mut self) -> NodeId {
        if let Some(id) = self.free_inners.pop() {
            self.inners[id.index()] = Inner::new();
            return id;
        }
        self.inners.push(Inner::new());
        NodeId::new(self.inners.len() - 1)
    }

    pub(super) fn leaf(&self, id: NodeId) -> &Leaf {
        &self.leaves[id.index()]
    }

    pub(super) fn leaf_mut(&mut self, id: NodeId) -> &mut Leaf {
        &mut self.leaves[id.index()]
    }

    pub(super) fn inner(&self, id: NodeId) -> &Inner {
        &self.inners[id.index()]
    }

    pub(super) fn inner_mut(&mut self, id: NodeId) -> &mut Inner {
        &mut self.inners[id.index()]
    }

    pub(super) fn parent(&self, node: NodeId, level: u32) -> NodeId {
        if level == 0 {
            self.leaf(node).parent
        } else {
            self.inner(node).parent
        }
    }

    pub(super) fn set_parent(&mut self, node: NodeId, level: u32, parent: NodeId) {
        if level == 0 {
            self.leaf_mut(node).parent = parent;
        } else {
            self.inner_mut(node).parent = parent;
        }
    }

    /// Notes which leaf holds the row.
    pub(super) fn set_leaf_of(&mut self, slot: Slot, leaf: NodeId) {
        if slot.index() >= self.leaf_of.len() {
            self.leaf_of.resize(slot.index() + 1, NodeId::NONE);
        }
        self.leaf_of[slot.index()] = leaf;
    }

    pub(super) fn clear_leaf_of(&mut self, slot: Slot) {
        self.leaf_of[slot.index()] = NodeId::NONE;
    }

    /// The leaf of a row that is in the tree.
    pub(super) fn leaf_of(&self, slot: Slot) -> Option<NodeId> {
        let leaf = *self.leaf_of.get(slot.index())?;
        (!leaf.is_none()).then_some(leaf)
    }

    /// Adds to the counts above a leaf; gives the number of rows before the leaf.
    pub(super) fn add_to_counts(&mut self, leaf: NodeId, change: i64) -> u32 {
        self.len = (i64::from(self.len) + change) as u32;
        let mut before = 0;
        let (mut node, mut above) = (leaf, self.leaf(leaf).parent);
        while !above.is_none() {
            let inner = &mut self.inners[above.index()];
            let at = inner.index_of(node);
            before += inner.rows_before(at);
            inner.add_to_count(at, change);
            (node, above) = (above, inner.parent);
        }
        before
    }

    /// The leaf at the left (or right) edge.
    pub(super) fn edge_leaf(&self, right: bool) -> NodeId {
        let mut node = self.root;
        for _ in 0..self.height {
            let children = self.inner(node).children();
            node = children[if right { children.len() - 1 } else { 0 }];
        }
        node
    }

    /// Above all slots that have or had a row here.
    pub(crate) fn slots(&self) -> usize {
        self.leaf_of.len()
    }

    /// Bytes held by the tree, spare capacity included.
    pub(crate) fn bytes(&self) -> usize {
        self.leaves.capacity() * size_of::<Leaf>()
            + self.inners.capacity() * size_of::<Inner>()
            + (self.leaf_of.capacity() + self.free_leaves.capacity() + self.free_inners.capacity())
                * size_of::<NodeId>()
    }

    /// Bytes held for the prefixes beside the rows.
    pub(crate) fn key_bytes(&self) -> usize {
        self.keys.capacity() * size_of::<[u64; LEAF]>()
    }
}

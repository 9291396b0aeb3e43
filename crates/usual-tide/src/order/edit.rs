//! Single rows in and out.

use super::ids::{NodeId, Slot};
use super::node::Child;
use super::tree::{Cursor, RowTree};
use super::{FAN, LEAF};

impl RowTree {
    /// Puts a row at a position, or at the end when the position is past it. O(log n).
    pub(crate) fn insert(&mut self, position: usize, slot: Slot, key: u64) {
        self.insert_at(self.cursor(position), slot, key);
    }

    /// Puts a row at a place that was just found; gives its position. O(log n).
    pub(crate) fn insert_at(&mut self, cursor: Cursor, slot: Slot, key: u64) -> usize {
        let Cursor { leaf, index } = if self.leaf(cursor.leaf).len() == LEAF {
            self.split_leaf(cursor, key)
        } else {
            cursor
        };
        let len = self.leaf(leaf).len();
        if let Some(keys) = self.keys.get_mut(leaf.index()) {
            keys.copy_within(index..len, index + 1);
            keys[index] = key;
        }
        self.leaf_mut(leaf).insert(index, slot);
        self.set_leaf_of(slot, leaf);
        if index == 0 && self.keyed {
            self.lower_bound_of(leaf, key);
        }
        self.add_to_counts(leaf, 1) as usize + index
    }

    /// Keeps the bound of a leaf true when a row with this prefix becomes its first.
    pub(super) fn lower_bound_of(&mut self, leaf: NodeId, key: u64) {
        let (mut node, mut above) = (leaf, self.leaf(leaf).parent);
        while !above.is_none() {
            let inner = self.inner_mut(above);
            let at = inner.index_of(node);
            if at > 0 {
                inner.lower_bound(at, key);
                return;
            }
            (node, above) = (above, inner.parent);
        }
    }

    /// Takes a row out; gives the position and the prefix that it had, `None` when it is not there.
    /// O(log n).
    pub(crate) fn remove(&mut self, slot: Slot) -> Option<(usize, u64)> {
        let leaf = self.leaf_of(slot)?;
        let index = self.leaf(leaf).find(slot)?;
        let key = self.key_at(leaf, index);
        self.clear_leaf_of(slot);
        self.drop_rows(leaf, index, index + 1);
        let before = self.add_to_counts(leaf, -1) as usize;
        self.rebalance_leaf(leaf);
        Some((before + index, key))
    }

    /// Takes rows out of a leaf without a word to the counts.
    pub(super) fn drop_rows(&mut self, leaf: NodeId, from: usize, to: usize) {
        let len = self.leaf(leaf).len();
        if let Some(keys) = self.keys.get_mut(leaf.index()) {
            keys.copy_within(to..len, from);
        }
        self.leaf_mut(leaf).remove(from, to);
    }

    /// Makes room in a full leaf; gives where the place is afterwards.
    fn split_leaf(&mut self, cursor: Cursor, key: u64) -> Cursor {
        let Cursor { leaf, index } = cursor;
        // Rows that arrive at the end of the list fill their leaves.
        let at_end = index == LEAF && self.leaf(leaf).next.is_none();
        let middle = if at_end { LEAF } else { LEAF / 2 };
        let right = self.split_leaf_at(leaf, middle, key);
        if index > middle || at_end {
            Cursor {
                leaf: right,
                index: index - middle,
            }
        } else {
            cursor
        }
    }

    /// Moves the rows of a leaf from `middle` on into a new leaf after it.
    ///
    /// `key` is the bound when no row moves.
    pub(super) fn split_leaf_at(&mut self, leaf: NodeId, middle: usize, key: u64) -> NodeId {
        let right = self.new_leaf();
        let moving = self.leaf(leaf).slots()[middle..].to_vec();
        let bound = if moving.is_empty() {
            key
        } else {
            self.key_at(leaf, middle)
        };
        if self.keyed {
            let keys = self.keys[leaf.index()];
            self.keys[right.index()][..moving.len()]
                .copy_from_slice(&keys[middle..middle + moving.len()]);
        }
        for slot in &moving {
            self.leaf_of[slot.index()] = right;
        }
        self.leaf_mut(right).push_all(&moving);
        self.leaf_mut(leaf).remove(middle, middle + moving.len());
        self.link_leaf_after(leaf, right, moving.len() as u32, bound);
        right
    }

    /// Links a leaf after another and inserts it into the tree, with rows that are already counted
    /// in the leaf before it.
    fn link_leaf_after(&mut self, leaf: NodeId, right: NodeId, count: u32, bound: u64) {
        self.chain_after(leaf, right);
        let child = Child {
            node: right,
            count,
            bound,
        };
        self.add_child_after(leaf, 0, child);
    }

    pub(super) fn chain_after(&mut self, leaf: NodeId, right: NodeId) {
        let next = self.leaf(leaf).next;
        self.leaf_mut(right).prev = leaf;
        self.leaf_mut(right).next = next;
        self.leaf_mut(leaf).next = right;
        if !next.is_none() {
            self.leaf_mut(next).prev = right;
        }
    }

    /// Hangs `child` into the parent of `left`, right after it; the child's rows are taken from
    /// the count of `left`.
    pub(super) fn add_child_after(&mut self, left: NodeId, level: u32, child: Child) {
        let mut above = self.parent(left, level);
        if above.is_none() {
            above = self.grow_root(left, level);
        } else if self.inner(above).len() == FAN {
            above = self.split_inner(above, level + 1, left);
        }
        let inner = self.inner_mut(above);
        let at = inner.index_of(left);
        inner.add_to_count(at, -i64::from(child.count));
        inner.insert(at + 1, child);
        self.set_parent(child.node, level, above);
    }

    /// Puts a new root above the old one, which so far holds all rows.
    fn grow_root(&mut self, old: NodeId, level: u32) -> NodeId {
        let root = self.new_inner();
        let count = self.len;
        self.inner_mut(root).push(Child {
            node: old,
            count,
            bound: 0,
        });
        self.set_parent(old, level, root);
        self.root = root;
        self.height += 1;
        root
    }

    /// Splits a full inner node; gives the half that holds `child`.
    fn split_inner(&mut self, node: NodeId, level: u32, child: NodeId) -> NodeId {
        let right = self.new_inner();
        // Children that arrive at the end fill their nodes.
        let at_end = self.inner(node).index_of(child) == FAN - 1;
        let middle = if at_end { FAN - 1 } else { FAN / 2 };
        let mut moved = 0;
        let bound = self.inner(node).bounds()[middle];
        for at in middle..FAN {
            let moving = self.inner(node).child(at);
            moved += moving.count;
            self.inner_mut(right).push(moving);
            self.set_parent(moving.node, level - 1, right);
        }
        self.inner_mut(node).truncate(middle);
        self.add_child_after(
            node,
            level,
            Child {
                node: right,
                count: moved,
                bound,
            },
        );
        if self.parent(child, level - 1) == right {
            right
        } else {
            node
        }
    }

    /// After rows left a leaf: drops it when empty, joins it to a neighbour when sparse.
    pub(super) fn rebalance_leaf(&mut self, leaf: NodeId) {
        let len = self.leaf(leaf).len();
        let above = self.leaf(leaf).parent;
        if above.is_none() || len > LEAF / 4 {
            return;
        }
        if len == 0 {
            self.unlink_leaf(leaf);
            return;
        }
        let inner = self.inner(above);
        let at = inner.index_of(leaf);
        let join = |left: usize| {
            let (left, right) = (inner.child(left), inner.child(left + 1));
            (left.count + right.count <= (LEAF * 3 / 4) as u32).then_some((left.node, right.node))
        };
        let pair = (at + 1 < inner.len())
            .then(|| join(at))
            .flatten()
            .or_else(|| at.checked_sub(1).and_then(join));
        if let Some((left, right)) = pair {
            self.join_leaves(left, right);
        }
    }

    fn join_leaves(&mut self, left: NodeId, right: NodeId) {
        let count = self.leaf(right).len() as i64;
        self.append_rows(right, left);
        let above = self.leaf(left).parent;
        let inner = self.inner_mut(above);
        let at = inner.index_of(left);
        // What is counted for the other goes with it.
        inner.add_to_count(at, count);
        self.unlink_leaf(right);
    }

    /// Copies the rows of a leaf after those of another, which is their leaf from then on.
    fn append_rows(&mut self, from: NodeId, to: NodeId) {
        let moving = self.leaf(from).slots().to_vec();
        let start = self.leaf(to).len();
        if self.keyed {
            let keys = self.keys[from.index()];
            self.keys[to.index()][start..start + moving.len()]
                .copy_from_slice(&keys[..moving.len()]);
        }
        for slot in &moving {
            self.leaf_of[slot.index()] = to;
        }
        self.leaf_mut(to).push_all(&moving);
    }

    /// Takes a leaf whose rows are gone out of chain and tree.
    fn unlink_leaf(&mut self, leaf: NodeId) {
        let above = self.leaf(leaf).parent;
        if above.is_none() {
            self.leaf_mut(leaf).clear();
            return;
        }
        self.unchain(leaf);
        self.unlink_child(above, leaf, 0);
    }

    /// Takes a leaf out of the chain, and frees it.
    fn unchain(&mut self, leaf: NodeId) {
        let (prev, next) = (self.leaf(leaf).prev, self.leaf(leaf).next);
        if !prev.is_none() {
            self.leaf_mut(prev).next = next;
        }
        if !next.is_none() {
            self.leaf_mut(next).prev = prev;
        }
        self.leaf_mut(leaf).clear();
        self.free_leaves.push(leaf);
    }

    /// Takes an empty child, of the given level, from its parent, and the parent from its own when
    /// that was its last.
    fn unlink_child(&mut self, above: NodeId, child: NodeId, level: u32) {
        let inner = self.inner_mut(above);
        inner.remove(inner.index_of(child));
        let (len, higher) = (inner.len(), inner.parent);
        if len == 0 && !higher.is_none() {
            self.free_inners.push(above);
            self.unlink_child(higher, above, level + 1);
        } else if len <= FAN / 4 && !higher.is_none() {
            self.rebalance_inner(above, higher, level + 1);
        }
        self.shrink_root();
    }

    /// Joins a sparse inner node to a neighbour under the same parent.
    fn rebalance_inner(&mut self, node: NodeId, above: NodeId, level: u32) {
        let inner = self.inner(above);
        let at = inner.index_of(node);
        let fits = |left: usize| {
            let (left, right) = (inner.children()[left], inner.children()[left + 1]);
            let joint = self.inner(left).len() + self.inner(right).len();
            (joint <= FAN * 3 / 4).then_some((left, right))
        };
        let pair = (at + 1 < inner.len())
            .then(|| fits(at))
            .flatten()
            .or_else(|| at.checked_sub(1).and_then(fits));
        let Some((left, right)) = pair else { return };
        let joint_bound = {
            let inner = self.inner(above);
            inner.bounds()[inner.index_of(right)]
        };
        for at in 0..self.inner(right).len() {
            let mut moving = self.inner(right).child(at);
            if at == 0 {
                // What was at index 0 was not kept up; the node's own bound says it.
                moving.bound = joint_bound;
            }
            self.inner_mut(left).push(moving);
            self.set_parent(moving.node, level - 1, left);
        }
        let moved = i64::from(self.inner(right).total());
        let inner = self.inner_mut(above);
        let at = inner.index_of(left);
        inner.add_to_count(at, moved);
        self.free_inners.push(right);
        self.unlink_child(above, right, level);
    }

    /// Drops roots that have a single child.
    pub(super) fn shrink_root(&mut self) {
        while self.height > 0 && self.inner(self.root).len() == 1 {
            let old = self.root;
            self.root = self.inner(old).children()[0];
            self.height -= 1;
            self.set_parent(self.root, self.height, NodeId::NONE);
            self.free_inners.push(old);
        }
    }
}

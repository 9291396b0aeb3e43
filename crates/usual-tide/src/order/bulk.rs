//! Many rows at once: building, and runs in and out.

use super::ids::{NodeId, Slot};
use super::node::{Child, Inner, Leaf};
use super::tree::{Cursor, RowTree};
use super::{FAN, LEAF};

/// With one row for so many slots, to clear those of the rows costs less than to clear all.
const FEW_ROWS: usize = 16;

impl RowTree {
    /// Rows in a leaf after a bulk build: a little room, so that the next rows split nothing.
    const FILL: usize = LEAF - LEAF / 8;

    /// A tree of these rows, with their prefixes when `keys` is given. O(n), and O(1) for each slot up to the highest.
    pub(crate) fn build(slots: &[Slot], keys: Option<&[u64]>) -> Self {
        Self::build_with(slots, keys, Vec::new())
    }

    /// The same in place of this tree, which gives it its table of the leaves of all slots and is good for
    /// [`restored`](Self::restored) alone then. O(n) for the rows of both.
    pub(crate) fn replace(&mut self, slots: &[Slot], keys: Option<&[u64]>) -> Self {
        let mut leaf_of = std::mem::take(&mut self.leaf_of);
        if self.len() < leaf_of.len() / FEW_ROWS {
            for slot in self.chunks().flatten() {
                leaf_of[slot.index()] = NodeId::NONE;
            }
        } else {
            leaf_of.fill(NodeId::NONE);
        }
        Self::build_with(slots, keys, leaf_of)
    }

    /// A tree that was replaced, as it was. O(n).
    pub(crate) fn restored(mut self) -> Self {
        let mut leaf = self.edge_leaf(false);
        while !leaf.is_none() {
            for at in 0..self.leaf(leaf).len() {
                let slot = self.leaf(leaf).slots()[at];
                self.set_leaf_of(slot, leaf);
            }
            leaf = self.leaf(leaf).next;
        }
        self
    }

    /// `leaf_of` has no leaf for any slot.
    fn build_with(slots: &[Slot], keys: Option<&[u64]>, leaf_of: Vec<NodeId>) -> Self {
        let mut tree = Self::new(keys.is_some());
        tree.leaf_of = leaf_of;
        if slots.is_empty() {
            return tree;
        }
        let highest = slots
            .iter()
            .fold(0, |highest, slot| highest.max(slot.index()));
        if tree.leaf_of.len() <= highest {
            tree.leaf_of.resize(highest + 1, NodeId::NONE);
        }
        tree.len = slots.len() as u32;
        let count = slots.len().div_ceil(Self::FILL);
        tree.leaves = Vec::with_capacity(count);
        tree.keys = Vec::with_capacity(if keys.is_some() { count } else { 0 });
        let mut level: Vec<Child> = Vec::with_capacity(count);
        for (at, rows) in slots.chunks(Self::FILL).enumerate() {
            let node = NodeId::new(at);
            let mut leaf = Leaf::of(rows);
            leaf.prev = at.checked_sub(1).map_or(NodeId::NONE, NodeId::new);
            leaf.next = if at + 1 < count {
                NodeId::new(at + 1)
            } else {
                NodeId::NONE
            };
            tree.leaves.push(leaf);
            let mut bound = 0;
            if let Some(keys) = keys {
                let keys = &keys[at * Self::FILL..][..rows.len()];
                let mut beside = [0; LEAF];
                beside[..rows.len()].copy_from_slice(keys);
                tree.keys.push(beside);
                bound = keys[0];
            }
            for slot in rows {
                tree.leaf_of[slot.index()] = node;
            }
            level.push(Child {
                node,
                count: rows.len() as u32,
                bound,
            });
        }
        tree.build_inners(level);
        tree
    }

    /// A tree of the same rows, without prefixes. O(n).
    pub(crate) fn copied(&self) -> Self {
        // One that many edits have thinned out is not worth its memory twice.
        let is_full = self.leaves.len() * Self::FILL <= self.len() + self.len() / 4;
        if is_full && !self.keyed {
            return self.clone();
        }
        let slots: Vec<Slot> = self.chunks().flatten().copied().collect();
        Self::build(&slots, None)
    }

    pub(super) fn build_inners(&mut self, mut level: Vec<Child>) {
        while level.len() > 1 {
            let fill = FAN - FAN / 8;
            let mut higher = Vec::with_capacity(level.len().div_ceil(fill));
            for children in level.chunks(fill) {
                let id = self.new_inner();
                let mut inner = Inner::new();
                for child in children {
                    inner.push(*child);
                }
                higher.push(Child {
                    node: id,
                    count: inner.total(),
                    bound: children[0].bound,
                });
                self.inners[id.index()] = inner;
                for child in children {
                    self.set_parent(child.node, self.height, id);
                }
            }
            self.height += 1;
            level = higher;
        }
        if let Some(root) = level.first() {
            self.root = root.node;
        }
    }

    /// Takes out up to `count` rows from a position on, and passes each to `taken` in order.
    ///
    /// O(count + (count / node size) log n).
    pub(crate) fn remove_run(
        &mut self,
        position: usize,
        count: usize,
        mut taken: impl FnMut(Slot),
    ) {
        let mut rest = count.min(self.len().saturating_sub(position));
        while rest > 0 {
            let Cursor { leaf, index } = self.cursor(position);
            let here = rest.min(self.leaf(leaf).len() - index);
            for at in index..index + here {
                let slot = self.leaf(leaf).slots()[at];
                self.leaf_of[slot.index()] = NodeId::NONE;
                taken(slot);
            }
            self.drop_rows(leaf, index, index + here);
            self.add_to_counts(leaf, -(here as i64));
            self.rebalance_leaf(leaf);
            rest -= here;
        }
    }

    /// Puts rows, in order, at a position, with their prefixes in a keyed tree.
    ///
    /// O(count + (count / node size) log n).
    pub(crate) fn insert_run(&mut self, position: usize, slots: &[Slot], keys: &[u64]) {
        let key = |at: usize| keys.get(at).copied().unwrap_or(0);
        if slots.len() < LEAF {
            for (at, slot) in slots.iter().enumerate() {
                self.insert(position + at, *slot, key(at));
            }
            return;
        }
        if self.len == 0 {
            let leaf_of = std::mem::take(&mut self.leaf_of);
            *self = Self::build(slots, self.keyed.then_some(keys));
            // A tree keeps room for every slot that it has seen.
            self.leaf_of
                .resize(self.leaf_of.len().max(leaf_of.len()), NodeId::NONE);
            return;
        }
        let Cursor { leaf, index } = self.cursor(position);
        if index == 0 {
            // Nothing is before the rows in this leaf: its first row goes in singly, and the
            // run follows it as if it came after.
            self.insert(position, slots[0], key(0));
            self.insert_run(position + 1, &slots[1..], keys.get(1..).unwrap_or(&[]));
            return;
        }
        if index < self.leaf(leaf).len() {
            self.split_leaf_at(leaf, index, 0);
        }
        let mut last = leaf;
        for (at, rows) in slots.chunks(Self::FILL).enumerate() {
            last = self.add_full_leaf(last, rows, keys.get(at * Self::FILL..).unwrap_or(&[]));
        }
    }

    /// Adds a leaf of these rows right after another.
    fn add_full_leaf(&mut self, left: NodeId, rows: &[Slot], keys: &[u64]) -> NodeId {
        let leaf = self.new_leaf();
        self.leaf_mut(leaf).push_all(rows);
        let mut bound = 0;
        if let Some(beside) = self.keys.get_mut(leaf.index()) {
            beside[..rows.len()].copy_from_slice(&keys[..rows.len()]);
            bound = keys[0];
        }
        for slot in rows {
            self.set_leaf_of(*slot, leaf);
        }
        // The rows are counted with the left neighbour first, then handed over.
        self.add_to_counts(left, rows.len() as i64);
        self.chain_after(left, leaf);
        self.add_child_after(
            left,
            0,
            Child {
                node: leaf,
                count: rows.len() as u32,
                bound,
            },
        );
        leaf
    }
}

//! A validator that says what broke.

use super::ids::{NodeId, Slot};
use super::tree::RowTree;

impl RowTree {
    /// Walks the whole tree; the error names the first thing that does not hold. Prefixes are in order in all
    /// of it, or, when they are not `in_order`, in parts that the tree does not know.
    pub(crate) fn check(&self, in_order: bool) -> Result<(), String> {
        let mut leaves = Vec::new();
        let total = self.check_node(self.root, self.height, NodeId::NONE, in_order, &mut leaves)?;
        if total != self.len {
            return Err(format!("{total} rows below the root, {} counted", self.len));
        }
        self.check_chain(&leaves)?;
        let leaf_of = self.leaf_of.iter().filter(|leaf| !leaf.is_none()).count();
        if leaf_of != self.len() {
            return Err(format!("{leaf_of} slots have a leaf, {} rows", self.len));
        }
        let mut last = 0;
        for slot in self.rows() {
            let key = self.key_of(slot);
            if in_order && key < last {
                return Err(format!("{slot:?} has prefix {key} after {last}"));
            }
            last = key;
        }
        Ok(())
    }

    fn check_node(
        &self,
        node: NodeId,
        level: u32,
        parent: NodeId,
        in_order: bool,
        leaves: &mut Vec<NodeId>,
    ) -> Result<u32, String> {
        if self.parent(node, level) != parent {
            return Err(format!("{node:?} at level {level} names another parent"));
        }
        if level == 0 {
            leaves.push(node);
            let slots = self.leaf(node).slots();
            if slots.is_empty() && !parent.is_none() {
                return Err(format!("leaf {node:?} is empty"));
            }
            return match slots.iter().find(|slot| self.leaf_of(**slot) != Some(node)) {
                Some(slot) => Err(format!("{slot:?} is in {node:?} and names another leaf")),
                None => Ok(slots.len() as u32),
            };
        }
        let inner = self.inner(node);
        let mut total = 0;
        for at in 0..inner.len() {
            let child = inner.child(at);
            let first = leaves.len();
            let rows = self.check_node(child.node, level - 1, node, in_order, leaves)?;
            if rows != child.count {
                return Err(format!(
                    "{node:?} counts {} rows in {child:?}, {rows} are there",
                    child.count
                ));
            }
            if at > 0 && self.keyed && in_order {
                self.check_bound(child.bound, leaves, first)?;
            }
            total += rows;
        }
        Ok(total)
    }

    /// A child's bound is between the rows before it and its own.
    fn check_bound(&self, bound: u64, leaves: &[NodeId], first: usize) -> Result<(), String> {
        let before = leaves[first - 1];
        let last_before = self.key_at(before, self.leaf(before).len() - 1);
        let own = self.key_at(leaves[first], 0);
        if last_before > bound || bound > own {
            return Err(format!(
                "bound {bound} is not between {last_before} and {own}"
            ));
        }
        Ok(())
    }

    fn check_chain(&self, leaves: &[NodeId]) -> Result<(), String> {
        let mut chained = Vec::new();
        let (mut leaf, mut prev) = (self.edge_leaf(false), NodeId::NONE);
        while !leaf.is_none() {
            if self.leaf(leaf).prev != prev {
                return Err(format!("{leaf:?} names another leaf before it"));
            }
            chained.push(leaf);
            (prev, leaf) = (leaf, self.leaf(leaf).next);
        }
        if chained != leaves {
            return Err(format!("the chain is {chained:?}, the tree {leaves:?}"));
        }
        Ok(())
    }

    /// Whether the rows are in order; `in_order` compares neighbours.
    pub(crate) fn check_order(
        &self,
        mut in_order: impl FnMut(Slot, Slot) -> bool,
    ) -> Result<(), String> {
        let mut rows = self.rows();
        let Some(mut before) = rows.next() else {
            return Ok(());
        };
        for slot in rows {
            if !in_order(before, slot) {
                return Err(format!("{before:?} is before {slot:?}"));
            }
            before = slot;
        }
        Ok(())
    }
}

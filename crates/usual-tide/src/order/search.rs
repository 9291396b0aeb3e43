//! Finding where a row belongs by comparison.

use super::ids::{NodeId, Slot};
use super::tree::{Cursor, RowTree};
use std::ops::Range;

impl RowTree {
    /// The place before the first row that does not come before the wanted one. O(log n).
    ///
    /// Rows with a smaller prefix come before it, rows with a larger one do not; `comes_before`
    /// decides among rows of the same prefix, and is asked O(log n) times. The rows must be in that
    /// order; if they are not, some place is found all the same.
    pub(crate) fn lower_bound(
        &self,
        key: u64,
        comes_before: &mut dyn FnMut(Slot) -> bool,
    ) -> Cursor {
        let mut node = self.root;
        for level in (0..self.height).rev() {
            let inner = self.inner(node);
            let bounds = &inner.bounds()[1..];
            // Children up to `low` start with rows that come before; past `high`, with rows that
            // do not. In between, bounds say nothing and the children's first rows are asked.
            let (mut low, mut high) = if self.keyed {
                (
                    bounds.partition_point(|bound| *bound < key),
                    bounds.partition_point(|bound| *bound <= key),
                )
            } else {
                (0, bounds.len())
            };
            while low < high {
                let middle = low + (high - low).div_ceil(2);
                let (first, leaf) = self.first_row(inner.children()[middle], level);
                let first_key = self.key_at(leaf, 0);
                if first_key < key || (first_key == key && comes_before(first)) {
                    low = middle;
                } else {
                    high = middle - 1;
                }
            }
            node = inner.children()[low];
        }
        Cursor {
            leaf: node,
            index: self.lower_bound_in_leaf(node, key, comes_before),
        }
    }

    /// The same among a run of rows, which alone need be in that order. O(log n).
    pub(crate) fn lower_bound_within(
        &self,
        run: Range<usize>,
        key: u64,
        comes_before: &mut dyn FnMut(Slot) -> bool,
    ) -> Cursor {
        // A grouping that contradicts itself may report a run that is not there.
        let mut end = run.end.min(self.len());
        let mut start = run.start.min(end);
        if start == end {
            return self.cursor(start);
        }
        let mut node = self.root;
        for level in (0..self.height).rev() {
            let inner = self.inner(node);
            // The run begins in the first of these children, and in the others it covers the first row.
            let (first, offset) = child_at(inner.counts(), 0, start);
            let last = first + child_at(&inner.counts()[first..], offset, end - 1).0;
            let (mut low, mut high) = (first, last);
            while low < high {
                let middle = low + (high - low).div_ceil(2);
                let leaf = self.first_leaf(inner.children()[middle], level);
                let row_key = self.key_at(leaf, 0);
                let mut is_before = || comes_before(self.leaf(leaf).slots()[0]);
                if row_key < key || (row_key == key && is_before()) {
                    low = middle;
                } else {
                    high = middle - 1;
                }
            }
            let skipped = inner.counts()[first..low].iter();
            let offset = offset + skipped.map(|count| *count as usize).sum::<usize>();
            let count = inner.counts()[low] as usize;
            start = start.saturating_sub(offset);
            end = (end - offset).min(count);
            node = inner.children()[low];
        }
        let slots = &self.leaf(node).slots()[start..end];
        let (low, high) = match self.keys.get(node.index()) {
            Some(keys) => {
                let keys = &keys[start..end];
                let low = keys.partition_point(|other| *other < key);
                (
                    low,
                    low + keys[low..].partition_point(|other| *other == key),
                )
            }
            None => (0, slots.len()),
        };
        let among = slots[low..high].partition_point(|slot| comes_before(*slot));
        Cursor {
            leaf: node,
            index: start + low + among,
        }
    }

    fn lower_bound_in_leaf(
        &self,
        leaf: NodeId,
        key: u64,
        comes_before: &mut dyn FnMut(Slot) -> bool,
    ) -> usize {
        let slots = self.leaf(leaf).slots();
        let (low, high) = match self.keys.get(leaf.index()) {
            Some(keys) => {
                let keys = &keys[..slots.len()];
                let low = keys.partition_point(|other| *other < key);
                (
                    low,
                    low + keys[low..].partition_point(|other| *other == key),
                )
            }
            None => (0, slots.len()),
        };
        low + slots[low..high].partition_point(|slot| comes_before(*slot))
    }

    /// The first row below a node, and its leaf. Only an empty root leaf has no row, and a search
    /// never asks for its first.
    fn first_row(&self, node: NodeId, levels: u32) -> (Slot, NodeId) {
        let leaf = self.first_leaf(node, levels);
        (self.leaf(leaf).slots()[0], leaf)
    }

    fn first_leaf(&self, node: NodeId, levels: u32) -> NodeId {
        let mut node = node;
        for _ in 0..levels {
            node = self.inner(node).children()[0];
        }
        node
    }
}

/// The child that holds a row, and how many rows are before it, of which `offset` before the first.
fn child_at(counts: &[u32], offset: usize, row: usize) -> (usize, usize) {
    let (mut child, mut offset) = (0, offset);
    while let Some(count) = counts.get(child)
        && offset + *count as usize <= row
    {
        offset += *count as usize;
        child += 1;
    }
    (child, offset)
}

//! Reading a tree: positions of rows, rows at positions, rows in order.

use super::ids::{NodeId, Slot};
use super::tree::{Cursor, RowTree};
use std::ops::Range;

impl RowTree {
    pub(crate) fn len(&self) -> usize {
        self.len as usize
    }

    pub(crate) fn contains(&self, slot: Slot) -> bool {
        self.leaf_of(slot).is_some()
    }

    /// Where a row is. O(log n).
    pub(crate) fn position(&self, slot: Slot) -> Option<usize> {
        #[cfg(test)]
        super::reads::count();
        let leaf = self.leaf_of(slot)?;
        let index = self.leaf(leaf).find(slot)?;
        Some(self.position_at(Cursor { leaf, index }))
    }

    /// How many rows are before a place. O(log n).
    pub(crate) fn position_at(&self, cursor: Cursor) -> usize {
        let mut before = cursor.index;
        let (mut node, mut above) = (cursor.leaf, self.leaf(cursor.leaf).parent);
        while !above.is_none() {
            let inner = self.inner(above);
            before += inner.rows_before(inner.index_of(node)) as usize;
            (node, above) = (above, inner.parent);
        }
        before
    }

    /// The row at a position; `None` from the end on. O(log n).
    pub(crate) fn get(&self, position: usize) -> Option<Slot> {
        if position >= self.len() {
            return None;
        }
        let cursor = self.cursor(position);
        self.leaf(cursor.leaf).slots().get(cursor.index).copied()
    }

    /// The place before the row at a position; past the end, the place after the last row.
    pub(crate) fn cursor(&self, position: usize) -> Cursor {
        #[cfg(test)]
        super::reads::count();
        let mut rest = position.min(self.len()) as u32;
        let mut node = self.root;
        for _ in 0..self.height {
            let inner = self.inner(node);
            let last = inner.len() - 1;
            let mut at = 0;
            while at < last && rest >= inner.counts()[at] {
                rest -= inner.counts()[at];
                at += 1;
            }
            node = inner.children()[at];
        }
        Cursor {
            leaf: node,
            index: rest as usize,
        }
    }

    /// The place right after a row that is in the tree.
    pub(crate) fn cursor_after(&self, slot: Slot) -> Option<Cursor> {
        let leaf = self.leaf_of(slot)?;
        let index = self.leaf(leaf).find(slot)? + 1;
        Some(Cursor { leaf, index })
    }

    /// The rows from a place on, forward.
    pub(crate) fn rows_from(&self, cursor: Cursor) -> Rows<'_> {
        Rows {
            tree: self,
            leaf: cursor.leaf,
            index: cursor.index,
        }
    }

    /// All rows in order.
    pub(crate) fn rows(&self) -> Rows<'_> {
        self.rows_from(Cursor {
            leaf: self.edge_leaf(false),
            index: 0,
        })
    }

    /// The rows in order, leaf by leaf; the fast way to walk many.
    pub(crate) fn chunks(&self) -> impl Iterator<Item = &[Slot]> {
        let mut leaf = self.edge_leaf(false);
        std::iter::from_fn(move || {
            if leaf.is_none() {
                return None;
            }
            let node = self.leaf(leaf);
            leaf = node.next;
            Some(node.slots())
        })
    }

    /// Some of the rows in order, leaf by leaf. O(log n) to begin.
    pub(crate) fn chunks_in(&self, rows: Range<usize>) -> impl Iterator<Item = &[Slot]> {
        let Cursor { mut leaf, index } = self.cursor(rows.start);
        let (mut skip, mut left) = (index, rows.len());
        std::iter::from_fn(move || {
            if leaf.is_none() || left == 0 {
                return None;
            }
            let node = self.leaf(leaf);
            leaf = node.next;
            let slots = &node.slots()[std::mem::take(&mut skip)..];
            let slots = &slots[..slots.len().min(left)];
            left -= slots.len();
            Some(slots)
        })
    }

    /// The rows from a place on, each with its prefix; 0 in a tree without prefixes.
    pub(crate) fn rows_with_keys(&self, cursor: Cursor) -> impl Iterator<Item = (Slot, u64)> {
        let mut leaf = cursor.leaf;
        let mut skip = cursor.index;
        let leaves = std::iter::from_fn(move || {
            let here = leaf;
            if here.is_none() {
                return None;
            }
            leaf = self.leaf(here).next;
            Some(here)
        });
        leaves.flat_map(move |leaf| {
            let slots = self.leaf(leaf).slots().iter().enumerate();
            slots
                .skip(std::mem::take(&mut skip))
                .map(move |(index, slot)| (*slot, self.key_at(leaf, index)))
        })
    }

    /// Copies so many rows from a place on, and their prefixes from a keyed tree; gives the place after them. O(len).
    pub(crate) fn copy_rows(
        &self,
        from: Cursor,
        len: usize,
        slots: &mut Vec<Slot>,
        keys: &mut Vec<u64>,
    ) -> Cursor {
        self.pass(from, len, |leaf, rows| {
            slots.extend_from_slice(&self.leaf(leaf).slots()[rows.clone()]);
            if let Some(beside) = self.keys.get(leaf.index()) {
                keys.extend_from_slice(&beside[rows]);
            }
        })
    }

    /// The place so many rows further on. O(len / node size).
    pub(crate) fn place_after(&self, from: Cursor, len: usize) -> Cursor {
        self.pass(from, len, |_, _| ())
    }

    /// Passes so many rows, leaf by leaf.
    fn pass(
        &self,
        from: Cursor,
        mut len: usize,
        mut each: impl FnMut(NodeId, Range<usize>),
    ) -> Cursor {
        let Cursor {
            mut leaf,
            mut index,
        } = from;
        while len > 0 {
            let node = self.leaf(leaf);
            let end = node.len().min(index + len);
            each(leaf, index..end);
            len -= end - index;
            index = end;
            if index == node.len() {
                if node.next.is_none() {
                    break;
                }
                (leaf, index) = (node.next, 0);
            }
        }
        Cursor { leaf, index }
    }

    /// The rows from a row on, itself the first; none when it is not there.
    pub(crate) fn rows_at(&self, slot: Slot) -> Rows<'_> {
        let index = |leaf| self.leaf(leaf).find(slot);
        let found = self
            .leaf_of(slot)
            .and_then(|leaf| Some((leaf, index(leaf)?)));
        let (leaf, index) = found.unwrap_or((NodeId::NONE, 0));
        self.rows_from(Cursor { leaf, index })
    }

    /// The rows before a row, nearest first.
    pub(crate) fn rows_before(&self, slot: Slot) -> impl Iterator<Item = Slot> {
        let start = self
            .leaf_of(slot)
            .and_then(|leaf| Some((leaf, self.leaf(leaf).find(slot)?)));
        let (mut leaf, mut index) = start.unwrap_or((NodeId::NONE, 0));
        std::iter::from_fn(move || {
            while index == 0 {
                if leaf.is_none() {
                    return None;
                }
                leaf = self.leaf(leaf).prev;
                index = if leaf.is_none() {
                    0
                } else {
                    self.leaf(leaf).len()
                };
                if leaf.is_none() {
                    return None;
                }
            }
            index -= 1;
            Some(self.leaf(leaf).slots()[index])
        })
    }

    /// The prefix beside a row of a keyed tree; 0 in a tree without prefixes.
    pub(crate) fn key_of(&self, slot: Slot) -> u64 {
        let found = self
            .leaf_of(slot)
            .and_then(|leaf| Some((leaf, self.leaf(leaf).find(slot)?)));
        match found {
            Some((leaf, index)) => self.key_at(leaf, index),
            None => 0,
        }
    }

    pub(super) fn key_at(&self, leaf: NodeId, index: usize) -> u64 {
        self.keys.get(leaf.index()).map_or(0, |keys| keys[index])
    }
}

/// Iterator over rows in order.
#[derive(Clone, Debug)]
pub(crate) struct Rows<'a> {
    tree: &'a RowTree,
    leaf: NodeId,
    index: usize,
}

impl Iterator for Rows<'_> {
    type Item = Slot;

    fn next(&mut self) -> Option<Slot> {
        while !self.leaf.is_none() {
            let leaf = self.tree.leaf(self.leaf);
            if let Some(slot) = leaf.slots().get(self.index) {
                self.index += 1;
                return Some(*slot);
            }
            self.leaf = leaf.next;
            self.index = 0;
        }
        None
    }
}

//! Where many rows belong, found in one pass over the leaves.

use super::Slot;
use super::ids::NodeId;
use super::tree::{CountedTree, Cursor};
use std::ops::Range;

/// Leaves to pass for each row, at most, so that a pass over them is worth more than a search from the root.
const LEAVES_PER_ROW: usize = 8;

/// Finds the places of rows that come in the order of the tree: each search goes on from the place found last.
pub(crate) struct Sweep<'a, const LEAF: usize, const FAN: usize> {
    tree: &'a CountedTree<LEAF, FAN>,
    from_last: bool,
    last: Option<Cursor>,
    /// The run of rows that it was found in, and the position of the first row of its leaf.
    run: Option<Range<usize>>,
    leaf_start: usize,
}

impl<const LEAF: usize, const FAN: usize> CountedTree<LEAF, FAN> {
    /// To find the places of so many rows.
    pub(crate) fn sweep(&self, rows: usize) -> Sweep<'_, LEAF, FAN> {
        Sweep {
            tree: self,
            from_last: rows * LEAVES_PER_ROW >= self.len() / LEAF,
            last: None,
            run: None,
            leaf_start: 0,
        }
    }
}

impl<const LEAF: usize, const FAN: usize> Sweep<'_, LEAF, FAN> {
    /// The place before the first row, of a run or of all, that does not come before the wanted one, which does not
    /// come before the one wanted last. As [`CountedTree::lower_bound`]; O(LEAF) for each leaf passed.
    pub(crate) fn lower_bound(
        &mut self,
        run: Option<&Range<usize>>,
        key: u64,
        mut comes_before: impl FnMut(Slot) -> bool,
    ) -> Cursor {
        let goes_on = self.from_last && self.run.as_ref() == run;
        let place = match (self.last.filter(|_| goes_on), run) {
            (Some(last), _) => self.go_on(last, key, comes_before),
            (None, Some(run)) => {
                let tree = self.tree;
                let place = tree.lower_bound_within(run.clone(), key, &mut comes_before);
                self.leaf_start = tree.position_at(place) - place.index;
                place
            }
            (None, None) => self.tree.lower_bound(key, &mut comes_before),
        };
        self.last = Some(place);
        if !goes_on {
            self.run = run.cloned();
        }
        place
    }

    fn go_on(
        &mut self,
        last: Cursor,
        key: u64,
        mut comes_before: impl FnMut(Slot) -> bool,
    ) -> Cursor {
        let tree = self.tree;
        let end = self.run.as_ref().map_or(usize::MAX, |run| run.end);
        let mut is_before = |leaf: NodeId, index: usize| {
            let other = tree.key_at(leaf, index);
            other < key || other == key && comes_before(tree.leaf(leaf).slots()[index])
        };
        let Cursor {
            mut leaf,
            mut index,
        } = last;
        let next = loop {
            let (len, next) = (tree.leaf(leaf).len(), tree.leaf(leaf).next);
            let is_past =
                next.is_none() || self.leaf_start + len >= end || tree.leaf(next).len() == 0;
            if is_past || !is_before(next, 0) {
                break next;
            }
            self.leaf_start += len;
            (leaf, index) = (next, 0);
        };
        let len = tree
            .leaf(leaf)
            .len()
            .min(end.saturating_sub(self.leaf_start));
        let mut end = len.max(index);
        while index < end {
            let middle = index + (end - index) / 2;
            match is_before(leaf, middle) {
                true => index = middle + 1,
                false => end = middle,
            }
        }
        if self.run.is_none() && index == tree.leaf(leaf).len() && !next.is_none() {
            // Whether it ends this leaf or begins the next is for the bound between them to say.
            return tree.lower_bound(key, comes_before);
        }
        Cursor { leaf, index }
    }
}

//! Where many rows belong, found in one pass over the leaves.

use super::LEAF;
use super::Slot;
use super::ids::NodeId;
use super::tree::{Cursor, RowTree};
use std::ops::Range;

/// Leaves to pass for each row, at most, so that a pass over them is worth more than a search from the root.
const LEAVES_PER_ROW: usize = 8;

/// Finds the places of rows that come in the order of the tree: each search goes on from the place found last.
#[derive(Clone)]
pub(crate) struct RowSweep<'a> {
    tree: &'a RowTree,
    from_last: bool,
    last: Option<Cursor>,
    /// The run of rows that it was found in.
    run: Option<Range<usize>>,
    /// The position of the first row of its leaf.
    leaf_start: usize,
}

impl RowTree {
    /// To find the places of so many rows.
    pub(crate) fn sweep(&self, rows: usize) -> RowSweep<'_> {
        RowSweep {
            tree: self,
            from_last: rows * LEAVES_PER_ROW >= self.len() / LEAF,
            last: None,
            run: None,
            leaf_start: 0,
        }
    }
}

impl RowSweep<'_> {
    /// The place before the first row, of a run or of all, that does not come before the wanted one, which does not
    /// come before the one wanted last. As [`RowTree::lower_bound`]; O(1) for each leaf passed, and O(log d) for
    /// d rows passed in the last.
    pub(crate) fn lower_bound(
        &mut self,
        run: Option<&Range<usize>>,
        key: u64,
        comes_before: &mut dyn FnMut(Slot) -> bool,
    ) -> Cursor {
        let goes_on = self.from_last && self.run.as_ref() == run;
        let found = self.last.filter(|_| goes_on);
        let found = found.and_then(|last| self.go_on(last, key, comes_before));
        let place = found.unwrap_or_else(|| {
            let place = match run {
                Some(run) => self.tree.lower_bound_within(run.clone(), key, comes_before),
                None => self.tree.lower_bound(key, comes_before),
            };
            self.leaf_start = self.tree.position_at(place) - place.index;
            place
        });
        self.last = Some(place);
        if !goes_on {
            self.run = run.cloned();
        }
        place
    }

    /// The position of the place found last.
    pub(crate) fn position(&self) -> usize {
        self.leaf_start + self.last.map_or(0, |place| place.index)
    }

    /// `None` when it takes a search from the root to know.
    fn go_on(
        &mut self,
        last: Cursor,
        key: u64,
        comes_before: &mut dyn FnMut(Slot) -> bool,
    ) -> Option<Cursor> {
        let tree = self.tree;
        let run_end = self.run.as_ref().map_or(usize::MAX, |run| run.end);
        let mut is_before = |leaf: NodeId, index: usize| {
            let other = tree.key_at(leaf, index);
            other < key || other == key && comes_before(tree.leaf(leaf).slots()[index])
        };
        let Cursor {
            mut leaf,
            mut index,
        } = last;
        loop {
            let (len, next) = (tree.leaf(leaf).len(), tree.leaf(leaf).next);
            let end = len.min(run_end.saturating_sub(self.leaf_start));
            // Steps that double (Bentley and Yao, 1976), since it is mostly near.
            let (mut high, mut step) = (index, 1);
            while high < end && is_before(leaf, high) {
                index = high + 1;
                high += step;
                step *= 2;
            }
            let mut high = high.min(end);
            while index < high {
                let middle = index + (high - index) / 2;
                match is_before(leaf, middle) {
                    true => index = middle + 1,
                    false => high = middle,
                }
            }
            let is_last = next.is_none() || self.leaf_start + len >= run_end;
            if index < len || is_last || tree.leaf(next).len() == 0 {
                return Some(Cursor { leaf, index });
            }
            if !is_before(next, 0) {
                // Whether it ends this leaf or begins the next is for the bound between them to say.
                return self.run.is_some().then_some(Cursor { leaf, index });
            }
            // It is beyond this leaf: those follow that it is beyond as a whole.
            let mut last = next;
            self.leaf_start += len;
            loop {
                let (len, next) = (tree.leaf(last).len(), tree.leaf(last).next);
                let is_end = next.is_none() || tree.leaf(next).len() == 0;
                if is_end || self.leaf_start + len >= run_end || !is_before(next, 0) {
                    break;
                }
                self.leaf_start += len;
                last = next;
            }
            (leaf, index) = (last, 1);
        }
    }
}

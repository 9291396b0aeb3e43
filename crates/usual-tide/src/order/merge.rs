//! Many single rows out and in at once, leaf by leaf.

use super::LEAF;
use super::ids::{NodeId, Slot};
use super::tree::{Cursor, RowTree};
use crate::parts::rows_in_parts;

/// A row that is to go in, at a place in the tree as it is.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Arrival {
    pub(crate) place: Cursor,
    pub(crate) slot: Slot,
    pub(crate) key: u64,
}

/// What a merge did, in the order of what was asked.
#[derive(Debug)]
pub(crate) struct Merged {
    /// Position before and prefix of each row that was taken out.
    pub(crate) out: Vec<(usize, u64)>,
    /// Position after of each row that was put in.
    pub(crate) into: Vec<usize>,
}

/// Where a row is that is to be taken out.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct RemovedRow {
    leaf: usize,
    index: usize,
}

/// A row to be put into a leaf: which of those that arrive.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct InsertedRow {
    leaf: usize,
    index: usize,
    arrival: usize,
}

impl RowTree {
    /// Takes rows out and puts others in. Rows may be in both. What arrives must be in the order of the
    /// tree; rows with the same place go in side by side.
    ///
    /// Each touched leaf is written once, and the counts above it once: O(k log n + n / node size),
    /// with little done for each row.
    pub(crate) fn merge(&mut self, out: &[Slot], arriving: &[Arrival]) -> Merged {
        let starts = self.leaf_starts();
        let found = self.find_all(out);
        let taken = |row: &Option<RemovedRow>| match row {
            Some(row) => {
                let key = self.key_at(NodeId::new(row.leaf), row.index);
                (starts[row.leaf] + row.index, key)
            }
            None => (0, 0),
        };
        let taken = found.iter().map(taken).collect();
        for slot in out {
            if slot.index() < self.leaf_of.len() {
                self.clear_leaf_of(*slot);
            }
        }
        let mut removed: Vec<RemovedRow> = found.into_iter().flatten().collect();
        removed.sort_unstable();
        self.merge_leaves(&removed, arriving);

        let starts = self.leaf_starts();
        let into =
            |row: &Option<RemovedRow>| row.as_ref().map_or(0, |row| starts[row.leaf] + row.index);
        let slots: Vec<Slot> = arriving.iter().map(|row| row.slot).collect();
        Merged {
            into: self.find_all(&slots).iter().map(into).collect(),
            out: taken,
        }
    }

    /// Where rows are.
    fn find_all(&self, slots: &[Slot]) -> Vec<Option<RemovedRow>> {
        let find = |slot: &Slot| {
            let leaf = self.leaf_of(*slot)?;
            let index = self.leaf(leaf).find(*slot)?;
            let leaf = leaf.index();
            Some(RemovedRow { leaf, index })
        };
        rows_in_parts(slots.len(), |part| {
            slots[part].iter().map(find).collect::<Vec<_>>()
        })
        .concat()
    }

    /// Leaf by leaf, first what goes, then what comes.
    fn merge_leaves(&mut self, removed: &[RemovedRow], arriving: &[Arrival]) {
        let mut inserted: Vec<InsertedRow> = arriving
            .iter()
            .enumerate()
            .map(|(arrival, row)| {
                let place = self.beginning_not_end(row.place);
                InsertedRow {
                    leaf: place.leaf.index(),
                    index: place.index,
                    arrival,
                }
            })
            .collect();
        if !removed.is_empty() {
            inserted.sort_unstable();
        }
        let mut removed = removed.iter().peekable();
        let mut inserted = inserted.into_iter().peekable();
        let (mut gone, mut new) = (Vec::new(), Vec::new());
        let mut sparse = Vec::new();
        loop {
            let next = [
                removed.peek().map(|row| row.leaf),
                inserted.peek().map(|row| row.leaf),
            ];
            let Some(leaf) = next.into_iter().flatten().min() else {
                break;
            };
            gone.clear();
            while let Some(row) = removed.next_if(|row| row.leaf == leaf) {
                gone.push(row.index);
            }
            new.clear();
            while let Some(row) = inserted.next_if(|row| row.leaf == leaf) {
                let place = Cursor {
                    leaf: NodeId::new(leaf),
                    index: row.index,
                };
                let arrival = arriving[row.arrival];
                new.push(Arrival { place, ..arrival });
            }
            let leaf = NodeId::new(leaf);
            self.edit_leaf(leaf, &gone, &new);
            if self.leaf(leaf).len() <= LEAF / 4 {
                sparse.push(leaf);
            }
        }
        // Only now, since it moves rows to other leaves, in which some had a place.
        for leaf in sparse {
            self.rebalance_leaf(leaf);
        }
    }

    /// The same place, with the end of a leaf given as the beginning of the next leaf. Both mean the same gap, and rows that go into
    /// one gap keep their order only if their places name it in the same way.
    fn beginning_not_end(&self, place: Cursor) -> Cursor {
        let leaf = self.leaf(place.leaf);
        match place.index == leaf.len() && !leaf.next.is_none() {
            true => Cursor {
                leaf: leaf.next,
                index: 0,
            },
            false => place,
        }
    }

    /// For each leaf, how many rows are before it.
    fn leaf_starts(&self) -> Vec<usize> {
        let mut starts = vec![0; self.leaves.len()];
        let mut before = 0;
        let mut below = vec![(self.root, self.height)];
        while let Some((node, level)) = below.pop() {
            if level == 0 {
                // A tree of a single leaf.
                continue;
            }
            let inner = self.inner(node);
            if level > 1 {
                below.extend(
                    inner
                        .children()
                        .iter()
                        .rev()
                        .map(|child| (*child, level - 1)),
                );
                continue;
            }
            for (leaf, count) in inner.children().iter().zip(inner.counts()) {
                starts[leaf.index()] = before;
                before += *count as usize;
            }
        }
        starts
    }

    /// Takes rows out of a leaf and puts others in. `gone` and `new` ascend.
    fn edit_leaf(&mut self, leaf: NodeId, gone: &[usize], new: &[Arrival]) {
        // All out first, so that there is room; each place then lies so many rows further up. From
        // the last to the first, no edit shifts the place of another.
        for index in gone.iter().rev() {
            self.drop_rows(leaf, *index, index + 1);
        }
        let index =
            |row: &Arrival| row.place.index - gone.partition_point(|at| *at < row.place.index);
        if self.leaf(leaf).len() + new.len() > LEAF {
            self.add_to_counts(leaf, -(gone.len() as i64));
            for row in new.iter().rev() {
                let place = self.place_from(leaf, index(row));
                self.insert_at(place, row.slot, row.key);
            }
            return;
        }
        for row in new.iter().rev() {
            let len = self.leaf(leaf).len();
            let index = index(row).min(len);
            if let Some(keys) = self.keys.get_mut(leaf.index()) {
                keys.copy_within(index..len, index + 1);
                keys[index] = row.key;
            }
            self.leaf_mut(leaf).insert(index, row.slot);
            self.set_leaf_of(row.slot, leaf);
            if index == 0 && self.keyed {
                self.lower_bound_of(leaf, row.key);
            }
        }
        let change = new.len() as i64 - gone.len() as i64;
        if change != 0 {
            self.add_to_counts(leaf, change);
        }
    }

    /// A place that was in a leaf, whose later rows may be in later leaves by now.
    fn place_from(&self, mut leaf: NodeId, mut index: usize) -> Cursor {
        loop {
            let (len, next) = (self.leaf(leaf).len(), self.leaf(leaf).next);
            if index <= len || next.is_none() {
                let index = index.min(len);
                return Cursor { leaf, index };
            }
            index -= len;
            leaf = next;
        }
    }
}

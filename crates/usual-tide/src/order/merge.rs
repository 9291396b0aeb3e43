//! Many single rows out and in at once, leaf by leaf.

use super::ids::{NodeId, Slot};
use super::node::{Child, Leaf};
use super::tree::{CountedTree, Cursor};

/// A row that is to go in, at a place in the tree as it stands.
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

/// A row to be taken out of a leaf.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Leaver {
    leaf: usize,
    index: usize,
}

/// A row to be put into a leaf: which of those that arrive.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Comer {
    leaf: usize,
    index: usize,
    arrival: usize,
}

impl<const LEAF: usize, const FAN: usize> CountedTree<LEAF, FAN> {
    /// Takes rows out and puts others in. Rows may be in both. What arrives must be in the order of the
    /// tree; rows with the same place go in side by side.
    ///
    /// Each touched leaf is written once, and the nodes above are laid anew: O(k log k + n / node
    /// size), with little done for each row.
    pub(crate) fn merge(&mut self, out: &[Slot], arriving: &[Arrival]) -> Merged {
        let starts = self.leaf_starts();
        let mut leavers = Vec::with_capacity(out.len());
        let mut taken = Vec::with_capacity(out.len());
        for slot in out {
            let found = self
                .leaf_of(*slot)
                .and_then(|leaf| Some((leaf, self.leaf(leaf).find(*slot)?)));
            let Some((leaf, index)) = found else {
                taken.push((0, 0));
                continue;
            };
            taken.push((starts[leaf.index()] + index, self.key_at(leaf, index)));
            let leaf = leaf.index();
            leavers.push(Leaver { leaf, index });
        }
        for slot in out {
            if slot.index() < self.leaf_of.len() {
                self.unhouse(*slot);
            }
        }
        leavers.sort_unstable();
        let mut comers: Vec<Comer> = arriving
            .iter()
            .enumerate()
            .map(|(arrival, row)| Comer {
                leaf: row.place.leaf.index(),
                index: row.place.index,
                arrival,
            })
            .collect();
        comers.sort_unstable();

        let mut leavers = leavers.into_iter().peekable();
        let mut comers = comers.into_iter().peekable();
        let (mut gone, mut new) = (Vec::new(), Vec::new());
        loop {
            let next = [
                leavers.peek().map(|row| row.leaf),
                comers.peek().map(|row| row.leaf),
            ];
            let Some(leaf) = next.into_iter().flatten().min() else {
                break;
            };
            gone.clear();
            while let Some(row) = leavers.next_if(|row| row.leaf == leaf) {
                gone.push(row.index);
            }
            new.clear();
            while let Some(row) = comers.next_if(|row| row.leaf == leaf) {
                new.push(arriving[row.arrival]);
            }
            let leaf = NodeId::new(leaf);
            if self.leaf(leaf).len() - gone.len() + new.len() <= LEAF {
                self.edit_leaf(leaf, &gone, &new);
            } else {
                self.spread_leaf(leaf, &gone, &new);
            }
        }
        self.hang_anew();

        let starts = self.leaf_starts();
        let into = arriving.iter().map(|row| {
            let leaf = self.leaf_of(row.slot);
            let found = leaf.and_then(|leaf| {
                let index = self.leaf(leaf).find(row.slot)?;
                Some(starts[leaf.index()] + index)
            });
            found.unwrap_or(0)
        });
        Merged {
            into: into.collect(),
            out: taken,
        }
    }

    /// For each leaf, how many rows stand before it.
    fn leaf_starts(&self) -> Vec<usize> {
        let mut starts = vec![0; self.leaves.len()];
        let (mut leaf, mut before) = (self.edge_leaf(false), 0);
        while !leaf.is_none() {
            starts[leaf.index()] = before;
            before += self.leaf(leaf).len();
            leaf = self.leaf(leaf).next;
        }
        starts
    }

    /// Takes rows out of a leaf and puts others in, all of which it holds. `gone` and `new` ascend.
    /// Counts and nodes above are left as they are.
    fn edit_leaf(&mut self, leaf: NodeId, gone: &[usize], new: &[Arrival]) {
        // All out first, so that there is room; each place then lies so many rows further up. From
        // the last to the first, no edit shifts the place of another.
        for index in gone.iter().rev() {
            self.drop_rows(leaf, *index, index + 1);
        }
        for row in new.iter().rev() {
            let left = gone.partition_point(|index| *index < row.place.index);
            let len = self.leaf(leaf).len();
            let index = (row.place.index - left).min(len);
            if let Some(keys) = self.keys.get_mut(leaf.index()) {
                keys.copy_within(index..len, index + 1);
                keys[index] = row.key;
            }
            self.leaf_mut(leaf).insert(index, row.slot);
            self.house(row.slot, leaf);
        }
    }

    /// The same where a leaf cannot hold them all: the rest goes into new leaves behind it.
    fn spread_leaf(&mut self, leaf: NodeId, gone: &[usize], new: &[Arrival]) {
        let mut slots = Vec::with_capacity(LEAF + new.len());
        let mut keys = Vec::with_capacity(LEAF + new.len());
        let mut new = new.iter().peekable();
        let mut gone = gone.iter().peekable();
        let old = self.leaf(leaf).slots();
        for index in 0..=old.len() {
            let last = index == old.len();
            while let Some(row) = new.next_if(|row| last || row.place.index <= index) {
                slots.push(row.slot);
                keys.push(row.key);
            }
            if gone.next_if_eq(&&index).is_none() && !last {
                slots.push(old[index]);
                keys.push(self.key_at(leaf, index));
            }
        }
        let leaves = slots.len().div_ceil(LEAF);
        let share = slots.len().div_ceil(leaves);
        self.write_leaf(leaf, &slots[..share], &keys);
        let mut last = leaf;
        for start in (share..slots.len()).step_by(share) {
            let right = self.new_leaf();
            self.chain_after(last, right);
            let end = slots.len().min(start + share);
            self.write_leaf(right, &slots[start..end], &keys[start..]);
            last = right;
        }
    }

    fn write_leaf(&mut self, leaf: NodeId, slots: &[Slot], keys: &[u64]) {
        let (prev, next) = (self.leaf(leaf).prev, self.leaf(leaf).next);
        let mut written = Leaf::of(slots);
        (written.prev, written.next) = (prev, next);
        *self.leaf_mut(leaf) = written;
        if let Some(beside) = self.keys.get_mut(leaf.index()) {
            beside[..slots.len()].copy_from_slice(&keys[..slots.len()]);
        }
        for slot in slots {
            self.house(*slot, leaf);
        }
    }

    /// Drops empty leaves, joins sparse neighbours, and lays the nodes above anew.
    fn hang_anew(&mut self) {
        let mut level: Vec<Child> = Vec::with_capacity(self.leaves.len());
        let mut leaf = self.edge_leaf(false);
        self.len = 0;
        while !leaf.is_none() {
            let (next, len) = (self.leaf(leaf).next, self.leaf(leaf).len());
            self.len += len as u32;
            match level.last_mut() {
                Some(_) if len == 0 => self.unchain(leaf),
                Some(last) if last.count as usize + len <= LEAF / 2 => {
                    last.count += len as u32;
                    let left = last.node;
                    self.append_rows(leaf, left);
                    self.unchain(leaf);
                }
                _ => level.push(Child {
                    node: leaf,
                    count: len as u32,
                    bound: self.key_at(leaf, 0),
                }),
            }
            leaf = next;
        }
        // The first leaf may be empty and have a full one behind it.
        if level.len() > 1 && level[0].count == 0 {
            let first = level.remove(0).node;
            self.unchain(first);
        }
        self.inners.clear();
        self.free_inners.clear();
        self.height = 0;
        if let [only] = level[..] {
            self.leaf_mut(only.node).parent = NodeId::NONE;
        }
        self.build_inners(level);
    }
}

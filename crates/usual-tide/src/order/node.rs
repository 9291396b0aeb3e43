//! The two kinds of nodes: leaves hold rows, inner nodes hold counts.

use super::ids::{NodeId, Slot};
use super::{FAN, LEAF};

/// Where an id is among others.
///
/// Compares whole blocks before it asks which one hit, which the compiler turns into wide comparisons.
fn place_of<I: Copy + PartialEq>(ids: &[I], wanted: I) -> Option<usize> {
    const BLOCK: usize = 16;
    for (block, ids) in ids.chunks(BLOCK).enumerate() {
        if ids.iter().fold(false, |hit, id| hit | (*id == wanted)) {
            let within = ids.iter().position(|id| *id == wanted)?;
            return Some(block * BLOCK + within);
        }
    }
    None
}

/// A run of rows, chained to its neighbours.
#[derive(Clone, Debug)]
pub(super) struct Leaf {
    slots: [Slot; LEAF],
    len: u32,
    pub(super) parent: NodeId,
    pub(super) prev: NodeId,
    pub(super) next: NodeId,
}

impl Leaf {
    pub(super) const fn new() -> Self {
        Self {
            slots: [Slot::from_u32(u32::MAX); LEAF],
            len: 0,
            parent: NodeId::NONE,
            prev: NodeId::NONE,
            next: NodeId::NONE,
        }
    }

    /// A leaf of these rows, at most as many as it holds.
    pub(super) fn of(rows: &[Slot]) -> Self {
        let mut leaf = Self::new();
        leaf.push_all(rows);
        leaf
    }

    pub(super) const fn len(&self) -> usize {
        self.len as usize
    }

    pub(super) fn slots(&self) -> &[Slot] {
        &self.slots[..self.len()]
    }

    /// Where a row is in this leaf.
    pub(super) fn find(&self, slot: Slot) -> Option<usize> {
        place_of(self.slots(), slot)
    }

    pub(super) fn insert(&mut self, at: usize, slot: Slot) {
        let len = self.len();
        self.slots.copy_within(at..len, at + 1);
        self.slots[at] = slot;
        self.len += 1;
    }

    pub(super) fn remove(&mut self, from: usize, to: usize) {
        let len = self.len();
        self.slots.copy_within(to..len, from);
        self.len -= (to - from) as u32;
    }

    pub(super) fn push_all(&mut self, rows: &[Slot]) {
        let len = self.len();
        self.slots[len..len + rows.len()].copy_from_slice(rows);
        self.len += rows.len() as u32;
    }

    pub(super) fn clear(&mut self) {
        *self = Self::new();
    }
}

/// A node over leaves or over other inner nodes.
#[derive(Clone, Debug)]
pub(super) struct Inner {
    children: [NodeId; FAN],
    counts: [u32; FAN],
    /// For each child a value not below the prefix of any row before the child and not above that
    /// of any row in it; what is at index 0 is not read. A removal leaves it as it is.
    bounds: [u64; FAN],
    len: u32,
    pub(super) parent: NodeId,
}

/// A child of an inner node with what the node knows about it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Child {
    pub(super) node: NodeId,
    pub(super) count: u32,
    pub(super) bound: u64,
}

impl Inner {
    pub(super) const fn new() -> Self {
        Self {
            children: [NodeId::NONE; FAN],
            counts: [0; FAN],
            bounds: [0; FAN],
            len: 0,
            parent: NodeId::NONE,
        }
    }

    pub(super) const fn len(&self) -> usize {
        self.len as usize
    }

    pub(super) fn children(&self) -> &[NodeId] {
        &self.children[..self.len()]
    }

    pub(super) fn counts(&self) -> &[u32] {
        &self.counts[..self.len()]
    }

    pub(super) fn bounds(&self) -> &[u64] {
        &self.bounds[..self.len()]
    }

    pub(super) fn child(&self, at: usize) -> Child {
        Child {
            node: self.children[at],
            count: self.counts[at],
            bound: self.bounds[at],
        }
    }

    /// Rows below this node.
    pub(super) fn total(&self) -> u32 {
        self.counts().iter().sum()
    }

    /// Rows below the children before this one.
    pub(super) fn rows_before(&self, at: usize) -> u32 {
        self.counts[..at].iter().sum()
    }

    /// Which child this is; the caller knows that it is one.
    pub(super) fn index_of(&self, child: NodeId) -> usize {
        place_of(self.children(), child).unwrap_or(0)
    }

    pub(super) fn add_to_count(&mut self, at: usize, change: i64) {
        self.counts[at] = (i64::from(self.counts[at]) + change) as u32;
    }

    pub(super) fn lower_bound(&mut self, at: usize, key: u64) {
        self.bounds[at] = self.bounds[at].min(key);
    }

    pub(super) fn insert(&mut self, at: usize, child: Child) {
        let len = self.len();
        self.children.copy_within(at..len, at + 1);
        self.counts.copy_within(at..len, at + 1);
        self.bounds.copy_within(at..len, at + 1);
        self.children[at] = child.node;
        self.counts[at] = child.count;
        self.bounds[at] = child.bound;
        self.len += 1;
    }

    pub(super) fn remove(&mut self, at: usize) {
        let len = self.len();
        self.children.copy_within(at + 1..len, at);
        self.counts.copy_within(at + 1..len, at);
        self.bounds.copy_within(at + 1..len, at);
        self.len -= 1;
    }

    pub(super) fn push(&mut self, child: Child) {
        self.insert(self.len(), child);
    }

    pub(super) fn truncate(&mut self, len: usize) {
        self.len = len as u32;
    }
}

//! The tree against a plain `Vec`, with nodes of four, the validator after each step.

use super::ids::NodeId;
use super::{Arrival, RowTree, Slot};
use proptest::prelude::*;
use std::ops::Range;

type Tree = RowTree;

#[derive(Clone, Debug)]
enum Op {
    Insert {
        at: usize,
        key: u64,
    },
    InsertInOrder {
        key: u64,
    },
    Remove {
        at: usize,
    },
    RemoveRun {
        at: usize,
        count: usize,
    },
    InsertRun {
        at: usize,
        count: usize,
    },
    /// Rows out by position, and rows in by gap; some of the former come back as the latter.
    Merge {
        out: Vec<usize>,
        into: Vec<usize>,
    },
}

fn op() -> impl Strategy<Value = Op> {
    let at = 0..1000usize;
    prop_oneof![
        3 => (at.clone(), 0..20u64).prop_map(|(at, key)| Op::Insert { at, key }),
        4 => (0..20u64).prop_map(|key| Op::InsertInOrder { key }),
        4 => at.clone().prop_map(|at| Op::Remove { at }),
        1 => (at.clone(), 0..40usize).prop_map(|(at, count)| Op::RemoveRun { at, count }),
        1 => (at.clone(), 0..60usize).prop_map(|(at, count)| Op::InsertRun { at, count }),
        2 => (prop::collection::vec(at.clone(), 0..30), prop::collection::vec(at, 0..30))
            .prop_map(|(out, into)| Op::Merge { out, into }),
    ]
}

/// Rows as (prefix, slot), and the next slot that was never used.
#[derive(Default)]
struct Model {
    rows: Vec<(u64, u32)>,
    next: u32,
}

impl Model {
    /// A prefix that keeps the order at a position.
    fn fitting_key(&self, at: usize, key: u64) -> u64 {
        let low = at.checked_sub(1).map_or(0, |before| self.rows[before].0);
        let high = self.rows.get(at).map_or(u64::MAX, |row| row.0);
        key.clamp(low, high)
    }

    fn fresh(&mut self) -> u32 {
        self.next += 1;
        self.next - 1
    }
}

fn apply(op: &Op, tree: &mut Tree, model: &mut Model) {
    let len = model.rows.len();
    match op.clone() {
        Op::Insert { at, key } => {
            let at = at % (len + 1);
            let row = (model.fitting_key(at, key), model.fresh());
            tree.insert(at, Slot::from_u32(row.1), row.0);
            model.rows.insert(at, row);
        }
        Op::InsertInOrder { key } => {
            let row = (key, model.fresh());
            let at = model.rows.partition_point(|other| *other < row);
            let place = tree.lower_bound(key, &mut |other| other.index() < row.1 as usize);
            assert_eq!(tree.position_at(place), at);
            assert_eq!(tree.insert_at(place, Slot::from_u32(row.1), key), at);
            model.rows.insert(at, row);
        }
        Op::Remove { at } if len > 0 => {
            let (key, slot) = model.rows.remove(at % len);
            let slot = Slot::from_u32(slot);
            let above = nodes_above(tree, slot);
            assert_eq!(tree.remove(slot), Some((at % len, key)));
            assert_eq!(tree.remove(slot), None);
            assert_joined(tree, &above);
        }
        Op::Remove { .. } => {}
        Op::RemoveRun { at, count } => {
            let at = at % (len + 1);
            let count = count.min(len - at);
            let mut taken = Vec::new();
            tree.remove_run(at, count, |slot| taken.push(slot.index() as u32));
            let gone: Vec<u32> = model.rows.drain(at..at + count).map(|row| row.1).collect();
            assert_eq!(taken, gone);
        }
        Op::InsertRun { at, count } => {
            let at = at % (len + 1);
            let high = model.rows.get(at).map_or(u64::MAX, |row| row.0);
            let low = model.fitting_key(at, 7);
            let key = |row: usize| (low + row as u64 / 2).min(high);
            let rows: Vec<(u64, u32)> = (0..count).map(|row| (key(row), model.fresh())).collect();
            let slots: Vec<Slot> = rows.iter().map(|row| Slot::from_u32(row.1)).collect();
            let keys: Vec<u64> = rows.iter().map(|row| row.0).collect();
            tree.insert_run(at, &slots, &keys);
            model.rows.splice(at..at, rows);
        }
        Op::Merge { out, into } => merge(&out, &into, tree, model),
    }
}

/// The leaf of a row and the inner nodes above it, lowest first, each with its length.
fn nodes_above(tree: &Tree, slot: Slot) -> Vec<(NodeId, usize)> {
    let leaf = tree.leaf_of(slot).unwrap();
    let mut nodes = vec![(leaf, tree.leaf(leaf).len())];
    for level in 0..tree.height {
        let above = tree.parent(nodes[level as usize].0, level);
        nodes.push((above, tree.inner(above).len()));
    }
    nodes
}

/// No node that lost something is sparse next to one that it fits together with.
fn assert_joined(tree: &Tree, before: &[(NodeId, usize)]) {
    for (level, (node, len_before)) in before.iter().enumerate() {
        let len_of = |node: NodeId| match level {
            0 => tree.leaf(node).len(),
            _ => tree.inner(node).len(),
        };
        let free = match level {
            0 => &tree.free_leaves,
            _ => &tree.free_inners,
        };
        let len = len_of(*node);
        let is_root = *node == tree.root;
        if free.contains(node) || is_root || len >= *len_before || len > 1 {
            continue;
        }
        let above = tree.parent(*node, level as u32);
        let siblings = tree.inner(above).children();
        let at = siblings.iter().position(|other| other == node).unwrap();
        let beside = [at.checked_sub(1), Some(at + 1)];
        for other in beside
            .into_iter()
            .flatten()
            .filter_map(|at| siblings.get(at))
        {
            assert!(
                len + len_of(*other) > 3,
                "{node:?} and {other:?} at level {level}"
            );
        }
    }
}

fn merge(out: &[usize], into: &[usize], tree: &mut Tree, model: &mut Model) {
    let len = model.rows.len();
    let mut out: Vec<usize> = out.iter().filter(|_| len > 0).map(|at| at % len).collect();
    out.sort_unstable();
    out.dedup();
    let mut gaps: Vec<usize> = into.iter().map(|at| at % (len + 1)).collect();
    gaps.sort_unstable();
    let leaving: Vec<(u64, u32)> = out.iter().map(|at| model.rows[*at]).collect();
    // Every other row that leaves comes back elsewhere; the rest of what arrives is new.
    let mut back = leaving
        .iter()
        .step_by(2)
        .map(|row| row.1)
        .collect::<Vec<_>>()
        .into_iter();
    let mut arrivals = Vec::new();
    for gap in &gaps {
        let slot = back.next().unwrap_or_else(|| model.fresh());
        let key = model.fitting_key(*gap, 9);
        arrivals.push((*gap, (key, slot)));
    }
    let asked: Vec<Arrival> = arrivals
        .iter()
        .map(|(gap, (key, slot))| Arrival {
            place: tree.cursor(*gap),
            slot: Slot::from_u32(*slot),
            key: *key,
        })
        .collect();
    let slots: Vec<Slot> = leaving.iter().map(|row| Slot::from_u32(row.1)).collect();
    let merged = tree.merge(&slots, &asked);

    let expected: Vec<(usize, u64)> = out
        .iter()
        .zip(&leaving)
        .map(|(at, row)| (*at, row.0))
        .collect();
    assert_eq!(merged.out, expected);
    let mut rows = Vec::new();
    let mut arrivals = arrivals.into_iter().peekable();
    for at in 0..=len {
        while let Some((_, row)) = arrivals.next_if(|(gap, _)| *gap == at) {
            rows.push(row);
        }
        if at < len && !out.contains(&at) {
            rows.push(model.rows[at]);
        }
    }
    for (row, to) in asked.iter().zip(&merged.into) {
        assert_eq!(rows[*to].1 as usize, row.slot.index());
    }
    model.rows = rows;
}

fn assert_same(tree: &Tree, model: &Model) {
    tree.check(true).unwrap();
    let slots: Vec<u32> = tree.rows().map(|slot| slot.index() as u32).collect();
    let expected: Vec<u32> = model.rows.iter().map(|row| row.1).collect();
    assert_eq!(slots, expected);
    for (at, (key, slot)) in model.rows.iter().enumerate() {
        let slot = Slot::from_u32(*slot);
        assert_eq!(tree.position(slot), Some(at));
        assert_eq!(tree.get(at), Some(slot));
        assert_eq!(tree.key_of(slot), *key);
    }
    assert_eq!(tree.get(model.rows.len()), None);
    if model.rows.is_sorted() {
        let len = model.rows.len();
        for run in [None, Some(0..len), Some(len / 3..len - len / 4)] {
            assert_sweep_finds_the_same(tree, run);
        }
    }
}

/// Sweeps that go on from the last place, and those that do not, find what a search from the root finds.
fn assert_sweep_finds_the_same(tree: &Tree, run: Option<Range<usize>>) {
    for rows in [0, 1000] {
        let mut sweep = tree.sweep(rows);
        for (key, slot) in (0..21).flat_map(|key| [(key, 0), (key, 3), (key, 40)]) {
            let mut comes_before = |other: Slot| other.index() < slot;
            let expected = match run.clone() {
                Some(run) => tree.lower_bound_within(run, key, &mut comes_before),
                None => tree.lower_bound(key, &mut comes_before),
            };
            assert_eq!(
                sweep.lower_bound(run.as_ref(), key, &mut comes_before),
                expected
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(400) })]

    #[test]
    fn scripts_of_edits_keep_tree_and_vec_equal(ops in prop::collection::vec(op(), 1..120)) {
        let mut tree = Tree::new(true);
        let mut model = Model::default();
        for op in &ops {
            // In-order inserts compare slots among equal prefixes, so ties must be in slot order.
            let ordered = model.rows.is_sorted();
            if matches!(op, Op::InsertInOrder { .. }) && !ordered {
                continue;
            }
            apply(op, &mut tree, &mut model);
            assert_same(&tree, &model);
        }
    }

    #[test]
    fn a_built_tree_takes_edits_like_a_grown_one(
        mut keys in prop::collection::vec(0..50u64, 0..300),
        ops in prop::collection::vec(op(), 0..40),
        one_in in prop::sample::select(vec![1, 2, 30]),
    ) {
        keys.sort_unstable();
        let mut model = Model::default();
        for key in &keys {
            let slot = model.fresh();
            model.rows.push((*key, slot));
        }
        let slots: Vec<Slot> = model.rows.iter().map(|row| Slot::from_u32(row.1)).collect();
        let mut tree = Tree::build(&slots, Some(&keys));
        assert_same(&tree, &model);
        for op in &ops {
            if matches!(op, Op::InsertInOrder { .. }) && !model.rows.is_sorted() {
                continue;
            }
            apply(op, &mut tree, &mut model);
            assert_same(&tree, &model);
        }
        // Other rows in its place, and back.
        let rows = model.rows.iter().copied().filter(|row| row.1 % one_in == 0);
        let mut other = Model { rows: rows.collect(), ..Model::default() };
        other.rows.push((u64::MAX, model.fresh()));
        let slots: Vec<Slot> = other.rows.iter().map(|row| Slot::from_u32(row.1)).collect();
        let keys: Vec<u64> = other.rows.iter().map(|row| row.0).collect();
        let replaced = tree.replace(&slots, Some(&keys));
        assert_same(&replaced, &other);
        assert_same(&tree.restored(), &model);
    }
}

#[test]
fn rows_before_a_row_come_nearest_first() {
    let slots: Vec<Slot> = (0..50).map(Slot::from_u32).collect();
    let tree = Tree::build(&slots, None);
    let before: Vec<usize> = tree.rows_before(slots[17]).map(Slot::index).collect();
    assert_eq!(before, (0..17).rev().collect::<Vec<_>>());
    assert_eq!(tree.rows_before(slots[0]).count(), 0);
}

/// How many leaves and inner nodes there are.
fn nodes(tree: &RowTree) -> (usize, usize) {
    (
        tree.leaves.len() - tree.free_leaves.len(),
        tree.inners.len() - tree.free_inners.len(),
    )
}

#[test]
fn rows_that_arrive_at_the_end_fill_their_nodes() {
    let (mut by_position, mut by_search) = (Tree::new(true), Tree::new(true));
    let mut at_start = Tree::new(true);
    for row in 0..4096 {
        let (slot, key) = (Slot::from_u32(row), u64::from(row));
        by_position.insert(row as usize, slot, key);
        let place = by_search.lower_bound(key, &mut |_| true);
        by_search.insert_at(place, slot, key);
        at_start.insert(0, slot, 4096 - key);
    }
    for tree in [by_position, by_search] {
        // Leaves of four rows, under inner nodes of three or four children.
        let (leaves, inners) = nodes(&tree);
        assert_eq!(leaves, 1024);
        assert!(inners <= 512, "{inners}");
    }
    // Elsewhere nodes are at least half full.
    let (leaves, inners) = nodes(&at_start);
    assert!(leaves <= 2048 && inners <= 2047, "{leaves} and {inners}");
}

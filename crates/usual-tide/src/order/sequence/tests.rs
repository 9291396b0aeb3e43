//! A sequence against a plain `Vec`, with nodes of four.

use super::{CountedSums, FAN, Measured, Node, Sequence};
use proptest::prelude::*;
use std::ops::AddAssign;

/// How many elements there are, and what they weigh.
#[derive(Clone, Copy, PartialEq, Default, Debug)]
struct Weights {
    elements: usize,
    weight: usize,
}

impl AddAssign for Weights {
    fn add_assign(&mut self, other: Self) {
        self.elements += other.elements;
        self.weight += other.weight;
    }
}

impl CountedSums for Weights {
    fn elements(&self) -> usize {
        self.elements
    }
}

/// An element: what it weighs, and a name that tells it from others.
#[derive(Clone, PartialEq, Debug)]
struct Weight(usize, u32);

impl Measured for Weight {
    type Sums = Weights;

    fn sums(&self) -> Weights {
        Weights {
            elements: 1,
            weight: self.0,
        }
    }
}

#[derive(Clone, Debug)]
enum Op {
    Insert(usize, usize),
    Replace(usize, usize),
    Remove(usize),
    /// Keeps a clone, which must stay as it is.
    Clone,
}

fn op() -> impl Strategy<Value = Op> {
    let (at, weight) = (0..1000usize, 0..4usize);
    prop_oneof![
        4 => (at.clone(), weight.clone()).prop_map(|(at, weight)| Op::Insert(at, weight)),
        1 => (at.clone(), weight).prop_map(|(at, weight)| Op::Replace(at, weight)),
        3 => at.prop_map(Op::Remove),
        1 => Just(Op::Clone),
    ]
}

/// The height; every node has some children, as many as it may have, and the sums that are kept of it.
fn check(node: &Node<Weight>) -> usize {
    assert!(node.len() <= FAN);
    match node {
        Node::Leaf(_) => 1,
        Node::Inner(children) => {
            let heights = children.iter().map(|child| {
                assert!(child.node.len() > 0);
                assert_eq!(child.sums, child.node.sums());
                check(&child.node)
            });
            let heights: Vec<usize> = heights.collect();
            assert!(heights.iter().all(|height| *height == heights[0]));
            heights[0] + 1
        }
    }
}

fn assert_same(sequence: &Sequence<Weight>, model: &[Weight]) {
    check(&sequence.root);
    assert!(sequence.iter().eq(model));
    let mut all = Weights::default();
    for (index, element) in model.iter().enumerate() {
        let found = sequence.find(index, Weights::elements);
        assert_eq!(found, Some((all, element)));
        all += element.sums();
        let names = |other: &Weight| model[..=index].iter().any(|one| one.1 == other.1);
        assert_eq!(sequence.lower_bound(names), index + 1);
    }
    assert_eq!(sequence.sums(), all);
    assert_eq!(sequence.find(model.len(), Weights::elements), None);
    // By weight: the first at whose end there is more than that.
    for weight in 0..=all.weight {
        let mut before = Weights::default();
        let expected = model.iter().find_map(|element| {
            let start = before;
            before += element.sums();
            (weight < before.weight).then_some((start, element))
        });
        assert_eq!(sequence.find(weight, |sums| sums.weight), expected);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    #[test]
    fn edits_keep_a_sequence_and_a_vec_equal_and_clones_as_they_were(
        begun in prop::collection::vec(0..4usize, 0..40),
        ops in prop::collection::vec(op(), 1..60),
    ) {
        let mut model: Vec<Weight> = begun.into_iter().zip(0..).map(|(weight, name)| Weight(weight, name)).collect();
        let mut sequence = Sequence::build(model.clone());
        assert_same(&sequence, &model);
        let mut clones = Vec::new();
        for (op, name) in ops.into_iter().zip(1000..) {
            let len = model.len();
            match op {
                Op::Insert(at, weight) => {
                    let at = at % (len + 1);
                    sequence.insert(at, Weight(weight, name));
                    model.insert(at, Weight(weight, name));
                }
                Op::Replace(at, weight) if len > 0 => {
                    sequence.replace(at % len, Weight(weight, name));
                    model[at % len] = Weight(weight, name);
                }
                Op::Remove(at) if len > 0 => {
                    sequence.remove(at % len);
                    model.remove(at % len);
                }
                Op::Replace(..) | Op::Remove(_) => {}
                Op::Clone => {
                    let clone = sequence.clone();
                    assert!(clone.is_shared_with(&sequence));
                    clones.push((clone, model.clone()));
                }
            }
            assert_same(&sequence, &model);
        }
        for (clone, model) in clones {
            assert_same(&clone, &model);
        }
    }
}

#[test]
fn a_sequence_is_as_high_as_the_logarithm_of_its_length() {
    let mut sequence = Sequence::build(Vec::new());
    for name in 0..1024 {
        sequence.insert(name as usize / 2, Weight(1, name));
        let other = sequence.clone();
        sequence.replace(0, Weight(2, name));
        assert!(!sequence.is_shared_with(&other));
    }
    // Nodes are at least half full, and the root has two children.
    assert!(check(&sequence.root) <= 10);
    for _ in 0..1024 {
        sequence.remove(0);
    }
    assert_eq!(check(&sequence.root), 1);
}

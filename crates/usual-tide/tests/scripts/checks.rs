//! What must hold of every change set, checked from its two ends alone.

use super::model::Thing;
use std::collections::HashMap;
use std::sync::Arc;
use usual_tide::{ChangeSet, Followed, Replica, Step};

type Rows = Vec<Arc<Thing>>;

/// All laws that speak of one change set between known rows.
pub(super) fn check_set(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    assert!(!set.is_empty(), "an empty set was delivered");
    assert_eq!((set.before(), set.after()), (before.len(), after.len()));
    check_parts(set, before, after);
    check_apply(set, before, after);
    check_steps(set, before, after);
    check_follow(set, before, after);

    let inverse = set.inverse();
    let mut back = after.clone();
    inverse.apply(&mut back).unwrap();
    assert_eq!(&back, before);
    assert_eq!(inverse.inverse(), *set);
    let both = set.then(&inverse).unwrap();
    assert!(both.is_empty(), "{set:?} and back is {both:?}");
    assert_eq!(inverse.then(set).map(|both| both.is_empty()), Some(true));
}

fn places(rows: &Rows) -> HashMap<u16, usize> {
    rows.iter()
        .enumerate()
        .map(|(at, row)| (row.key, at))
        .collect()
}

/// The longest increasing subsequence, in the plain quadratic way.
fn longest(sequence: &[usize]) -> usize {
    let mut best: Vec<usize> = Vec::new();
    for (index, value) in sequence.iter().enumerate() {
        let before = (0..index).filter(|earlier| sequence[*earlier] < *value);
        best.push(1 + before.map(|earlier| best[earlier]).max().unwrap_or(0));
    }
    best.into_iter().max().unwrap_or(0)
}

fn check_parts(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    let (was, is) = (places(before), places(after));
    let positions = |runs: &[usual_tide::RowRun<Thing>]| -> Vec<usize> {
        runs.iter().flat_map(|run| run.range()).collect()
    };
    let gone: Vec<usize> = (0..before.len())
        .filter(|at| !is.contains_key(&before[*at].key))
        .collect();
    let new: Vec<usize> = (0..after.len())
        .filter(|at| !was.contains_key(&after[*at].key))
        .collect();
    assert_eq!(positions(set.removed()), gone);
    assert_eq!(positions(set.inserted()), new);
    for runs in [set.removed(), set.inserted()] {
        let apart = |pair: &[usual_tide::RowRun<Thing>]| pair[0].range().end < pair[1].at;
        assert!(
            runs.windows(2).all(apart),
            "neighbouring runs are not joined"
        );
    }

    let kept: Vec<usize> = after
        .iter()
        .filter_map(|row| was.get(&row.key).copied())
        .collect();
    let moved: usize = set.moved().iter().map(|run| run.len).sum();
    assert_eq!(moved, kept.len() - longest(&kept), "not the fewest moves");
    for run in set.moved() {
        for offset in 0..run.len {
            assert_eq!(before[run.from + offset].key, after[run.to + offset].key);
        }
    }

    let updated: Vec<(usize, usize)> = set.updated().iter().map(|row| (row.from, row.to)).collect();
    let differ: Vec<(usize, usize)> = (0..after.len())
        .filter_map(|to| Some((*was.get(&after[to].key)?, to)))
        .filter(|(from, to)| before[*from] != after[*to])
        .collect();
    assert_eq!(updated, differ);
    for row in set.updated() {
        assert_eq!(
            (&row.before, &row.after),
            (&before[row.from], &after[row.to])
        );
        assert!(!row.fields().is_empty());
    }
    assert!(set.touched() <= before.len() + after.len());
}

fn check_apply(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    let mut rows = before.clone();
    set.apply(&mut rows).unwrap();
    assert_eq!(&rows, after);
    let mut longer = before.clone();
    longer.push(Arc::clone(after.first().or(before.first()).unwrap()));
    let unchanged = longer.clone();
    assert!(set.apply(&mut longer).is_err());
    assert!(longer == unchanged);
    let mut replica: Replica<Thing> = before.iter().cloned().collect();
    replica.apply(set).unwrap();
    assert!(replica.items().eq(after));
}

fn check_steps(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    let moves = set
        .steps()
        .iter()
        .filter(|step| matches!(step, Step::Move { .. }))
        .count();
    assert_eq!(moves, set.moved().iter().map(|run| run.len).sum::<usize>());
    for (steps, may_move) in [(set.steps(), true), (set.steps_without_moves(), false)] {
        let mut rows = before.clone();
        for step in &steps {
            match *step {
                Step::Remove { at, count } => drop(rows.drain(at..at + count)),
                Step::Move { from, to } => {
                    assert!(may_move && from != to);
                    let row = rows.remove(from);
                    rows.insert(to, row);
                }
                Step::Insert { at, count } => {
                    rows.splice(at..at, after[at..at + count].iter().cloned());
                }
                Step::Update { at, count } => {
                    for row in at..at + count {
                        assert_ne!(rows[row], after[row], "an update that changes nothing");
                        rows[row] = Arc::clone(&after[row]);
                    }
                }
            }
        }
        assert_eq!(&rows, after, "{steps:?}");
    }
}

fn check_follow(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    let is = places(after);
    for (at, row) in before.iter().enumerate() {
        let next = || {
            before[at..]
                .iter()
                .find_map(|row| is.get(&row.key).copied())
        };
        let last = || {
            before[..at]
                .iter()
                .rev()
                .find_map(|row| is.get(&row.key).copied())
        };
        let expected = match is.get(&row.key) {
            Some(at) => Followed::At(*at),
            None => Followed::Gone(next().or_else(last)),
        };
        assert_eq!(set.follow(at), Some(expected));
    }
    assert_eq!(set.follow(before.len()), None);
}

/// The runs of kept rows, not moved, whose number differs.
pub(super) fn check_numbers(
    set: &ChangeSet<Thing>,
    before: &Rows,
    after: &Rows,
    skips: (usize, usize),
) {
    let was = places(before);
    let moved: Vec<usize> = set
        .moved()
        .iter()
        .flat_map(|run| run.to..run.to + run.len)
        .collect();
    let expected: Vec<usize> = (0..after.len())
        .filter(|to| !moved.contains(to))
        .filter(|to| {
            was.get(&after[*to].key)
                .is_some_and(|from| from + skips.0 != to + skips.1)
        })
        .collect();
    let runs = set.renumbered().expect("the list numbers its rows");
    let numbered: Vec<usize> = runs.iter().cloned().flatten().collect();
    assert_eq!(numbered, expected);
    assert!(runs.windows(2).all(|pair| pair[0].end < pair[1].start));
}

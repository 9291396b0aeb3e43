//! What must hold of every change set, checked from its two ends alone.

use super::model::Thing;
use std::collections::HashMap;
use std::sync::Arc;
use usual_tide::changes::{Followed, Step};
use usual_tide::lists::{FlatItem, FlatRow};
use usual_tide::sections::{Section, SectionKey, SectionReplica, SectionRow};
use usual_tide::{BoundList, ChangeSet, Item, Replica};

type Rows = Vec<Arc<Thing>>;

/// All laws that speak of one change set between known rows.
pub(super) fn check_set(set: &ChangeSet<Thing>, before: &Rows, after: &Rows) {
    assert!(!set.is_empty(), "an empty set was delivered");
    assert_eq!(
        (set.len_before(), set.len_after()),
        (before.len(), after.len())
    );
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
    let positions = |runs: &[usual_tide::changes::RowRun<Thing>]| -> Vec<usize> {
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
        let apart = |pair: &[usual_tide::changes::RowRun<Thing>]| pair[0].range().end < pair[1].at;
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
    // Sections can change without any row.
    if let Some(row) = after.first().or(before.first()) {
        let mut longer = before.clone();
        longer.push(Arc::clone(row));
        let unchanged = longer.clone();
        assert!(set.apply(&mut longer).is_err());
        assert!(longer == unchanged);
    }
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

/// What a list shows, section by section.
pub(super) type Sections = Vec<(Arc<Section>, Rows)>;

pub(super) fn sections_of(list: &BoundList<'_, Thing>) -> Sections {
    let sections = list.sections().zip(0..);
    let sections: Sections = sections
        .map(|(section, at)| (section, list.items_in(list.rows_in(at)).cloned().collect()))
        .collect();
    let mut position = 0;
    for (section, (_, rows)) in sections.iter().enumerate() {
        for (row, item) in rows.iter().enumerate() {
            let place = SectionRow { section, row };
            assert_eq!(list.section_row(position), Some(place));
            assert_eq!(list.at_section_row(place), Some(item));
            position += 1;
        }
    }
    assert_eq!((position, list.section_row(position)), (list.len(), None));
    sections
}

/// Whether a two-level copy shows just this.
fn shows(replica: &SectionReplica<Thing>, sections: &Sections) -> bool {
    replica
        .sections()
        .eq(sections.iter().map(|(section, _)| section))
        && (0..sections.len()).all(|at| replica.rows(at).eq(&sections[at].1))
}

/// All laws that speak of a change set by section, of the way back too.
pub(super) fn check_sections(set: &ChangeSet<Thing>, before: &Sections, after: &Sections) {
    check_one_way(set, before, after);
    check_one_way(&set.inverse(), after, before);
}

fn check_one_way(set: &ChangeSet<Thing>, before: &Sections, after: &Sections) {
    check_flattened(set, before, after);
    let changes = set.by_section();
    // Where only numbers changed, nothing is said by section.
    assert!(!changes.is_empty() || before == after);
    let start = || SectionReplica::new(before.iter().cloned());
    let mut replica = start();
    replica.apply(&changes).unwrap();
    assert!(shows(&replica, after), "{replica:?} should be {after:?}");

    let mut staged = start();
    let stages = changes.phases();
    for stage in &stages {
        let (section, row) = (stage.sections(), stage);
        let rows = !row.removed().is_empty() || !row.inserted().is_empty();
        let rows = rows || !row.moved().is_empty() || !row.updated().is_empty();
        assert!(
            section.is_empty() || !rows,
            "sections and rows in one stage"
        );
        staged.apply(stage).unwrap();
    }
    assert!(shows(&staged, after), "{stages:?}");
    assert!(stages.len() <= 3);

    let places = |sections: &Sections| -> HashMap<u16, (SectionKey, usize)> {
        let rows = sections.iter().flat_map(|(section, rows)| {
            rows.iter()
                .enumerate()
                .map(|(row, thing)| (thing.key, (section.key().clone(), row)))
        });
        rows.collect()
    };
    let was = places(before);
    let mut fewest = 0;
    for (section, rows) in after {
        let kept = rows.iter().filter_map(|row| was.get(&row.key));
        let (same, other): (Vec<_>, Vec<_>) = kept.partition(|(key, _)| key == section.key());
        let same: Vec<usize> = same.into_iter().map(|(_, row)| *row).collect();
        fewest += other.len() + same.len() - longest(&same);
    }
    let moved: usize = changes.moved().iter().map(|run| run.len).sum();
    assert_eq!(moved, fewest, "not the fewest moves by section");

    let place = |sections: &Sections, key: &SectionKey| {
        sections
            .iter()
            .position(|(section, _)| section.key() == key)
    };
    let kept: Vec<usize> = after
        .iter()
        .filter_map(|(section, _)| place(before, section.key()))
        .collect();
    let count =
        |runs: &[usual_tide::changes::MovedRun]| runs.iter().map(|run| run.len).sum::<usize>();
    let sections = changes.sections();
    assert_eq!(count(sections.moved()), kept.len() - longest(&kept));
    assert_eq!(
        (sections.len_before(), sections.len_after()),
        (before.len(), after.len())
    );
    for row in sections.updated() {
        assert_ne!(row.before, row.after);
        assert!(!row.fields().is_empty());
    }
    if before.len() != after.len() || !changes.removed().is_empty() {
        let mut other = SectionReplica::new(after.iter().cloned());
        if other.apply(&changes).is_err() {
            assert!(shows(&other, after), "a refused set has changed something");
        }
    }
}

/// What a column shows in which headings are rows.
fn column(sections: &Sections) -> Vec<Arc<FlatItem<Thing>>> {
    let mut column = Vec::new();
    for (section, rows) in sections {
        if *section.key() != SectionKey::WHOLE {
            column.push(FlatRow::Heading(Arc::clone(section)));
        }
        column.extend(rows.iter().cloned().map(FlatRow::Item));
    }
    let column = column.into_iter();
    column.map(|row| Arc::new(FlatItem::new(row))).collect()
}

fn check_flattened(set: &ChangeSet<Thing>, before: &Sections, after: &Sections) {
    let flat = set.flattened();
    let (before, after) = (column(before), column(after));
    let mut shown = before.clone();
    flat.apply(&mut shown).unwrap();
    assert_eq!(shown, after, "{flat:?}");
    let was: HashMap<_, usize> = before.iter().map(|row| row.key()).zip(0..).collect();
    let kept = after.iter().filter_map(|row| was.get(row.key()).copied());
    let kept: Vec<usize> = kept.collect();
    let moved: usize = flat.moved().iter().map(|run| run.len).sum();
    assert_eq!(moved, kept.len() - longest(&kept), "not the fewest moves");
    let inserted: usize = flat.inserted().iter().map(|run| run.rows.len()).sum();
    assert_eq!(inserted, after.len() - kept.len());
    let updated = flat.updated().iter();
    assert!(updated.clone().all(|row| row.before != row.after));
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

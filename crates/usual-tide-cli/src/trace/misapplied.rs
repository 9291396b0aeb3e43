//! Ways in which views get change sets wrong, each put into effect to be compared with what a view shows.

use super::changes::TracedChanges;
use super::rows::{Rows, by_position};
use usual_tide::record::RecordKey;

/// A single step with what it needs.
#[derive(Clone)]
enum Step {
    Remove(usize),
    Move { from: usize, to: usize },
    Insert(usize, RecordKey),
}

/// Moves whose target is taken as counted before the row is taken out, in either of the two ways of mending what is not broken:
/// one less when the row moves down, or one more.
pub(super) fn target_before_lift(rows: &[RecordKey], changes: &TracedChanges) -> Vec<Rows> {
    let Some(steps) = steps(rows, changes) else {
        return Vec::new();
    };
    let shifted = |by: isize| {
        let steps = steps.iter().map(|step| match step {
            Step::Move { from, to } if from < to => Step::Move {
                from: *from,
                to: to.saturating_add_signed(by),
            },
            other => other.clone(),
        });
        play(rows, steps)
    };
    [shifted(-1), shifted(1)].into_iter().flatten().collect()
}

/// The positions taken for those of older rows: put into effect on these, or naming the rows that were there.
pub(super) fn older_version(
    rows: &[RecordKey],
    older: &[RecordKey],
    changes: &TracedChanges,
) -> Vec<Rows> {
    let mut found: Vec<Rows> = by_position(older, changes).into_iter().collect();
    // The handler looked up which row it meant in the older rows, and that one was touched instead.
    let meant = |at: &usize| {
        let key = older.get(*at)?;
        rows.iter().position(|row| row == key)
    };
    let removed = changes
        .removed
        .iter()
        .map(|(at, key)| Some((meant(at)?, key.clone())));
    let moved = changes.moved.iter();
    let moved = moved.map(|(from, to, key)| Some((meant(from)?, *to, key.clone())));
    let (removed, moved) = (removed.collect::<Option<Vec<_>>>(), moved.collect());
    if let (Some(mut removed), Some(moved)) = (removed, moved) {
        removed.sort_by_key(|row| row.0);
        let changes = TracedChanges {
            removed,
            moved,
            ..changes.clone()
        };
        found.extend(by_position(rows, &changes));
    }
    found
}

/// The steps in orders that are not theirs.
pub(super) fn wrong_orders(
    rows: &[RecordKey],
    changes: &TracedChanges,
) -> Vec<(&'static str, Rows)> {
    let Some(steps) = steps(rows, changes) else {
        return Vec::new();
    };
    let of = |kind: fn(&Step) -> bool| steps.iter().filter(move |step| kind(step)).cloned();
    let removals = || of(|step| matches!(step, Step::Remove(_)));
    let moves = || of(|step| matches!(step, Step::Move { .. }));
    let insertions = || of(|step| matches!(step, Step::Insert(..)));
    let backwards = |steps: &mut dyn Iterator<Item = Step>| {
        let mut steps: Vec<Step> = steps.collect();
        steps.reverse();
        steps
    };
    let orders: [(&'static str, Vec<Step>); 7] = [
        (
            "removals from low to high",
            [
                backwards(&mut removals()),
                moves().chain(insertions()).collect(),
            ]
            .concat(),
        ),
        (
            "insertions from high to low",
            [
                removals().chain(moves()).collect(),
                backwards(&mut insertions()),
            ]
            .concat(),
        ),
        (
            "insertions before removals",
            insertions().chain(removals()).chain(moves()).collect(),
        ),
        (
            "insertions before moves",
            removals().chain(insertions()).chain(moves()).collect(),
        ),
        (
            "moves before removals",
            moves().chain(removals()).chain(insertions()).collect(),
        ),
        (
            "moves from the last to the first",
            [
                removals().collect(),
                backwards(&mut moves()),
                insertions().collect(),
            ]
            .concat(),
        ),
        (
            "from the last to the first",
            backwards(&mut steps.iter().cloned()),
        ),
    ];
    let played = orders.into_iter();
    played
        .filter_map(|(order, steps)| Some((order, play(rows, steps)?)))
        .collect()
}

/// The single steps of a change set: removals from high to low, moves, insertions from low to high.
fn steps(rows: &[RecordKey], changes: &TracedChanges) -> Option<Vec<Step>> {
    let mut steps: Vec<Step> = changes
        .removed
        .iter()
        .rev()
        .map(|row| Step::Remove(row.0))
        .collect();
    let mut now = play(rows, steps.iter().cloned())?;
    // The moved rows go where they stand among all rows that were there before.
    let after = by_position(rows, changes)?;
    let is_new = |key: &RecordKey| changes.inserted.iter().any(|row| row.1 == *key);
    let target: Rows = after.into_iter().filter(|key| !is_new(key)).collect();
    let moved: Vec<&RecordKey> = changes
        .moved
        .iter()
        .map(|(from, _, _)| rows.get(*from))
        .collect::<Option<_>>()?;
    for (index, key) in moved.iter().enumerate() {
        let from = now.iter().position(|row| row == *key)?;
        // after the row that the target has before it, among those that stand right by now.
        let waiting = &moved[index + 1..];
        let before = target.iter().take_while(|row| row != key);
        let anchor = before.filter(|row| !waiting.contains(row)).last();
        let row = now.remove(from);
        let to = match anchor {
            None => 0,
            Some(anchor) => now.iter().position(|row| row == anchor)? + 1,
        };
        now.insert(to, row);
        steps.push(Step::Move { from, to });
    }
    steps.extend(
        changes
            .inserted
            .iter()
            .map(|(at, key)| Step::Insert(*at, key.clone())),
    );
    Some(steps)
}

/// Does steps one by one; a position after the end is taken for the end, as views do.
fn play(rows: &[RecordKey], steps: impl IntoIterator<Item = Step>) -> Option<Rows> {
    let mut rows = rows.to_vec();
    for step in steps {
        match step {
            Step::Remove(at) if at < rows.len() => {
                rows.remove(at);
            }
            Step::Move { from, to } if from < rows.len() => {
                let row = rows.remove(from);
                rows.insert(to.min(rows.len()), row);
            }
            Step::Insert(at, key) => rows.insert(at.min(rows.len()), key),
            _ => return None,
        }
    }
    Some(rows)
}

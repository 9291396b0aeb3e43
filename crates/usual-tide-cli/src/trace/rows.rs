//! Rows as keys, and a change set put into effect on them.

use super::changes::TracedChanges;
use std::collections::HashSet;
use usual_tide::record::RecordKey;

pub(super) type Rows = Vec<RecordKey>;

/// Why a change set does not fit some rows.
pub(super) enum DoesNotFit {
    /// A key would be there twice.
    Twice(RecordKey),
    /// Anything else.
    Other(String),
}

/// The rows after a change set.
pub(super) fn after(rows: &[RecordKey], changes: &TracedChanges) -> Result<Rows, DoesNotFit> {
    if rows.len() != changes.before {
        return Err(DoesNotFit::Other(format!(
            "it starts from {} rows, and there are {}",
            changes.before,
            rows.len()
        )));
    }
    check_keys(rows, changes)?;
    let after = by_position(rows, changes)
        .ok_or_else(|| DoesNotFit::Other("its positions do not fit together".to_owned()))?;
    if after.len() != changes.after {
        return Err(DoesNotFit::Other(format!(
            "it says that {} rows come out, and {} do",
            changes.after,
            after.len()
        )));
    }
    let mut seen = HashSet::new();
    match after.iter().find(|key| !seen.insert(*key)) {
        Some(twice) => Err(DoesNotFit::Twice(twice.clone())),
        None => Ok(after),
    }
}

fn check_keys(rows: &[RecordKey], changes: &TracedChanges) -> Result<(), DoesNotFit> {
    let removed = changes.removed.iter().map(|(at, key)| (at, Some(key)));
    let moved = changes
        .moved
        .iter()
        .map(|(from, _, key)| (from, key.as_ref()));
    for (at, key) in removed.chain(moved) {
        let found = rows.get(*at).ok_or_else(|| {
            DoesNotFit::Other(format!(
                "it names position {}, and there are {} rows",
                at + 1,
                rows.len()
            ))
        })?;
        if let Some(key) = key.filter(|key| *key != found) {
            return Err(DoesNotFit::Other(format!(
                "it names {key} at position {}, and {found} is there",
                at + 1
            )));
        }
    }
    Ok(())
}

/// The rows after a change set, by its positions alone, whatever rows these are; `None` where there are no such
/// positions.
pub(super) fn by_position(rows: &[RecordKey], changes: &TracedChanges) -> Option<Rows> {
    let mut leaving: HashSet<usize> = changes.removed.iter().map(|row| row.0).collect();
    for (from, _, _) in &changes.moved {
        if !leaving.insert(*from) {
            return None;
        }
    }
    let arriving = changes.inserted.iter().map(|(at, key)| (*at, key.clone()));
    let moved = changes.moved.iter();
    let moved: Option<Vec<_>> = moved
        .map(|(from, to, _)| Some((*to, rows.get(*from)?.clone())))
        .collect();
    let mut arriving: Vec<(usize, RecordKey)> = arriving.chain(moved?).collect();
    arriving.sort_by_key(|row| row.0);
    let mut arriving = arriving.into_iter().peekable();
    let still = rows
        .iter()
        .enumerate()
        .filter(|(at, _)| !leaving.contains(at));
    let mut after = Rows::new();
    for (_, key) in still {
        while let Some((_, key)) = arriving.next_if(|row| row.0 == after.len()) {
            after.push(key);
        }
        after.push(key.clone());
    }
    for (at, key) in arriving {
        if at != after.len() {
            return None;
        }
        after.push(key);
    }
    Some(after)
}

/// The first place where two lists of rows differ.
pub(super) fn difference(one: &[RecordKey], two: &[RecordKey]) -> usize {
    one.iter().zip(two).take_while(|(a, b)| a == b).count()
}

//! Rows as keys, and a change set put into effect on them.

use super::told::Told;
use std::collections::HashSet;
use usual_tide::record::RecordKey;

pub(super) type Rows = Vec<RecordKey>;

/// Why a change set does not fit some rows.
pub(super) enum Misfit {
    /// A key would be there twice.
    Twice(RecordKey),
    /// Anything else.
    Other(String),
}

/// The rows after a change set.
pub(super) fn after(rows: &[RecordKey], told: &Told) -> Result<Rows, Misfit> {
    if rows.len() != told.before {
        return Err(Misfit::Other(format!(
            "it starts from {} rows, and there are {}",
            told.before,
            rows.len()
        )));
    }
    check_keys(rows, told)?;
    let after = by_position(rows, told)
        .ok_or_else(|| Misfit::Other("its positions do not fit together".to_owned()))?;
    if after.len() != told.after {
        return Err(Misfit::Other(format!(
            "it says that {} rows come out, and {} do",
            told.after,
            after.len()
        )));
    }
    let mut seen = HashSet::new();
    match after.iter().find(|key| !seen.insert(*key)) {
        Some(twice) => Err(Misfit::Twice(twice.clone())),
        None => Ok(after),
    }
}

fn check_keys(rows: &[RecordKey], told: &Told) -> Result<(), Misfit> {
    let removed = told.removed.iter().map(|(at, key)| (at, Some(key)));
    let moved = told.moved.iter().map(|(from, _, key)| (from, key.as_ref()));
    for (at, key) in removed.chain(moved) {
        let found = rows.get(*at).ok_or_else(|| {
            Misfit::Other(format!(
                "it speaks of number {}, and there are {} rows",
                at + 1,
                rows.len()
            ))
        })?;
        if let Some(key) = key.filter(|key| *key != found) {
            return Err(Misfit::Other(format!(
                "it speaks of {key} at number {}, and {found} is there",
                at + 1
            )));
        }
    }
    Ok(())
}

/// The rows after a change set, by its positions alone, whatever rows these are; `None` where there are no such
/// positions.
pub(super) fn by_position(rows: &[RecordKey], told: &Told) -> Option<Rows> {
    let mut leaving: HashSet<usize> = told.removed.iter().map(|row| row.0).collect();
    for (from, _, _) in &told.moved {
        if !leaving.insert(*from) {
            return None;
        }
    }
    let arriving = told.inserted.iter().map(|(at, key)| (*at, key.clone()));
    let moved = told.moved.iter();
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

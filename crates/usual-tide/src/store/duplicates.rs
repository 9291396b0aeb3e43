//! Keys that occur more than once.

use crate::sorts::by_number;
use hashbrown::{HashMap, HashSet};
use std::fmt::{Debug, Write};
use std::hash::Hash;

/// A key that more than one item has.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct DuplicateKey<K> {
    /// The key.
    pub key: K,
    /// Where it occurs among the given items, ascending.
    pub positions: Vec<usize>,
    /// Whether an item of the store has it too.
    pub in_store: bool,
}

/// What to do with items whose key occurred before.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
pub enum OnDuplicate {
    /// Refuse all, and report every duplicate at once.
    #[default]
    Refuse,
    /// Keep the item that came first.
    KeepFirst,
    /// Keep the item that came last, at the place of the first.
    KeepLast,
}

/// Every key that occurs more than once, in the order of first occurrence.
pub(super) fn within<'a, K: Eq + Hash + Clone + 'a>(
    keys: impl ExactSizeIterator<Item = &'a K> + Clone,
) -> Vec<DuplicateKey<K>> {
    among(keys, |_| false)
}

/// Every key that occurs more than once or is taken.
pub(super) fn among<'a, K: Eq + Hash + Clone + 'a>(
    keys: impl ExactSizeIterator<Item = &'a K> + Clone,
    taken: impl Fn(&K) -> bool,
) -> Vec<DuplicateKey<K>> {
    let mut seen = HashSet::with_capacity(keys.len());
    if keys.clone().all(|key| seen.insert(key) && !taken(key)) {
        return Vec::new();
    }
    let mut places: HashMap<&K, Vec<usize>> = HashMap::new();
    for (position, key) in keys.enumerate() {
        places.entry(key).or_default().push(position);
    }
    let mut found: Vec<DuplicateKey<K>> = places
        .into_iter()
        .map(|(key, positions)| DuplicateKey {
            key: key.clone(),
            in_store: taken(key),
            positions,
        })
        .filter(|duplicate| duplicate.in_store || duplicate.positions.len() > 1)
        .collect();
    by_number(&mut found, |duplicate| duplicate.positions[0]);
    found
}

pub(super) fn describe<K: Debug>(duplicates: &[DuplicateKey<K>]) -> String {
    let mut text = match duplicates {
        [_] => "a key belongs to more than one item: ".to_owned(),
        _ => format!("{} keys belong to more than one item: ", duplicates.len()),
    };
    /// Keys and positions that a message names; the error has them all.
    const NAMED: usize = 5;
    for (index, duplicate) in duplicates.iter().take(NAMED).enumerate() {
        let positions = duplicate.positions.iter().take(NAMED);
        let mut positions: Vec<String> = positions.map(usize::to_string).collect();
        if duplicate.positions.len() > NAMED {
            positions.push(format!("{} more", duplicate.positions.len() - NAMED));
        }
        let before = if index == 0 { "" } else { "; " };
        let store = if duplicate.in_store {
            ", and in the store"
        } else {
            ""
        };
        let at = positions.join(", ");
        // Writing to a string cannot fail.
        let _ = write!(text, "{before}{:?} at {at}{store}", duplicate.key);
    }
    if duplicates.len() > NAMED {
        let _ = write!(text, "; and {} more", duplicates.len() - NAMED);
    }
    text.push_str(" (positions from 0)");
    text
}

//! Which members of two objects differ.

use super::value::same;
use crate::item::FieldPath;
use crate::item::escape;
use serde_json::{Map, Value};

/// Pointers to the members that differ, going into objects that are on both sides; an array counts
/// as a whole.
pub(super) fn changed_members(
    before: &Map<String, Value>,
    after: &Map<String, Value>,
) -> Vec<FieldPath> {
    let mut changed = Vec::new();
    collect("", before, after, &mut changed);
    changed
}

fn collect(
    above: &str,
    before: &Map<String, Value>,
    after: &Map<String, Value>,
    changed: &mut Vec<FieldPath>,
) {
    let arrived = after.keys().filter(|name| !before.contains_key(*name));
    for name in before.keys().chain(arrived) {
        let pointer = || format!("{above}/{}", escape(name));
        match (before.get(name), after.get(name)) {
            (Some(Value::Object(one)), Some(Value::Object(two))) => {
                collect(&pointer(), one, two, changed);
            }
            (Some(one), Some(two)) if same(one, two) => {}
            _ => changed.push(FieldPath::new(pointer())),
        }
    }
}

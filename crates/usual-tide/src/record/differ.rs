//! Which members of two records differ.

use super::content::{Lookup, MemberValue, Object};
use super::shape::Step;
use crate::item::FieldPath;
use crate::item::escape;

/// Pointers to the members that differ, going into objects that are on both sides; a list counts as a whole.
/// Between records of one shape no name is looked up.
pub(super) fn changed_members(before: Object<'_>, after: Object<'_>) -> Vec<FieldPath> {
    let mut changed = Vec::new();
    let Some(both) = before.side_by_side(&after) else {
        collect("", before, after, &mut changed);
        return changed;
    };
    if both.is_same_text() {
        return changed;
    }
    let mut above: Vec<&str> = Vec::new();
    for (step, values) in both.differing() {
        match (step, values) {
            (Step::Value { name, .. }, Some((one, two))) => {
                if one != two {
                    let way = above.iter().copied().chain([name]);
                    changed.push(FieldPath::new(way.fold(String::new(), pointer)));
                }
            }
            (Step::Object { name }, _) => above.push(name),
            _ => drop(above.pop()),
        }
    }
    changed
}

fn pointer(above: String, name: &str) -> String {
    format!("{above}/{}", escape(name))
}

fn collect(above: &str, before: Object<'_>, after: Object<'_>, changed: &mut Vec<FieldPath>) {
    let (old, new) = (Lookup::of(before), Lookup::of(after));
    let arrived = after.names().filter(|name| old.get(name).is_none());
    for name in before.names().chain(arrived) {
        let pointer = || pointer(above.to_owned(), name);
        match (old.get(name), new.get(name)) {
            (Some(MemberValue::Object(one)), Some(MemberValue::Object(two))) => {
                collect(&pointer(), one, two, changed);
            }
            (Some(one), Some(two)) if one == two => {}
            _ => changed.push(FieldPath::new(pointer())),
        }
    }
}

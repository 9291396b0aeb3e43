//! Changes of an item as a JSON Merge Patch (RFC 7396).

use serde_json::{Map, Value};
use usual_tide::fields::merge;
use usual_tide::record::Record;

/// Puts a patch into effect. Members that stay keep their order, which `json_patch::merge` does not do.
pub(crate) fn apply(members: &mut Map<String, Value>, patch: &Map<String, Value>) {
    for (name, change) in patch {
        match change {
            Value::Null => {
                members.shift_remove(name);
            }
            Value::Object(inner) => {
                let member = members.entry(name.as_str()).or_insert(Value::Null);
                if !member.is_object() {
                    *member = Value::Object(Map::new());
                }
                if let Value::Object(member) = member {
                    apply(member, inner);
                }
            }
            other => {
                members.insert(name.clone(), other.clone());
            }
        }
    }
}

/// The later version of an item, with all that is the same in it as the earlier one has it: numbers that were read as JSON values
/// may be written in another way, such as `2e+3` for `2e3`.
pub(crate) fn keeping_numbers(before: &Record, after: Record) -> Record {
    let kept = merge(before, &after, before).item;
    // Not only equal in value: 1 is not written as 1.0.
    match kept.to_members() == after.to_members() {
        true => kept,
        false => after,
    }
}

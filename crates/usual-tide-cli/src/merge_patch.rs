//! Changes of an item as a JSON Merge Patch (RFC 7396).

use serde_json::{Map, Value};

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

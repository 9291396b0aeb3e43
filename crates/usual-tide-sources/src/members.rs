//! Members of JSON objects by the way to them.

use serde_json::{Map, Value};

/// Puts a value at the end of a way, through objects that are made where there are none. Nothing happens where
/// something else stands in the way.
pub(crate) fn put(members: &mut Map<String, Value>, way: &[String], value: Value) {
    match way {
        [] => {}
        [name] => {
            members.insert(name.clone(), value);
        }
        [name, inner @ ..] => {
            let entry = members.entry(name.as_str());
            if let Value::Object(object) = entry.or_insert_with(|| Value::Object(Map::new())) {
                put(object, inner, value);
            }
        }
    }
}

/// The way that a dotted name tells.
pub(crate) fn way(name: &str) -> Vec<String> {
    name.split('.').map(str::to_owned).collect()
}

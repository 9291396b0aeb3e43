//! Edits as JSON Merge Patch (RFC 7396).

use serde_json::{Map, Value};

/// The merge patch that makes one object of another; `None` where there is none, since a patch cannot say that a
/// member is null.
///
/// ```
/// use serde_json::json;
/// use usual_tide_sources::http::merge_patch;
///
/// let before = json!({"title": "Bowl", "fee": {"amount": "4.50", "currency": "EUR"}, "note": "thin"});
/// let after = json!({"title": "Bowl", "fee": {"amount": "5.00", "currency": "EUR"}});
/// let patch = merge_patch(before.as_object().unwrap(), after.as_object().unwrap());
/// assert_eq!(patch, json!({"fee": {"amount": "5.00"}, "note": null}).as_object().cloned());
/// ```
pub fn merge_patch(
    before: &Map<String, Value>,
    after: &Map<String, Value>,
) -> Option<Map<String, Value>> {
    let mut patch = Map::new();
    for (name, value) in after {
        let change = match (before.get(name), value) {
            (Some(old), _) if old == value => continue,
            (Some(Value::Object(old)), Value::Object(new)) => Value::Object(merge_patch(old, new)?),
            _ if has_null(value) => return None,
            _ => value.clone(),
        };
        patch.insert(name.clone(), change);
    }
    for name in before.keys().filter(|name| !after.contains_key(*name)) {
        patch.insert(name.clone(), Value::Null);
    }
    Some(patch)
}

/// Whether a patch with this value would take something away: null itself, or a member that is null.
fn has_null(value: &Value) -> bool {
    match value {
        Value::Null => true,
        Value::Object(members) => members.values().any(has_null),
        _ => false,
    }
}

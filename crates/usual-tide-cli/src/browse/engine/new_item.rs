//! New items: a key of their own, and every field that the others have.

use super::Refusal;
use serde_json::{Map, Value};
use usual_tide::fields::Kind;
use usual_tide::record::{FieldName, Record, RecordKey, Schema};
use usual_tide::{Item, Store};

/// A blank item with a new key: flags off, and nothing in the other fields.
pub(super) fn new_item(
    store: &Store<Record>,
    schema: &Schema,
    key: &FieldName,
) -> Result<Record, Refusal> {
    let mut value = next_key(store).to_value();
    for name in key.members().iter().rev() {
        value = Value::Object(Map::from_iter([(name.clone(), value)]));
    }
    let Value::Object(members) = value else {
        return Err(Refusal(format!("{key} names no field")));
    };
    let mut item = Record::new(members, key)?;
    for (name, kind) in schema.fields() {
        if item.get(name).is_none() {
            let nothing = match kind {
                Kind::Bool => Value::Bool(false),
                _ => Value::Null,
            };
            item.set(name, nothing)?;
        }
    }
    Ok(item)
}

/// The key after the largest; of text that ends in digits, the text before them is that of the last item.
fn next_key(store: &Store<Record>) -> RecordKey {
    let last = store.len().checked_sub(1).and_then(|at| store.at(at));
    let Some(text) = last.and_then(|item| item.key().as_text()) else {
        let numbers = store.items().filter_map(|item| item.key().as_integer());
        return RecordKey::from_integer(numbers.max().unwrap_or(0).saturating_add(1));
    };
    let prefix = text.trim_end_matches(|letter: char| letter.is_ascii_digit());
    let digits = text.len() - prefix.len();
    let numbers = store.items().filter_map(|item| {
        let digits = item.key().as_text()?.strip_prefix(prefix)?;
        digits.parse::<u64>().ok()
    });
    let mut number = numbers.max().unwrap_or(0);
    loop {
        number = number.wrapping_add(1);
        let key = match digits {
            0 => RecordKey::from(format!("{prefix}-{number}").as_str()),
            _ => RecordKey::from(format!("{prefix}{number:0digits$}").as_str()),
        };
        if !store.contains(&key) {
            return key;
        }
    }
}

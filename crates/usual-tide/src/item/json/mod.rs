//! Items, their fields and their keys as JSON.

mod key;
mod number;

pub use key::{KeyError, RecordKey};
pub(crate) use number::Decimal as JsonDecimal;

use super::{AnyField, FieldPath, FieldValue, Item, Value};
use rust_decimal::Decimal;
use serde_json::{Map, Value as Json};
use std::str::FromStr;

/// The longest text of a whole number that is surely read as one of 64 bits.
const SHORT: usize = 18;

/// The number that a text is, if it is an integer of a few digits.
pub(crate) fn short_integer(text: &str) -> Option<i64> {
    (text.len() <= SHORT).then(|| text.parse().ok())?
}

/// A number as exactly as can be.
pub(crate) fn number_of(text: &str) -> Value<'static> {
    let decimal = || Decimal::from_str_exact(text).or_else(|_| Decimal::from_scientific(text));
    if let Some(integer) = short_integer(text) {
        return Value::Integer(integer.into());
    }
    match text.parse() {
        Ok(integer) => Value::Integer(integer),
        Err(_) => decimal().map_or_else(
            |_| f64::from_str(text).map_or(Value::Missing, Value::Float),
            Value::Decimal,
        ),
    }
}

/// A field's value as JSON: numbers exactly, dates and timestamps as text, a missing value as null.
pub(crate) fn json_of(value: &Value<'_>) -> Json {
    let number = |text: String| serde_json::from_str(&text).unwrap_or(Json::Null);
    match value {
        Value::Missing => Json::Null,
        Value::Bool(flag) => (*flag).into(),
        Value::Integer(integer) => number(integer.to_string()),
        Value::Decimal(decimal) => number(decimal.to_string()),
        Value::Float(float) => (*float).into(),
        Value::Text(text) => (**text).into(),
        Value::List(values) => values.iter().map(json_of).collect(),
        other => other.to_string().into(),
    }
}

/// A key as JSON has it: an integer, or text.
pub(crate) fn json_key<K: FieldValue>(key: &K) -> RecordKey {
    match key.value() {
        Value::Integer(integer) => RecordKey::from_integer(integer),
        other => RecordKey::from(other.to_string().as_str()),
    }
}

/// The key of an item as JSON.
pub(crate) fn key_of<T: Item<Key: FieldValue>>(item: &T) -> Json {
    json_key(item.key()).to_value()
}

/// An item field by field, each where its path says; those that are only shown are left out.
pub(crate) fn fields_to_json<T>(fields: &[AnyField<T>], item: &T) -> Json {
    let mut object = Map::new();
    for field in fields.iter().filter(|field| !field.is_read_only()) {
        match field.missing_part(item) {
            Some(part) => put(&mut object, &part, Json::Null),
            None => put(&mut object, &field.path(), json_of(&field.value(item))),
        }
    }
    Json::Object(object)
}

fn put(object: &mut Map<String, Json>, path: &FieldPath, value: Json) {
    let mut members: Vec<String> = path.members().collect();
    let Some(last) = members.pop() else { return };
    let mut inner = object;
    for member in members {
        let next = inner.entry(member).or_insert_with(|| Map::new().into());
        let Json::Object(next) = next else { return };
        inner = next;
    }
    inner.insert(last, value);
}

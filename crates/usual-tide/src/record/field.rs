//! Fields of records, read and written as those of other items are.

use super::differ::changed_members;
use super::item::Record;
use super::name::FieldName;
use crate::item::{
    AnyField, FieldAccess, FieldPath, Fields, InputError, Kind, Value, json_of, number_of,
    read_date, read_timestamp, value_of,
};
use serde_json::Value as Json;

/// The fields of a record are those that it has: there is no list of them beforehand, and any name finds
/// one.
impl Fields for Record {
    fn fields() -> Vec<AnyField<Self>> {
        Vec::new()
    }

    fn field_named(name: &str) -> Option<AnyField<Self>> {
        let member = Member {
            name: FieldName::parse(name).ok()?,
            kind: Kind::Any,
        };
        let path = member.name.path();
        Some(AnyField::new(name, member).at(path))
    }

    fn field_at(path: &FieldPath) -> Option<AnyField<Self>> {
        Self::field_named(path.as_pointer())
    }

    fn differing(&self, later: &Self) -> Vec<FieldPath> {
        changed_members(self.members(), later.members())
    }

    fn to_json(&self) -> Json {
        Json::Object(self.members().clone())
    }
}

/// A member of records, and what it holds.
pub(super) struct Member {
    pub(super) name: FieldName,
    pub(super) kind: Kind,
}

impl FieldAccess<Record> for Member {
    fn is_named(&self) -> bool {
        true
    }

    fn kind(&self) -> Kind {
        self.kind
    }

    fn value<'a>(&self, item: &'a Record) -> Value<'a> {
        match item.field(&self.name) {
            None => Value::Missing,
            Some(Json::String(text)) => read_as(self.kind, text),
            Some(json) => value_of(json),
        }
    }

    fn set(&self, item: &mut Record, value: Value<'_>) -> Result<(), InputError> {
        put(&self.name, item, json_of(&value))
    }

    fn shown(&self, item: &Record) -> String {
        item.field(&self.name)
            .map(|json| value_of(json).to_string())
            .unwrap_or_default()
    }

    fn typed(&self, item: &Record) -> String {
        self.shown(item)
    }

    /// What is a number stays one, and so with the other kinds; what is missing or text becomes text, which
    /// must be of the field's kind.
    fn read(&self, item: &mut Record, text: &str) -> Result<(), InputError> {
        let typed = text.trim();
        let json = match item.field(&self.name) {
            None | Some(Json::Null | Json::String(_)) => self.read_text(text)?,
            Some(_) if typed.is_empty() => Json::Null,
            Some(Json::Bool(_)) => json_of(&Kind::Bool.read(text)?),
            Some(Json::Number(_)) => {
                let number = serde_json::from_str(typed).ok().filter(Json::is_number);
                number.ok_or_else(|| InputError::NotA {
                    expected: Kind::Decimal,
                    given: text.to_owned(),
                })?
            }
            Some(Json::Array(_) | Json::Object(_)) => {
                serde_json::from_str(typed).map_err(|why| InputError::Other(why.to_string()))?
            }
        };
        put(&self.name, item, json)
    }

    fn copy(&self, from: &Record, to: &mut Record) {
        match from.field(&self.name) {
            Some(value) => {
                // What cannot be set there is left, as an edit that is refused would be.
                if let Err(why) = put(&self.name, to, value.clone()) {
                    tracing::debug!(field = %self.name, %why, "not copied");
                }
            }
            None => to.take(&self.name),
        }
    }
}

impl Member {
    /// Text where there was text or nothing: of the field's kind, and as it was typed.
    fn read_text(&self, text: &str) -> Result<Json, InputError> {
        match self.kind {
            Kind::Any | Kind::Text | Kind::Choice | Kind::List => Ok(Json::from(text)),
            Kind::Bool | Kind::Integer | Kind::Float => Ok(json_of(&self.kind.read(text)?)),
            Kind::Decimal | Kind::Date | Kind::Timestamp => {
                let value = self.kind.read(text)?;
                Ok(if value.is_missing() {
                    Json::Null
                } else {
                    Json::from(text.trim())
                })
            }
        }
    }
}

/// Text as a value of the kind that its field holds; other text stays text.
fn read_as(kind: Kind, text: &str) -> Value<'_> {
    let read = match kind {
        Kind::Date => read_date(text).map(Value::Date),
        Kind::Timestamp => read_timestamp(text).map(Value::Timestamp),
        Kind::Integer => text.parse().ok().map(Value::Integer),
        Kind::Decimal | Kind::Float => Some(number_of(text)).filter(|value| !value.is_missing()),
        _ => None,
    };
    read.unwrap_or_else(|| Value::from(text))
}

fn put(name: &FieldName, item: &mut Record, json: Json) -> Result<(), InputError> {
    item.set_field(name, json)
        .map_err(|why| InputError::Other(why.to_string()))
}

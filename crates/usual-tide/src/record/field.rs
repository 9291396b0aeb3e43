//! Fields of records, read and written as those of other items are.

use super::build::with_member;
use super::content::MemberValue;
use super::differ::changed_members;
use super::item::Record;
use super::name::FieldName;
use super::shape::CachedPosition;
use crate::item::{
    Accepts, AnyField, FieldAccess, FieldPath, Fields, InputError, Kind, Tester, Value, json_of,
    number_of, read_date, read_timestamp, short_integer, test_by_comparison,
};
use serde_json::Value as Json;
use std::sync::Arc;

/// The fields of a record are those that it has: there is no list of them beforehand, and any name finds
/// one.
impl Fields for Record {
    fn fields() -> Vec<AnyField<Self>> {
        Vec::new()
    }

    fn field_named(name: &str) -> Option<AnyField<Self>> {
        let member = Member::new(FieldName::parse(name).ok()?, Kind::Any);
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
        Json::Object(self.to_members())
    }
}

/// A member of records, and what it holds.
pub(super) struct Member {
    pub(super) name: FieldName,
    kind: Kind,
    known: CachedPosition,
    /// Where it is written in records that do not have it, if its name has dots and is no way into objects.
    with_dots: Option<FieldName>,
}

impl FieldAccess<Record> for Member {
    fn is_named(&self) -> bool {
        true
    }

    fn kind(&self) -> Kind {
        self.kind
    }

    fn value<'a>(&self, item: &'a Record) -> Value<'a> {
        match self.of(item) {
            None => Value::Missing,
            Some(MemberValue::Text(text)) => read_as(self.kind, text),
            Some(value) => value.content(),
        }
    }

    /// Short integers, flags and text are compared as they are in the record, all else as values.
    fn tester(self: Arc<Self>, accepts: Accepts, value: Value<'static>) -> Tester<Record> {
        let by_value = test_by_comparison(Arc::clone(&self), accepts, value.clone());
        match value {
            Value::Integer(number) => Box::new(move |record| {
                if let Some(MemberValue::Number(text)) = self.of(record)
                    && let Some(own) = short_integer(text)
                {
                    return Some(accepts.accepts(i128::from(own).cmp(&number)));
                }
                by_value(record)
            }),
            Value::Bool(flag) => Box::new(move |record| match self.of(record) {
                Some(MemberValue::Bool(own)) => Some(accepts.accepts(own.cmp(&flag))),
                _ => by_value(record),
            }),
            Value::Text(text) if holds_text_as_it_is(self.kind) => {
                Box::new(move |record| match self.of(record) {
                    Some(MemberValue::Text(own)) => Some(accepts.accepts_text(own, &text)),
                    _ => by_value(record),
                })
            }
            _ => by_value,
        }
    }

    fn set(&self, item: &mut Record, value: Value<'_>) -> Result<(), InputError> {
        match &value {
            Value::Missing => self.put(item, MemberValue::Null),
            Value::Bool(flag) => self.put(item, MemberValue::Bool(*flag)),
            Value::Integer(number) => self.put(item, MemberValue::Number(&number.to_string())),
            Value::Decimal(number) => self.put(item, MemberValue::Number(&number.to_string())),
            Value::Text(text) => self.put(item, MemberValue::Text(text)),
            other => with_member(&json_of(other), |value| self.put(item, value)),
        }
    }

    fn shown(&self, item: &Record) -> String {
        self.of(item)
            .map(|value| value.content().to_string())
            .unwrap_or_default()
    }

    fn typed(&self, item: &Record) -> String {
        self.shown(item)
    }

    /// What is a number stays one, and so with the other kinds; what is missing or text becomes text, which
    /// must be of the field's kind.
    fn read(&self, item: &mut Record, text: &str) -> Result<(), InputError> {
        let typed = text.trim();
        match self.of(item) {
            None | Some(MemberValue::Null | MemberValue::Text(_)) => {
                let value = self.read_text(text)?;
                self.set(item, value)
            }
            Some(_) if typed.is_empty() => self.put(item, MemberValue::Null),
            Some(MemberValue::Bool(_)) => {
                let value = Kind::Bool.read(text)?;
                self.set(item, value)
            }
            Some(MemberValue::Number(_)) => {
                let is_number =
                    serde_json::from_str(typed).is_ok_and(|json: Json| json.is_number());
                if !is_number {
                    return Err(InputError::NotA {
                        expected: Kind::Decimal,
                        given: text.to_owned(),
                    });
                }
                self.put(item, MemberValue::Number(typed))
            }
            Some(MemberValue::List(_) | MemberValue::Object(_)) => {
                let json = serde_json::from_str(typed);
                let json: Json = json.map_err(|why| InputError::Other(why.to_string()))?;
                with_member(&json, |value| self.put(item, value))
            }
        }
    }

    fn copy(&self, from: &Record, to: &mut Record) {
        match self.of(from) {
            Some(value) => {
                // What cannot be set there is left, as an edit that is refused would be.
                if let Err(why) = self.put(to, value) {
                    tracing::debug!(field = %self.name, %why, "not copied");
                }
            }
            None => to.take(self.with_dots.as_ref().unwrap_or(&self.name)),
        }
    }
}

impl Member {
    pub(super) fn new(name: FieldName, kind: Kind) -> Self {
        Self {
            name,
            kind,
            known: CachedPosition::default(),
            with_dots: None,
        }
    }

    /// A member with dots in its own name, at this JSON Pointer.
    pub(super) fn with_dots(name: FieldName, pointer: FieldName, kind: Kind) -> Self {
        Self {
            with_dots: Some(pointer),
            ..Self::new(name, kind)
        }
    }

    fn of<'a>(&self, item: &'a Record) -> Option<MemberValue<'a>> {
        item.field_at(&self.name, &self.known)
    }

    fn put(&self, item: &mut Record, value: MemberValue<'_>) -> Result<(), InputError> {
        let unknown = CachedPosition::default();
        let (name, known) = match &self.with_dots {
            Some(pointer) => (pointer, &unknown),
            None => (&self.name, &self.known),
        };
        let position = item.position(name, known);
        item.set_at(name, position, value)
            .map_err(|why| InputError::Other(why.to_string()))
    }

    /// Text where there was text or nothing: of the field's kind, and as it was typed.
    fn read_text<'a>(&self, text: &'a str) -> Result<Value<'a>, InputError> {
        match self.kind {
            Kind::Any | Kind::Text | Kind::Choice | Kind::List => Ok(Value::from(text)),
            Kind::Bool | Kind::Integer | Kind::Float => self.kind.read(text),
            Kind::Decimal | Kind::Date | Kind::Timestamp => {
                let value = self.kind.read(text)?;
                Ok(if value.is_missing() {
                    Value::Missing
                } else {
                    Value::from(text.trim())
                })
            }
        }
    }
}

/// Whether text in a field of this kind is never read as something else.
fn holds_text_as_it_is(kind: Kind) -> bool {
    !matches!(
        kind,
        Kind::Date | Kind::Timestamp | Kind::Integer | Kind::Decimal | Kind::Float
    )
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

//! The record itself.

use super::build::{Block, BlockWriter, with_member};
use super::content::{MemberValue, Object};
use super::differ::changed_members;
use super::name::{FieldName, FieldNameError};
use super::shape::{CachedPosition, FieldPosition};
use super::shapes::NotNames;
use crate::item::{FieldPath, Item};
use crate::item::{KeyError, RecordKey};
use serde_json::{Map, Value};
use std::fmt;
use std::sync::Arc;

/// Levels of objects and lists that a record may have, so that what works on it level by level has an end, and so
/// that what was written can be read again.
pub(super) const MOST_DEPTH: usize = 100;

/// A JSON object as an item. One of its fields is the key.
///
/// Records are equal when their members are, as values: member order is nothing, `1` equals `1.0`, an
/// absent member is not null. Numbers that are read from text keep it. Objects and lists may nest 100 deep.
///
/// The names of the members are kept once for all records that have the same in the same order, and the values are
/// side by side in one block: a record takes little more memory than the text of its values. Texts from 128 bytes on
/// are apart, and shared by a record and its later versions.
///
/// ```
/// use usual_tide::record::{FieldName, Record, RecordKey};
/// use usual_tide::Item;
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let members = serde_json::json!({"id": 7, "fee": {"amount": "4.50"}});
/// let piece = Record::new(members.as_object().unwrap().clone(), &FieldName::parse("id")?)?;
/// assert_eq!(piece.key(), &RecordKey::from(7));
/// assert_eq!(piece.get("fee.amount").unwrap(), "4.50");
/// # Ok(()) }
/// ```
#[derive(Clone)]
pub struct Record {
    key: RecordKey,
    block: Block,
}

/// Why an object is no record.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RecordError {
    /// It is no object.
    #[error("it is no JSON object")]
    NotAnObject,
    /// It has no key.
    #[error("it has no field {name:?}, which is to be its key{}", .nearest.as_ref().map(|name| format!("; did you mean {name:?}?")).unwrap_or_default())]
    NoKey {
        /// The name of the key field.
        name: String,
        /// The member whose name is most like it.
        nearest: Option<String>,
    },
    /// Objects and lists are nested deeper than is allowed.
    #[error("its members nest deeper than {most} levels, which is the most that is kept")]
    TooDeep {
        /// The most.
        most: usize,
    },
    /// A value that is given as a number is none.
    #[error("{text:?} is no number as JSON writes it")]
    NotANumber {
        /// The text.
        text: String,
    },
    /// Its key field holds something else.
    #[error("its field {name:?} is no key: {why}")]
    BadKey {
        /// The name of the key field.
        name: String,
        /// What is wrong with it.
        why: KeyError,
    },
}

/// Why a field cannot be set. The record is unchanged.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SetError {
    /// The text is no name of a field.
    #[error(transparent)]
    Name(#[from] FieldNameError),
    /// On the way to the field stands something else than an object.
    #[error("{name:?} cannot be set: something else than an object is in the way")]
    InTheWay {
        /// The name of the field.
        name: String,
    },
    /// The record would have no key.
    #[error(transparent)]
    Key(#[from] RecordError),
}

impl Record {
    /// The record with these members, whose key is the field of this name.
    ///
    /// # Errors
    ///
    /// [`RecordError`] when that field is absent, or neither a string nor an integer.
    pub fn new(members: Map<String, Value>, key: &FieldName) -> Result<Self, RecordError> {
        let mut writer = BlockWriter::default();
        Self::with_shared_name(&members, &Arc::new(key.clone()), &mut writer)
    }

    pub(super) fn with_shared_name(
        members: &Map<String, Value>,
        key_name: &Arc<FieldName>,
        writer: &mut BlockWriter,
    ) -> Result<Self, RecordError> {
        if !members
            .values()
            .all(|value| nests_at_most(value, MOST_DEPTH - 1))
        {
            return Err(RecordError::TooDeep { most: MOST_DEPTH });
        }
        writer.clear();
        writer.members(members);
        Self::of_written(writer, key_name)
    }

    /// The record of members that were written, no two of one name.
    pub(super) fn of_written(
        writer: &mut BlockWriter,
        key_name: &Arc<FieldName>,
    ) -> Result<Self, RecordError> {
        match writer.finish(key_name) {
            Ok(block) => Self::of(block),
            Err(NotNames) => Err(RecordError::NotAnObject),
        }
    }

    /// The record with these members, which has its key in them.
    pub(super) fn of(block: Block) -> Result<Self, RecordError> {
        let key = read_key(&block)?;
        Ok(Self { key, block })
    }

    pub(super) fn block(&self) -> &Block {
        &self.block
    }

    /// The members as they were read.
    pub fn members(&self) -> Object<'_> {
        self.block.members()
    }

    /// The members as JSON values. O(members).
    ///
    /// ```
    /// use usual_tide::record::{FieldName, parse};
    ///
    /// let piece = parse(r#"[{"id": 7}]"#, &FieldName::parse("id")?)?.remove(0);
    /// assert_eq!(serde_json::Value::Object(piece.to_members()), serde_json::json!({"id": 7}));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn to_members(&self) -> Map<String, Value> {
        self.members().to_json()
    }

    /// A field by name; `None` when it is absent, or when the text names no field.
    pub fn get(&self, name: &str) -> Option<MemberValue<'_>> {
        self.field(&FieldName::parse(name).ok()?)
    }

    /// A field by a name that was read before.
    pub fn field(&self, name: &FieldName) -> Option<MemberValue<'_>> {
        self.members().at(self.block.names.position(name)?)
    }

    /// The same, where the field was looked for in other records before.
    pub(super) fn field_at(
        &self,
        name: &FieldName,
        known: &CachedPosition,
    ) -> Option<MemberValue<'_>> {
        match known.find(name, &self.block.names)? {
            // Nearly all fields are; filters and sorts ask for them again and again.
            FieldPosition::Value(at) => self.block.value(at),
            object => self.members().at(object),
        }
    }

    /// Where its key is, as a JSON Pointer.
    pub(crate) fn key_pointer(&self) -> String {
        let way = self.block.names.key().way_in(self.members());
        FieldPath::of_members(way).as_pointer().to_owned()
    }

    /// Sets a field, which is made when it is absent.
    ///
    /// # Errors
    ///
    /// [`SetError`], and the record is unchanged.
    pub fn set(&mut self, name: &str, value: Value) -> Result<(), SetError> {
        self.set_field(&FieldName::parse(name)?, value)
    }

    /// Sets a field by a name that was read before.
    ///
    /// # Errors
    ///
    /// [`SetError`], and the record is unchanged.
    ///
    /// ```
    /// use usual_tide::record::{FieldName, parse};
    ///
    /// let key = FieldName::parse("id")?;
    /// let mut record = parse(r#"[{"id": 1, "fee": {"amount": 4}}]"#, &key)?.remove(0);
    /// record.set_field(&FieldName::parse("fee.amount")?, 5.into())?;
    /// assert_eq!(record.get("fee.amount").unwrap(), 5);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn set_field(&mut self, name: &FieldName, value: Value) -> Result<(), SetError> {
        // It is looked at before it is taken in, however deep it nests.
        if !nests_at_most(&value, MOST_DEPTH) {
            return Err(RecordError::TooDeep { most: MOST_DEPTH }.into());
        }
        let position = self.block.names.position(name);
        with_member(&value, |value| self.set_at(name, position, value))
    }

    /// Sets a field that is at this position. O(members).
    pub(super) fn set_at(
        &mut self,
        name: &FieldName,
        position: Option<FieldPosition>,
        value: MemberValue<'_>,
    ) -> Result<(), SetError> {
        // A name has no more steps than that.
        if !value.nests_at_most(MOST_DEPTH - name.members().len().min(MOST_DEPTH)) {
            return Err(RecordError::TooDeep { most: MOST_DEPTH }.into());
        }
        let names = &self.block.names;
        let block = match position {
            Some(FieldPosition::Value(at)) if value.as_object().is_none() => {
                let block = self.block.with(at, value);
                if names.key_position() != position {
                    self.block = block;
                    return Ok(());
                }
                block
            }
            _ => {
                let way = name.way_in(self.members());
                let mut writer = BlockWriter::like(&self.block);
                if !set_in(&mut writer, self.members(), way, value) {
                    let name = name.to_string();
                    return Err(SetError::InTheWay { name });
                }
                writer
                    .finish(names.key())
                    .map_err(|NotNames| SetError::InTheWay {
                        name: name.to_string(),
                    })?
            }
        };
        *self = Self::of(block)?;
        Ok(())
    }

    pub(super) fn position(
        &self,
        name: &FieldName,
        known: &CachedPosition,
    ) -> Option<FieldPosition> {
        known.find(name, &self.block.names)
    }

    /// Takes a field away, unless the record would have no key then.
    pub(super) fn take(&mut self, name: &FieldName) {
        let mut writer = BlockWriter::like(&self.block);
        take_in(&mut writer, self.members(), name.way_in(self.members()));
        let without = writer.finish(self.block.names.key());
        if let Ok(block) = without
            && let Ok(record) = Self::of(block)
            && record.key == self.key
        {
            *self = record;
        }
    }
}

/// Writes the members of an object with another value at the end of a way; `false` when something else than an
/// object is in the way.
fn set_in(
    writer: &mut BlockWriter,
    object: Object<'_>,
    way: &[String],
    value: MemberValue<'_>,
) -> bool {
    let Some((first, rest)) = way.split_first() else {
        return false;
    };
    let mut is_set = false;
    for (name, old) in object.iter() {
        if name != first {
            writer.member(name, old);
            continue;
        }
        is_set = true;
        match old {
            _ if rest.is_empty() => writer.member(name, value),
            MemberValue::Null => set_new(writer, name, rest, value),
            MemberValue::Object(inner) => {
                writer.open(name);
                if !set_in(writer, inner, rest, value) {
                    return false;
                }
                writer.close();
            }
            _ => return false,
        }
    }
    if !is_set {
        set_new(writer, first, rest, value);
    }
    true
}

/// Writes a member that was not there, with the objects that lead to the value.
fn set_new(writer: &mut BlockWriter, name: &str, rest: &[String], value: MemberValue<'_>) {
    let Some((next, rest)) = rest.split_first() else {
        return writer.member(name, value);
    };
    writer.open(name);
    set_new(writer, next, rest, value);
    writer.close();
}

/// Writes the members of an object without the one at the end of a way.
fn take_in(writer: &mut BlockWriter, object: Object<'_>, way: &[String]) {
    for (name, value) in object.iter() {
        match (way, value) {
            ([last], _) if last == name => {}
            ([first, rest @ ..], MemberValue::Object(inner)) if first == name => {
                writer.open(name);
                take_in(writer, inner, rest);
                writer.close();
            }
            _ => writer.member(name, value),
        }
    }
}

/// Whether a value has no more levels of objects and lists than this.
pub(super) fn nests_at_most(value: &Value, levels: usize) -> bool {
    let mut inner: Box<dyn Iterator<Item = &Value>> = match value {
        Value::Array(values) => Box::new(values.iter()),
        Value::Object(members) => Box::new(members.values()),
        _ => return true,
    };
    levels > 0 && inner.all(|value| nests_at_most(value, levels - 1))
}

fn read_key(block: &Block) -> Result<RecordKey, RecordError> {
    let members = block.members();
    let key = block.names.key();
    let value = block
        .names
        .key_position()
        .and_then(|position| members.at(position));
    let value = value.ok_or_else(|| {
        let name = key.to_string();
        RecordError::NoKey {
            nearest: crate::query::most_like(&name, members.names()),
            name,
        }
    })?;
    RecordKey::of_member(value).map_err(|why| RecordError::BadKey {
        name: key.to_string(),
        why,
    })
}

/// As JSON text.
impl fmt::Debug for Record {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.members(), f)
    }
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        self.key == other.key && self.members() == other.members()
    }
}

impl Item for Record {
    type Key = RecordKey;

    fn key(&self) -> &RecordKey {
        &self.key
    }

    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        changed_members(self.members(), later.members())
    }

    fn key_path(&self) -> Option<FieldPath> {
        Some(FieldPath::new(self.key_pointer()))
    }
}

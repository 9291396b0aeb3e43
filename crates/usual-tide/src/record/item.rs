//! The record itself.

use super::differ::changed_members;
use super::name::{FieldName, FieldNameError};
use super::value::same_members;
use crate::item::{FieldPath, Item};
use crate::item::{KeyError, RecordKey};
use serde_json::{Map, Value};
use std::sync::Arc;

/// Levels of objects and lists that a record may have, so that what works on it level by level has an end, and so
/// that what was written can be read again.
pub(super) const MOST_DEPTH: usize = 100;

/// A JSON object as an item. One of its fields is the key.
///
/// Records are equal when their members are, as values: member order is nothing, `1` equals `1.0`, an
/// absent member is not null. Numbers keep their text, but for an exponent, which gets a sign (`1e5` is written as
/// `1e+5`). Objects and lists may nest 100 deep.
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
#[derive(Clone, Debug)]
pub struct Record {
    key: RecordKey,
    key_name: Arc<FieldName>,
    members: Map<String, Value>,
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
        Self::with_shared_name(members, &Arc::new(key.clone()))
    }

    pub(super) fn with_shared_name(
        members: Map<String, Value>,
        key_name: &Arc<FieldName>,
    ) -> Result<Self, RecordError> {
        if !members
            .values()
            .all(|value| nests_at_most(value, MOST_DEPTH - 1))
        {
            return Err(RecordError::TooDeep { most: MOST_DEPTH });
        }
        Ok(Self {
            key: read_key(&members, key_name)?,
            key_name: Arc::clone(key_name),
            members,
        })
    }

    /// The members as they were read.
    pub fn members(&self) -> &Map<String, Value> {
        &self.members
    }

    /// A field by name; `None` when it is absent, or when the text names no field.
    pub fn get(&self, name: &str) -> Option<&Value> {
        FieldName::parse(name).ok()?.find(&self.members)
    }

    /// A field by a name that was read before.
    pub fn field(&self, name: &FieldName) -> Option<&Value> {
        name.find(&self.members)
    }

    /// Where its key is, as a JSON Pointer.
    pub(crate) fn key_pointer(&self) -> String {
        self.key_name.pointer_in(&self.members)
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
    /// assert_eq!(record.get("fee.amount"), Some(&5.into()));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn set_field(&mut self, name: &FieldName, value: Value) -> Result<(), SetError> {
        let in_the_way = SetError::InTheWay {
            name: name.to_string(),
        };
        // A name has no more steps than that.
        if !nests_at_most(&value, MOST_DEPTH - name.members().len().min(MOST_DEPTH)) {
            return Err(RecordError::TooDeep { most: MOST_DEPTH }.into());
        }
        if !name.may_overlap(&self.key_name) {
            // Nothing is made where something is in the way, so there is nothing to take back.
            *name.make(&mut self.members).ok_or(in_the_way)? = value;
            return Ok(());
        }
        let mut members = self.members.clone();
        *name.make(&mut members).ok_or(in_the_way)? = value;
        self.key = read_key(&members, &self.key_name)?;
        self.members = members;
        Ok(())
    }

    /// Takes a field away, unless the record would have no key then.
    pub(super) fn take(&mut self, name: &FieldName) {
        let mut members = self.members.clone();
        name.take(&mut members);
        if read_key(&members, &self.key_name).is_ok_and(|key| key == self.key) {
            self.members = members;
        }
    }
}

/// Whether a value has no more levels of objects and lists than this.
fn nests_at_most(value: &Value, levels: usize) -> bool {
    let mut inner: Box<dyn Iterator<Item = &Value>> = match value {
        Value::Array(values) => Box::new(values.iter()),
        Value::Object(members) => Box::new(members.values()),
        _ => return true,
    };
    levels > 0 && inner.all(|value| nests_at_most(value, levels - 1))
}

fn read_key(members: &Map<String, Value>, name: &FieldName) -> Result<RecordKey, RecordError> {
    let value = name.find(members).ok_or_else(|| {
        let name = name.to_string();
        RecordError::NoKey {
            nearest: crate::query::most_like(&name, members.keys()),
            name,
        }
    })?;
    RecordKey::from_value(value).map_err(|why| RecordError::BadKey {
        name: name.to_string(),
        why,
    })
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        self.key == other.key && same_members(&self.members, &other.members)
    }
}

impl Item for Record {
    type Key = RecordKey;

    fn key(&self) -> &RecordKey {
        &self.key
    }

    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        changed_members(&self.members, &later.members)
    }

    fn key_path(&self) -> Option<FieldPath> {
        Some(FieldPath::new(self.key_pointer()))
    }
}

//! How an app's item becomes a record, and back.

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Number, Value as Json};
use std::error::Error;
use std::fmt;
use std::sync::Arc;
use usual_tide::fields::Value;
use usual_tide::record::{FieldName, Record, RecordKey, RecordMaker};
use usual_tide::writes::Neighbours;
use usual_tide::{FieldValue, Item};

type Cause = Box<dyn Error + Send + Sync>;
type Read<T> = dyn Fn(&Record) -> Result<T, Cause> + Send + Sync;
type Written<T> = dyn Fn(&T) -> Result<Json, Cause> + Send + Sync;

/// How an item of an app's own type becomes a record, and back.
///
/// An item need not tell all of its record: members that it does not have stay as they are when it is written, and so do values that it
/// holds in another way, until they are changed.
pub struct Conversion<T> {
    key: FieldName,
    maker: RecordMaker,
    read: Arc<Read<T>>,
    write: Arc<Written<T>>,
}

/// Why an item is no record, or a record no item.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ConversionError {
    /// The record cannot be read as an item.
    #[error("the item with the key {key}: {why}")]
    Unreadable {
        /// The record's key.
        key: RecordKey,
        /// Why not.
        why: Cause,
    },
    /// The item that a record is read as has another key than the record.
    #[error("the item with the key {key} is read as one with the key {other}")]
    OtherKey {
        /// The record's key.
        key: RecordKey,
        /// The item's key.
        other: RecordKey,
    },
    /// A key of the source is none that items can have.
    #[error("the key {key}: {why}")]
    Key {
        /// The key.
        key: RecordKey,
        /// Why not.
        why: usual_tide::fields::InputError,
    },
    /// The item cannot be written as a record.
    #[error("the item with the key {key} cannot be written as JSON: {why}")]
    Unwritable {
        /// The item's key.
        key: RecordKey,
        /// Why not.
        why: Cause,
    },
}

impl<T: Item<Key: FieldValue>> Conversion<T> {
    /// By the item's own `Serialize` and `Deserialize`, as `serde_json` has them. The item has to be an object in JSON, with its
    /// key in the field of this name.
    pub fn serde(key: &FieldName) -> Self
    where
        T: Serialize + DeserializeOwned,
    {
        let read = |record: &Record| {
            let exact = Json::Object(record.to_members());
            T::deserialize(&exact)
                .or_else(|why| T::deserialize(with_short_numbers(exact)).map_err(|_| why))
        };
        Self::new(key, read, |item| serde_json::to_value(item))
    }

    /// By two functions of the app. What is written has to be an object, with the item's key in the field of this name.
    ///
    /// ```
    /// use serde_json::json;
    /// use usual_tide::Item;
    /// use usual_tide::record::{FieldName, Record};
    /// use usual_tide_sources::typed::Conversion;
    ///
    /// #[derive(Clone, PartialEq, Debug, Item)]
    /// struct Piece { #[item(key)] id: i64, title: String }
    ///
    /// fn read(record: &Record) -> Result<Piece, String> {
    ///     let title = record.get("title").and_then(|title| title.as_text());
    ///     Ok(Piece {
    ///         id: record.get("id").and_then(|id| id.as_i64()).ok_or("its id is no number")?,
    ///         title: title.unwrap_or("without a title").to_owned(),
    ///     })
    /// }
    ///
    /// let write = |piece: &Piece| Ok::<_, String>(json!({"id": piece.id, "title": piece.title}));
    /// let conversion = Conversion::new(&FieldName::parse("id")?, read, write);
    /// let piece = Piece { id: 7, title: "Bowl".into() };
    /// let record = conversion.record(&piece)?;
    /// assert_eq!(conversion.item(&record)?, piece);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn new<R: Into<Cause>, W: Into<Cause>>(
        key: &FieldName,
        read: impl Fn(&Record) -> Result<T, R> + Send + Sync + 'static,
        write: impl Fn(&T) -> Result<Json, W> + Send + Sync + 'static,
    ) -> Self {
        Self {
            key: key.clone(),
            maker: RecordMaker::new(key),
            read: Arc::new(move |record| read(record).map_err(Into::into)),
            write: Arc::new(move |item| write(item).map_err(Into::into)),
        }
    }

    /// A record as an item.
    ///
    /// # Errors
    ///
    /// [`ConversionError`].
    pub fn item(&self, record: &Record) -> Result<T, ConversionError> {
        let key = || record.key().clone();
        let item =
            (self.read)(record).map_err(|why| ConversionError::Unreadable { key: key(), why })?;
        let other = record_key(item.key());
        match other == *record.key() {
            true => Ok(item),
            false => Err(ConversionError::OtherKey { key: key(), other }),
        }
    }

    /// An item as a record.
    ///
    /// # Errors
    ///
    /// [`ConversionError`].
    pub fn record(&self, item: &T) -> Result<Record, ConversionError> {
        self.record_with_key(item, &record_key(item.key()))
    }

    /// The same under this key, which the item has by now.
    pub(super) fn record_with_key(
        &self,
        item: &T,
        key: &RecordKey,
    ) -> Result<Record, ConversionError> {
        let record = || -> Result<Record, Cause> {
            let mut record = self.maker.read(&(self.write)(item)?)?;
            if record.key() != key {
                record.set_field(&self.key, key.to_value())?;
            }
            Ok(record)
        };
        record().map_err(|why| {
            let key = key.clone();
            ConversionError::Unwritable { key, why }
        })
    }

    /// Whether an item tells all of the record that it was read from.
    pub(super) fn tells_all(&self, item: &T, record: &Record) -> bool {
        self.record(item).is_ok_and(|written| written == *record)
    }

    /// The record of members that were changed.
    pub(super) fn record_of(
        &self,
        members: serde_json::Map<String, Json>,
        key: &RecordKey,
    ) -> Result<Record, ConversionError> {
        self.maker.record(members).map_err(|why| {
            let (key, why) = (key.clone(), why.into());
            ConversionError::Unwritable { key, why }
        })
    }
}

/// With each number as the text of the `f64` that it is: `serde` reads `1.50` where a type holds other fields flattened, or is
/// one of several without a tag, only like this.
fn with_short_numbers(json: Json) -> Json {
    match json {
        Json::Number(number) if !number.is_i64() && !number.is_u64() => {
            let short = number.as_f64().and_then(Number::from_f64);
            Json::Number(short.unwrap_or(number))
        }
        Json::Array(values) => values.into_iter().map(with_short_numbers).collect(),
        Json::Object(members) => {
            let members = members.into_iter();
            members
                .map(|(name, value)| (name, with_short_numbers(value)))
                .collect()
        }
        other => other,
    }
}

/// The key as a record has it: an integer, or text.
pub(super) fn record_key<K: FieldValue>(key: &K) -> RecordKey {
    match key.value() {
        Value::Integer(number) => RecordKey::from_integer(number),
        other => RecordKey::from(other.to_string().as_str()),
    }
}

/// The key as an item has it.
pub(super) fn item_key<K: FieldValue>(key: &RecordKey) -> Result<K, ConversionError> {
    K::from_value(key.value()).map_err(|why| {
        let key = key.clone();
        ConversionError::Key { key, why }
    })
}

pub(super) fn record_place<K: FieldValue>(place: &Neighbours<K>) -> Neighbours<RecordKey> {
    Neighbours {
        after: place.after.as_ref().map(record_key),
        before: place.before.as_ref().map(record_key),
    }
}

pub(super) fn item_place<K: FieldValue>(
    place: &Neighbours<RecordKey>,
) -> Result<Neighbours<K>, ConversionError> {
    Ok(Neighbours {
        after: place.after.as_ref().map(item_key).transpose()?,
        before: place.before.as_ref().map(item_key).transpose()?,
    })
}

impl<T> Clone for Conversion<T> {
    fn clone(&self) -> Self {
        Self {
            key: self.key.clone(),
            maker: self.maker.clone(),
            read: Arc::clone(&self.read),
            write: Arc::clone(&self.write),
        }
    }
}

impl<T> fmt::Debug for Conversion<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Conversion")
            .field("key", &self.key)
            .finish_non_exhaustive()
    }
}

//! An outbox of records as one of an app's own items.

use super::conversion::{
    Conversion, ConversionError, item_key, item_place, record_key, record_place,
};
use crate::link::{Outbox, OutboxError};
use std::fmt;
use std::sync::Arc;
use usual_tide::record::Record;
use usual_tide::writes::Write;
use usual_tide::{FieldValue, Item};

/// An outbox of records that keeps writes of an app's own items.
///
/// ```
/// use serde::{Deserialize, Serialize};
/// use usual_tide::Item;
/// use usual_tide::record::FieldName;
/// # #[cfg(feature = "sqlite")]
/// use usual_tide_sources::sqlite::SqliteOutbox;
/// use usual_tide_sources::link::LinkOptions;
/// use usual_tide_sources::typed::{Conversion, TypedOutbox};
///
/// #[derive(Clone, PartialEq, Debug, Item, Serialize, Deserialize)]
/// struct Piece { #[item(key)] id: u32, title: String }
///
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("outbox.db");
/// let id = FieldName::parse("id")?;
/// # #[cfg(feature = "sqlite")] {
/// let outbox = TypedOutbox::new(SqliteOutbox::open(&path, &id)?, Conversion::<Piece>::serde(&id));
/// let options = LinkOptions::default().outbox(outbox);
/// # let _ = options;
/// # }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct TypedOutbox<O, T> {
    outbox: O,
    conversion: Conversion<T>,
}

impl<O: Outbox<Record>, T: Item<Key: FieldValue>> TypedOutbox<O, T> {
    /// Keeps writes in an outbox of records, as this conversion writes them.
    pub fn new(outbox: O, conversion: Conversion<T>) -> Self {
        Self { outbox, conversion }
    }

    fn record(&self, write: &Write<T>) -> Result<Write<Record>, ConversionError> {
        let record = |item: &Option<Arc<T>>| match item {
            Some(item) => self.conversion.record(item).map(Arc::new).map(Some),
            None => Ok(None),
        };
        let place = write.place.as_ref().map(record_place);
        let (before, after) = (record(&write.before)?, record(&write.after)?);
        Ok(write.with_items(record_key(&write.key), before, after, place))
    }

    fn item(&self, write: &Write<Record>) -> Result<Write<T>, ConversionError> {
        let item = |record: &Option<Arc<Record>>| match record {
            Some(record) => self.conversion.item(record).map(Arc::new).map(Some),
            None => Ok(None),
        };
        let place = write.place.as_ref().map(item_place).transpose()?;
        let (before, after) = (item(&write.before)?, item(&write.after)?);
        Ok(write.with_items(item_key(&write.key)?, before, after, place))
    }
}

impl<O: Outbox<Record>, T: Item<Key: FieldValue>> Outbox<T> for TypedOutbox<O, T> {
    fn kept(&mut self) -> Result<Vec<(u64, Write<T>)>, OutboxError> {
        let kept = self.outbox.kept()?.into_iter().map(|(number, write)| {
            let item = self.item(&write).map_err(|why| OutboxError {
                what: format!("the unsent write with number {number} cannot be read"),
                why: why.into(),
                number: Some(number),
            });
            Ok((number, item?))
        });
        kept.collect()
    }

    fn keep(&mut self, writes: &[Arc<Write<T>>]) -> Result<Vec<u64>, OutboxError> {
        let records = writes.iter().map(|write| self.record(write).map(Arc::new));
        let records: Result<Vec<_>, _> = records.collect();
        let records = records.map_err(|why| OutboxError {
            what: "an unsent write cannot be kept".to_owned(),
            why: why.into(),
            number: None,
        })?;
        self.outbox.keep(&records)
    }

    fn forget(&mut self, number: u64) -> Result<(), OutboxError> {
        self.outbox.forget(number)
    }
}

impl<O: fmt::Debug, T> fmt::Debug for TypedOutbox<O, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("TypedOutbox")
            .field("outbox", &self.outbox)
            .finish_non_exhaustive()
    }
}

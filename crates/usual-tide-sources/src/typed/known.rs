//! What the source has of items beyond what the app's type tells.

use super::conversion::{Conversion, ConversionError, record_key, record_place};
use super::read_all::read_all;
use serde_json::{Map, Value as Json};
use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use usual_tide::record::{Record, RecordKey};
use usual_tide::writes::Write;
use usual_tide::{FieldValue, Item};

/// The source's records that say more than their items, or say it in another way: a write of such an item is one of this record.
/// Shared with what reports the source's changes.
pub(super) struct Known<T> {
    conversion: Conversion<T>,
    records: Arc<Mutex<Records>>,
}

/// The records that writes make of their items which are sent before another one; of those that go, what they were.
pub(super) type Sent = HashMap<RecordKey, Record>;

/// How many of the items that were removed can come back with all that the source had of them.
const MOST_REMOVED: usize = 10_000;

#[derive(Default)]
struct Records {
    there: HashMap<RecordKey, Record>,
    /// Those that were removed, for an undo.
    removed: HashMap<RecordKey, Record>,
    /// The keys of these, the oldest first, and perhaps others.
    removed_first: VecDeque<RecordKey>,
}

impl Records {
    fn put(&mut self, record: &Record, is_all: bool) {
        self.removed.remove(record.key());
        match is_all {
            true => self.there.remove(record.key()),
            false => self.there.insert(record.key().clone(), record.clone()),
        };
    }

    /// The record with this key, or the last one that there was.
    fn last(&self, key: &RecordKey) -> Option<Record> {
        self.there
            .get(key)
            .or_else(|| self.removed.get(key))
            .cloned()
    }

    /// The record with this key is gone; it was this one, where that is known better.
    fn remove(&mut self, key: &RecordKey, was: Option<&Record>) {
        let there = self.there.remove(key);
        let Some(record) = was.cloned().or(there) else {
            return;
        };
        self.removed.insert(key.clone(), record);
        self.removed_first.push_back(key.clone());
        if self.removed_first.len() > MOST_REMOVED
            && let Some(oldest) = self.removed_first.pop_front()
        {
            self.removed.remove(&oldest);
        }
    }
}

impl<T: Item<Key: FieldValue>> Known<T> {
    pub(super) fn new(conversion: Conversion<T>) -> Self {
        Self {
            conversion,
            records: Arc::default(),
        }
    }

    /// The items of all that is there; what was there before and is not in it is gone.
    pub(super) fn all_items(&self, records: &[Record]) -> Result<Vec<T>, ConversionError> {
        let before = std::mem::take(&mut self.records().there);
        let items = self.items(records)?;
        if !before.is_empty() {
            let there: HashSet<&RecordKey> = records.iter().map(Item::key).collect();
            let gone = before.iter().filter(|(key, _)| !there.contains(key));
            let mut known = self.records();
            gone.for_each(|(key, record)| known.remove(key, Some(record)));
        }
        Ok(items)
    }

    /// What a write has made of its item.
    pub(super) fn note_write(&self, write: &Write<Record>) {
        match &write.after {
            Some(after) => self.note_record(after),
            None => self.records().remove(&write.key, write.before.as_deref()),
        }
    }

    /// The item was removed. The source may report that before it has answered the write that did it.
    pub(super) fn remove(&self, key: &RecordKey) {
        self.records().remove(key, None);
    }

    /// The items that the records of the source are, in the same order.
    pub(super) fn items(&self, records: &[Record]) -> Result<Vec<T>, ConversionError> {
        let items = read_all(records, &self.conversion)?;
        let mut known = self.records();
        for (record, (_, is_all)) in records.iter().zip(&items) {
            known.put(record, *is_all);
        }
        Ok(items.into_iter().map(|(item, _)| item).collect())
    }

    /// The item that a record of the source is, which is noted where the item does not tell all of it.
    pub(super) fn item(&self, record: &Record) -> Result<T, ConversionError> {
        let item = self.conversion.item(record)?;
        self.note(record, &item);
        Ok(item)
    }

    /// Notes what the source has by now.
    fn note_record(&self, record: &Record) {
        match self.conversion.item(record) {
            Ok(item) => self.note(record, &item),
            Err(_) => self.remove(record.key()),
        }
    }

    fn note(&self, record: &Record, item: &T) {
        let is_all = self.conversion.tells_all(item, record);
        self.records().put(record, is_all);
    }

    /// A write as one of the source's records, after those that are sent before it.
    pub(super) fn write(
        &self,
        write: &Write<T>,
        sent: &mut Sent,
    ) -> Result<Write<Record>, ConversionError> {
        let key = record_key(&write.key);
        // A key is an identity: one that was removed and comes back, by an undo say, is the same item.
        let known = sent
            .get(&key)
            .cloned()
            .or_else(|| self.records().last(&key));
        let record = |item: &T| match &known {
            Some(known) => self.edited(known.clone(), &self.conversion.item(known)?, item),
            None => self.conversion.record_with_key(item, &key),
        };
        let before = write.before.as_deref().map(record).transpose()?;
        let after = match (&write.after, &write.before, &before) {
            (None, ..) => None,
            (Some(item), Some(old), Some(before)) => {
                Some(self.edited(before.clone(), old, item)?)
            }
            (Some(item), ..) => Some(record(item)?),
        };
        if let Some(record) = after.as_ref().or(before.as_ref()) {
            sent.insert(key.clone(), record.clone());
        }
        let place = write.place.as_ref().map(record_place);
        Ok(write.with_items(key, before.map(Arc::new), after.map(Arc::new), place))
    }

    /// A record with what differs between two versions of its item.
    fn edited(&self, record: Record, from: &T, to: &T) -> Result<Record, ConversionError> {
        if from == to {
            return Ok(record);
        }
        let members = |item: &T| {
            let written = self.conversion.record_with_key(item, record.key())?;
            Ok(written.to_members())
        };
        let (from, to) = (members(from)?, members(to)?);
        let mut edited = record.to_members();
        put_differences(&mut edited, &from, &to);
        self.conversion.record_of(edited, record.key())
    }

    fn records(&self) -> MutexGuard<'_, Records> {
        self.records.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Puts into an object what differs between two others.
fn put_differences(
    object: &mut Map<String, Json>,
    from: &Map<String, Json>,
    to: &Map<String, Json>,
) {
    for name in from.keys().filter(|name| !to.contains_key(*name)) {
        object.shift_remove(name);
    }
    for (name, value) in to {
        match (from.get(name), value, object.get_mut(name)) {
            (Some(old), _, _) if old == value => {}
            (Some(Json::Object(old)), Json::Object(new), Some(Json::Object(inner))) => {
                put_differences(inner, old, new);
            }
            _ => {
                object.insert(name.clone(), value.clone());
            }
        }
    }
}

impl<T> Clone for Known<T> {
    fn clone(&self) -> Self {
        Self {
            conversion: self.conversion.clone(),
            records: Arc::clone(&self.records),
        }
    }
}

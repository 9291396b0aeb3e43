//! A source of records as one of an app's own items.

use super::conversion::{Conversion, ConversionError, item_key, item_place};
use super::known::{Known, Sent};
use crate::link::{Answer, Change, ChangeSender, Loaded, Loading, Source, SourceError};
use std::fmt;
use std::sync::Arc;
use usual_tide::record::Record;
use usual_tide::writes::Write;
use usual_tide::{FieldValue, Item};

/// A source of records as one of an app's own items. See the [module](super) for an example.
///
/// Each record is read as an item, and written as a record again to see whether the item tells all of it; one that does not is kept,
/// so that what the item does not tell stays when it is written. A record that cannot be read as an item makes the source unusable,
/// with the key and the reason in the state of the link, until it can be read.
pub struct TypedSource<S, T: Item> {
    source: S,
    known: Known<T>,
    changes: Option<ChangeSender<T>>,
}

impl<S: Source<Record>, T: Item<Key: FieldValue>> TypedSource<S, T> {
    /// The items of a source, as this conversion reads them.
    pub fn new(source: S, conversion: Conversion<T>) -> Self {
        Self {
            source,
            known: Known::new(conversion),
            changes: None,
        }
    }

    fn answer(&self, write: &Write<Record>, answer: Answer<Record>) -> Answer<T> {
        match answer {
            Answer::Saved => {
                self.known.note_write(write);
                Answer::Saved
            }
            Answer::SavedAs(record) => match self.known.item(&record) {
                Ok(item) => Answer::SavedAs(item),
                Err(why) => {
                    self.cannot_read(&why);
                    Answer::Saved
                }
            },
            Answer::SavedIn(version) => {
                self.known.note_write(write);
                Answer::SavedIn(version)
            }
            Answer::Refused { reason, current } => {
                let current = current.map(|record| match record {
                    Some(record) => self.known.item(&record).map(Some),
                    None => {
                        self.known.remove(&write.key);
                        Ok(None)
                    }
                });
                let current = current.transpose().unwrap_or_else(|why| {
                    self.cannot_read(&why);
                    None
                });
                Answer::Refused { reason, current }
            }
        }
    }

    /// The load that is made then says it where the app sees it.
    fn cannot_read(&self, why: &ConversionError) {
        tracing::warn!(%why, "the source answered with what is no item");
        if let Some(changes) = &self.changes {
            changes.stale();
        }
    }
}

impl<S: Source<Record>, T: Item<Key: FieldValue>> Source<T> for TypedSource<S, T> {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError> {
        let loaded = self.source.load(loading)?;
        with_items(&loaded, self.known.all_items(&loaded.items))
    }

    fn load_more(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError> {
        let loaded = self.source.load_more(loading)?;
        with_items(&loaded, self.known.items(&loaded.items))
    }

    fn write(&mut self, write: &Write<T>) -> Result<Answer<T>, SourceError> {
        let write = match self.known.write(write, &mut Sent::new()) {
            Ok(write) => write,
            Err(why) => return Ok(Answer::refused(why.to_string())),
        };
        let answer = self.source.write(&write)?;
        Ok(self.answer(&write, answer))
    }

    fn write_many(
        &mut self,
        writes: &[Arc<Write<T>>],
        answers: &mut Vec<Answer<T>>,
    ) -> Result<(), SourceError> {
        // Up to one that is no record, which is refused by itself.
        let mut sent = Sent::new();
        let converted = writes.iter();
        let converted = converted.map_while(|write| self.known.write(write, &mut sent).ok());
        let converted: Vec<Arc<Write<Record>>> = converted.map(Arc::new).collect();
        if converted.is_empty() {
            return writes.first().map_or(Ok(()), |write| {
                answers.push(self.write(write)?);
                Ok(())
            });
        }
        let mut given = Vec::with_capacity(converted.len());
        let outcome = self.source.write_many(&converted, &mut given);
        let given = converted.iter().zip(given);
        answers.extend(given.map(|(write, answer)| self.answer(write, answer)));
        outcome
    }

    fn watch(&mut self, changes: ChangeSender<T>) {
        self.changes = Some(changes.clone());
        let known = self.known.clone();
        self.source.watch(changes.converted(move |changes| {
            let items = changes.iter().map(|change| change_of(&known, change));
            items
                .collect::<Result<Vec<_>, _>>()
                .inspect_err(|why| tracing::warn!(%why, "the source has what is no item"))
                .ok()
        }));
    }
}

fn with_items<T>(
    loaded: &Loaded<Record>,
    items: Result<Vec<T>, ConversionError>,
) -> Result<Loaded<T>, SourceError> {
    Ok(Loaded {
        items: items.map_err(unusable)?,
        version: loaded.version,
        more: loaded.more,
    })
}

fn change_of<T: Item<Key: FieldValue>>(
    known: &Known<T>,
    change: &Change<Record>,
) -> Result<Change<T>, ConversionError> {
    Ok(match change {
        Change::Put(record, place) => {
            let place = place.as_ref().map(item_place).transpose()?;
            Change::Put(known.item(record)?, place)
        }
        Change::Removed(key) => {
            known.remove(key);
            Change::Removed(item_key(key)?)
        }
    })
}

fn unusable(why: ConversionError) -> SourceError {
    SourceError::unusable("what the source holds", why)
}

impl<S: fmt::Debug, T: Item> fmt::Debug for TypedSource<S, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("TypedSource")
            .field("source", &self.source)
            .finish_non_exhaustive()
    }
}

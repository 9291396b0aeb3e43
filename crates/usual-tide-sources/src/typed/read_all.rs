//! Many records read as items, side by side where that pays.

use super::conversion::{Conversion, ConversionError};
use std::num::NonZero;
use std::panic::resume_unwind;
use std::thread::{Builder, available_parallelism, scope};
use usual_tide::record::Record;
use usual_tide::{FieldValue, Item};

/// Threads that read records, at most, and how many records are worth one.
const MOST_THREADS: usize = 4;
const WORTH_A_THREAD: usize = 10_000;

/// An item, and whether it tells all of the record that it was read from.
type ReadItem<T> = (T, bool);

/// The records as items, in the same order; the first of them that is none, where one is not.
pub(super) fn read_all<T: Item<Key: FieldValue>>(
    records: &[Record],
    conversion: &Conversion<T>,
) -> Result<Vec<ReadItem<T>>, ConversionError> {
    let threads = available_parallelism().map_or(1, NonZero::get);
    let part = records.len().div_ceil(threads.min(MOST_THREADS));
    let mut parts = records.chunks(part.max(WORTH_A_THREAD));
    let first = parts.next().unwrap_or_default();
    let read = |records: &[Record]| -> Result<Vec<ReadItem<T>>, ConversionError> {
        // Each with a maker of records of its own, which others need not wait for.
        let conversion = conversion.clone();
        let items = records.iter().map(|record| {
            let item = conversion.item(record)?;
            let is_all = conversion.tells_all(&item, record);
            Ok((item, is_all))
        });
        items.collect()
    };
    scope(|scope| {
        let running = parts.map(|records| {
            let thread = Builder::new().spawn_scoped(scope, move || read(records));
            (records, thread)
        });
        let running: Vec<_> = running.collect();
        let mut items = read(first)?;
        items.reserve_exact(records.len() - items.len());
        for (records, thread) in running {
            items.extend(match thread {
                Ok(thread) => thread.join().unwrap_or_else(|panic| resume_unwind(panic))?,
                // Where no thread can be had they are read one after the other.
                Err(_) => read(records)?,
            });
        }
        Ok(items)
    })
}

//! What the fuzz targets call.

use super::events::next_event;
use super::stream::change;
use std::io;
use usual_tide::record::RecordMaker;

/// Reads a stream of events to its end: the name, the data and the id of each, and whether it says what has changed.
///
/// # Errors
///
/// Those of a stream that is none.
pub fn read_stream(
    mut from: &[u8],
    maker: &RecordMaker,
) -> io::Result<Vec<(String, String, Option<String>, bool)>> {
    let mut events = Vec::new();
    while let Some(event) = next_event(&mut from)? {
        let is_change = change(&event, maker).is_some();
        events.push((event.name, event.data, event.id, is_change));
    }
    Ok(events)
}

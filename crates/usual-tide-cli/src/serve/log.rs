//! What happened to the items lately, for streams of events that begin again.

use std::collections::VecDeque;
use std::sync::Arc;

/// Events that are kept at most.
const MOST_EVENTS: usize = 10_000;

/// Bytes that they take at most.
const MOST_BYTES: usize = 16 << 20;

/// An event with its number.
#[derive(Debug)]
pub(super) struct Event {
    /// None where the event is no version of the items.
    pub(super) id: Option<String>,
    pub(super) version: u64,
    pub(super) name: &'static str,
    pub(super) data: String,
}

/// The latest events, bounded in number and in bytes.
#[derive(Debug, Default)]
pub(super) struct Log {
    events: VecDeque<Arc<Event>>,
    bytes: usize,
}

impl Log {
    pub(super) fn push(&mut self, event: Event) {
        self.bytes += event.data.len();
        self.events.push_back(Arc::new(event));
        while self.events.len() > MOST_EVENTS || self.bytes > MOST_BYTES {
            match self.events.pop_front() {
                Some(oldest) => self.bytes -= oldest.data.len(),
                None => break,
            }
        }
    }

    /// The version of the oldest event that is kept.
    pub(super) fn oldest(&self) -> Option<u64> {
        Some(self.events.front()?.version)
    }

    /// The events after a version, so many at most; none when some of them are not kept.
    pub(super) fn after(&self, version: u64, now: u64, most: usize) -> Option<Vec<Arc<Event>>> {
        if version >= now {
            return (version == now).then(Vec::new);
        }
        if self.oldest()? > version + 1 {
            return None;
        }
        let first = self
            .events
            .partition_point(|event| event.version <= version);
        Some(self.events.range(first..).take(most).cloned().collect())
    }
}

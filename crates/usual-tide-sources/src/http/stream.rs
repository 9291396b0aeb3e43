//! What others change, as the server reports it.

use super::client::Client;
use super::events::{Event, next_event};
use super::versions::Versions;
use crate::link::{Change, ChangeSender, Retry};
use serde_json::Value;
use std::io::{self, BufReader};
use std::sync::Arc;
use std::time::{Duration, Instant};
use ureq::Body;
use ureq::http::Response;
use usual_tide::record::{Record, RecordKey, RecordMaker, parse_value};
use usual_tide::writes::Neighbours;

/// A stream is opened again after this time, so that one that has silently ended is not waited for forever.
const LONGEST: Duration = Duration::from_secs(60);

/// A stream that was open for this long was no failure.
const SERVED: Duration = Duration::from_secs(1);

/// The longest sleep before it is looked whether the link is closed.
const LONGEST_SLEEP: Duration = Duration::from_millis(500);

pub(super) struct Listener {
    pub(super) client: Client,
    pub(super) versions: Arc<Versions>,
    pub(super) maker: RecordMaker,
    pub(super) retry: Retry,
    pub(super) news: ChangeSender<Record>,
}

impl Listener {
    /// Listens until the link is closed.
    pub(super) fn run(&self) {
        let (mut failures, mut is_away) = (0, false);
        while !self.news.is_closed() {
            // What was loaded first says where to begin.
            let Some(last_id) = self.versions.wait_for_id(LONGEST_SLEEP) else {
                continue;
            };
            let begun = Instant::now();
            let mut events = 0;
            let mut ids = self.versions.ids();
            match self.client.events(&last_id, LONGEST) {
                Ok(response) => {
                    is_away = false;
                    if let Err(error) = self.listen(response, &mut events) {
                        tracing::info!(%error, "the stream of events has ended");
                    }
                    ids = self.versions.ids();
                    failures = failures_after(failures, begun.elapsed(), events);
                }
                Err(why) => {
                    failures += 1;
                    tracing::info!(error = %why, "there is no stream of events");
                    // The link finds out whether the server is away, and tells it; once.
                    if !std::mem::replace(&mut is_away, true) {
                        self.news.stale();
                    }
                }
            }
            if failures > 0 {
                self.pause(self.retry.wait(failures), ids);
            }
        }
    }

    /// Waits so long, unless the link has loaded the items since so many ids were set: then the server is there.
    fn pause(&self, most: Duration, ids: u64) {
        let begun = Instant::now();
        while !self.news.is_closed() && self.versions.ids() == ids {
            let left = most.saturating_sub(begun.elapsed());
            if left.is_zero() {
                return;
            }
            self.versions
                .wait_for_another_id(ids, left.min(LONGEST_SLEEP));
        }
    }

    /// Hands events on until the stream ends, and counts them.
    fn listen(&self, response: Response<Body>, events: &mut usize) -> io::Result<()> {
        let mut from = BufReader::new(response.into_body().into_reader());
        while let Some(event) = next_event(&mut from)? {
            if self.news.is_closed() {
                break;
            }
            *events += 1;
            self.hand_on(&event);
        }
        Ok(())
    }

    fn hand_on(&self, event: &Event) {
        let Some(id) = &event.id else {
            return self.news.stale();
        };
        self.versions.set_last_id(id);
        let version = self.versions.number(id);
        match (change(event, &self.maker), version) {
            (Some(change), Some(_)) => self.news.changed(vec![change], version),
            _ => self.news.stale(),
        }
    }
}

/// How many failures in a row there are after a stream that was open for so long. All of them end some time, most by an error:
/// one that served for a while is opened again at once, one that brought something soon.
fn failures_after(failures: u32, open: Duration, events: usize) -> u32 {
    match events {
        _ if open >= SERVED => 0,
        0 => failures + 1,
        _ => 1,
    }
}

/// The change in an event; none when the event is about something else or cannot be read.
pub(super) fn change(event: &Event, maker: &RecordMaker) -> Option<Change<Record>> {
    let Value::Object(mut data) = parse_value(&event.data).ok()? else {
        return None;
    };
    let key = |value: Option<&Value>| match value {
        None | Some(Value::Null) => Some(None),
        Some(value) => Some(Some(RecordKey::from_value(value).ok()?)),
    };
    match &*event.name {
        "put" => {
            let place = Neighbours {
                after: key(data.get("after"))?,
                before: key(data.get("before"))?,
            };
            let Value::Object(members) = data.remove("item")? else {
                return None;
            };
            Some(Change::Put(maker.record(members).ok()?, Some(place)))
        }
        "remove" => Some(Change::Removed(key(data.get("key"))??)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::{LONGEST, failures_after};
    use std::time::Duration;

    #[test]
    fn a_stream_that_has_served_is_opened_again_at_once() {
        let short = Duration::from_millis(20);
        let mut failures = 0;
        // A quiet hour: each stream ends by itself after its time.
        for _ in 0..60 {
            failures = failures_after(failures, LONGEST, 0);
            assert_eq!(failures, 0);
        }
        for so_far in 1..10 {
            failures = failures_after(failures, short, 0);
            assert_eq!(failures, so_far);
        }
        // A server that ends each answer with an event is asked again soon, and not without a pause.
        assert_eq!(failures_after(failures, short, 1), 1);
        assert_eq!(failures_after(failures, Duration::from_secs(30), 0), 0);
    }
}

//! What others change, as the server reports it.

use super::client::Client;
use super::events::{Event, next_event};
use super::versions::Versions;
use crate::link::{Change, ChangeSender, Retry};
use serde_json::Value;
use std::io::BufReader;
use std::sync::Arc;
use std::time::Duration;
use usual_tide::record::{Record, RecordKey, RecordMaker, parse_value};
use usual_tide::writes::Neighbours;

/// A stream is opened again after this time, so that one that has silently ended is not waited for forever.
const LONGEST: Duration = Duration::from_secs(60);

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
        let mut failures = 0;
        while !self.news.is_closed() {
            // What was loaded first says where to begin.
            let Some(last_id) = self.versions.wait_for_id(LONGEST_SLEEP) else {
                continue;
            };
            match self.listen(&last_id) {
                Ok(0) => failures += 1,
                Ok(_) => failures = 0,
                Err(error) => {
                    failures += 1;
                    tracing::info!(error, "the stream of events has ended");
                }
            }
            if failures > 0 {
                self.news.wait_until_closed(self.retry.wait(failures));
            }
        }
    }

    /// Hands events on until the stream ends; how many there were.
    fn listen(&self, last_id: &str) -> Result<usize, String> {
        let response = self
            .client
            .events(last_id, LONGEST)
            .map_err(|why| why.to_string())?;
        let mut from = BufReader::new(response.into_body().into_reader());
        let mut events = 0;
        while let Some(event) = next_event(&mut from).map_err(|why| why.to_string())? {
            if self.news.is_closed() {
                break;
            }
            events += 1;
            self.hand_on(&event);
        }
        Ok(events)
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

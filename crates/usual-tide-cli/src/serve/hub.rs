//! The items that are served, and what happened to them lately.

use super::event::{Told, events};
use super::reply::Reply;
use std::collections::{HashMap, VecDeque};
use std::sync::Arc;
use tokio::sync::broadcast;
use usual_tide::record::{FieldName, Record, RecordKey, RecordMaker};
use usual_tide::{Feed, Item, ListId, Query, Store};
use usual_tide_sources::link::{Direct, Source, SourceError};

/// Events that are kept for streams that begin again.
const KEPT_EVENTS: usize = 10_000;

/// Answers that are kept for writes that come again.
const KEPT_ANSWERS: usize = 10_000;

/// The items, the source behind them, and who is to be told of changes.
pub(crate) struct Hub {
    pub(super) direct: Direct<Record>,
    pub(super) store: Store<Record>,
    pub(super) maker: RecordMaker,
    list: ListId,
    feed: Feed<Record>,
    /// Names this run of the server: the next one numbers its versions anew.
    life: String,
    version: u64,
    /// The version in which each item was changed last; none of those that have been as they are from the start.
    changed: HashMap<RecordKey, u64>,
    log: VecDeque<Arc<Event>>,
    tell: broadcast::Sender<Arc<Event>>,
    answers: HashMap<String, Reply>,
    answer_order: VecDeque<String>,
}

/// An event with its number.
#[derive(Debug)]
pub(super) struct Event {
    pub(super) id: String,
    version: u64,
    pub(super) name: &'static str,
    pub(super) data: String,
}

/// What a new stream begins with.
pub(super) struct Begun {
    pub(super) missed: Vec<Arc<Event>>,
    pub(super) news: broadcast::Receiver<Arc<Event>>,
}

impl Hub {
    pub(super) fn open(
        source: impl Source<Record>,
        key: &FieldName,
    ) -> Result<Self, Box<dyn std::error::Error + Send + Sync>> {
        let mut direct = Direct::new(source);
        let mut store = Store::load(direct.load()?.items)?;
        let list = store.bind(Query::new());
        let feed = store.feed(list)?;
        Ok(Self {
            direct,
            store,
            maker: RecordMaker::new(key),
            list,
            feed,
            life: format!("{:016x}", fastrand::u64(..)),
            version: 0,
            changed: HashMap::new(),
            log: VecDeque::new(),
            tell: broadcast::channel(4096).0,
            answers: HashMap::new(),
            answer_order: VecDeque::new(),
        })
    }

    pub(super) fn len(&self) -> usize {
        self.store.len()
    }

    /// Takes over what other programs have changed at the source.
    pub(super) fn refresh(&mut self) -> Result<(), SourceError> {
        if !self.direct.has_changed() {
            return Ok(());
        }
        self.load_again()
    }

    /// Takes over what the source has now.
    pub(super) fn load_again(&mut self) -> Result<(), SourceError> {
        let items = self.direct.load()?.items;
        let reloaded = self.store.reload(items);
        reloaded.map_err(|why| SourceError::unusable("the source", why))?;
        self.publish();
        Ok(())
    }

    /// The id of this moment.
    pub(super) fn id(&self) -> String {
        format!("{}-{}", self.life, self.version)
    }

    /// The version of an item, as a header has it.
    pub(super) fn etag(&self, key: &RecordKey) -> String {
        let version = self.changed.get(key).copied().unwrap_or(0);
        format!("\"{}-{version}\"", self.life)
    }

    /// The key that a part of an address names: a text, or else an integer.
    pub(super) fn key_of(&self, text: &str) -> RecordKey {
        let as_text = RecordKey::from(text);
        let as_integer = text.parse().map(RecordKey::Integer);
        match as_integer {
            Ok(integer) if !self.store.contains(&as_text) => integer,
            _ => as_text,
        }
    }

    /// Tells what has happened to the items.
    pub(super) fn publish(&mut self) {
        let Ok(Some(changes)) = self.feed.read(&self.store) else {
            return;
        };
        let Ok(rows) = self.store.list(self.list) else {
            return;
        };
        for Told { name, key, data } in events(&changes, &rows) {
            self.version += 1;
            self.changed.insert(key, self.version);
            let event = Arc::new(Event {
                id: format!("{}-{}", self.life, self.version),
                version: self.version,
                name,
                data: data.to_string(),
            });
            self.log.push_back(Arc::clone(&event));
            if self.log.len() > KEPT_EVENTS {
                self.log.pop_front();
            }
            // Nobody may be listening.
            let _ = self.tell.send(event);
        }
    }

    /// A stream of events after the one with this id. When it is not known any more, the stream begins by saying
    /// that all is to be loaded again.
    pub(super) fn begin(&self, last_id: Option<&str>) -> Begun {
        let news = self.tell.subscribe();
        let Some(last_id) = last_id else {
            let missed = Vec::new();
            return Begun { missed, news };
        };
        let version = last_id.rsplit_once('-').and_then(|(life, version)| {
            let version = version.parse::<u64>().ok().filter(|_| life == self.life)?;
            let first = self
                .log
                .front()
                .map_or(self.version + 1, |event| event.version);
            (version + 1 >= first && version <= self.version).then_some(version)
        });
        let missed = match version {
            Some(version) => {
                let later = |event: &&Arc<Event>| event.version > version;
                self.log.iter().filter(later).cloned().collect()
            }
            None => vec![self.reset()],
        };
        Begun { missed, news }
    }

    /// Says that all is to be loaded again.
    pub(super) fn reset(&self) -> Arc<Event> {
        Arc::new(Event {
            id: self.id(),
            version: self.version,
            name: "reset",
            data: "{}".to_owned(),
        })
    }

    /// The answer that a write was given before.
    pub(super) fn answered(&self, id: &str) -> Option<Reply> {
        self.answers.get(id).cloned()
    }

    /// Remembers the answer to a write.
    pub(super) fn remember(&mut self, id: String, reply: &Reply) {
        if self.answers.insert(id.clone(), reply.clone()).is_none() {
            self.answer_order.push_back(id);
        }
        if self.answer_order.len() > KEPT_ANSWERS
            && let Some(oldest) = self.answer_order.pop_front()
        {
            self.answers.remove(&oldest);
        }
    }

    /// An item as an answer.
    pub(super) fn item_reply(&self, status: u16, item: &Record) -> Reply {
        Reply {
            status,
            etag: Some(self.etag(item.key())),
            id: Some(self.id()),
            kind: "application/json",
            body: serde_json::to_vec(item.members()).unwrap_or_default(),
            ..Reply::default()
        }
    }
}

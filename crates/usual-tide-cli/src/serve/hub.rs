//! The items that are served, and their source. Reading them never waits for the source.

use super::answers::RecentAnswers;
use super::event::{RowEvent, events};
use super::lists::{ListLimits, Lists};
use super::log::{Event, Log};
use super::reply::Reply;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};
use std::time::{Duration, Instant};
use tokio::sync::watch;
use usual_tide::record::{FieldName, Record, RecordKey, RecordMaker};
use usual_tide::{Feed, Item, ListId, Query, Store};
use usual_tide_sources::link::{DirectSource, Loaded, Source, SourceError};

/// How long a source may be unreadable before the items that it had are not shown any more: another program may
/// be writing to it.
const PATIENCE: Duration = Duration::from_secs(4);

/// The longest wait before a source that cannot be read is tried again.
const LONGEST_WAIT: Duration = Duration::from_secs(5);

/// The items, and the source that they come from.
pub(crate) struct Hub {
    shown: RwLock<ServedItems>,
    writer: Mutex<Writer>,
    /// Wakes the streams of events.
    pub(super) moved: watch::Sender<u64>,
}

/// What is shown: changed in memory only, so that nobody waits long for it.
pub(super) struct ServedItems {
    pub(super) store: Store<Record>,
    pub(super) maker: RecordMaker,
    list: ListId,
    feed: Feed<Record>,
    /// Names this run of the server: the next one numbers its versions again.
    life: String,
    version: u64,
    /// The version in which each item was changed last; items that are not here have been as they are since
    /// `unchanged_since`.
    changed: HashMap<RecordKey, u64>,
    unchanged_since: u64,
    log: Log,
    /// The lists of clients.
    pub(super) lists: Lists,
    /// Why the source cannot be read, and since when.
    trouble: Option<(String, Instant)>,
    /// Whether that was told.
    trouble_told: bool,
}

/// What asks the source, one after another.
pub(super) struct Writer {
    pub(super) direct: DirectSource<Record>,
    pub(super) answers: RecentAnswers,
    /// When the source is to be read again, after it could not be; and how often it could not.
    next_try: Option<Instant>,
    failures: u32,
}

/// What a stream of events goes on with.
pub(super) enum Next {
    /// These events, which may be none yet.
    Events(Vec<Arc<Event>>),
    /// Some events are not known any more: all is to be loaded again.
    Reset(Event),
}

impl Hub {
    pub(super) fn open(
        source: impl Source<Record>,
        key: &FieldName,
        limits: ListLimits,
    ) -> Result<Self, Box<dyn std::error::Error + Send + Sync>> {
        let mut direct = DirectSource::new(source);
        let mut store = Store::load(load_all(&mut direct)?)?;
        let list = store.bind(Query::new());
        let feed = store.feed(list)?;
        Ok(Self {
            shown: RwLock::new(ServedItems {
                store,
                maker: RecordMaker::new(key),
                list,
                feed,
                life: format!("{:016x}", fastrand::u64(..)),
                version: 0,
                changed: HashMap::new(),
                unchanged_since: 0,
                log: Log::default(),
                lists: Lists::new(limits),
                trouble: None,
                trouble_told: false,
            }),
            writer: Mutex::new(Writer {
                direct,
                answers: RecentAnswers::default(),
                next_try: None,
                failures: 0,
            }),
            moved: watch::channel(0).0,
        })
    }

    /// A holder that panicked left sound items, so a poisoned lock is as good.
    pub(super) fn shown(&self) -> RwLockReadGuard<'_, ServedItems> {
        self.shown.read().unwrap_or_else(PoisonError::into_inner)
    }

    fn shown_mut(&self) -> RwLockWriteGuard<'_, ServedItems> {
        self.shown.write().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn writer(&self) -> MutexGuard<'_, Writer> {
        self.writer.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Changes what is shown, and tells it.
    pub(super) fn change<R>(&self, change: impl FnOnce(&mut Store<Record>) -> R) -> R {
        let mut shown = self.shown_mut();
        let done = change(&mut shown.store);
        shown.publish();
        let version = shown.version;
        drop(shown);
        self.moved.send_replace(version);
        done
    }

    /// Works with the lists of clients, and tells them.
    pub(super) fn with_lists<R>(&self, work: impl FnOnce(&mut ServedItems) -> R) -> R {
        let mut shown = self.shown_mut();
        let done = work(&mut shown);
        let version = shown.version;
        drop(shown);
        self.moved.send_replace(version);
        done
    }

    /// Closes the lists that nobody has read for a while.
    pub(super) fn close_unused_lists(&self) {
        let mut shown = self.shown_mut();
        let shown = &mut *shown;
        shown.lists.close_unused(&mut shown.store);
    }

    /// Takes over what other programs have changed at the source, and tries again where it could not be read.
    pub(super) fn refresh(&self, writer: &mut Writer) -> Result<(), SourceError> {
        let failed = writer.next_try.is_some();
        let due = writer.next_try.is_some_and(|next| next <= Instant::now());
        if writer.direct.has_changed() || due {
            return self.load_again(writer);
        }
        let trouble = self.shown().trouble();
        match trouble.filter(|_| failed) {
            Some(why) => {
                self.tell_trouble(Some(why.clone()));
                Err(SourceError::unusable("the source", why))
            }
            None => Ok(()),
        }
    }

    /// Takes over what the source has now.
    pub(super) fn load_again(&self, writer: &mut Writer) -> Result<(), SourceError> {
        let loaded = load_all(&mut writer.direct).and_then(|items| {
            let reloaded = self.change(|store| store.reload(items));
            reloaded.map_err(|why| SourceError::unusable("the source", why))
        });
        match loaded {
            Ok(_) => {
                writer.next_try = None;
                writer.failures = 0;
                self.tell_trouble(None);
                Ok(())
            }
            Err(why) => {
                writer.failures += 1;
                let wait = Duration::from_millis(100) * 2_u32.pow(writer.failures.min(8));
                writer.next_try = Some(Instant::now() + wait.min(LONGEST_WAIT));
                self.tell_trouble(Some(why.to_string()));
                Err(why)
            }
        }
    }

    /// Tells whoever asks that the source cannot be read, once that has lasted, and that it can be again.
    fn tell_trouble(&self, why: Option<String>) {
        let mut shown = self.shown_mut();
        let told = match (why, &shown.trouble) {
            (None, None) => return,
            (None, Some(_)) => {
                shown.trouble = None;
                if !std::mem::take(&mut shown.trouble_told) {
                    return;
                }
                tracing::warn!("the source can be read again");
                ("source-ready", "{}".to_owned())
            }
            (Some(why), None) => {
                tracing::warn!(why, "the source cannot be read");
                shown.trouble = Some((why, Instant::now()));
                return;
            }
            (Some(why), Some((_, since))) => {
                let since = *since;
                shown.trouble = Some((why.clone(), since));
                if shown.trouble_told || since.elapsed() < PATIENCE {
                    return;
                }
                shown.trouble_told = true;
                let detail = serde_json::json!({ "detail": why });
                ("source-failed", detail.to_string())
            }
        };
        shown.note(told.0, None, told.1);
        let version = shown.version;
        drop(shown);
        self.moved.send_replace(version);
    }
}

/// All items of a source, page after page where it gives them so.
fn load_all(direct: &mut DirectSource<Record>) -> Result<Vec<Record>, SourceError> {
    let Loaded {
        mut items, more, ..
    } = direct.load()?;
    let mut more = more;
    while more {
        let page = direct.load_more()?;
        more = page.more && !page.items.is_empty();
        items.extend(page.items);
    }
    Ok(items)
}

impl ServedItems {
    /// The id of this moment.
    pub(super) fn id(&self) -> String {
        format!("{}-{}", self.life, self.version)
    }

    /// Why the items are not shown, when the source could not be read for a while.
    pub(super) fn trouble(&self) -> Option<String> {
        let (why, since) = self.trouble.as_ref()?;
        (since.elapsed() >= PATIENCE).then(|| why.clone())
    }

    /// The version of an item, as a header has it.
    pub(super) fn etag(&self, key: &RecordKey) -> String {
        let version = self.changed.get(key).copied();
        format!(
            "\"{}-{}\"",
            self.life,
            version.unwrap_or(self.unchanged_since)
        )
    }

    /// The key that a part of an address names: a text, or else an integer.
    pub(super) fn key_of(&self, text: &str) -> RecordKey {
        let as_text = RecordKey::from(text);
        let as_integer = text.parse::<i128>().map(RecordKey::from_integer);
        match as_integer {
            Ok(integer) if !self.store.contains(&as_text) => integer,
            _ => as_text,
        }
    }

    /// Notes what has happened to the items.
    fn publish(&mut self) {
        self.lists.publish(&self.store);
        let Ok(Some(changes)) = self.feed.read(&self.store) else {
            return;
        };
        let Ok(rows) = self.store.list(self.list) else {
            return;
        };
        for RowEvent { name, key, data } in events(&changes, &rows) {
            self.note(name, Some(key), data.to_string());
        }
        self.forget_removed();
    }

    fn note(&mut self, name: &'static str, key: Option<RecordKey>, data: String) {
        self.version += 1;
        if let Some(key) = key {
            self.changed.insert(key, self.version);
        }
        self.log.push(Event {
            id: Some(self.id()),
            version: self.version,
            name,
            data,
        });
    }

    /// Versions of items that are gone need not be known: one that comes again has a later one.
    fn forget_removed(&mut self) {
        if self.changed.len() > 2 * self.store.len() + 1000 {
            let store = &self.store;
            self.changed.retain(|key, _| store.contains(key));
        }
    }

    /// The version after which a stream of events begins; none when the id is not known.
    pub(super) fn version_of(&self, id: Option<&str>) -> Option<u64> {
        let Some(id) = id else {
            return Some(self.version);
        };
        let (life, version) = id.rsplit_once('-')?;
        let version = version.parse::<u64>().ok()?;
        (life == self.life && version <= self.version).then_some(version)
    }

    /// What comes after a version.
    pub(super) fn after(&self, version: Option<u64>) -> Next {
        /// Events that are handed on at once.
        const AT_ONCE: usize = 64;
        let known = version.and_then(|version| self.log.after(version, self.version, AT_ONCE));
        match known {
            Some(events) => Next::Events(events),
            None => Next::Reset(Event {
                id: Some(self.id()),
                version: self.version,
                name: "reset",
                data: "{}".to_owned(),
            }),
        }
    }

    /// An item as an answer.
    pub(super) fn item_reply(&self, status: u16, item: &Record) -> Reply {
        Reply {
            status,
            etag: Some(self.etag(item.key())),
            id: Some(self.id()),
            kind: "application/json",
            body: serde_json::to_vec(item).unwrap_or_default(),
            ..Reply::default()
        }
    }
}

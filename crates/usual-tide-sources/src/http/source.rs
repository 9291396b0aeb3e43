//! A server as a source.

use super::client::{Client, ReadResponse, place};
use super::options::HttpOptions;
use super::patch::merge_patch;
use super::stream::Listener;
use super::versions::Versions;
use crate::link::{Answer, ChangeSender, Loaded, Loading, Source, SourceError};
use crate::merge::{Operation, operation};
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::fmt;
use std::hash::{Hash, Hasher};
use std::sync::Arc;
use usual_tide::Item;
use usual_tide::record::{
    FieldName, ParseError, Record, RecordKey, RecordMaker, Shape, parse_line,
};
use usual_tide::writes::{Write, WriteKind};

/// A server that speaks HTTP with JSON, and reports what others change by Server-Sent Events.
///
/// An edit is sent as a merge patch (RFC 7396) of the version that the app knows. Where others were faster, it is
/// put on top of their version when it changes other fields, and refused with their item when it changes the same.
/// A write whose answer was lost is sent again under the same `Idempotency-Key`.
pub struct HttpSource {
    client: Client,
    maker: RecordMaker,
    options: HttpOptions,
    /// Names this client's writes.
    name: String,
    /// The versions of items that were sent along with them.
    etags: HashMap<RecordKey, String>,
    versions: Arc<Versions>,
    next_page: Option<String>,
    /// How many were loaded, where the app asks for one after the other.
    pages: usize,
    /// Bytes of the pages of the load under way.
    loaded_bytes: u64,
    /// Writes without a ticket so far.
    unnamed: u64,
    news: Option<ChangeSender<Record>>,
}

/// How often a write is put on top of a version that is newer still.
const MOST_TRIES: usize = 5;

impl HttpSource {
    /// The server at an address such as `http://127.0.0.1:8090`, whose items have their key in the field of this
    /// name.
    pub fn new(address: &str, key: &FieldName) -> Self {
        Self::with(address, key, HttpOptions::default())
    }

    /// The same with options.
    pub fn with(address: &str, key: &FieldName, options: HttpOptions) -> Self {
        Self {
            client: Client::new(address, &options),
            maker: RecordMaker::new(key),
            options,
            name: uuid::Uuid::now_v7().to_string(),
            etags: HashMap::new(),
            versions: Arc::default(),
            next_page: None,
            pages: 1,
            loaded_bytes: 0,
            unnamed: 0,
            news: None,
        }
    }

    fn unusable(&self, why: impl Into<Box<dyn std::error::Error + Send + Sync>>) -> SourceError {
        SourceError::unusable(self.client.base(), why)
    }

    /// An answer that is neither what was asked for nor a refusal of it.
    fn unexpected(&self, response: &ReadResponse) -> SourceError {
        let reason = response.reason();
        match response.is_for_later() {
            true => SourceError::unreachable(self.client.base(), reason),
            false => self.unusable(reason),
        }
    }

    fn page(
        &mut self,
        url: &str,
        loading: &mut Loading<'_>,
    ) -> Result<(Loaded<Record>, Option<String>), SourceError> {
        let response = self.client.get(url)?;
        if response.status != 200 {
            return Err(self.unexpected(&response));
        }
        self.loaded_bytes += response.body.len() as u64;
        loading.progress(self.loaded_bytes, None)?;
        let text = std::str::from_utf8(&response.body);
        let text = text.map_err(|why| self.unusable(format!("not UTF-8 text: {why}")))?;
        let items = self.maker.parse_as(Shape::Json, text);
        let items = items.map_err(|why| match why {
            ParseError::NotAnArray { .. } => self.unusable("the answer is no array of items"),
            why => self.unusable(why),
        })?;
        self.next_page = response.next;
        let loaded = Loaded {
            items,
            version: response.id.as_ref().and_then(|id| self.versions.number(id)),
            more: self.next_page.is_some(),
        };
        Ok((loaded, response.id))
    }

    /// The other pages: all, where the server answers in pages that were not asked for, else as many as were loaded before.
    fn load_rest(
        &mut self,
        loaded: &mut Loaded<Record>,
        loading: &mut Loading<'_>,
    ) -> Result<(), SourceError> {
        let wanted = self
            .options
            .page
            .map(|_| self.pages.min(self.options.most_pages));
        let mut pages = 1;
        let mut known: HashSet<RecordKey> = HashSet::new();
        if loaded.more {
            known.extend(loaded.items.iter().map(|item| item.key().clone()));
        }
        while wanted.is_none_or(|wanted| pages < wanted)
            && let Some(url) = self.next_page.take()
        {
            pages += 1;
            if pages > self.options.most_pages {
                let most = self.options.most_pages;
                return Err(self.unusable(format!(
                    "the server has more than {most} pages of items, which is the most that is loaded"
                )));
            }
            if self.loaded_bytes > self.options.most_bytes {
                let most = self.options.most_bytes;
                return Err(self.unusable(format!(
                    "the pages of items have more than {most} bytes, which is the most that is loaded"
                )));
            }
            let page = self.page(&url, loading)?.0;
            // What was moved meanwhile may come twice.
            let new = page.items.into_iter();
            let new = new.filter(|item| known.insert(item.key().clone()));
            let before = loaded.items.len();
            loaded.items.extend(new);
            if loaded.items.len() == before && self.next_page.is_some() {
                return Err(self.unusable("a page brings no new item and names another page"));
            }
        }
        loaded.more = self.next_page.is_some();
        Ok(())
    }

    /// The item as the server has it now.
    fn current(&mut self, key: &RecordKey) -> Result<Option<Record>, SourceError> {
        let response = self.client.get(&self.client.item(key))?;
        match response.status {
            200 => self.item_of(&response).map(Some),
            404 => Ok(None),
            _ => Err(self.unexpected(&response)),
        }
    }

    /// The item that an answer consists of, whose version is remembered.
    fn item_of(&mut self, response: &ReadResponse) -> Result<Record, SourceError> {
        let read = match std::str::from_utf8(&response.body) {
            Ok(text) => parse_line(text, 1, &self.maker),
            Err(_) => Ok(None),
        };
        match read {
            Ok(Some(item)) => Ok(self.noted(item, response)),
            Err(ParseError::Record { why, .. }) => Err(self.unusable(why)),
            _ => Err(self.unusable("the answer is no item")),
        }
    }

    /// Remembers the version that the server has of an item.
    fn noted(&mut self, item: Record, response: &ReadResponse) -> Record {
        match &response.etag {
            Some(etag) => self.etags.insert(item.key().clone(), etag.clone()),
            None => self.etags.remove(item.key()),
        };
        item
    }

    /// One try; nothing when the server has another version than was thought, which is known now.
    fn try_write(&mut self, write: &Write<Record>) -> Result<Outcome, SourceError> {
        let (method, url, body) = match (write.before.as_deref(), write.after.as_deref()) {
            (_, None) => ("DELETE", self.client.item(&write.key), None),
            (None, Some(after)) => ("POST", self.client.items(), Some(after.to_members())),
            (Some(before), Some(after)) => {
                match merge_patch(&before.to_members(), &after.to_members()) {
                    Some(patch) => ("PATCH", self.client.item(&write.key), Some(patch)),
                    None => (
                        "PUT",
                        self.client.item(&write.key),
                        Some(after.to_members()),
                    ),
                }
            }
        };
        let place = match write.after {
            Some(_) => place(write.place.as_ref()),
            None => String::new(),
        };
        let body = body.map(|body| Value::Object(body).to_string());
        let id = self.request_name(write, method, body.as_deref());
        let mut request = self
            .client
            .request(method, &format!("{url}{place}"))
            .header("Idempotency-Key", id);
        if write.before.is_some() {
            if !self.etags.contains_key(&write.key) {
                let current = self.current(&write.key)?;
                let is_same = current.as_ref() == write.before.as_deref();
                // From a server without versions no more can be had than that nothing has changed by now.
                if self.etags.contains_key(&write.key) || !is_same {
                    return Ok(Outcome::Newer(current));
                }
            }
            if let Some(etag) = self.etags.get(&write.key) {
                request = request.header("If-Match", etag);
            }
        }
        let kind = match method {
            "PATCH" => "application/merge-patch+json",
            _ => "application/json",
        };
        if body.is_some() {
            request = request.header("Content-Type", kind);
        }
        let response = self.client.send(request, body)?;
        self.taken(write, &response)
    }

    /// Names a request: the same when it comes again because its answer was lost, another one for another edit, and for
    /// the same edit on top of another version.
    fn request_name(&self, write: &Write<Record>, method: &str, body: Option<&str>) -> String {
        let number = match write.number() {
            // It has no ticket, and so is not sent again.
            0 => format!("n{}", self.unnamed),
            number => number.to_string(),
        };
        let mut hasher = std::hash::DefaultHasher::new();
        (method, body).hash(&mut hasher);
        format!("{}-{number}-{:x}", self.name, hasher.finish())
    }

    /// A server that tells no versions of its list may keep no places either, and does not say so: all that is shown is
    /// loaded again. Where it is loaded page by page, that would be the first page alone.
    fn look_at_places(&self) {
        if let Some(news) = self.news.as_ref().filter(|_| self.options.page.is_none()) {
            news.stale();
        }
    }

    fn taken(
        &mut self,
        write: &Write<Record>,
        response: &ReadResponse,
    ) -> Result<Outcome, SourceError> {
        if response.is_done() {
            // Some servers do not send the item back.
            let has_item = write.after.is_some() && !response.body.is_empty();
            let version = response.id.as_ref().and_then(|id| self.versions.number(id));
            if version.is_none() && asks_for_a_place(write) {
                self.look_at_places();
            }
            let mut item = match has_item {
                true => Some(self.item_of(response)?),
                false => None,
            };
            let mut same_key = item.as_ref().is_none_or(|item| *item.key() == write.key);
            if !same_key && write.kind() != WriteKind::Add {
                // Only a new item can be given a key.
                tracing::warn!(key = %write.key, "a server answered an edit with another item");
                (item, same_key) = (None, true);
            }
            if item.is_none() {
                self.etags.remove(&write.key);
            }
            return Ok(Outcome::Answered(match (version, item) {
                (Some(version), _) if same_key => Answer::SavedIn(version),
                (_, Some(item)) => Answer::SavedAs(item),
                (_, None) => Answer::Saved,
            }));
        }
        match response.status {
            404 | 410 => Ok(Outcome::Newer(None)),
            409 | 412 => match response.current() {
                Some(members) => {
                    let item = self.maker.record(members);
                    let item = item.map_err(|why| self.unusable(why))?;
                    Ok(Outcome::Newer(Some(self.noted(item, response))))
                }
                None => Ok(Outcome::Answered(Answer::refused(response.reason()))),
            },
            _ if response.is_for_later() => Err(self.unexpected(response)),
            _ => Ok(Outcome::Answered(Answer::refused(response.reason()))),
        }
    }
}

/// Whether an item is to stand elsewhere than where it would without saying: a new one at the end, another where it is.
fn asks_for_a_place(write: &Write<Record>) -> bool {
    let place = write.place.as_ref().filter(|_| write.after.is_some());
    place.is_some_and(|place| place.before.is_some() || write.before.is_some())
}

/// What came of a try.
enum Outcome {
    Answered(Answer<Record>),
    /// The server has this now.
    Newer(Option<Record>),
}

impl Source<Record> for HttpSource {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        let url = match self.options.page {
            Some(page) => format!("{}?limit={page}", self.client.items()),
            None => self.client.items(),
        };
        self.loaded_bytes = 0;
        let (mut loaded, id) = self.page(&url, loading)?;
        self.load_rest(&mut loaded, loading)?;
        // The versions of items are asked for when they are needed.
        self.etags.clear();
        if let Some(id) = id {
            self.versions.set_last_id(&id);
        }
        Ok(loaded)
    }

    fn load_more(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        match self.next_page.clone() {
            Some(url) => {
                let loaded = self.page(&url, loading)?.0;
                self.pages += 1;
                Ok(loaded)
            }
            None => Ok(Loaded::all(Vec::new())),
        }
    }

    fn write(&mut self, write: &Write<Record>) -> Result<Answer<Record>, SourceError> {
        let mut write = write.clone();
        self.unnamed += u64::from(write.number() == 0);
        for _ in 0..MOST_TRIES {
            let now = match self.try_write(&write)? {
                Outcome::Answered(answer) => return Ok(answer),
                Outcome::Newer(now) => now,
            };
            match (operation(&write, now.as_ref()), now) {
                (Operation::None(Answer::Saved), Some(now)) => return Ok(Answer::SavedAs(now)),
                (Operation::None(answer), _) => return Ok(answer),
                (Operation::Replace(merged, differ), Some(now)) => {
                    if differ.is_empty() && write.place.is_none() {
                        return Ok(Answer::SavedAs(now));
                    }
                    // On top of what the server has by now.
                    write.before = Some(Arc::new(now));
                    write.after = Some(Arc::new(*merged));
                }
                (Operation::Remove, Some(now)) => write.before = Some(Arc::new(now)),
                (_, now) => {
                    return Ok(Answer::Refused {
                        reason: "the server refuses it".to_owned(),
                        current: Some(now),
                    });
                }
            }
        }
        let tries = format!("{:?} was changed {MOST_TRIES} times meanwhile", write.key);
        Err(SourceError::unreachable(self.client.base(), tries))
    }

    fn watch(&mut self, news: ChangeSender<Record>) {
        self.news = Some(news.clone());
        let listener = Listener {
            client: self.client.clone(),
            versions: Arc::clone(&self.versions),
            maker: self.maker.clone(),
            retry: self.options.retry,
            news,
        };
        let watching = std::thread::Builder::new()
            .name("usual-tide-events".to_owned())
            .spawn(move || listener.run());
        if let Err(error) = watching {
            tracing::error!(%error, "changes of others will not be noticed");
        }
    }
}

impl fmt::Debug for HttpSource {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("HttpSource")
            .field("address", &self.client.base())
            .field("options", &self.options)
            .finish_non_exhaustive()
    }
}

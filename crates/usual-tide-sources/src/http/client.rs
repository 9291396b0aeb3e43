//! Requests and answers.

use crate::link::SourceError;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Map, Value};
use std::time::Duration;
use ureq::http::{Request, Response, header};
use ureq::{Agent, Body};
use usual_tide::Neighbours;
use usual_tide::record::RecordKey;

/// What stands in a URL as it is.
const PLAIN: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'_')
    .remove(b'.')
    .remove(b'~');

/// One server.
#[derive(Clone, Debug)]
pub(super) struct Client {
    agent: Agent,
    base: String,
    most_bytes: u64,
}

/// An answer whose body is read.
#[derive(Debug)]
pub(super) struct Answered {
    pub(super) status: u16,
    pub(super) etag: Option<String>,
    pub(super) id: Option<String>,
    pub(super) next: Option<String>,
    pub(super) body: Vec<u8>,
}

impl Client {
    pub(super) fn new(base: &str, timeout: Duration, most_bytes: u64) -> Self {
        let config = Agent::config_builder()
            .timeout_global(Some(timeout))
            .http_status_as_error(false)
            .build();
        Self {
            agent: config.into(),
            base: base.trim_end_matches('/').to_owned(),
            most_bytes,
        }
    }

    pub(super) fn base(&self) -> &str {
        &self.base
    }

    pub(super) fn items(&self) -> String {
        format!("{}/items", self.base)
    }

    pub(super) fn item(&self, key: &RecordKey) -> String {
        format!("{}/items/{}", self.base, encoded(key))
    }

    /// Begins a request of this kind.
    pub(super) fn request(&self, method: &str, url: &str) -> ureq::http::request::Builder {
        Request::builder().method(method).uri(url)
    }

    /// Sends a request and reads the answer.
    pub(super) fn send(
        &self,
        request: ureq::http::request::Builder,
        body: Option<String>,
    ) -> Result<Answered, SourceError> {
        let unreachable = |why: ureq::Error| SourceError::unreachable(&self.base, why);
        let bad = |why| SourceError::unusable(&self.base, why);
        let response = match body {
            Some(body) => self.agent.run(request.body(body).map_err(bad)?),
            None => self.agent.run(request.body(()).map_err(bad)?),
        };
        let mut response = response.map_err(unreachable)?;
        let body = response
            .body_mut()
            .with_config()
            .limit(self.most_bytes)
            .read_to_vec();
        Ok(Answered {
            status: response.status().as_u16(),
            etag: text(&response, header::ETAG.as_str()),
            id: text(&response, "last-event-id"),
            next: self.next_page(&response),
            body: body.map_err(unreachable)?,
        })
    }

    /// Opens the stream of events, after the one with this id.
    pub(super) fn events(
        &self,
        last_id: &str,
        most: Duration,
    ) -> Result<Response<Body>, ureq::Error> {
        let request = self.agent.get(format!("{}/events", self.base));
        request
            .header(header::ACCEPT, "text/event-stream")
            .header("Last-Event-ID", last_id)
            .config()
            .timeout_global(Some(most))
            .http_status_as_error(true)
            .build()
            .call()
    }

    /// The address of the next page (RFC 8288).
    fn next_page(&self, response: &Response<Body>) -> Option<String> {
        let links = text(response, header::LINK.as_str())?;
        let next = links
            .split(',')
            .find(|link| link.contains("rel=\"next\""))?;
        let address = next.split_once('<')?.1.split_once('>')?.0;
        Some(match address.starts_with('/') {
            true => format!("{}{address}", origin(&self.base)),
            false => address.to_owned(),
        })
    }
}

/// Scheme and host of an address.
fn origin(base: &str) -> &str {
    let host = base.find("://").map_or(0, |at| at + 3);
    let end = base[host..].find('/').map_or(base.len(), |at| host + at);
    &base[..end]
}

fn text(response: &Response<Body>, name: &str) -> Option<String> {
    let value = response.headers().get(name)?;
    value.to_str().ok().map(str::to_owned)
}

/// A key as a part of a URL.
pub(super) fn encoded(key: &RecordKey) -> String {
    utf8_percent_encode(&key.to_string(), PLAIN).to_string()
}

/// Where an item is to stand, as the end of a URL.
pub(super) fn place(place: Option<&Neighbours<RecordKey>>) -> String {
    let Some(place) = place else {
        return String::new();
    };
    match (&place.after, &place.before) {
        (_, None) => "?at=end".to_owned(),
        (None, _) => "?at=start".to_owned(),
        (Some(after), Some(before)) => {
            format!("?after={}&before={}", encoded(after), encoded(before))
        }
    }
}

impl Answered {
    pub(super) fn is_done(&self) -> bool {
        (200..300).contains(&self.status)
    }

    /// Whether it may go better another time.
    pub(super) fn is_for_later(&self) -> bool {
        self.status >= 500 || matches!(self.status, 408 | 425 | 429)
    }

    pub(super) fn object(&self) -> Option<Map<String, Value>> {
        serde_json::from_slice(&self.body).ok()
    }

    /// What a refusal says (RFC 9457), or the bare status.
    pub(super) fn reason(&self) -> String {
        let told = self.object().and_then(|problem| {
            let text = |name: &str| problem.get(name).and_then(Value::as_str).map(str::to_owned);
            text("detail").or_else(|| text("title"))
        });
        told.unwrap_or_else(|| format!("the server answers {}", self.status))
    }

    /// The item that a refusal carries.
    pub(super) fn current(&self) -> Option<Map<String, Value>> {
        match self.object()?.remove("item")? {
            Value::Object(members) => Some(members),
            _ => None,
        }
    }
}

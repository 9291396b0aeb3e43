//! Requests and answers.

use super::options::HttpOptions;
use crate::link::SourceError;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Map, Value};
use std::time::Duration;
use ureq::http::{Request, Response, header};
use ureq::tls::{RootCerts, TlsConfig};
use ureq::{Agent, Body};
use usual_tide::record::{RecordKey, parse_value};
use usual_tide::writes::Neighbours;

/// What is in a URL as it is.
const PLAIN: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'_')
    .remove(b'.')
    .remove(b'~');

/// How often an address may lead to another.
const MOST_REDIRECTIONS: usize = 5;

/// One server.
#[derive(Clone, Debug)]
pub(super) struct Client {
    agent: Agent,
    base: String,
    most_bytes: u64,
    headers: Vec<(String, String)>,
    timeout: Duration,
}

/// An answer whose body is read.
#[derive(Debug)]
pub(super) struct ReadResponse {
    pub(super) status: u16,
    pub(super) etag: Option<String>,
    pub(super) id: Option<String>,
    pub(super) next: Option<String>,
    /// Where it leads to.
    location: Option<String>,
    pub(super) body: Vec<u8>,
}

impl Client {
    pub(super) fn new(base: &str, options: &HttpOptions) -> Self {
        let config = Agent::config_builder()
            .timeout_global(Some(options.timeout))
            .http_status_as_error(false)
            .max_redirects(0)
            .max_redirects_will_error(false)
            // Whom this machine trusts: an office may have an authority of its own.
            .tls_config(
                TlsConfig::builder()
                    .root_certs(RootCerts::PlatformVerifier)
                    .build(),
            )
            .build();
        Self {
            agent: config.into(),
            base: base.trim_end_matches('/').to_owned(),
            most_bytes: options.most_bytes,
            headers: options.headers.clone(),
            timeout: options.timeout,
        }
    }

    /// Headers for this server alone: another one, that a page is said to be at, does not get them.
    fn headers_for<'a>(&'a self, url: &str) -> impl Iterator<Item = &'a (String, String)> {
        let own = origin(url).eq_ignore_ascii_case(origin(&self.base));
        self.headers.iter().filter(move |_| own)
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
        let request = Request::builder().method(method).uri(url);
        let headers = self.headers_for(url);
        headers.fold(request, |request, (name, value)| {
            request.header(name, value)
        })
    }

    /// What is at an address, or where that leads to. It is followed here, so that a server is sent no headers that
    /// are another one's.
    pub(super) fn get(&self, url: &str) -> Result<ReadResponse, SourceError> {
        let mut url = url.to_owned();
        for _ in 0..MOST_REDIRECTIONS {
            let answered = self.send(self.request("GET", &url), None)?;
            match &answered.location {
                Some(next) if (300..400).contains(&answered.status) => url.clone_from(next),
                _ => return Ok(answered),
            }
        }
        let why =
            format!("it leads from one address to another more than {MOST_REDIRECTIONS} times");
        Err(SourceError::unusable(&self.base, why))
    }

    /// Sends a request and reads the answer.
    pub(super) fn send(
        &self,
        request: ureq::http::request::Builder,
        body: Option<String>,
    ) -> Result<ReadResponse, SourceError> {
        let unreachable = |why: ureq::Error| SourceError::unreachable(&self.base, plain(&why));
        let bad = |why| SourceError::unusable(&self.base, why);
        let url = request.uri_ref().map(ToString::to_string);
        let url = url.unwrap_or_default();
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
        Ok(ReadResponse {
            status: response.status().as_u16(),
            etag: text(&response, header::ETAG.as_str()),
            id: text(&response, "last-event-id"),
            next: self.next_page(&response, &url),
            location: text(&response, header::LOCATION.as_str())
                .map(|address| resolved(&url, &address)),
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
        let own = self.headers.iter();
        let request = own.fold(request, |request, (name, value)| {
            request.header(name, value)
        });
        request
            .header(header::ACCEPT, "text/event-stream")
            .header("Last-Event-ID", last_id)
            .config()
            .timeout_global(Some(most))
            .timeout_connect(Some(self.timeout))
            .timeout_recv_response(Some(self.timeout))
            .http_status_as_error(true)
            .build()
            .call()
    }

    /// The address of the next page (RFC 8288), which may be said by one header or by several.
    fn next_page(&self, response: &Response<Body>, asked: &str) -> Option<String> {
        let links = response.headers().get_all(header::LINK);
        let links = links.iter().filter_map(|links| links.to_str().ok());
        let next = links.flat_map(links_of).find(|(_, relations)| {
            let mut relations = relations.split_ascii_whitespace();
            relations.any(|relation| relation.eq_ignore_ascii_case("next"))
        });
        Some(resolved(asked, &next?.0))
    }
}

/// The addresses in a `Link` header, each with the relations that it has to the page.
fn links_of(text: &str) -> Vec<(String, String)> {
    let mut links = Vec::new();
    let mut rest = text;
    while let Some((_, behind)) = rest.split_once('<') {
        let Some((address, parameters)) = behind.split_once('>') else {
            break;
        };
        // The parameters go to the next comma that is in no quotes.
        let mut in_quotes = false;
        let end = parameters.find(|letter: char| {
            in_quotes ^= letter == '"';
            letter == ',' && !in_quotes
        });
        let (parameters, next) = parameters.split_at(end.unwrap_or(parameters.len()));
        rest = next;
        let relations = parameters.split(';').find_map(|parameter| {
            let (name, value) = parameter.split_once('=')?;
            let is_rel = name.trim().eq_ignore_ascii_case("rel");
            is_rel.then(|| value.trim().trim_matches('"').to_owned())
        });
        links.push((address.to_owned(), relations.unwrap_or_default()));
    }
    links
}

/// An address as it is meant on a page with another (RFC 3986, as far as pages of items need it).
fn resolved(page: &str, address: &str) -> String {
    let path = page.split(['?', '#']).next().unwrap_or(page);
    if address.contains("://") {
        return address.to_owned();
    }
    if let Some(rest) = address.strip_prefix("//") {
        let scheme = page.split_once("://").map_or("http", |(scheme, _)| scheme);
        return format!("{scheme}://{rest}");
    }
    if address.starts_with('/') {
        return format!("{}{address}", origin(page));
    }
    if address.starts_with('?') {
        return format!("{path}{address}");
    }
    let folder = path.rfind('/').filter(|at| *at >= origin(page).len());
    match folder {
        Some(at) => format!("{}{address}", &path[..=at]),
        None => format!("{path}/{address}"),
    }
}

/// Why there is no answer, as a sentence.
pub(super) fn plain(why: &ureq::Error) -> String {
    match why {
        ureq::Error::Io(why) => format!("it cannot be reached: {why}"),
        ureq::Error::HostNotFound => "there is no host of this name".to_owned(),
        ureq::Error::ConnectionFailed => "it cannot be reached".to_owned(),
        ureq::Error::Timeout(_) => "it does not answer in time".to_owned(),
        ureq::Error::BodyExceedsLimit(most) => {
            format!("its answer has more than {most} bytes, which is the most that is read")
        }
        other => other.to_string(),
    }
}

/// Scheme and host of an address.
fn origin(base: &str) -> &str {
    let host = base.find("://").map_or(0, |at| at + 3);
    let end = base[host..].find(['/', '?', '#']);
    let end = end.map_or(base.len(), |at| host + at);
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

impl ReadResponse {
    pub(super) fn is_done(&self) -> bool {
        (200..300).contains(&self.status)
    }

    /// Whether it may go better another time.
    pub(super) fn is_for_later(&self) -> bool {
        self.status >= 500 || matches!(self.status, 408 | 425 | 429)
    }

    pub(super) fn object(&self) -> Option<Map<String, Value>> {
        let text = std::str::from_utf8(&self.body).ok()?;
        match parse_value(text).ok()? {
            Value::Object(members) => Some(members),
            _ => None,
        }
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

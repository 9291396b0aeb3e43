//! How a server is asked.

use crate::link::Retry;
use std::fmt;
use std::time::Duration;

/// How a server is asked.
///
/// ```
/// use std::time::Duration;
/// use usual_tide::record::FieldName;
/// use usual_tide_sources::http::{HttpOptions, HttpSource};
///
/// let options = HttpOptions::default()
///     .timeout(Duration::from_secs(10))
///     .most_bytes(64 << 20)
///     .page(100)
///     .most_pages(1_000)
///     .headers([("Authorization".to_owned(), "Bearer token".to_owned())]);
/// let source = HttpSource::with("https://studio.example/api", &FieldName::parse("id")?, options);
/// # let _ = source;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct HttpOptions {
    /// How long an answer may take, body included.
    pub timeout: Duration,
    /// The largest answer that is read, in bytes.
    pub most_bytes: u64,
    /// How many items are loaded at once, more when the app asks for them; all when it is not given, whatever
    /// pages the server answers in. When they are loaded anew, as many pages are as before.
    pub page: Option<usize>,
    /// The most pages of which all items are loaded; more are an error that says so.
    pub most_pages: usize,
    /// Headers that are sent with each request to this server, such as `Authorization`. They are in no message.
    pub headers: Vec<(String, String)>,
    /// When the stream of events is opened again.
    pub retry: Retry,
}

impl Default for HttpOptions {
    /// 30 seconds, 1 GiB, and all items at once, of 10,000 pages at most.
    fn default() -> Self {
        Self {
            timeout: Duration::from_secs(30),
            most_bytes: 1 << 30,
            page: None,
            most_pages: 10_000,
            headers: Vec::new(),
            retry: Retry::default(),
        }
    }
}

impl HttpOptions {
    /// With this time for an answer, body included.
    #[must_use]
    pub fn timeout(mut self, timeout: Duration) -> Self {
        self.timeout = timeout;
        self
    }

    /// With this limit on the bytes of an answer.
    #[must_use]
    pub fn most_bytes(mut self, bytes: u64) -> Self {
        self.most_bytes = bytes;
        self
    }

    /// With this many items loaded at once; all when it is `None`.
    #[must_use]
    pub fn page(mut self, items: impl Into<Option<usize>>) -> Self {
        self.page = items.into();
        self
    }

    /// With this many pages at most.
    #[must_use]
    pub fn most_pages(mut self, pages: usize) -> Self {
        self.most_pages = pages;
        self
    }

    /// With these headers in each request.
    #[must_use]
    pub fn headers(mut self, headers: impl IntoIterator<Item = (String, String)>) -> Self {
        self.headers = headers.into_iter().collect();
        self
    }

    /// With these waits before the stream of events is opened again.
    #[must_use]
    pub fn retry(mut self, retry: Retry) -> Self {
        self.retry = retry;
        self
    }
}

impl fmt::Debug for HttpOptions {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names: Vec<&str> = self.headers.iter().map(|(name, _)| name.as_str()).collect();
        f.debug_struct("HttpOptions")
            .field("timeout", &self.timeout)
            .field("most_bytes", &self.most_bytes)
            .field("page", &self.page)
            .field("most_pages", &self.most_pages)
            .field("headers", &names)
            .field("retry", &self.retry)
            .finish()
    }
}

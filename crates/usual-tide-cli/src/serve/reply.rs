//! RecentAnswers, before they become HTTP.

use axum::body::Body;
use axum::http::{HeaderName, HeaderValue, Response, header};
use serde_json::{Value, json};

/// An answer.
#[derive(Clone, Default, Debug)]
pub(super) struct Reply {
    pub(super) status: u16,
    pub(super) kind: &'static str,
    pub(super) etag: Option<String>,
    pub(super) id: Option<String>,
    pub(super) link: Option<String>,
    pub(super) location: Option<String>,
    pub(super) body: Vec<u8>,
}

impl Reply {
    /// A refusal (RFC 9457).
    pub(super) fn problem(status: u16, detail: impl Into<String>) -> Self {
        let title = axum::http::StatusCode::from_u16(status)
            .ok()
            .and_then(|status| status.canonical_reason())
            .unwrap_or("Refused");
        Self {
            status,
            kind: "application/problem+json",
            body: json!({"status": status, "title": title, "detail": detail.into()})
                .to_string()
                .into_bytes(),
            ..Self::default()
        }
    }

    /// The same with the item as it is.
    pub(super) fn with_item(mut self, item: Value, etag: String) -> Self {
        if let Ok(Value::Object(mut problem)) = serde_json::from_slice(&self.body) {
            problem.insert("item".to_owned(), item);
            self.body = Value::Object(problem).to_string().into_bytes();
        }
        self.etag = Some(etag);
        self
    }

    pub(super) fn into_response(self) -> Response<Body> {
        let mut response = Response::new(Body::from(self.body));
        if let Ok(status) = self.status.try_into() {
            *response.status_mut() = status;
        }
        let headers = response.headers_mut();
        let mut set = |name: HeaderName, value: Option<String>| {
            if let Some(Ok(value)) = value.map(HeaderValue::try_from) {
                headers.insert(name, value);
            }
        };
        set(header::ETAG, self.etag);
        set(HeaderName::from_static("last-event-id"), self.id);
        set(header::LINK, self.link);
        set(header::LOCATION, self.location);
        let kind = Some(self.kind).filter(|kind| !kind.is_empty());
        set(header::CONTENT_TYPE, kind.map(str::to_owned));
        set(header::CACHE_CONTROL, Some("no-cache".to_owned()));
        response
    }
}

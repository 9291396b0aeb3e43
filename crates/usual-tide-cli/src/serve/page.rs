//! The page of the server, and the files that it and programs load.

use super::reply::Reply;
use super::routes::App;
use axum::body::Body;
use axum::extract::State;
use axum::http::{HeaderValue, Response, header};
use axum::response::Html;
use std::sync::Arc;

/// The page that shows a list of the items, live. What runs on it is what the server has put there, and nothing that the
/// items hold.
pub(super) async fn page(State(app): State<Arc<App>>) -> Response<Body> {
    let way = serde_json::to_string(&app.key_members).unwrap_or_default();
    let text = include_str!("../../web/page.html")
        .replace("KEY_OF_ITEMS", &as_attribute(&way))
        .replace("TAKES_WRITES", if app.no_writes { "false" } else { "true" })
        .replace("SOURCE_NAME", &as_attribute(&app.source_name));
    let mut response = axum::response::IntoResponse::into_response(Html(text));
    let name = header::CONTENT_SECURITY_POLICY;
    response.headers_mut().insert(name, PAGE_POLICY);
    response
}

/// What the page may load, and from where: its own modules and its own server.
const PAGE_POLICY: HeaderValue = HeaderValue::from_static(
    "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; \
     form-action 'none'; frame-ancestors 'none'",
);

/// A text between quotes, or between tags.
fn as_attribute(text: &str) -> String {
    let mut written = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '&' => written.push_str("&amp;"),
            '<' => written.push_str("&lt;"),
            '>' => written.push_str("&gt;"),
            '"' => written.push_str("&quot;"),
            letter => written.push(letter),
        }
    }
    written
}

/// A file of the page, or a description of the server: its path, its kind and its text.
pub(super) type Asset = (&'static str, &'static str, &'static str);

const SCRIPT: &str = "text/javascript";
const TEXT: &str = "text/plain; charset=utf-8";

pub(super) const ASSETS: [Asset; 18] = [
    (
        "/change-set.js",
        SCRIPT,
        include_str!("../../web/change-set.js"),
    ),
    (
        "/selected.js",
        SCRIPT,
        include_str!("../../web/selected.js"),
    ),
    (
        "/change-set.d.ts",
        TEXT,
        include_str!("../../web/change-set.d.ts"),
    ),
    ("/page.js", SCRIPT, include_str!("../../web/page.js")),
    (
        "/live-list.js",
        SCRIPT,
        include_str!("../../web/live-list.js"),
    ),
    ("/cells.js", SCRIPT, include_str!("../../web/cells.js")),
    ("/exact.js", SCRIPT, include_str!("../../web/exact.js")),
    ("/names.js", SCRIPT, include_str!("../../web/names.js")),
    ("/focus.js", SCRIPT, include_str!("../../web/focus.js")),
    ("/choices.js", SCRIPT, include_str!("../../web/choices.js")),
    (
        "/scrolled.js",
        SCRIPT,
        include_str!("../../web/scrolled.js"),
    ),
    ("/adding.js", SCRIPT, include_str!("../../web/adding.js")),
    ("/address.js", SCRIPT, include_str!("../../web/address.js")),
    (
        "/problems.js",
        SCRIPT,
        include_str!("../../web/problems.js"),
    ),
    ("/writes.js", SCRIPT, include_str!("../../web/writes.js")),
    ("/told.js", SCRIPT, include_str!("../../web/told.js")),
    ("/page.css", "text/css", include_str!("../../web/page.css")),
    // What can be asked, for programs (OpenAPI 3.1).
    (
        "/openapi.json",
        "application/json",
        include_str!("../../web/openapi.json"),
    ),
];

/// Whether a path is the page or one of its files: they come as they are, so that there is a page to look at what goes wrong with.
pub(super) fn is_of_page(path: &str) -> bool {
    path == "/" || ASSETS.iter().any(|(name, ..)| *name == path)
}

pub(super) fn asset(kind: &'static str, text: &'static str) -> Response<Body> {
    Reply {
        status: 200,
        kind,
        body: text.as_bytes().to_vec(),
        ..Reply::default()
    }
    .into_response()
}

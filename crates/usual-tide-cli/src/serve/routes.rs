//! What can be asked.

use super::faults::Faults;
use super::guard::{Guard, Rejection};
use super::hub::{Hub, ServedItems};
use super::listen::Permit;
use super::lists::routes as lists;
use super::page::{ASSETS, asset, is_of_page, page};
use super::reply::Reply;
use super::stream;
use super::tags::Conditions;
use super::write::{Requested, RequestedPlace, WriteRequest};
use axum::Router;
use axum::body::{Body, Bytes, to_bytes};
use axum::extract::rejection::{PathRejection, QueryRejection};
use axum::extract::{Extension, FromRequestParts, Path, Query, Request, State};
use axum::http::request::Parts;
use axum::http::{HeaderMap, HeaderName, HeaderValue, Method, Response, Uri, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::routing::{get, post};
use serde::de::DeserializeOwned;
use serde_json::{Map, Value};
use std::hash::{BuildHasher, Hash, Hasher, RandomState};
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::sync::{Semaphore, watch};
use usual_tide::Item;
use usual_tide::record::parse_value;

/// How long a client may take to send a body.
const BODY_TIME: Duration = Duration::from_secs(10);

/// What all requests share.
pub(super) struct App {
    pub(super) hub: Hub,
    pub(super) faults: Faults,
    pub(super) guard: Guard,
    pub(super) most_bytes: usize,
    pub(super) no_writes: bool,
    /// What the items are called on the page.
    pub(super) source_name: String,
    /// The names that lead to an item's key.
    pub(super) key_members: Vec<String>,
    /// Streams of events that there may be more.
    pub(super) streams: Arc<Semaphore>,
    /// Tells one request from another.
    pub(super) hasher: RandomState,
}

pub(super) type Stopped = watch::Receiver<bool>;

pub(super) fn router(app: Arc<App>, stopped: Stopped) -> Router {
    let assets = ASSETS
        .iter()
        .fold(Router::new(), |router, (path, kind, text)| {
            router.route(path, get(async || asset(kind, text)))
        });
    assets
        .route("/", get(page))
        .route("/health", get(health))
        .route("/items", get(items).post(add))
        .route(
            "/items/{key}",
            get(item).patch(change).put(change).delete(change),
        )
        .route("/events", get(events))
        .route("/lists", post(lists::open))
        .route(
            "/lists/{list}",
            get(lists::rows).patch(lists::change).delete(lists::close),
        )
        .route("/lists/{list}/changes", get(lists::changes))
        .method_not_allowed_fallback(async |method: Method, uri: Uri| {
            let why = format!("{} does not allow {method}", uri.path());
            Reply::problem(405, why).into_response()
        })
        .fallback(async || {
            Reply::problem(404, "there is /items, /events, /lists and /health").into_response()
        })
        .layer(Extension(stopped))
        .layer(from_fn_with_state(Arc::clone(&app), checked))
        .with_state(app)
}

/// Whether the items can be read.
async fn health(State(app): State<Arc<App>>) -> Response<Body> {
    let shown = app.hub.shown();
    match shown.trouble() {
        Some(why) => Reply::problem(503, why).into_response(),
        None => {
            let told = serde_json::json!({"status": "ok", "items": shown.store.len()});
            Reply {
                status: 200,
                kind: "application/json",
                body: told.to_string().into_bytes(),
                ..Reply::default()
            }
            .into_response()
        }
    }
}

/// Turns away who may not ask, fails where that is asked for, and notes what was asked.
async fn checked(State(app): State<Arc<App>>, request: Request, next: Next) -> Response<Body> {
    let begun = Instant::now();
    let (method, path) = (request.method().clone(), request.uri().path().to_owned());
    let mut response = answer(&app, request, next).await;
    let headers = response.headers_mut();
    let mut set = |name: HeaderName, value: &'static str| {
        headers
            .entry(name)
            .or_insert(HeaderValue::from_static(value));
    };
    set(header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    set(header::X_FRAME_OPTIONS, "DENY");
    set(header::REFERRER_POLICY, "no-referrer");
    set(
        header::CONTENT_SECURITY_POLICY,
        "default-src 'none'; frame-ancestors 'none'",
    );
    let status = response.status().as_u16();
    let took = begun.elapsed();
    tracing::info!(%method, path, status, ?took, "request");
    response
}

async fn answer(app: &App, request: Request, next: Next) -> Response<Body> {
    if let Some(Rejection { status, why }) = app.guard.rejection(request.headers()) {
        return Reply::problem(status, why).into_response();
    }
    let path = request.uri().path();
    if path == "/health" || is_of_page(path) {
        return next.run(request).await;
    }
    if app.faults.fails() {
        tracing::info!(path, "failing on purpose");
        return Reply::problem(503, "a simulated failure").into_response();
    }
    let is_stream = path == "/events" || path.ends_with("/changes");
    let mut response = next.run(request).await;
    if !is_stream && app.faults.garbles() {
        tracing::info!("answering with nonsense on purpose");
        *response.body_mut() = Body::from("{\"this is\": [\"no ans");
        response.headers_mut().remove(header::CONTENT_LENGTH);
    }
    response
}

/// Works on a thread that may wait.
pub(super) async fn on_thread(
    app: Arc<App>,
    work: impl FnOnce(&App) -> Reply + Send + 'static,
) -> Response<Body> {
    let done = tokio::task::spawn_blocking(move || work(&app)).await;
    let reply = done.unwrap_or_else(|_| Reply::problem(500, "the server has a defect"));
    reply.into_response()
}

/// Works with the items as they are shown, unless they are out of date.
async fn with_items(
    app: Arc<App>,
    work: impl FnOnce(&ServedItems) -> Reply + Send + 'static,
) -> Response<Body> {
    on_thread(app, |app| {
        let shown = app.hub.shown();
        match shown.trouble() {
            Some(why) => Reply::problem(503, why),
            None => work(&shown),
        }
    })
    .await
}

#[derive(serde::Deserialize)]
struct Page {
    limit: Option<usize>,
    after: Option<String>,
}

/// A part of an address that cannot be read.
fn unreadable(why: &dyn std::fmt::Display) -> Response<Body> {
    Reply::problem(400, format!("the address cannot be read: {why}")).into_response()
}

/// The text in an address that names an item or a list.
pub(super) struct Named(pub(super) String);

impl<S: Send + Sync> FromRequestParts<S> for Named {
    type Rejection = Response<Body>;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Self::Rejection> {
        let named = Path::from_request_parts(parts, state).await;
        let named = named.map(|Path(name)| Self(name));
        named.map_err(|why: PathRejection| unreadable(&why.body_text()))
    }
}

/// What an address asks for after its `?`.
pub(super) struct Asked<T>(pub(super) T);

impl<S: Send + Sync, T: DeserializeOwned> FromRequestParts<S> for Asked<T> {
    type Rejection = Response<Body>;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Self::Rejection> {
        let asked = Query::from_request_parts(parts, state).await;
        let asked = asked.map(|Query(asked)| Self(asked));
        asked.map_err(|why: QueryRejection| unreadable(&why.body_text()))
    }
}

async fn items(
    State(app): State<Arc<App>>,
    Asked(page): Asked<Page>,
    headers: HeaderMap,
) -> Response<Body> {
    let conditions = match Conditions::of(&headers) {
        Ok(conditions) => conditions,
        Err(refused) => return refused.into_response(),
    };
    with_items(app, move |shown| page_reply(shown, &page, &conditions)).await
}

fn page_reply(shown: &ServedItems, page: &Page, conditions: &Conditions) -> Reply {
    let store = &shown.store;
    let first = match &page.after {
        None => 0,
        Some(after) => match store.position(&shown.key_of(after)) {
            Some(at) => at + 1,
            None => return Reply::problem(410, "the last page ended with an item that is gone"),
        },
    };
    if page.limit == Some(0) {
        return Reply::problem(400, "limit=0: a page has one item at the least");
    }
    let last = page.limit.map_or(store.len(), |limit| {
        first.saturating_add(limit).min(store.len())
    });
    let etag = format!("\"{}\"", shown.id());
    if conditions.has(&etag) {
        return Reply {
            status: 304,
            etag: Some(etag),
            id: Some(shown.id()),
            ..Reply::default()
        };
    }
    if !conditions.allow(Some(&etag)) {
        return Reply::problem(412, "the items were changed meanwhile");
    }
    let rows = (first..last).filter_map(|at| store.at(at));
    let mut body = Vec::new();
    let format = usual_tide_sources::files::FileFormat::Json;
    let members = rows.map(|item| item.members());
    if let Err(why) = usual_tide_sources::files::write(&mut body, format, members) {
        return Reply::problem(500, why.to_string());
    }
    let next = (last < store.len() && last > first)
        .then(|| store.at(last - 1))
        .flatten();
    let link = next.map(|item| {
        use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
        let key = item.key().to_string();
        let after = utf8_percent_encode(&key, NON_ALPHANUMERIC);
        format!(
            "</items?limit={}&after={after}>; rel=\"next\"",
            last - first
        )
    });
    Reply {
        status: 200,
        kind: "application/json",
        etag: Some(etag),
        id: Some(shown.id()),
        link,
        body,
        ..Reply::default()
    }
}

async fn item(
    State(app): State<Arc<App>>,
    Named(key): Named,
    headers: HeaderMap,
) -> Response<Body> {
    let conditions = match Conditions::of(&headers) {
        Ok(conditions) => conditions,
        Err(refused) => return refused.into_response(),
    };
    with_items(app, move |shown| {
        let key = shown.key_of(&key);
        let Some(item) = shown.store.get(&key) else {
            return Reply::problem(404, format!("there is no item {key:?}"));
        };
        let etag = shown.etag(&key);
        if conditions.has(&etag) {
            return Reply {
                status: 304,
                etag: Some(etag),
                ..Reply::default()
            };
        }
        match conditions.allow(Some(&etag)) {
            true => shown.item_reply(200, item),
            false => Reply::problem(412, format!("the item {key:?} was changed meanwhile")),
        }
    })
    .await
}

async fn add(
    State(app): State<Arc<App>>,
    Asked(at): Asked<RequestedPlace>,
    request: Request,
) -> Response<Body> {
    write(app, at, request, |_, members| {
        Some(Requested::Add(members?))
    })
    .await
}

async fn change(
    State(app): State<Arc<App>>,
    Named(key): Named,
    Asked(at): Asked<RequestedPlace>,
    request: Request,
) -> Response<Body> {
    write(app, at, request, move |method, members| match method {
        Method::DELETE => Some(Requested::Remove(key)),
        Method::PUT => Some(Requested::Replace(key, members?)),
        _ => Some(Requested::Merge(key, members?)),
    })
    .await
}

/// The body of a request, within its bounds in size and time.
pub(super) async fn body_of(
    app: &App,
    headers: &HeaderMap,
    body: Body,
) -> Result<Bytes, Box<Reply>> {
    let too_large = || {
        let most = app.most_bytes;
        Box::new(Reply::problem(
            413,
            format!("the body is larger than {most} bytes"),
        ))
    };
    let length = headers.get(header::CONTENT_LENGTH);
    let length = length.and_then(|length| length.to_str().ok()?.parse::<u64>().ok());
    if length.is_some_and(|length| length > app.most_bytes as u64) {
        return Err(too_large());
    }
    match tokio::time::timeout(BODY_TIME, to_bytes(body, app.most_bytes)).await {
        Ok(Ok(body)) => Ok(body),
        Ok(Err(_)) if length.is_some() => Err(Reply::problem(400, "the body is cut off").into()),
        Ok(Err(_)) => Err(too_large()),
        Err(_) => {
            let why = format!("the body took longer than {} seconds", BODY_TIME.as_secs());
            Err(Reply::problem(408, why).into())
        }
    }
}

async fn write(
    app: Arc<App>,
    at: RequestedPlace,
    request: Request,
    requested: impl FnOnce(Method, Option<Map<String, Value>>) -> Option<Requested>,
) -> Response<Body> {
    if app.no_writes {
        return Reply::problem(403, "this server takes no writes").into_response();
    }
    let (head, body) = request.into_parts();
    let read = async {
        let conditions = Conditions::of(&head.headers)?;
        let id = idempotency_key(&head.headers)?;
        let body = body_of(&app, &head.headers, body).await?;
        let (members, why) = members(&body);
        let fingerprint = fingerprint(&app.hasher, &head, &body);
        let requested = requested(head.method, members).ok_or_else(|| Reply::problem(400, why))?;
        Ok::<_, Box<Reply>>((conditions, id, fingerprint, requested))
    };
    let (conditions, id, fingerprint, requested) = match read.await {
        Ok(read) => read,
        Err(refused) => return refused.into_response(),
    };
    let request = WriteRequest {
        requested,
        at,
        conditions,
    };
    on_thread(app, move |app| {
        let mut writer = app.hub.writer();
        let known = id
            .as_deref()
            .and_then(|id| writer.answers.get(id, fingerprint));
        if let Some(reply) = known {
            return reply;
        }
        let made_up = match (app.faults.refuses(), app.faults.conflicts()) {
            (true, _) => Some(Reply::problem(422, "a simulated refusal")),
            (_, true) => app.hub.shown().made_up_conflict(&request.requested),
            _ => None,
        };
        if made_up.is_some() {
            tracing::info!("refusing on purpose");
        }
        let reply = made_up.unwrap_or_else(|| app.hub.write(&mut writer, &request));
        // A conflict is answered by another request under the same name.
        if let Some(id) = id.filter(|_| !matches!(reply.status, 412 | 500..)) {
            writer.answers.keep(id, fingerprint, &reply);
        }
        reply
    })
    .await
}

/// The members of a JSON object, or what is wrong with it.
fn members(body: &[u8]) -> (Option<Map<String, Value>>, String) {
    let text = std::str::from_utf8(body).map_err(|why| why.to_string());
    let value = text.and_then(|text| parse_value(text).map_err(|why| why.to_string()));
    match value {
        Ok(Value::Object(members)) => (Some(members), String::new()),
        Ok(_) => (None, "the body is JSON, but no object".to_owned()),
        Err(why) => (None, format!("the body is no JSON object: {why}")),
    }
}

/// The name under which a write may come again.
fn idempotency_key(headers: &HeaderMap) -> Result<Option<String>, Box<Reply>> {
    let Some(key) = headers.get("idempotency-key") else {
        return Ok(None);
    };
    let key = key.to_str().map(str::trim).unwrap_or_default();
    match key.is_empty() || key.len() > 256 {
        true => {
            let why = "an Idempotency-Key has 1 to 256 characters, all of them ASCII";
            Err(Reply::problem(400, why).into())
        }
        false => Ok(Some(key.to_owned())),
    }
}

/// What tells a request from another under the same `Idempotency-Key`: a client that puts its edit on top of a
/// newer version sends another condition and perhaps another body.
fn fingerprint(hasher: &RandomState, head: &axum::http::request::Parts, body: &[u8]) -> u64 {
    let mut state = hasher.build_hasher();
    head.method.hash(&mut state);
    head.uri.hash(&mut state);
    body.hash(&mut state);
    state.finish()
}

#[derive(serde::Deserialize)]
struct Since {
    #[serde(rename = "last-event-id")]
    last_event_id: Option<String>,
}

async fn events(
    State(app): State<Arc<App>>,
    headers: HeaderMap,
    Asked(since): Asked<Since>,
    Extension(stopped): Extension<Stopped>,
    Extension(permit): Extension<Permit>,
) -> Response<Body> {
    let Ok(stream) = Arc::clone(&app.streams).try_acquire_owned() else {
        let why = "there are as many streams of events as the server has room for";
        return Reply::problem(503, why).into_response();
    };
    // A stream takes no place from other requests.
    permit.give_back();
    stream::response(
        app,
        last_id(&headers, since.last_event_id).as_deref(),
        stopped,
        stream,
    )
}

/// The id of the event that a client had last.
pub(super) fn last_id(headers: &HeaderMap, asked: Option<String>) -> Option<String> {
    let header = headers.get("last-event-id").and_then(|id| id.to_str().ok());
    header.map(str::to_owned).or(asked)
}

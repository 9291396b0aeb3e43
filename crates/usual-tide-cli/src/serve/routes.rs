//! What can be asked.

use super::faults::Faults;
use super::guard::Guard;
use super::hub::{Begun, Event, Hub};
use super::reply::Reply;
use super::write::{Asked, At, Request as WriteRequest};
use axum::Router;
use axum::body::{Body, Bytes, to_bytes};
use axum::extract::{Path, Query, Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, Response, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::Html;
use axum::routing::get;
use futures::stream::{self, Stream, StreamExt};
use serde_json::{Map, Value};
use std::convert::Infallible;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{broadcast, watch};
use usual_tide::Item;

/// How often a stream says that it is there.
const HEARTBEAT: Duration = Duration::from_secs(10);

/// What all requests share.
pub(super) struct App {
    pub(super) hub: Mutex<Hub>,
    pub(super) faults: Faults,
    pub(super) guard: Guard,
    pub(super) most_bytes: usize,
    pub(super) read_only: bool,
    /// The names that lead to an item's key.
    pub(super) key_way: Vec<String>,
}

impl App {
    /// A holder that panicked left sound items, so a poisoned lock is as good.
    pub(super) fn hub(&self) -> MutexGuard<'_, Hub> {
        self.hub.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

type Stopped = watch::Receiver<bool>;

pub(super) fn router(app: Arc<App>, stopped: Stopped) -> Router {
    let events = {
        let stopped = stopped.clone();
        move |state, headers, query| events(state, headers, query, stopped)
    };
    Router::new()
        .route("/", get(page))
        .route("/items", get(items).post(add))
        .route(
            "/items/{key}",
            get(item).patch(change).put(change).delete(change),
        )
        .route("/events", get(events))
        .fallback(async || Reply::problem(404, "there is /items and /events").into_response())
        .layer(from_fn_with_state(Arc::clone(&app), checked))
        .with_state(app)
}

/// The page that shows the items live.
async fn page(State(app): State<Arc<App>>) -> Html<String> {
    let way = serde_json::to_string(&app.key_way).unwrap_or_default();
    // A script's text must not end the script.
    let way = way.replace('<', "\\u003c");
    Html(include_str!("page.html").replace("KEY_OF_ITEMS", &way))
}

/// Turns away who may not ask, and fails where that is asked for.
async fn checked(State(app): State<Arc<App>>, request: Request, next: Next) -> Response<Body> {
    if let Some(objection) = app.guard.objection(request.headers()) {
        return Reply::problem(403, objection).into_response();
    }
    if request.uri().path() == "/" {
        return next.run(request).await;
    }
    if app.faults.fails() {
        return Reply::problem(503, "a failure that was asked for").into_response();
    }
    let is_stream = request.uri().path() == "/events";
    let mut response = next.run(request).await;
    if !is_stream && app.faults.garbles() {
        *response.body_mut() = Body::from("{\"this is\": [\"no ans");
        response.headers_mut().remove(header::CONTENT_LENGTH);
    }
    response
}

/// Works with the items on a thread that may wait.
async fn with_hub(
    app: Arc<App>,
    work: impl FnOnce(&mut Hub) -> Reply + Send + 'static,
) -> Response<Body> {
    let done = tokio::task::spawn_blocking(move || work(&mut app.hub())).await;
    let reply = done.unwrap_or_else(|_| Reply::problem(500, "the server has a defect"));
    reply.into_response()
}

#[derive(serde::Deserialize)]
struct Page {
    limit: Option<usize>,
    after: Option<String>,
}

async fn items(
    State(app): State<Arc<App>>,
    Query(page): Query<Page>,
    headers: HeaderMap,
) -> Response<Body> {
    let if_none_match = text(&headers, header::IF_NONE_MATCH);
    with_hub(app, move |hub| {
        page_reply(hub, &page, if_none_match.as_deref())
    })
    .await
}

fn page_reply(hub: &Hub, page: &Page, if_none_match: Option<&str>) -> Reply {
    let store = &hub.store;
    let first = match &page.after {
        None => 0,
        Some(after) => match store.position(&hub.key_of(after)) {
            Some(at) => at + 1,
            None => return Reply::problem(410, "the last page ended with an item that is gone"),
        },
    };
    let last = page.limit.map_or(store.len(), |limit| {
        first.saturating_add(limit).min(store.len())
    });
    let etag = format!("\"{}\"", hub.id());
    if if_none_match.is_some_and(|tags| tags.split(',').any(|tag| tag.trim() == etag)) {
        return Reply {
            status: 304,
            etag: Some(etag),
            id: Some(hub.id()),
            ..Reply::default()
        };
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
        id: Some(hub.id()),
        link,
        body,
        ..Reply::default()
    }
}

async fn item(
    State(app): State<Arc<App>>,
    Path(key): Path<String>,
    headers: HeaderMap,
) -> Response<Body> {
    let if_none_match = text(&headers, header::IF_NONE_MATCH);
    with_hub(app, move |hub| {
        let key = hub.key_of(&key);
        match hub.store.get(&key) {
            None => Reply::problem(404, format!("there is no item {key:?}")),
            Some(_) if if_none_match.is_some_and(|tag| tag == hub.etag(&key)) => Reply {
                status: 304,
                etag: Some(hub.etag(&key)),
                ..Reply::default()
            },
            Some(item) => hub.item_reply(200, item),
        }
    })
    .await
}

async fn add(
    State(app): State<Arc<App>>,
    Query(at): Query<At>,
    request: Request,
) -> Response<Body> {
    write(app, at, request, |_, members| Some(Asked::Add(members?))).await
}

async fn change(
    State(app): State<Arc<App>>,
    Path(key): Path<String>,
    Query(at): Query<At>,
    request: Request,
) -> Response<Body> {
    write(app, at, request, move |method, members| match method {
        Method::DELETE => Some(Asked::Remove(key)),
        Method::PUT => Some(Asked::Replace(key, members?)),
        _ => Some(Asked::Merge(key, members?)),
    })
    .await
}

async fn write(
    app: Arc<App>,
    at: At,
    request: Request,
    asked: impl FnOnce(Method, Option<Map<String, Value>>) -> Option<Asked>,
) -> Response<Body> {
    if app.read_only {
        return Reply::problem(403, "this server takes no writes").into_response();
    }
    let (head, body) = request.into_parts();
    let body: Bytes = match to_bytes(body, app.most_bytes).await {
        Ok(body) => body,
        Err(_) => {
            let why = format!(
                "the body is cut off, or larger than {} bytes",
                app.most_bytes
            );
            return Reply::problem(413, why).into_response();
        }
    };
    let members = serde_json::from_slice(&body);
    let why = members.as_ref().err().map(ToString::to_string);
    let Some(asked) = asked(head.method, members.ok()) else {
        let why = why.unwrap_or_default();
        return Reply::problem(400, format!("the body is no JSON object: {why}")).into_response();
    };
    let id = text(&head.headers, "idempotency-key");
    let if_match = text(&head.headers, header::IF_MATCH);
    let faults = Arc::clone(&app);
    with_hub(app, move |hub| {
        if let Some(reply) = id.as_deref().and_then(|id| hub.answered(id)) {
            return reply;
        }
        let made_up = match (faults.faults.refuses(), faults.faults.conflicts()) {
            (true, _) => Some(Reply::problem(422, "a refusal that was asked for")),
            (_, true) => hub.made_up_conflict(&asked),
            _ => None,
        };
        let reply = match made_up {
            Some(reply) => reply,
            None => hub.write(WriteRequest {
                asked,
                at,
                if_match,
            }),
        };
        // A conflict is answered by another request under the same name.
        if let Some(id) = id.filter(|_| !matches!(reply.status, 412 | 500..)) {
            hub.remember(id, &reply);
        }
        reply
    })
    .await
}

#[derive(serde::Deserialize)]
struct Since {
    #[serde(rename = "last-event-id")]
    last_event_id: Option<String>,
}

async fn events(
    State(app): State<Arc<App>>,
    headers: HeaderMap,
    Query(since): Query<Since>,
    stopped: Stopped,
) -> Response<Body> {
    let last_id = text(&headers, "last-event-id").or(since.last_event_id);
    let Begun { missed, news } = app.hub().begin(last_id.as_deref());
    let missed = stream::iter(missed).map(|event| line(&event));
    // It says at once that it is there.
    let hello = stream::once(async { ": usual-tide\n\n".to_owned() });
    let lines = hello.chain(missed).chain(following(app, news, stopped));
    let mut response = Response::new(Body::from_stream(lines.map(Ok::<_, Infallible>)));
    let headers = response.headers_mut();
    headers.insert(
        header::CONTENT_TYPE,
        HeaderValue::from_static("text/event-stream"),
    );
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-cache"));
    response
}

/// The events to come, until the server is stopped. One that cannot be told any more ends the stream.
fn following(
    app: Arc<App>,
    news: broadcast::Receiver<Arc<Event>>,
    stopped: Stopped,
) -> impl Stream<Item = String> {
    stream::unfold(Some((app, news, stopped)), async |state| {
        let (app, mut news, mut stopped) = state?;
        let told = {
            let stop = stopped.wait_for(|stopped| *stopped);
            tokio::select! {
                told = news.recv() => Some(told),
                () = tokio::time::sleep(HEARTBEAT) => None,
                _ = stop => return None,
            }
        };
        match told {
            None => Some((": still here\n\n".to_owned(), Some((app, news, stopped)))),
            Some(Ok(event)) => Some((line(&event), Some((app, news, stopped)))),
            Some(Err(broadcast::error::RecvError::Lagged(_))) => {
                let reset = app.hub().reset();
                Some((line(&reset), None))
            }
            Some(Err(broadcast::error::RecvError::Closed)) => None,
        }
    })
}

fn line(event: &Event) -> String {
    format!(
        "id: {}\nevent: {}\ndata: {}\n\n",
        event.id, event.name, event.data
    )
}

fn text(headers: &HeaderMap, name: impl header::AsHeaderName) -> Option<String> {
    Some(headers.get(name)?.to_str().ok()?.to_owned())
}

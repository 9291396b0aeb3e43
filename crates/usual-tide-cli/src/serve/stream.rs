//! Streams of events (HTML standard, "Server-sent events").

use super::hub::Next;
use super::log::Event;
use super::routes::{App, Stopped};
use axum::body::Body;
use axum::http::{HeaderValue, Response, header};
use futures::stream::{self, Stream, StreamExt};
use std::convert::Infallible;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{OwnedSemaphorePermit, watch};

/// How often a stream says that it is there.
const HEARTBEAT: Duration = Duration::from_secs(10);

/// A stream that goes on after the event with this id, until the server is stopped.
pub(super) fn response(
    app: Arc<App>,
    last_id: Option<&str>,
    stopped: Stopped,
    place: OwnedSemaphorePermit,
) -> Response<Body> {
    let moved = app.hub.moved.subscribe();
    let version = app.hub.shown().version_of(last_id);
    event_stream(following(Following {
        app,
        version,
        moved,
        stopped,
        _place: place,
    }))
}

/// A stream of events as an answer.
pub(super) fn event_stream(events: impl Stream<Item = String> + Send + 'static) -> Response<Body> {
    // It says at once that it is there.
    let hello = stream::once(async { ": usual-tide\n\n".to_owned() });
    let lines = hello.chain(events);
    let mut response = Response::new(Body::from_stream(lines.map(Ok::<_, Infallible>)));
    let headers = response.headers_mut();
    headers.insert(
        header::CONTENT_TYPE,
        HeaderValue::from_static("text/event-stream"),
    );
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-cache"));
    response
}

struct Following {
    app: Arc<App>,
    /// What was told last; none when that is not known.
    version: Option<u64>,
    moved: watch::Receiver<u64>,
    stopped: Stopped,
    /// The stream's place among those that there may be.
    _place: OwnedSemaphorePermit,
}

/// The events to come. They are taken from the server's log, so that a slow reader takes no memory: it is told to
/// load all again when it has fallen too far behind.
fn following(state: Following) -> impl Stream<Item = String> {
    stream::unfold(Some(state), async |state| {
        let mut state = state?;
        loop {
            if *state.stopped.borrow() {
                return None;
            }
            state.moved.borrow_and_update();
            let next = state.app.hub.shown().after(state.version);
            match next {
                Next::Reset(event) => {
                    state.version = Some(event.version);
                    return Some((line(&event), Some(state)));
                }
                Next::Events(events) => {
                    if let Some(last) = events.last() {
                        state.version = Some(last.version);
                        let text = events.iter().map(|event| line(event)).collect();
                        return Some((text, Some(state)));
                    }
                }
            }
            match wait(&mut state.moved, &mut state.stopped).await {
                Wait::Moved => {}
                Wait::Beat => return Some((BEAT.to_owned(), Some(state))),
                Wait::End => return None,
            }
        }
    })
}

/// What a stream says when it has said nothing for a while.
pub(super) const BEAT: &str = ": still here\n\n";

/// What a stream goes on for.
pub(super) enum Wait {
    /// There may be something to tell.
    Moved,
    /// Nothing has happened for a while.
    Beat,
    /// The server is stopped.
    End,
}

/// Waits for something to tell.
pub(super) async fn wait(moved: &mut watch::Receiver<u64>, stopped: &mut Stopped) -> Wait {
    tokio::select! {
        moved = moved.changed() => match moved {
            Ok(()) => Wait::Moved,
            Err(_) => Wait::End,
        },
        () = tokio::time::sleep(HEARTBEAT) => Wait::Beat,
        _ = stopped.wait_for(|stopped| *stopped) => Wait::End,
    }
}

fn line(event: &Event) -> String {
    let id = event.id.as_ref().map(|id| format!("id: {id}\n"));
    format!(
        "{}event: {}\ndata: {}\n\n",
        id.unwrap_or_default(),
        event.name,
        event.data
    )
}
